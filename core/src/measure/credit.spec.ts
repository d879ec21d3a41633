import fc from 'fast-check';
import {
  agreeOnTools,
  bitsFor,
  coverageByGroup,
  coverageOf,
  coverageParts,
  creditFile,
  creditOfUnit,
  creditRules,
  diagnoseLine,
  encodeVector,
  hasBit,
  lineCredits,
  metrics,
  otherCases,
  PointCollector,
  pointsOf,
  rangeOf,
  recreditUnits,
  setBit,
  sizeOf,
  stateOf,
  unitCoverages,
  unitOfPoint,
  type CreditContext,
  type MeasuredFile,
} from './index';

const lines = [2, 3, 4, 7, 11, 14];
/** A file with three functions and a line outside any; what each case hit is given by lines. */
const file = (hits: Record<string, number[]>, justified: number[] = []): MeasuredFile => {
  const points = new PointCollector();
  for (const line of lines) {
    points.addLine(line, 0);
    points.addBranch(line, 0, 0, 0);
    points.addBranch(line, 0, 1, 0);
  }
  points.addFunction('held', 1, 0);
  points.addFunction('plain', 6, 0);
  points.addFunction('lost', 10, 0);
  const { table } = points.finish('a.c');
  const bitsOf = (wanted: number[]): Uint32Array => {
    const bits = bitsFor(sizeOf(table));
    for (let i = rangeOf(table, 'line')[0]; i < sizeOf(table); i++)
      // Of a decision, these cases take the second outcome only.
      if (wanted.includes(table.line[i]) && (i < rangeOf(table, 'branch')[0] || table.b[i] === 1)) setBit(bits, i);
    return bits;
  };
  return {
    path: 'a.c',
    table,
    units: [
      { name: 'held', start: 1, end: 5, requirements: ['BRK-007'] },
      { name: 'plain', start: 6, end: 9, requirements: [] },
      { name: 'lost', start: 10, end: 12, requirements: ['BRK-099'] },
    ],
    byCase: Object.entries(hits).map(([caseKey, wanted]) => ({
      caseKey,
      bits: bitsOf(wanted),
      vectors: [],
      counts: false,
    })),
    ...(justified.length ? { justified: bitsOf(justified) } : {}),
  };
};
const verifies = new Map([
  ['C-001', new Set(['BRK-007'])],
  ['C-002', new Set(['BRK-007'])],
  ['C-003', new Set(['BRK-012'])],
]);
const context = (more: Partial<CreditContext> = {}): CreditContext => ({ verifies, ...more });
/** The file with what these cases hit counting. */
const passed = (m: MeasuredFile, passing: readonly string[]): MeasuredFile => ({
  ...m,
  byCase: m.byCase.map((hits) => ({ ...hits, counts: passing.includes(hits.caseKey) })),
});
const states = (m: MeasuredFile, passing: string[]): Record<number, string> => {
  const credit = creditFile(passed(m, passing), context());
  return Object.fromEntries(
    Array.from({ length: lines.length }, (_, i) => {
      const point = rangeOf(m.table, 'line')[0] + i;
      return [m.table.line[point], stateOf(credit, point)];
    }),
  );
};
const anyHits = fc.dictionary(fc.constantFrom('C-001', 'C-002', 'C-003'), fc.subarray(lines), { minKeys: 1 });
const anyPassing = fc.subarray(['C-001', 'C-002', 'C-003']);

