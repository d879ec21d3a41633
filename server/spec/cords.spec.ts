import type { Filter } from '@contract/base';
import * as design from '@contract/design';
import * as prove from '@contract/prove';
import * as specify from '@contract/specify';
import { caseContent, openProject, type Project } from './support';

const words = ['valve', 'Valve train', 'brake', 'Ümlaut', 'gondola', 'a b'];
const levels = ['SIL 1', 'SIL 2', 'SIL 3'];
const states = ['sound', 'waiting', 'broken', 'suspect', 'notReached', 'notRequired'];
const knotNames = ['specify', 'design', 'run', 'measure', 'prove'];

/** A generator of its own, so that a failure can be had again. */
function chance(seed: number): (below: number) => number {
  let at = seed;
  return (below) => {
    at = (at * 48271) % 2147483647;
    return at % below;
  };
}

describe('the list of cords', () => {
  let p: Project;

  beforeAll(async () => {
    p = await openProject();
    const keys = Array.from({ length: 40 }, (_, i) => `BRK-${i + 1}`);
    const lines = keys.map((key, i) => `${key},${words[i % words.length]} ${i % 4},It shall hold.,${levels[i % 3]},test`);
    const answer = await p.app.inject({
      method: 'POST',
      url: '/api/projects/spec/imports/requirements',
      headers: { cookie: await p.cookie('author') },
      payload: {
        specification: 'BRK',
        fileName: 'r.csv',
        csv: `key,title,text,level,method\n${lines.join('\n')}\n`,
        mapping: { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method' },
      },
    });
    expect(answer.statusCode).toBe(200);
    for (const key of keys.slice(0, 12)) await p.approve(key);
    for (const at of [0, 1, 2, 3]) {
      const made = await p.call('author', design.addCase, { content: caseContent(`Case ${at}`), verifies: [keys[at], keys[at + 12]] });
      if (at < 2) await p.approve(made.body.key);
    }
    await p.call('author', specify.saveRequirement, {
      key: 'BRK-1',
      basedOn: 2,
      reason: 'Said more clearly.',
      content: { ...(await p.call('author', specify.getRequirement, { key: 'BRK-1' })).body, text: '<p>It shall hold well.</p>' } as never,
    });
  });
  afterAll(() => p.close());

  it('answers a question about the past, written a second time in memory, as the database does', async () => {
    const pick = chance(20261127);
    const of = <T>(list: readonly T[]): T => list[pick(list.length)];
    const question = (deep: number): Filter => {
      switch (pick(deep > 0 ? 9 : 6)) {
        case 0:
          return { words: of(['val', 'brake 1', 'BRK', 'train', 'ümlaut', 'b', 'sil 2']) };
        case 1:
          return { field: 'level', is: [of(levels), of(levels)] };
        case 2:
          return { field: of(knotNames), is: [of(states)] };
        case 3:
          return { field: 'break', is: [of([...knotNames, 'none'])] };
        case 4:
          return { field: 'cord', is: [of(states), of(states)] };
        case 5:
          return of<Filter>([
            { field: 'title', from: 'c', to: 'valve 9' },
            { field: 'level', empty: pick(2) === 0 },
            { field: 'title', is: [`valve ${pick(4)}`] },
          ]);
        case 6:
          return { not: question(deep - 1) };
        case 7:
          return { and: [question(deep - 1), question(deep - 1)] };
        default:
          return { or: [question(deep - 1), question(deep - 1)] };
      }
    };
    const { seq } = (await p.call('auditor', prove.listCords, { build: '1.0' })).body;
    const found = new Set<number>();
    for (let round = 0; round < 150; round++) {
      const asked = {
        build: '1.0',
        limit: 1 + pick(20),
        skip: pick(4),
        filter: JSON.stringify(question(2)),
        sort: of(['key', '-key', 'title', '-title', 'level,-title', 'break', '-break,key']),
        ...(pick(2) ? { groups: of(['level', 'cord', 'break', 'run']) } : {}),
      };
      const now = (await p.call('auditor', prove.listCords, asked)).body;
      const then = (await p.call('auditor', prove.listCords, { ...asked, asOf: seq })).body;
      const told = ({ rows, total, groups, seq: trueFor }: typeof now) => ({
        total,
        trueFor,
        keys: rows.map(({ key }) => key),
        groups: [...(groups ?? [])].map(({ value, count }) => `${value}: ${count}`).sort(),
      });
      expect(told(then)).withContext(JSON.stringify(asked)).toEqual(told(now));
      found.add(now.total ?? -1);
    }
    // The questions tell many things apart.
    expect(found.size).toBeGreaterThan(12);
  });

  it('goes on behind a page in every order, each cord once', async () => {
    for (const sort of ['key', '-key', 'title', '-level', 'break,-title', 'run']) {
      const seen: string[] = [];
      for (let after: string | undefined; ;) {
        const page = (await p.call('auditor', prove.listCords, { build: '1.0', limit: 7, sort, ...(after ? { after } : {}) })).body;
        seen.push(...page.rows.map(({ key }) => key));
        if (page.next === null) break;
        after = page.next;
      }
      expect(new Set(seen).size).withContext(sort).toBe(40);
      expect(seen.length).withContext(sort).toBe(40);
    }
  });

  it('finds as many as the totals count', async () => {
    const { totals } = (await p.call('auditor', prove.getBoard, { build: '1.0' })).body;
    const count = async (filter: Filter) =>
      (await p.call('auditor', prove.listCords, { build: '1.0', limit: 1, filter: JSON.stringify(filter) })).body.total;
    for (const state of ['broken', 'waiting', 'suspect'] as const)
      expect(await count({ field: 'cord', is: [state] }))
        .withContext(state)
        .toBe(totals.counts[state]);
    expect(await count({ field: 'break', is: ['none'] })).toBe(totals.counts.proved);
    for (const knot of knotNames) {
      expect(await count({ field: 'break', is: [knot] }))
        .withContext(knot)
        .toBe(totals.counts[knot as 'run']);
      for (const state of states)
        expect(await count({ field: knot, is: [state] }))
          .withContext(`${knot} ${state}`)
          .toBe(totals.knots[knot as 'run'].states[state as 'sound'] ?? 0);
    }
    expect((await p.call('auditor', prove.listCords, { build: '1.0', limit: 1 })).body.total).toBe(40);
  });

  it('is exported as it is asked for, and refused without a build or with a field that is none', async () => {
    const file = async (query: string) =>
      p.app.inject({ url: `/api/projects/spec/exports/cords?${query}`, headers: { cookie: await p.cookie('auditor') } });
    const asked = `build=1.0&sort=-title&filter=${encodeURIComponent(JSON.stringify({ field: 'level', is: ['SIL 2'] }))}`;
    const csv = (await file(`${asked}&format=csv`)).body;
    expect(csv.split('\n')[0].replace('\r', '')).toBe('key,title,level,specify,design,run,measure,prove,break,why,next');
    const rows = (
      await p.call('auditor', prove.listCords, { build: '1.0', sort: '-title', filter: JSON.stringify({ field: 'level', is: ['SIL 2'] }) })
    ).body.rows;
    expect(
      csv
        .trim()
        .split('\n')
        .slice(1)
        .map((line) => line.split(',')[0]),
    ).toEqual(rows.map(({ key }) => key));
    expect((await file('format=csv')).statusCode).toBe(400);
    expect((await file('build=1.0&sort=weight')).statusCode).toBe(400);
    expect((await file('build=9.9')).statusCode).toBe(404);
  });
});
