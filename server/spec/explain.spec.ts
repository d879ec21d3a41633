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
  }, 120_000);
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
      const seen: { text: string; params: unknown[] }[] = [];
      const pool = p.database.pool as unknown as { getConnection: () => Promise<{ query: unknown; execute: unknown }> };
      const statements = listen(pool, (text, params) => seen.push({ text, params }));
      const answer = await p.app.inject({ url: `/api/projects/spec/${question}`, headers: { cookie: await p.cookie('author') } });
      statements();
      expect(answer.statusCode).withContext(answer.body.slice(0, 200)).toBe(200);
      expect(seen.length).toBeGreaterThan(0);
      for (const { text, params } of seen.filter((s) => /^\s*select/i.test(s.text))) {
        const [plan] = (await p.owner.query(`explain ${text}`, params)) as unknown as [
          { table: string | null; type: string; rows: number }[],
        ];
        for (const { table, type, rows } of plan)
          if (table && type === 'ALL' && Number(rows) > 200 && !small.test(table) && !/^<|derived/.test(table))
            fail(`${table} is read whole (${rows} rows) by: ${text.slice(0, 400)}`);
      }
    });

  /** Hears every statement of the server's pool while a request is answered. */
  function listen(pool: unknown, hear: (text: string, params: unknown[]) => void): () => void {
    const { prototype } = Object.getPrototypeOf(
      (pool as { pool: object }).pool ? (pool as { pool: object }).pool : (pool as object),
    ).constructor;
    void prototype;
    const core = (pool as { pool: { on: (name: string, f: unknown) => void; _allConnections: { toArray(): { query: unknown }[] } } }).pool;
    const restore: (() => void)[] = [];
    for (const connection of core._allConnections.toArray()) {
      const target = connection as unknown as Record<string, (...args: unknown[]) => unknown>;
      for (const name of ['query', 'execute']) {
        const plain = target[name];
        target[name] = function (this: unknown, ...args: unknown[]) {
          const [first, second] = args as [string | { sql: string; values?: unknown[] }, unknown];
          const text = typeof first === 'string' ? first : first.sql;
          const params = (typeof first === 'string' ? second : (first.values ?? second)) as unknown;
          hear(text, Array.isArray(params) ? params : []);
          return plain.apply(this, args);
        };
        restore.push(() => delete target[name]);
      }
    }
    return () => restore.forEach((undo) => undo());
  }

  it('are heard by this test at all', async () => {
    const seen: string[] = [];
    const stop = listen(p.database.pool, (text) => seen.push(text));
    await p.database.db.execute(sql`select 17 as n`);
    stop();
    expect(seen.join()).toContain('17');
  });
});
