import fc from 'fast-check';
import {
  gapsOf,
  spares,
  tracePattern,
  traceRuleFaults,
  usualTraceRules,
  wantedWords,
  type GapRequirement,
  type GapTrace,
  type TraceRule,
} from './index';

const requirement = (key: string, more: Partial<GapRequirement>): GapRequirement => ({
  key,
  title: key,
  specification: key.split('-')[0],
  level: 'L1',
  state: 'draft',
  revision: 1,
  retired: false,
  topLevel: false,
  derived: false,
  notInCode: false,
  rationale: '',
  text: `${key} is unlike any other.`,
  inCode: false,
  ...more,
});
const levels = ['L1', 'L2', 'L3', 'L4'];

describe('Rules of trace', () => {
  it('find just what they say, whatever they are: against the same said a second time', () => {
    const anyRule = fc.record({
      of: fc.subarray(['A', 'B']),
      levels: fc.subarray(['L1', 'L2']),
      wants: fc.constantFrom('parent' as const, 'child' as const, 'case' as const, 'noneBeside' as const),
      within: fc.subarray(['A', 'B']),
      least: fc.integer({ min: 1, max: 3 }),
      unless: fc.subarray([...spares]),
      whereAny: fc.boolean(),
    });
    const anyOne = fc.record({
      specification: fc.constantFrom('A', 'B'),
      level: fc.constantFrom('L1', 'L2'),
      retired: fc.boolean(),
      topLevel: fc.boolean(),
      derived: fc.boolean(),
      notInCode: fc.boolean(),
      inCode: fc.boolean(),
    });
    const pair = fc.tuple(fc.nat(5), fc.nat(5));
    fc.assert(
      fc.property(
        anyRule,
        fc.array(anyOne, { minLength: 6, maxLength: 6 }),
        fc.uniqueArray(pair, { maxLength: 9, selector: String }),
        fc.uniqueArray(pair, { maxLength: 9, selector: String }),
        (given, ones, parents, verifies) => {
          const rule: TraceRule = { id: 'mine', name: 'Mine', ...given };
          const requirements = ones.map((one, i) => requirement(`${one.specification}-${i}`, one));
          const key = (i: number): string => requirements[i].key;
          const drawn = (kind: GapTrace['kind'], from: string, to: string): GapTrace => ({
            kind,
            from,
            to,
            fromRevision: 1,
            toRevision: 1,
          });
          const traces = [
            ...parents.map(([a, b]) => drawn('parent', key(a), key(b))),
            ...verifies.map(([c, r]) => drawn('verifies', `C-${c}`, key(r))),
          ];
          const cases = [0, 1, 2, 3, 4, 5].map((n) => ({ key: `C-${n}`, title: '', revision: 1, retired: false }));
          const told = gapsOf({ requirements, cases, traces, levels, rules: [rule] }).filter((gap) => gap.rule === 'mine');
          // Said a second time, without any index.
          const spec = (of: string): string => requirements.find((r) => r.key === of)?.specification ?? '';
          const meant = requirements.filter(
            (r) =>
              !r.retired &&
              (!rule.of.length || rule.of.includes(r.specification)) &&
              (!rule.levels.length || rule.levels.includes(r.level)),
          );
          const has = (r: GapRequirement): string[] =>
            traces
              .filter((t) =>
                rule.wants === 'case'
                  ? t.kind === 'verifies' && t.to === r.key
                  : t.kind === 'parent' && (rule.wants === 'child' ? t.to : t.from) === r.key,
              )
              .map((t) => (rule.wants === 'child' || rule.wants === 'case' ? t.from : t.to))
              .filter((other) => rule.wants === 'case' || !rule.within.length || rule.within.includes(spec(other)));
          const expected = meant
            .filter((r) => !rule.unless.some((spare) => r[spare]))
            .filter(
              (r) =>
                !rule.whereAny ||
                meant.some((m) => m.specification === r.specification && has(m).some((other) => spec(other) !== m.specification)),
            )
            .flatMap((r) =>
              rule.wants === 'noneBeside'
                ? has(r).flatMap((other) =>
                    spec(other) === r.specification && !requirements.find((o) => o.key === other)?.retired ? [`${r.key} ${other}`] : [],
                  )
                : has(r).length < rule.least
                  ? [`${r.key} `]
                  : [],
            );
          expect(told.map((gap) => `${gap.key} ${gap.other}`).sort()).toEqual(expected.sort());
        },
      ),
      { numRuns: 300 },
    );
  });

  it('say what is wanted and what is there', () => {
    const [noParent, noCase] = usualTraceRules;
    expect(wantedWords({ ...noParent, within: ['SYS', 'SAF'] }, 0)).toBe('It comes from nothing in SYS or SAF.');
    expect(wantedWords({ ...noCase, least: 2 }, 1)).toBe('1 of 2 that are asked for.');
  });

  it('have a pattern for each standard, each rule of it good, with the usual ones in it', () => {
    for (const standard of ['IEC 61508', 'ISO 26262', 'DO-178C', 'IEC 62304', 'of our own']) {
      const pattern = tracePattern(standard, levels);
      expect(traceRuleFaults(pattern)).toEqual([]);
      expect(pattern.slice(0, usualTraceRules.length)).toEqual([...usualTraceRules]);
    }
    expect(tracePattern('DO-178C', levels).at(-1)?.levels).toEqual(['L1', 'L2']);
    expect(tracePattern('IEC 61508', levels).at(-1)?.levels).toEqual(['L3', 'L4']);
  });

  it('are refused where two have one name, or one has none', () => {
    const [first] = usualTraceRules;
    expect(traceRuleFaults([first, { ...first, name: ' ', least: 0 }]).map(({ at, field }) => [at, field])).toEqual([
      [1, 'id'],
      [1, 'name'],
      [1, 'least'],
    ]);
  });
});
