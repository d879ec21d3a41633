import fc from 'fast-check';
import {
  circlesOf,
  gapPage,
  gapsOf,
  groundsOf,
  nearlySame,
  type Gap,
  type GapException,
  type GapFacts,
  type GapRequirement,
  type GapTrace,
} from './index';

const requirement = (key: string, more: Partial<GapRequirement> = {}): GapRequirement => ({
  key,
  title: key,
  specification: key.split('-')[0],
  level: 'SIL 2',
  state: 'approved',
  revision: 1,
  retired: false,
  topLevel: false,
  derived: false,
  notInCode: false,
  rationale: '',
  text: `The part ${key} shall hold.`,
  inCode: true,
  ...more,
});
const parent = (from: string, to: string, more: Partial<GapTrace> = {}): GapTrace => ({
  kind: 'parent',
  from,
  to,
  fromRevision: 1,
  toRevision: 1,
  ...more,
});
const shows = (from: string, to: string): GapTrace => ({ ...parent(from, to), kind: 'verifies' });
const one = { key: 'C-1', title: 'C-1', revision: 1, retired: false };
const facts = (more: Partial<GapFacts>): GapFacts => ({
  requirements: [],
  cases: [],
  traces: [],
  levels: ['SIL 1', 'SIL 2', 'SIL 3'],
  ...more,
});
/** A whole thread: two levels, each verified. */
const whole = (child: Partial<GapRequirement> = {}, above: Partial<GapRequirement> = {}, trace: Partial<GapTrace> = {}): GapFacts =>
  facts({
    requirements: [
      requirement('S-1', { topLevel: true, text: 'The machine shall stop.', ...above }),
      requirement('B-1', { text: 'The brake shall close.', ...child }),
    ],
    cases: [one],
    traces: [parent('B-1', 'S-1', trace), shows('C-1', 'S-1'), shows('C-1', 'B-1')],
  });
const told = (given: GapFacts): string[] => gapsOf(given).map(({ rule, key, other }) => `${rule} ${key}${other ? ` ${other}` : ''}`);

