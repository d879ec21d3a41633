import * as base from '@contract/base';
import * as design from '@contract/design';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import type { Filter, ListQuery } from '@contract/base';
import type { Requirement } from '@contract/specify';
import { compareKeys } from '@core/base';
import { randomFrom } from '@core/design';
import { count, eq } from 'drizzle-orm';
import ExcelJS from 'exceljs';
import Papa from 'papaparse';
import { buildApp } from '../src/app';
import { ledger, openDatabase, verifyLedger } from '../src/base';
import { LedgerCheck, type LedgerEntry } from '@core/base';
import { importRequirements } from '../src/specify';
import { caseContent, content, contextOf, openProject, password, type Project } from './support';

const levels = ['SIL 1', 'SIL 2', 'SIL 3'];
const nouns = ['brake', 'valve', 'sensor', 'relay', 'pump'];

describe('lists', () => {
  let p: Project;
  let all: Requirement[];
  const random = randomFrom(4);
  const pick = <T>(of: readonly T[]): T => of[random() % of.length];
  const ask = async (query: Partial<ListQuery>) => (await p.call('auditor', specify.listRequirements, query as never)).body;
  beforeAll(async () => {
    p = await openProject();
    const lines = Array.from(
      { length: 300 },
      (_, i) => `BRK-${i + 1},The ${pick(nouns)} ${pick(nouns)} ${i % 7},It holds.,${pick(levels)},${pick(['test', 'inspection', ''])}`,
    );
    await importRequirements(p.database.db, p.as('author'), {
      specification: 'BRK',
      fileName: 'list.csv',
      csv: `key,title,text,level,method\n${lines.join('\n')}\n`,
      mapping: { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method' },
    });
    all = [];
    for (let after: string | undefined; ;) {
      const page = await ask({ limit: 130, ...(after ? { after } : {}) });
      all.push(...page.rows);
      if (!page.next) break;
      after = page.next;
    }
  });
  afterAll(() => p.close());

  /** The meaning of a filter, written a second time. */
  const holds = (r: Requirement, f: Filter): boolean => {
    if ('and' in f) return f.and.every((g) => holds(r, g));
    if ('or' in f) return f.or.some((g) => holds(r, g));
    if ('not' in f) return !holds(r, f.not);
    if ('words' in f)
      return f.words.split(' ').every((word) =>
        `${r.title} ${r.text}`
          .toLowerCase()
          .split(/\W+/)
          .some((w) => w.startsWith(word)),
      );
    const value = r[f.field as 'title' | 'level' | 'method' | 'revision'];
    if ('is' in f) return f.is.includes(value);
    if ('empty' in f) return (value === '') === f.empty;
    return (f.from === undefined || value >= f.from) && (f.to === undefined || value <= f.to);
  };
  const anyFilter = (depth: number): Filter => {
    const one = random() % (depth ? 8 : 5);
    if (one === 0) return { field: 'level', is: [pick(levels), pick(levels)] };
    if (one === 1) return { field: 'method', empty: random() % 2 === 0 };
    if (one === 2) return { field: 'title', from: `The ${pick(nouns)}`, ...(random() % 2 ? { to: 'The t' } : {}) };
    if (one === 3) return { words: pick([`${pick(nouns)} ${pick(nouns)}`, pick(nouns).slice(0, 4)]) };
    if (one === 4) return { field: 'method', is: [pick(['test', 'inspection', ''])] };
    if (one === 5) return { not: anyFilter(depth - 1) };
    const parts = [anyFilter(depth - 1), anyFilter(depth - 1)];
    return one === 6 ? { and: parts } : { or: parts };
  };

  it('come whole in pages, in the order in which people count', () => {
    expect(all.length).toBe(300);
    expect(new Set(all.map((r) => r.key)).size).toBe(300);
    expect(all.map((r) => r.key)).toEqual(all.map((r) => r.key).sort(compareKeys));
  });

  it('hold what the filter means, whatever it is made of', async () => {
    const sizes = new Set<number>();
    for (let i = 0; i < 60; i++) {
      const filter = anyFilter(3);
      const wanted = all.filter((r) => holds(r, filter)).map((r) => r.key);
      const found = await ask({ filter: JSON.stringify(filter), limit: 500, groups: 'level', sum: 'revision' });
      expect(found.rows.map((r) => r.key))
        .withContext(JSON.stringify(filter))
        .toEqual(wanted);
      expect([found.total, (found.groups ?? []).reduce((n, g) => n + g.count, 0)]).toEqual([wanted.length, wanted.length]);
      const summed = all.filter((r) => holds(r, filter)).reduce((n, r) => n + r.revision, 0);
      expect((found.groups ?? []).reduce((n, g) => n + (g.sum ?? 0), 0)).toBe(summed);
      sizes.add(wanted.length);
    }
    expect(sizes.size).toBeGreaterThan(15);
  });

  it('go on where a page ended, whatever was sorted by, though records come and go in between', async () => {
    for (const sort of ['title', '-title', 'level,-key', '-method,title', '-key']) {
      const whole = (await ask({ sort, limit: 500 })).rows.map((r) => r.key);
      const paged: string[] = [];
      for (let after: string | undefined; ;) {
        const page = await ask({ sort, limit: 37, ...(after ? { after } : {}) });
        paged.push(...page.rows.map((r) => r.key));
        if (!page.next) break;
        after = page.next;
      }
      expect(paged).withContext(sort).toEqual(whole);
    }
    const first = await ask({ sort: 'title', limit: 100 });
    await p.call('author', specify.addRequirement, { specification: 'BRK', key: 'BRK-900', content: content('Aaa comes first') });
    const second = await ask({ sort: 'title', limit: 100, after: first.next ?? '' });
    const seen = new Set(first.rows.map((r) => r.key));
    expect(second.rows.filter((r) => seen.has(r.key))).toEqual([]);
  });

  it('go out whole as CSV, XLSX and JSON, by the same question, and no text becomes a formula', async () => {
    await p.call('author', specify.addRequirement, { specification: 'BRK', key: 'BRK-901', content: content('=1+1, "quoted"') });
    const filter = JSON.stringify({
      or: [
        { field: 'level', is: ['SIL 3'] },
        { field: 'key', is: ['BRK-901'] },
      ],
    });
    const wanted = (await ask({ filter, sort: '-key', limit: 500 })).rows;
    const fetched = async (format: string) => {
      const url = `/api/projects/spec/exports/requirements?${new URLSearchParams({ format, filter, sort: '-key' })}`;
      return p.app.inject({ url, headers: { cookie: await p.cookie('auditor') } });
    };
    const json = (await fetched('json')).json() as Requirement[];
    expect(json).toEqual(wanted);
    const csv = Papa.parse<Record<string, string>>((await fetched('csv')).body, { header: true, skipEmptyLines: true }).data;
    expect(csv.map((row) => [row['key'], row['level'], row['topLevel']])).toEqual(
      wanted.map((r) => [r.key, r.level, r.topLevel ? 'yes' : 'no']),
    );
    expect(csv[0]['title']).toBe(`'=1+1, "quoted"`);
    const book = new ExcelJS.Workbook();
    await book.xlsx.load((await fetched('xlsx')).rawPayload as never);
    const [sheet] = book.worksheets;
    const head = (sheet.getRow(1).values as string[]).indexOf('title');
    expect(sheet.rowCount).toBe(wanted.length + 1);
    expect(sheet.getRow(2).getCell(head).value).toBe('=1+1, "quoted"');
    expect((await p.app.inject({ url: '/api/projects/spec/exports/requirements' })).statusCode).toBe(401);
    const refused = await p.app.inject({
      url: '/api/projects/spec/exports/runs?filter=%7B',
      headers: { cookie: await p.cookie('auditor') },
    });
    expect(refused.statusCode).toBe(400);
  });

  it('of the ledger goes out whole: its chain is computed again from the file, and a question finds what the page shows', async () => {
    const fetched = async (query: string) => {
      const answer = await p.app.inject({
        url: `/api/projects/spec/exports/ledger?${query}`,
        headers: { cookie: await p.cookie('auditor') },
      });
      return answer.body;
    };
    const entries = (await fetched('format=json'))
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as LedgerEntry);
    const check = new LedgerCheck();
    for (const entry of entries) check.push(entry);
    const { total, entries: newest } = (await p.call('auditor', base.listLedger, { limit: 1 })).body;
    expect(check.verdict({ seq: newest[0].seq, hash: newest[0].hash })).toEqual({ entries: total, head: newest[0].hash });
    const found = (await p.call('auditor', base.listLedger, { limit: 1, kind: 'person', q: 'roles' })).body.total;
    const lines = (await fetched('kind=person&q=roles')).trim().split('\r\n');
    expect(found).toBeGreaterThan(2);
    expect([lines.length - 1, lines[0]]).toEqual([found, 'seq,at,who,action,kind,key,before,after,previous,hash']);
    expect((await p.app.inject({ url: '/api/projects/spec/exports/ledger' })).statusCode).toBe(401);
  });

  it('refuse what is no filter, no field, no place', async () => {
    for (const query of [{ filter: '{' }, { filter: '{"field":"password","is":["x"]}' }, { sort: 'nothing' }, { after: 'bm8' }])
      expect((await p.call('auditor', specify.listRequirements, query as never)).status)
        .withContext(JSON.stringify(query))
        .toBe(400);
    const hostile = JSON.stringify({ field: 'title', is: ["' or 1=1 -- "] });
    expect((await ask({ filter: hostile })).rows).toEqual([]);
  });
});