describe('credit', () => {
  it('gives each point the one reason that holds', () => {
    // Common practice: what cases of other requirements reached is no evidence for this one.
    expect(states(file({ 'C-001': [2], 'C-002': [3], 'C-003': [3, 4, 7, 11, 14] }), ['C-001', 'C-003'])).toEqual({
      2: 'credited',
      3: 'noPassingRun',
      4: 'otherCases',
      7: 'noRequirement',
      11: 'noCase',
      14: 'noRequirement',
    });
    expect(states(file({ 'C-001': [] }), ['C-001'])[2]).toBe('neverHit');
  });

  it('names the cases of other requirements', () => {
    const m = file({ 'C-001': [2], 'C-003': [2, 4] });
    const credit = creditFile(passed(m, ['C-001']), context());
    const point = rangeOf(m.table, 'line')[0] + 2;
    expect(otherCases(credit, point, context())).toEqual(['C-003']);
  });

  it('credits each requirement by its own cases, in code that several share', () => {
    const m = passed(file({ 'C-001': [2], 'C-003': [3] }), ['C-001', 'C-003']);
    const shared = { ...m, units: m.units.map((u, i) => (i === 0 ? { ...u, requirements: ['BRK-007', 'BRK-012'] } : u)) };
    const credit = creditFile(shared, context());
    const { casesOf } = creditRules(context());
    const of = (key: string): [number, number | undefined] => {
      const { totals, firstGap } = creditOfUnit(credit, 0, casesOf([key]));
      return [totals.line.credited, firstGap.line];
    };
    // Common practice: what another requirement's cases reached is no evidence for this one.
    expect([of('BRK-007'), of('BRK-012')]).toEqual([
      [1, 3],
      [1, 2],
    ]);
    expect(coverageOf([credit]).line.credited).toBe(2);
  });

  it('keeps what a case hit beside its standing results apart: exercised, and no more', () => {
    const m = file({ 'C-001': [2, 3] });
    const split = { ...m, byCase: [...passed(file({ 'C-001': [2] }), ['C-001']).byCase, ...m.byCase] };
    const { line } = coverageOf([creditFile(split, context())]);
    expect([line.exercised, line.credited]).toEqual([2, 1]);
  });

  it('takes one tool for a metric where two see other points, and both where they agree', () => {
    const hits = (tool: string, branches: number) => {
      const points = new PointCollector();
      points.addLine(2, 1);
      for (let b = 0; b < branches; b++) points.addBranch(2, 0, b, 1);
      const { table } = points.finish('a.c');
      return { tool, table, bits: bitsFor(sizeOf(table)), vectors: [] };
    };
    const { hits: agreed, setAside } = agreeOnTools([hits('x', 2), hits('x', 2), hits('y', 4)]);
    expect(setAside).toEqual([{ tool: 'y', metric: 'branch', measure: 'x' }]);
    expect(agreed.map((h) => sizeOf(h.table))).toEqual([3, 3, 1]);
    expect(agreeOnTools([hits('x', 2), hits('y', 2)]).setAside).toEqual([]);
  });

  it('counts justified points apart, and only where they have no credit', () => {
    const m = file({ 'C-001': [2] }, [2, 3]);
    const credit = creditFile(passed(m, ['C-001']), context());
    expect(coverageOf([credit]).line).toEqual({ found: 6, exercised: 1, credited: 1, justified: 1 });
    expect(states(m, ['C-001'])[3]).toBe('justified');
  });

  it('credits only what was exercised', () => {
    fc.assert(
      fc.property(anyHits, anyPassing, (hits, passing) => {
        const credit = creditFile(passed(file(hits), passing), context());
        credit.credited.forEach((word, w) => expect(word & ~credit.exercised[w]).toBe(0));
      }),
    );
  });

  it('sums over its parts to the whole, whatever the grouping', () => {
    fc.assert(
      fc.property(
        anyHits,
        anyPassing,
        fc.array(fc.subarray(['A', 'B', 'C']), { minLength: 4, maxLength: 4 }),
        fc.subarray(lines),
        (hits, passing, grouping, justified) => {
          const credits = [creditFile(passed(file(hits, justified), passing), context()), creditFile(file(hits), context())];
          const whole = coverageOf(credits);
          const parts = coverageParts(credits, (_, unit) => grouping[unit ? ['held', 'plain', 'lost'].indexOf(unit.name) : 3]);
          const units = unitCoverages(credits).map((u) => u.totals);
          for (const metric of metrics)
            for (const lane of ['found', 'exercised', 'credited', 'justified'] as const) {
              expect(parts.reduce((sum, part) => sum + part.coverage[metric][lane], 0)).toBe(whole[metric][lane]);
              expect(credits.reduce((sum, credit) => sum + coverageOf([credit])[metric][lane], 0)).toBe(whole[metric][lane]);
              // Functions are the whole but for what lies outside any: here line 14 of each file.
              const outside = metric === 'line' || metric === 'branch' ? 1 : 0;
              if (!outside) expect(units.reduce((sum, unit) => sum + unit[metric][lane], 0)).toBe(whole[metric][lane]);
            }
          // Point by point, told by state, the same figures come out.
          for (const [i, credit] of credits.entries()) {
            const points = pointsOf(credit);
            const of = (state: string): number => points.filter((p) => p.metric === 'line' && p.state === state).length;
            expect(of('credited')).toBe(coverageOf([credits[i]]).line.credited);
            expect(of('justified')).toBe(coverageOf([credits[i]]).line.justified);
          }
          for (const [group, coverage] of coverageByGroup(parts))
            expect(coverage.line.found).toBe(
              parts.filter((part) => part.groups.includes(group)).reduce((sum, part) => sum + part.coverage.line.found, 0),
            );
        },
      ),
    );
  });

  it('judged again for one function, is as if all was judged anew', () => {
    fc.assert(
      fc.property(
        anyHits,
        anyPassing,
        fc.constantFrom(0, 1, 2),
        fc.subarray(['BRK-007', 'BRK-012']),
        (hits, passing, unit, requirements) => {
          const m = passed(file(hits, [3]), passing);
          const units = m.units.map((u, i) => (i === unit ? { ...u, requirements } : u));
          const rules = creditRules(context());
          const [quick, whole] = [recreditUnits(creditFile(m, rules), units, [unit], rules), creditFile({ ...m, units }, rules)];
          expect(quick.tallies).toEqual(whole.tallies);
          expect(quick.credited).toEqual(whole.credited);
          expect(quick.ownHit).toEqual(whole.ownHit);
        },
      ),
    );
  });

  it('lets the cases of derived requirements, or of the one above, count where the policy says so', () => {
    const m = passed(file({ 'C-003': [2] }), ['C-003']);
    const parents = [{ from: 'BRK-012', to: 'BRK-007' }];
    const credited = (policy: CreditContext['policy'], traces = parents): number =>
      coverageOf([creditFile(m, context({ ...(policy ? { policy } : {}), parents: traces }))]).line.credited;
    expect(credited(undefined)).toBe(0);
    expect(credited({ childCases: true, parentCases: false, deviations: true })).toBe(1);
    expect(credited({ childCases: false, parentCases: true, deviations: true })).toBe(0);
    expect(credited({ childCases: false, parentCases: true, deviations: true }, [{ from: 'BRK-007', to: 'BRK-012' }])).toBe(1);
    // A circle of traces is walked once.
    expect(credited({ childCases: true, parentCases: true, deviations: true }, [...parents, { from: 'BRK-007', to: 'BRK-012' }])).toBe(1);
  });

  it('judges MC/DC by the vectors of credited runs alone', () => {
    const points = new PointCollector();
    points.addDecision(2, 5, 2, []);
    const { table } = points.finish('a.c');
    const seen = (caseKey: string, ...values: number[]) => ({
      caseKey,
      counts: false,
      bits: bitsFor(sizeOf(table)),
      vectors: [{ line: 2, place: 5, codes: values.map((v) => encodeVector({ evaluated: 3, values: v, outcome: v === 3 }, 2)) }],
    });
    const m: MeasuredFile = {
      path: 'a.c',
      table,
      units: [{ name: 'held', start: 1, end: 5, requirements: ['BRK-007'] }],
      byCase: [seen('C-001', 3), seen('C-002', 2), seen('C-003', 1)],
    };
    expect(coverageOf([creditFile(passed(m, ['C-001', 'C-002', 'C-003']), context())]).mcdc).toEqual({
      found: 2,
      exercised: 2,
      credited: 1,
      justified: 0,
    });
    expect(coverageOf([creditFile(passed(m, ['C-001']), context())]).mcdc).toEqual({ found: 2, exercised: 2, credited: 0, justified: 0 });
  });

  it('tells what would close a gap, with figures that come true', () => {
    const measured = passed(file({ 'C-001': [2, 3], 'C-003': [4] }), ['C-001', 'C-003']);
    const known = context();
    const credit = creditFile(measured, known);
    const found = diagnoseLine(credit, 4, known);
    expect(found?.state).toBe('otherCases');
    expect(found?.hitBy).toEqual(['C-003']);
    expect(found?.remedies.map((r) => r.kind).sort()).toEqual(['extendCase', 'linkCase', 'traceCode']);
    const link = found?.remedies.find((r) => r.kind === 'linkCase');
    const after = creditFile(measured, { ...known, verifies: new Map([...verifies, ['C-003', new Set(['BRK-012', 'BRK-007'])]]) });
    const all = (c: typeof after): number => coverageOf([c]).line.credited + coverageOf([c]).branch.credited;
    expect(link?.after).toBe(all(after));
    expect(link?.before).toBe(all(credit));
    expect(found?.remedies.find((r) => r.kind === 'extendCase')?.near).toEqual({ hit: 4, of: 9 });
    expect(diagnoseLine(credit, 5, known)).toBeUndefined();
  });

  it('shows a line by what is missing on it', () => {
    const shown = lineCredits(creditFile(passed(file({ 'C-001': [2] }), ['C-001']), context()));
    expect(shown.find((l) => l.line === 2)).toEqual({
      line: 2,
      exercised: 'part',
      state: 'neverHit',
      points: 3,
      creditedPoints: 2,
      hitBy: ['C-001'],
    });
    expect(shown.find((l) => l.line === 3)?.exercised).toBe('none');
  });

  it('places every point in one function or in none', () => {
    const credit = creditFile(file({ 'C-001': [2] }), context());
    for (let i = 0; i < sizeOf(credit.file.table); i++) {
      const inside = credit.spans.filter(
        ({ functions, ranges }) => functions.includes(i) || ranges.some(([a, b]) => i >= a && i < b),
      ).length;
      expect(inside).toBe(unitOfPoint(credit, i) < 0 ? 0 : 1);
    }
    expect(hasBit(credit.exercised, 0)).toBeFalse();
  });
});
