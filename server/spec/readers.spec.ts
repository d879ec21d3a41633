import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { LedgerReaders, type Db, type LedgerNews } from '../src/base';
import { content, eventually, openProject, type Project } from './support';

describe('who listens to a project', () => {
  let p: Project;
  beforeAll(async () => {
    p = await openProject();
  });
  afterAll(() => p.close());

  /** A database that is away when the given question is asked, the first being 1. */
  const awayAt = (...questions: number[]): { db: Db; asked: () => number } => {
    let asked = 0;
    const db = new Proxy(p.database.db, {
      get: (real, name) => {
        if (name !== 'select') return Reflect.get(real, name) as unknown;
        return (...args: never[]) => {
          if (questions.includes(++asked)) throw new Error('the database is away');
          return (real.select as (...of: never[]) => unknown)(...args);
        };
      },
    });
    return { db, asked: () => asked };
  };
  const seqOf = async (): Promise<number> => (await p.call('auditor', base.getProject, {})).body.seq;
  const write = async (): Promise<void> =>
    void (await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds') }));

  it('is told every entry once, also of those that were read when the database went away before they were told', async () => {
    // Four questions to begin and to look once; of what comes then, each second look fails at one question or another.
    const { db } = awayAt(...Array.from({ length: 24 }, (_, i) => 5 + i).filter((n) => n % 3 !== 0));
    const faults: unknown[] = [];
    const readers = new LedgerReaders(db, (error) => faults.push(error));
    const heard: number[] = [];
    const { from } = await readers.listen(p.projectId, ({ entries }: LedgerNews) => heard.push(...entries.map(({ seq }) => seq)));
    for (let i = 0; i < 5; i++) await write();
    const head = await seqOf();
    await eventually(() => heard.includes(head));
    readers.stop();
    expect(faults.length).toBeGreaterThan(0);
    expect(heard).toEqual(Array.from({ length: head - from }, (_, i) => from + 1 + i));
  });

  it('can listen once the database is back, where it was away at first', async () => {
    const { db } = awayAt(1);
    const readers = new LedgerReaders(db);
    const heard: number[] = [];
    const tell = ({ entries }: LedgerNews): void => void heard.push(...entries.map(({ seq }) => seq));
    await expectAsync(readers.listen(p.projectId, tell)).toBeRejected();
    const { from } = await readers.listen(p.projectId, tell);
    await write();
    const head = await seqOf();
    await eventually(() => heard.includes(head));
    readers.stop();
    expect([heard[0], heard.at(-1)]).toEqual([from + 1, head]);
  });
});