describe('a record, whatever its kind,', () => {
  let p: Project;
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds') });
  });
  afterAll(() => p.close());
  const key = 'BRK-001';
  const head = async () => (await p.call('auditor', base.getRecord, { key })).body;

  it('has the project’s own fields, held to what they are defined as', async () => {
    const definition = {
      type: 'choice' as const,
      unit: '',
      choices: ['low', 'high'],
      requiredFrom: null,
      levels: [],
      shown: 'both' as const,
    };
    const added = await p.call('admin', base.addField, { kind: 'requirement', name: 'Risk', description: '', definition });
    const { id } = added.body.find((field) => field.name === 'Risk') as base.Field;
    const set = (value: unknown, basedOn: number) => p.call('author', base.setOwnFields, { key, basedOn, own: { [id]: value } as never });
    const { revision } = (await head()).record;
    expect((await set('middling', revision)).status).toBe(400);
    expect((await set('high', revision)).status).toBe(200);
    expect((await set('low', revision)).problem.code).toBe('conflict');
    expect((await head()).record.own).toEqual({ [String(id)]: 'high' });
    const found = await p.call('auditor', specify.listRequirements, {
      filter: JSON.stringify({ field: `own:${id}`, is: ['high'] }),
    } as never);
    expect((found.body.rows as Requirement[]).map((r) => r.key)).toEqual([key]);
    expect((await p.call('author', base.setOwnFields, { key, basedOn: revision + 1, own: { '999': 'x' } })).status).toBe(400);
    const other = await p.call('tester', base.setOwnFields, { key, basedOn: revision + 1, own: { [id]: 'low' } });
    expect([other.status, other.problem.code]).toEqual([403, 'forbidden']);
  });

  it('lets its own fields stand on problem reports, written by testers too', async () => {
    // What every report has anyway ships with none beside it.
    expect((await p.call('tester', base.listFields, {})).body.filter((field) => field.kind === 'problem')).toEqual([]);
    for (const [name, type, choices] of [
      ['Found by', 'choice', ['customer', 'test']],
      ['Witness', 'person', []],
    ] as const) {
      const definition = { type, unit: '', choices: [...choices], requiredFrom: null, levels: [], shown: 'both' as const };
      expect((await p.call('admin', base.addField, { kind: 'problem', name, description: '', definition })).status).toBe(200);
    }
    const fields = (await p.call('tester', base.listFields, {})).body.filter((field) => field.kind === 'problem');
    await p.call('tester', run.addBuild, { name: 'own-fields', description: '' });
    const raised = await p.call('tester', run.addProblem, {
      build: 'own-fields',
      title: 'It slips',
      description: 'On ice.',
      blocking: false,
    });
    const [foundBy, witness] = fields.map((field) => field.id);
    const own = { [foundBy]: 'customer', [witness]: 'reviewer' };
    const set = await p.call('tester', base.setOwnFields, { key: raised.body.key, basedOn: raised.body.revision, own });
    expect([set.body.state, set.body.own]).toEqual(['open', own]);
    const asked = { field: `own:${foundBy}`, is: ['customer'] };
    const found = await p.call('reviewer', run.listProblems, { filter: JSON.stringify(asked) });
    expect(found.body.rows.map(({ key: at }) => at)).toEqual([raised.body.key]);
    expect((await p.call('auditor', base.setOwnFields, { key: raised.body.key, basedOn: set.body.revision, own })).status).toBe(403);
  });

  it('is told as it was at any entry of the ledger', async () => {
    const { seq } = (await p.call('auditor', specify.listRequirements, {} as never)).body;
    const { record } = await head();
    await p.call('author', specify.saveRequirement, {
      key,
      reason: 'It was not clear.',
      basedOn: record.revision,
      content: content('It holds longer'),
    });
    const then = (await p.call('auditor', base.getRecord, { key, asOf: seq })).body;
    expect([then.record.revision, then.record.title]).toEqual([record.revision, 'It holds']);
    expect((await head()).record.title).toBe('It holds longer');
    expect((await p.call('auditor', base.recordHistory, { key } as never)).body.length).toBe(record.revision + 1);
  });

  it('takes comments with their threads, and no script in them', async () => {
    const html = '<p onclick="x()">Why <b>ten</b>?<script>alert(1)</script><img src=x onerror=alert(1)></p>';
    const first = (await p.call('reviewer', base.addComment, { key, html, field: 'title' })).body;
    expect(first.html).not.toMatch(/script|onclick|onerror/);
    expect(first.text).toContain('Why ten?');
    const deep = await p.call('reviewer', base.addComment, { key, html: '<b>'.repeat(3001) });
    expect([deep.status, deep.problem.detail]).toEqual([400, 'A text has at most 3,000 tags: this one has more.']);
    const answered = (await p.call('author', base.addComment, { key, html: 'Because.', parent: first.id })).body;
    expect(answered.parent).toBe(first.id);
    const resolved = await p.call('author', base.resolveComment, { key, id: first.id, resolved: true });
    expect(resolved.body.resolvedBy).toBe('author');
  });

  it('is cleaned of what does not belong in texts by whoever reads for the server, and not by the thread that answers', async () => {
    const asked: string[] = [];
    const { parse } = p.context;
    const counting: typeof parse = (name, input) => (asked.push(name), parse(name, input));
    Object.assign(p.context, { parse: counting });
    try {
      await p.call('reviewer', base.addComment, { key, html: '<p>Again.</p>' });
      const made = await p.call('admin', base.addField, { kind: 'requirement', name: 'Notes', definition: { type: 'richText' } });
      const id = made.body.find(({ name }) => name === 'Notes')?.id ?? 0;
      const { record } = await head();
      const own = { [String(id)]: '<p>Kept<script>x()</script></p>' };
      const set = await p.call('author', base.setOwnFields, { key, basedOn: record.revision, own, reason: 'A note.' });
      expect(set.body.own[String(id)]).toBe('<p>Kept</p>');
    } finally {
      Object.assign(p.context, { parse });
    }
    expect(asked).toEqual(['rich text', 'rich text']);
  });

  it('takes files, and says who is looking and who follows', async () => {
    const bytes = Buffer.from('a drawing');
    const { body } = await p.upload('author', `/records/${key}/files`, [{ name: 'drawing.txt', bytes }]);
    const [{ sha256 }] = body as unknown as { sha256: string }[];
    expect(sha256).toMatch(/^[0-9a-f]{64}$/);
    expect((await p.call('author', base.setPresence, { key, field: 'text' })).status).toBe(200);
    const others = (await p.call('reviewer', base.setPresence, { key, field: '' })).body;
    expect(others.map((o) => [o.login, o.field])).toContain(['author', 'text']);
    await p.call('reviewer', base.setFollowing, { key, follow: true });
    expect((await p.call('reviewer', base.getRecord, { key })).body.following).toBeTrue();
    expect((await head()).following).toBeFalse();
  });

  it('is retired with a reason, keeps its history, and comes back', async () => {
    await p.call('author', base.retireRecord, { key, retired: true, reason: 'Not sold any more.' });
    expect((await head()).record.retiredAt).not.toBeNull();
    const board = await p.call('auditor', prove.listCords, { build: '1.0' });
    expect(board.body.rows).toEqual([]);
    await p.call('author', base.retireRecord, { key, retired: false, reason: 'Sold again.' });
    expect((await head()).record.retiredAt).toBeNull();
  });
});