describe('gaps and contradictions', () => {
  it('are none in a whole thread', () => expect(told(whole())).toEqual([]));

  const cases: readonly [string, GapFacts, string[]][] = [
    [
      'what comes from nothing',
      facts({ requirements: [requirement('B-1')], cases: [one], traces: [shows('C-1', 'B-1')] }),
      ['noParent B-1'],
    ],
    [
      'what is derived in the trade’s sense, which needs no parent',
      facts({ requirements: [requirement('B-1', { derived: true })], cases: [one], traces: [shows('C-1', 'B-1')] }),
      [],
    ],
    [
      'what nothing verifies, and what verifies nothing',
      facts({ requirements: [requirement('B-1', { topLevel: true })], cases: [one] }),
      ['noCase B-1', 'idleCase C-1'],
    ],
    [
      'a case whose requirement is retired',
      facts({ requirements: [requirement('B-1', { retired: true })], cases: [one], traces: [shows('C-1', 'B-1')] }),
      ['idleCase C-1'],
    ],
    [
      'what has nothing below it where others do',
      {
        ...whole(),
        requirements: [...whole().requirements, requirement('S-2', { topLevel: true, inCode: false, text: 'Something else.' })],
        traces: [...whole().traces, shows('C-1', 'S-2')],
      },
      ['noChild S-2'],
    ],
    [
      'a parent in the same specification',
      facts({
        requirements: [requirement('B-1', { topLevel: true }), requirement('B-2')],
        cases: [one],
        traces: [parent('B-2', 'B-1'), shows('C-1', 'B-1'), shows('C-1', 'B-2')],
      }),
      ['withinLevel B-2 B-1'],
    ],
    ['a level that is lower than its parent’s', whole({ level: 'SIL 1' }), ['lowerLevel B-1 S-1']],
    ['not where a rationale says why', whole({ level: 'SIL 1', rationale: 'Two channels.' }), []],
    ['not where it is stricter', whole({ level: 'SIL 3' }), []],
    [
      'a number that is another above',
      whole({ text: 'The brake shall close within 200 ms.' }, { text: 'The machine shall stop within 120 ms.' }),
      ['otherNumber B-1 S-1'],
    ],
    ['not a tighter limit', whole({ text: 'The brake shall close within 80 ms.' }, { text: 'The machine shall stop within 120 ms.' }), []],
    ['not another unit', whole({ text: 'The brake shall close within 2 s.' }, { text: 'The machine shall stop at 6.0 bar.' }), []],
    ['what is approved before its parent', whole({}, { state: 'review' }), ['beforeParent B-1 S-1']],
    ['a parent that was revised since', whole({}, { revision: 2 }), ['parentRevised B-1 S-1']],
    ['what was revised itself since', whole({ revision: 3 }), ['childRevised B-1 S-1']],
    ['a parent that is retired, and nothing else about it', whole({}, { retired: true, revision: 2 }), ['retiredEnd B-1 S-1']],
    ['a case that is retired', { ...whole(), cases: [{ ...one, retired: true }] }, ['retiredEnd B-1 C-1', 'retiredEnd S-1 C-1']],
    [
      'texts that are nearly the same',
      whole(
        { text: 'The machine shall stop within a second of the first request.' },
        { text: 'The machine shall stop within a second of the first request!' },
      ),
      ['sameText B-1 S-1'],
    ],
  ];
  for (const [words, given, found] of cases) it(`name ${words}`, () => expect(told(given)).toEqual(found));

  it('have a ground that changes with the revision of what they rest on, and with nothing else', () => {
    const ground = (given: GapFacts): string => groundsOf(given)(gapsOf(given)[0]);
    const low = whole({ level: 'SIL 1' });
    expect(ground({ ...low, cases: [...low.cases] })).toBe(ground(low));
    expect(ground(whole({ level: 'SIL 1', title: 'Another title' }))).toBe(ground(low));
    const later = whole({ level: 'SIL 1' }, { revision: 2 });
    const revised = gapsOf(later).find((g) => g.rule === 'lowerLevel') as Gap;
    expect(groundsOf(later)(revised)).not.toBe(ground(low));
  });

  it('are told in pages with the counts of all, of a part where one is meant, without those that are excepted', () => {
    const given = facts({ requirements: ['B-3', 'B-1', 'S-2', 'B-2'].map((key) => requirement(key, { topLevel: true, text: '' })) });
    const of = (more: Partial<Parameters<typeof gapPage>[2]>, exceptions: readonly GapException[] = []) =>
      gapPage(given, exceptions, { skip: 0, limit: 10, ...more });
    const keys = ({ rows }: ReturnType<typeof gapPage>): string[] => rows.map(({ key }) => key);
    const whole = of({ rule: 'noCase' });
    expect(keys(whole)).toEqual(['B-1', 'B-2', 'B-3', 'S-2']);
    expect(of({ rule: 'noCase', skip: 1, limit: 2 })).toEqual(
      jasmine.objectContaining({ total: 4, checked: 4, rows: whole.rows.slice(1, 3) }),
    );
    expect(of({ within: new Set(['S-2']) })).toEqual(jasmine.objectContaining({ total: 1, checked: 1, ended: 0 }));
    const [{ rule, key, other, ground }] = whole.rows;
    const said = { id: 7, rule, key, other, reason: 'Two channels.', by: 'a', at: '' };
    const granted = of({ rule: 'noCase' }, [{ ...said, ground }]);
    expect(keys(granted)).toEqual(['B-2', 'B-3', 'S-2']);
    expect(granted.rules.find((one) => one.rule === 'noCase')).toEqual(jasmine.objectContaining({ open: 3, excepted: 1 }));
    expect(of({ rule: 'noCase', excepted: 'with' }, [{ ...said, ground }]).rows[0].exception?.reason).toBe('Two channels.');
    // What it rested on changed: it stands no more.
    expect(of({ rule: 'noCase' }, [{ ...said, ground: '0'.repeat(64) }])).toEqual(jasmine.objectContaining({ total: 4, ended: 1 }));
  });

  it('find the circles of any traces, as told a second time', () => {
    const traces = fc.array(fc.record({ from: fc.integer({ min: 1, max: 6 }), to: fc.integer({ min: 1, max: 6 }) }), { maxLength: 12 });
    fc.assert(
      fc.property(traces, (list) => {
        const drawn = list.map(({ from, to }) => ({ from: `A-${from}`, to: `A-${to}` }));
        const circles = circlesOf(drawn);
        for (const circle of circles)
          for (const [i, key] of circle.entries()) expect(drawn).toContain({ from: key, to: circle[(i + 1) % circle.length] });
        // By the closure: something reaches itself, or nothing does.
        const reach = new Set(drawn.map(({ from, to }) => `${from}>${to}`));
        for (let k = 0; k < 6; k++)
          for (const a of [...reach])
            for (const b of [...reach]) if (a.split('>')[1] === b.split('>')[0]) reach.add(`${a.split('>')[0]}>${b.split('>')[1]}`);
        const around = [...reach].some((pair) => pair.split('>')[0] === pair.split('>')[1]);
        expect(circles.length > 0).toBe(around);
      }),
    );
  });

  it('find every pair of nearly the same texts that comparing each with each finds', () => {
    const words = fc.array(fc.constantFrom('brake', 'shall', 'close', 'within', 'two', 'seconds'), { minLength: 3, maxLength: 9 });
    fc.assert(
      fc.property(fc.array(words, { maxLength: 8 }), (list) => {
        const texts = list.map((text, i) => ({ key: `A-${i + 1}`, text: text.join(' ') }));
        const set = (text: string): Set<string> =>
          new Set(
            text
              .split(' ')
              .slice(2)
              .map((w, i) => [...text.split(' ').slice(i, i + 2), w].join(' ')),
          );
        const slow: string[] = [];
        for (const [i, a] of texts.entries())
          for (const b of texts.slice(i + 1)) {
            const [x, y] = [set(a.text), set(b.text)];
            const both = [...x].filter((s) => y.has(s)).length;
            if (both / new Set([...x, ...y]).size >= 0.8) slow.push(`${a.key} ${b.key}`);
          }
        expect(nearlySame(texts).map(({ a, b }) => `${a} ${b}`)).toEqual(slow);
      }),
    );
  });
});
