import { sql } from 'drizzle-orm';
import * as base from '@contract/base';
import { content, openProject, type Project } from './support';

const many = 4000;
/** Small tables that are read whole on purpose: people, a project's settings, kinds and fields. */
const small =
  /^(people|p|projects|memberships|m|settings|trace_kinds|fields|builds|tokens|limits|sessions|ledger_heads|schema_lock|jobs|integrity_faults|specifications|presence)$/;

describe('the queries behind lists', () => {
  let p: Project;

  beforeAll(async () => {
    p = await openProject();
    const key = (i: number): string => `BRK-${String(i).padStart(4, '0')}`;
    for (let at = 0; at < many; at += 1000) {
      const csv = Array.from({ length: 1000 }, (_, i) => `${key(at + i + 1)},Title ${i},The valve ${i} shall close.,SIL 1,test`).join('\n');
      const answer = await p.app.inject({
        method: 'POST',
        url: '/api/projects/spec/imports/requirements',
        headers: { cookie: await p.cookie('author') },
        payload: {
          specification: 'BRK',
          fileName: 'r.csv',
          csv: `key,title,text,level,method\n${csv}\n`,
          mapping: { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method' },
        },
      });
      expect(answer.statusCode).toBe(200);
    }
    for (let i = 0; i < 40; i++) await p.call('author', base.addComment, { key: key(1), html: `<p>${i}</p>` });
    const url = '/api/projects/spec/requirements';
    await p.app.inject({
      method: 'POST',
      url,
      headers: { cookie: await p.cookie('author') },
      payload: { specification: 'BRK', content: content('x') },
    });
    await p.app.inject({ url: `/api/projects/spec/board?build=1.0&atLeast=1`, headers: { cookie: await p.cookie('author') } });
    await p.owner.query(`analyze table ${p.name}.records, ${p.name}.requirements, ${p.name}.cords, ${p.name}.ledger, ${p.name}.revisions`);
  });
  afterAll(() => p.close());

  const filter = (f: unknown): string => `filter=${encodeURIComponent(JSON.stringify(f))}`;
  const questions = [
    'requirements?limit=50',
    'requirements?limit=50&sort=-updatedAt',
    'requirements?limit=50&sort=title',
    `requirements?limit=50&${filter({ field: 'state', is: ['draft'] })}`,
    `requirements?limit=50&${filter({ words: 'valve 17' })}`,
    `requirements?limit=50&${filter({ words: 'BRK-0017' })}`,
    'specifications/BRK/branches?at=.0,.3&of=BRK-0007&to=BRK-0007',
    'requirements/BRK-0007',
    'records/BRK-0001/comments',
    'records/BRK-0007/revisions',
    'board?build=1.0',
    'cords?build=1.0&limit=50',
    `cords?build=1.0&limit=50&sort=break&${filter({ field: 'cord', is: ['broken'] })}`,
    `cords?build=1.0&limit=50&${filter({ words: 'valve' })}`,
    'cords?build=1.0&limit=50&sort=title',
    `cords?build=1.0&limit=50&groups=break&${filter({ field: 'run', is: ['notReached'] })}`,
    'cords/BRK-0007?build=1.0',
    'cases?limit=50',
    'runs?limit=50&build=1.0',
    'rounds?limit=50&build=1.0',
    'problems?limit=50',
    'builds/1.0/uploads?limit=50',
    'builds/1.0/code',
    'ledger?limit=50',
    'ledger?limit=50&kind=requirement',
    'ledger?limit=50&who=author',
    'waiting',
    'jump?q=valve',
    'bulk',
    'jobs',
  ];

  for (const question of questions)
    it(`read no large table whole: ${question.slice(0, 70)}`, async () => {
      const { asked, value: answer } = await heard(async () =>
        p.app.inject({ url: `/api/projects/spec/${question}`, headers: { cookie: await p.cookie('author') } }),
      );
      expect(answer.statusCode).withContext(answer.body.slice(0, 200)).toBe(200);
      // The right to ask, and what was asked for.
      expect(asked.length).toBeGreaterThan(1);
      for (const text of asked)
        for (const { table, type, rows } of await plan(text))
          if (table && type === 'ALL' && Number(rows) > 200 && !small.test(table) && !/^<|derived/.test(table))
            fail(`${table} is read whole (${rows} rows) by: ${text.slice(0, 400)}`);
    });

  /** What the database was asked to select while something is done, over whichever connection and in whatever packet: it notes that itself. */
  async function heard<T>(work: () => Promise<T>): Promise<{ asked: string[]; value: T }> {
    await p.owner.query("set global log_output = 'TABLE'");
    await p.owner.query('truncate table mysql.general_log');
    await p.owner.query('set global general_log = 1');
    const value = await work();
    await p.owner.query('set global general_log = 0');
    const [rows] = (await p.owner.query(
      // Others may use the same server: what counts is what this database's connections asked.
      "select convert(argument using utf8mb4) text from mysql.general_log where command_type in ('Query', 'Execute') and thread_id in (select id from information_schema.processlist where db = ?) order by event_time",
      [p.name],
    )) as unknown as [{ text: string }[]];
    // A packet is noted as one text.
    const texts = rows.flatMap(({ text }) => text.split(/;(?=select|execute|rollback)/)).map((text) => text.trim());
    return { asked: texts.filter((text) => /^select/i.test(text) && text !== 'select @page as page'), value };
  }

  async function plan(text: string): Promise<{ table: string | null; type: string; rows: number }[]> {
    // A page that is kept is planned as one that is answered.
    const [rows] = await p.owner.query(`explain ${text.replace(' into @page, @ids from (', ' from (')}`);
    return rows as never;
  }

  it('are heard by this test, in packets and by kept ids too, and a table read whole is seen', async () => {
    const whole = sql`select sum(length(body)) n from requirements`;
    const { asked } = await heard(async () => {
      await p.database.db.execute(whole);
      // Never asked before: a page that was found is found again.
      await p.app.inject({ url: '/api/projects/spec/requirements?limit=49', headers: { cookie: await p.cookie('author') } });
    });
    expect((await plan(asked[0])).map(({ table, type }) => [table, type])).toEqual([['requirements', 'ALL']]);
    expect(asked.join('\n')).toMatch(/ into @page, @ids from \(select `records`/);
    expect(asked.join('\n')).toMatch(/`id`\s+in \(\d+,\d+/i);
  });
});