describe('a request that is said twice', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());
  const post = async (name: string, title: string) =>
    p.app.inject({
      method: 'POST',
      url: '/api/projects/spec/requirements',
      headers: { cookie: await p.cookie('author'), 'idempotency-key': name },
      payload: { specification: 'BRK', content: content(title) },
    });
  const entries = async () => (await p.database.db.select({ n: count() }).from(ledger).where(eq(ledger.projectId, p.projectId)))[0].n;

  it('is done once and answered twice the same', async () => {
    const first = await post('request-0001', 'Once');
    const before = await entries();
    const again = await post('request-0001', 'Once');
    expect([again.statusCode, again.body]).toEqual([200, first.body]);
    expect(await entries()).toBe(before);
  });

  it('is done once though it comes twenty times at the same moment', async () => {
    const before = await entries();
    const answers = await Promise.all(Array.from({ length: 20 }, () => post('request-0002', 'Together')));
    const keys = new Set(answers.filter((a) => a.statusCode === 200).map((a) => (a.json() as { key: string }).key));
    expect(keys.size).toBe(1);
    expect(await entries()).toBe(before + 1);
  });

  it('is refused where its name belongs to another one', async () => {
    expect((await post('request-0001', 'Something else')).statusCode).toBe(400);
    expect((await post('no', 'x')).statusCode).toBe(400);
  });
});

