import { gzipSync } from 'node:zlib';
import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { JobRunner } from '../src/base';
import { workImportJob } from '../src/specify';
import { eventually, openProject, type Project } from './support';

const mapping = { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method' };
const table = (n: number, text = 'It shall hold.'): string =>
  `key,title,text,level,method\n${Array.from({ length: n }, (_, i) => `BRK-${100 + i},T ${i},${text},SIL 1,test\n`).join('')}`;

describe('A large table that is sent in parts', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());
  const send = async (bytes: Buffer, login = 'author'): Promise<string> => {
    const { body } = await p.call(login, base.beginIncoming, { name: 'table.json.gz', bytes: bytes.length });
    for (let at = 0; at < bytes.length; at += 100_000) {
      const part = await p.app.inject({
        method: 'PUT',
        url: `/api/projects/spec/incoming/${body.id}?from=${at}`,
        headers: { cookie: await p.cookie(login), 'content-type': 'application/octet-stream' },
        payload: bytes.subarray(at, at + 100_000),
      });
      expect(part.statusCode).toBe(200);
    }
    return body.id;
  };
  const packed = (said: object, login?: string): Promise<string> => send(gzipSync(JSON.stringify(said)), login);
  const ask = (id: string, more = {}) =>
    p.call('author', specify.importSentTable, { table: id, specification: 'BRK', fileName: 'big.csv', mapping, ...more });
  const jobOf = async (id: number) => (await p.call('author', base.listJobs, {})).body.find((job) => job.id === id);
  /** Works off what is asked for; `at` is told how far each job is. */
  const work = async (id: number, at: (part: number) => Promise<void> = async () => undefined) => {
    const runner = new JobRunner(
      p.database,
      {
        import: (job, progress) =>
          workImportJob(p.database.db, job, {
            report: async (part, words) => {
              await at(part);
              await progress.report(part, words);
            },
          }),
      },
      () => undefined,
    );
    runner.start();
    await eventually(async () => !['queued', 'running', undefined].includes((await jobOf(id))?.state));
    await runner.stop();
    return jobOf(id);
  };
  const count = async () => (await p.call('auditor', specify.listRequirements, {})).body.total;

  it('is looked at, written by a job, and taken back as one', async () => {
    const before = await count();
    const layouts = { 'BRK-101': '<p>It <b>shall</b> hold.</p><script>x</script>' };
    const id = await packed({ csv: table(700), layouts });
    const { body: shown } = await p.call('author', specify.previewSentTable, { table: id, specification: 'BRK' });
    expect([shown.new, shown.mapping['title']]).toEqual([700, 'title']);
    const { body: asked } = await ask(id);
    expect([asked.kind, asked.build, asked.state]).toEqual(['import', 'BRK', 'queued']);
    const parts: number[] = [];
    const done = await work(asked.id, async (part) => void parts.push(part));
    expect([done?.state, done?.message]).toEqual(['done', 'big.csv: 700 new']);
    expect(parts).toEqual([...parts].sort((a, b) => a - b));
    expect(await count()).toBe((before ?? 0) + 700);
    expect((await p.call('auditor', specify.getRequirement, { key: 'BRK-101' })).body.html).toBe('<p>It <b>shall</b> hold.</p>');
    const [bulk] = (await p.call('auditor', base.listBulk, {})).body;
    expect([bulk.act.act, bulk.job?.id, bulk.done]).toEqual(['import', asked.id, 700]);
    // What was sent is gone, and its headings are remembered.
    expect((await p.call('author', base.getIncoming, { id })).status).toBe(404);
    const again = await packed({ csv: table(3) });
    const columns = ['key', 'title', 'text', 'level', 'method'];
    expect((await p.call('author', specify.previewSentTable, { table: again, columns })).body.same).toBe(3);
    await p.call('author', base.dropIncoming, { id: again });
    expect((await p.call('auditor', base.verifyLedger, {})).body.rowFaultCount).toBe(0);
  });

  it('writes nothing where it is cancelled, and nothing of a faulty one, which it names', async () => {
    const before = await count();
    const { body: asked } = await ask(await packed({ csv: table(900) }));
    const cancelled = await work(asked.id, async (part) => {
      if (part >= 0.6) await p.call('author', base.cancelJob, { id: asked.id });
    });
    expect(cancelled?.state).toBe('cancelled');
    const faulty = await ask(await packed({ csv: `${table(2)}BRK-9x,T,It shall.,SIL 1,test\n` }));
    const failed = await work(faulty.body.id);
    expect([failed?.state, failed?.message]).toEqual(['failed', jasmine.stringContaining('Row 4, key, “BRK-9x” is not a key')]);
    expect(await count()).toBe(before);
  });

  it('is refused where it is none, is not whole, or is somebody else’s', async () => {
    const noTable = await p.call('author', specify.previewSentTable, { table: await send(Buffer.from('no')) });
    expect(noTable.problem.detail).toContain('is no table');
    const other = await p.call('author', specify.previewSentTable, { table: await packed({ rows: [] }) });
    expect(other.problem.detail).toBe('What was sent is no table of requirements.');
    const bomb = await p.call('author', specify.previewSentTable, { table: await send(gzipSync(Buffer.alloc(401 << 20, ' '))) });
    expect(bomb.problem.detail).toContain('unpacks to more than 400 MiB');
    const half = (await p.call('author', base.beginIncoming, { name: 't', bytes: 9 })).body.id;
    expect((await ask(half)).problem.code).toBe('stateForbids');
    expect((await ask(await packed({ csv: table(1) }, 'tester'))).status).toBe(404);
    const body = { table: half, specification: 'BRK', fileName: 'x', mapping };
    expect((await p.call('tester', specify.importSentTable, body)).problem.code).toBe('forbidden');
  });
});
