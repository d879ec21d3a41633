import * as base from '@contract/base';
import * as design from '@contract/design';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import type { ListQuery } from '@contract/base';
import { eq, sql } from 'drizzle-orm';
import { buildApp } from '../src/app';
import { forReading, ledger, ledgerHeads, openDatabase, records } from '../src/base';
import { History } from './history-acts';
import { caseContent, content, contextOf, openProject, packetsOver, type Project } from './support';

/** What quotes, escapes and widths go wrong with. */
const titles = [
  "It's the valve",
  'A "quoted" valve',
  "A back\\slash and \\'both\\'",
  '/*ids*/ ) or 1=1 -- ',
  'Größe über 10 µm',
  '\u{1f6e0} a wrench',
  'null',
  '[1,2]',
  '{{name}} %s ? :p @ids',
];

describe('a page of a list', () => {
  let p: Project;
  let numbers: Map<string, number>;
  let field = 0;
  const list = async (query: Partial<ListQuery>) => (await p.call('auditor', specify.listRequirements, query as never)).body;
  beforeAll(async () => {
    p = await openProject();
    const definition = { type: 'number' as const, unit: '', choices: [], requiredFrom: null, levels: [], shown: 'both' as const };
    const fields = await p.call('admin', base.addField, { kind: 'requirement', name: 'Size', description: '', definition });
    field = fields.body.find(({ name }) => name === 'Size')?.id ?? 0;
    const sizes = [0.1 + 0.2, 0.3, 1e-7, 123456789.123456789, -0.1, 1 / 3, 2 / 3, 1e15 + 0.5, 0.1];
    numbers = new Map();
    for (const [i, title] of titles.entries()) {
      const { key, revision } = (await p.call('author', specify.addRequirement, { specification: 'BRK', content: content(title) })).body;
      await p.call('author', base.setOwnFields, { key, basedOn: revision, own: { [field]: sizes[i] } as never });
      numbers.set(key, sizes[i]);
    }
  });
  afterAll(() => p.close());

  const paged = async (sort: string): Promise<string[]> => {
    const keys: string[] = [];
    for (let after: string | undefined; ;) {
      const page = await list({ sort, limit: 2, ...(after ? { after } : {}) });
      keys.push(...page.rows.map(({ key }) => key));
      if (!page.next) return keys;
      after = page.next;
    }
  };

  it('that is found again is one packet, in which it is asked whether the session still is open', async () => {
    const ask = () => list({ sort: 'title', limit: 20 });
    const before = await ask();
    const packets = packetsOver(forReading(p.database.db));
    expect(await ask()).toEqual(before);
    expect(packets.length).toBe(1);
    expect(packets[0]).toMatch(/^begin;/);
    expect(packets[0]).toContain('from `sessions`');
    expect(packets[0]).toMatch(/;rollback$/);
  });

  it('goes on where the last one ended, whatever a text holds and however fine a number is', async () => {
    expect((await list({ sort: 'title', limit: 50 })).rows.map(({ title }) => title).sort()).toEqual([...titles].sort());
    for (const sort of ['title', '-title']) expect((await paged(sort)).sort()).toEqual([...numbers.keys()].sort());
    const bySize = [...numbers].sort(([, a], [, b]) => a - b).map(([key]) => key);
    expect(await paged(`own:${field}`)).toEqual(bySize);
    expect(await paged(`-own:${field}`)).toEqual([...bySize].reverse());
  });

  it('is empty where nothing is found, and tells so behind its end', async () => {
    const none = await list({ filter: JSON.stringify({ field: 'title', is: ['nothing'] }), limit: 5 });
    expect([none.rows, none.total, none.next]).toEqual([[], 0, null]);
    expect(none.seq).toBeGreaterThan(0);
    const behind = await list({ skip: 100, limit: 5 });
    expect([behind.rows, behind.total]).toEqual([[], titles.length]);
  });

  it('tells how many there are as they are now, whatever was counted before, on each node', async () => {
    const other = openDatabase({ ...p.address, ...p.account });
    const app = await buildApp({ context: contextOf(other), requestLimit: 10_000_000, logger: false });
    await app.ready();
    const filter = JSON.stringify({
      and: [
        { field: 'state', is: ['draft'] },
        { field: 'level', is: ['SIL 2'] },
      ],
    });
    const totals = async (): Promise<number[]> => {
      const there = await app.inject({
        url: `/api/projects/spec/requirements?${new URLSearchParams({ filter, limit: '3' })}`,
        headers: { cookie: await p.cookie('auditor') },
      });
      return [(await list({ filter, limit: 3 })).total ?? -1, (there.json() as { total: number }).total];
    };
    try {
      const [first] = await totals();
      expect(await totals()).toEqual([first, first]);
      for (let i = 1; i <= 3; i++) {
        const made = content(`One more, ${i}`, { level: 'SIL 2' });
        const { key, revision } = (await p.call('author', specify.addRequirement, { specification: 'BRK', content: made })).body;
        expect(await totals()).toEqual([first + 1, first + 1]);
        await p.call('author', specify.setRequirementState, { key, basedOn: revision, state: 'review' });
        expect(await totals()).toEqual([first, first]);
      }
    } finally {
      await app.close();
      await other.close();
    }
  });

  it('keeps its count over entries about runs, and over nothing else', async () => {
    const { db } = p.database;
    const head = async () => (await db.select().from(ledgerHeads).where(eq(ledgerHeads.projectId, p.projectId)))[0];
    const made = (await p.call('author', design.addCase, { content: caseContent('Press'), verifies: [] })).body;
    await p.approve(made.key);
    const round = await p.call('author', run.addRound, {
      build: '1.0',
      title: 'R',
      configuration: 'rig',
      tester: 'tester',
      cases: [made.key],
    });
    const before = await head();
    expect(before.otherSeq).toBe(before.seq);
    const total = (await list({ limit: 1 })).total ?? 0;
    // Behind the ledger, so that a fresh count would tell another number.
    await p.owner.query(
      'insert into records (project_id, kind, record_key, key_prefix, key_number, title, words, state, revision, own, created_by, created_at, updated_by, updated_at) select project_id, kind, ?, key_prefix, 99999, title, words, state, revision, own, created_by, created_at, updated_by, updated_at from records where kind = ? limit 1',
      ['BRK-99999', 'requirement'],
    );
    const { key } = round.body.items[0];
    await p.call('tester', run.recordStep, { key, step: 1, observed: 'as expected', verdict: 'pass', seconds: 1 });
    const recorded = await head();
    expect([recorded.seq > before.seq, recorded.otherSeq]).toEqual([true, before.otherSeq]);
    expect((await list({ limit: 1 })).total).toBe(total);
    await p.call('author', base.addComment, { key: made.key, html: '<p>Now</p>' });
    expect((await list({ limit: 1 })).total).toBe(total + 1);
    await p.owner.query('delete from records where record_key = ?', ['BRK-99999']);
  });

  it('finds again what it found, as a node finds it that never was asked, whatever was written in between', async () => {
    const asked: (Record<string, string> & { path?: string })[] = [
      { path: 'cases' },
      { path: 'cases', limit: '2', sort: '-updatedAt', filter: JSON.stringify({ words: 'see' }) },
      { limit: '4' },
      { limit: '4', skip: '3', sort: '-updatedAt' },
      { limit: '3', sort: '-title', filter: JSON.stringify({ field: 'state', is: ['draft'] }) },
      { limit: '3', filter: JSON.stringify({ and: [{ field: 'state', is: ['draft'] }, { words: 'valve' }] }) },
      { limit: '3', filter: JSON.stringify({ not: { words: 'valve' } }), groups: 'state' },
      { limit: '3', filter: JSON.stringify({ field: 'specification', is: ['BRK'] }) },
    ];
    const cookie = await p.cookie('auditor');
    const answers = async (app: Project['app']): Promise<unknown[]> => {
      const all: unknown[] = [];
      for (const { path = 'requirements', ...query } of asked) {
        const first = await app.inject({ url: `/api/projects/spec/${path}?${new URLSearchParams(query)}`, headers: { cookie } });
        const { next } = first.json() as { next: string | null };
        const more = new URLSearchParams({ ...query, ...(next ? { after: next } : {}) });
        if (next) more.delete('skip');
        all.push(first.json(), (await app.inject({ url: `/api/projects/spec/${path}?${more}`, headers: { cookie } })).json());
      }
      return all;
    };
    const fresh = async (): Promise<unknown[]> => {
      const database = openDatabase({ ...p.address, ...p.account });
      const app = await buildApp({ context: contextOf(database), requestLimit: 10_000_000, logger: false });
      try {
        return await answers(app);
      } finally {
        await app.close();
        await database.close();
      }
    };
    const [{ key, revision }] = (await list({ limit: 1 })).rows;
    // What a case's row shows of its requirement, its folder and its traces is found again too.
    const made = (await p.call('author', design.addCase, { content: caseContent('Pull'), verifies: [key] })).body;
    await p.approve(made.key);
    const folder = (await p.call('author', design.addFolder, { title: 'Kept', under: null })).body;
    const planned = { build: '1.0', title: 'Again', configuration: 'rig 2', tester: 'tester', cases: [made.key] };
    const [{ key: onBench }] = (await p.call('author', run.addRound, planned)).body.items;
    const acts: (() => Promise<unknown>)[] = [
      async () => undefined,
      () => p.call('tester', run.recordStep, { key: onBench, step: 1, observed: 'as expected', verdict: 'pass', seconds: 1 }),
      () =>
        p.call('author', specify.saveRequirement, {
          key,
          basedOn: revision,
          content: content('A valve that was not one', { level: 'SIL 2' }),
        }),
      () => p.call('author', specify.addRequirement, { specification: 'BRK', content: content('One more valve') }),
      () => p.call('author', specify.setRequirementState, { key, basedOn: revision + 1, state: 'review' }),
      () => p.call('author', design.fileCases, { cases: [made.key], folder: folder.key }),
    ];
    for (const act of acts) {
      const done = (await act()) as { status?: number } | undefined;
      expect(done?.status ?? 200).toBe(200);
      const expected = await fresh();
      expect(await answers(p.app)).toEqual(expected);
      expect(await answers(p.app)).toEqual(expected);
    }
  });

  it('may keep it: in no history does an entry about a run write a record of another kind', async () => {
    for (const seed of [71, 72, 73]) {
      const history = new History(p, seed);
      await history.begin();
      for (let i = 0; i < 60; i++) await history.act();
    }
    const { db } = p.database;
    const kinds = new Map(
      (await db.select({ id: records.id, kind: records.kind }).from(records)).map(({ id, kind }) => [String(id), kind]),
    );
    const entries = await db
      .select({ action: ledger.action, writes: ledger.writes })
      .from(ledger)
      .where(sql`${ledger.kind} = 'run'`);
    expect(new Set(entries.map(({ action }) => action)).size).toBeGreaterThan(5);
    const elsewhere = entries.flatMap(({ action, writes }) =>
      (writes ?? []).flatMap(({ table, id }) => {
        const kind = kinds.get(id);
        return (table === 'records' && kind !== 'run') ||
          /^(requirements|cases|requirement_details|case_details|case_places|traces)$/.test(table)
          ? [`${action}: ${table} ${kind}`]
          : [];
      }),
    );
    expect(elsewhere).toEqual([]);
  });
});