describe('two nodes on one database', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());

  it('write at once: keys are given once, the chain holds, and each reads what the other wrote', async () => {
    const { user, password: secret } = p.account;
    const second = openDatabase({ ...p.address, user, password: secret });
    const other = await buildApp({ context: contextOf(second), signInLimit: 1000 });
    await other.ready();
    const cookie = await p.cookie('author');
    const answers = await Promise.all(
      Array.from({ length: 60 }, (_, i) =>
        (i % 2 ? p.app : other).inject({
          method: 'POST',
          url: '/api/projects/spec/requirements',
          headers: { cookie },
          payload: { specification: 'BRK', content: content(`Number ${i}`) },
        }),
      ),
    );
    expect(answers.map((a) => a.statusCode)).toEqual(answers.map(() => 200));
    expect(new Set(answers.map((a) => (a.json() as { key: string }).key)).size).toBe(60);
    const seq = Math.max(...answers.map((a) => Number(a.headers['ledger-seq'])));
    const read = await other.inject({ url: `/api/projects/spec/cords?build=1.0&atLeast=${seq}`, headers: { cookie } });
    expect((read.json() as { total: number }).total).toBe(60);
    const verified = await verifyLedger(p.database.db, p.projectId);
    expect([verified.fault, verified.rowFaultCount]).toEqual([undefined, 0]);
    await other.close();
    await second.close();
  });
});

describe('a closed build', () => {
  let p: Project;
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds') });
    await p.approve('BRK-001');
  });
  afterAll(() => p.close());

  it('is signed, stays as it was judged, and takes nothing more', async () => {
    const cord = async () => (await p.call('auditor', prove.getCord, { key: 'BRK-001', build: '1.0' })).body;
    const before = await cord();
    expect((await p.call('reviewer', base.closeBuild, { key: '1.0', password: 'wrong', reason: 'Shipped.' })).problem.code).toBe(
      'signaturePassword',
    );
    expect((await p.call('reviewer', base.closeBuild, { key: '1.0', password, reason: 'Shipped.' })).status).toBe(200);
    await p.call('author', specify.saveRequirement, {
      key: 'BRK-001',
      reason: 'It was not clear.',
      basedOn: 1,
      content: content('It holds no more'),
    });
    const after = await cord();
    expect([after.title, after.states, after.break]).toEqual([before.title, before.states, before.break]);
    const { body } = await p.call('author', design.addCase, { content: caseContent('One'), verifies: [] });
    await p.approve(body.key);
    const round = { build: '1.0', title: 'Late', configuration: 'rig', tester: 'tester', cases: [body.key] };
    expect((await p.call('author', run.addRound, round)).problem.code).toBe('closed');
  });
});
