import fc from 'fast-check';
import { bestWithin, fewestCases, idleCases, runsNeeded, type CaseReach } from './index';

const reach = (key: string, points: readonly number[], verifies: readonly string[] = [], minutes = 1): CaseReach => {
  const hits = new Uint32Array(2);
  for (const p of points) hits[p >>> 5] |= 1 << (p & 31);
  return { key, verifies, hits, minutes };
};
const bits = (points: readonly number[]): Uint32Array => reach('', points).hits;
const anyCases = fc
  .array(fc.record({ points: fc.uniqueArray(fc.nat(40), { maxLength: 8 }), minutes: fc.integer({ min: 1, max: 5 }) }), {
    minLength: 1,
    maxLength: 8,
  })
  .map((list) => list.map(({ points, minutes }, i) => reach(`C-${i}`, points, [], minutes)));
const covered = (cases: readonly CaseReach[], lost: Uint32Array): number => {
  let n = 0;
  for (let p = 0; p < 64; p++) if ((lost[p >>> 5] >>> (p & 31)) & 1 && cases.some((c) => (c.hits[p >>> 5] >>> (p & 31)) & 1)) n++;
  return n;
};
const subsets = <T>(items: readonly T[]): T[][] =>
  Array.from({ length: 2 ** items.length }, (_, set) => items.filter((_i, i) => (set >>> i) & 1));

describe('runs that are needed again', () => {
  it('are those of what changed, each with its reasons', () => {
    const cases = [reach('C-1', [1, 2], ['R-1']), reach('C-2', [3], ['R-2']), reach('C-3', [2], [])];
    const runs = cases.map((c, i) => ({ key: `RUN-${i + 1}`, caseKey: c.key }));
    const needed = runsNeeded({ requirements: new Set(['R-1']), cases: new Set(['C-3']), points: [2] }, cases, runs);
    expect(needed.map((n) => [n.run, n.why.map((w) => w.code).join()])).toEqual([
      ['RUN-1', 'requirementChanged,codeChanged'],
      ['RUN-3', 'caseChanged,codeChanged'],
    ]);
  });
});

describe('the fewest cases that restore what was lost', () => {
  it('are as few as trying all sets finds, and the bound holds', () => {
    fc.assert(
      fc.property(anyCases, fc.uniqueArray(fc.nat(40), { maxLength: 30 }), (cases, points) => {
        const lost = bits(points);
        const found = fewestCases(lost, cases);
        const most = covered(cases, lost);
        const best = Math.min(
          ...subsets(cases)
            .filter((set) => covered(set, lost) === most)
            .map((set) => set.length),
        );
        expect([found.cases.length, found.covered, found.optimal]).toEqual([best, most, true]);
        expect(found.of).toBe(points.length);
      }),
    );
  });
});

describe('the best set within so many minutes', () => {
  it('keeps the minutes, and no set beats the bound', () => {
    fc.assert(
      fc.property(anyCases, fc.uniqueArray(fc.nat(40), { maxLength: 30 }), fc.nat(12), (cases, points, minutes) => {
        const lost = bits(points);
        const found = bestWithin(lost, cases, minutes);
        const best = Math.max(
          ...subsets(cases)
            .filter((set) => set.reduce((sum, c) => sum + c.minutes, 0) <= minutes)
            .map((set) => covered(set, lost)),
        );
        expect(found.minutes).toBeLessThanOrEqual(minutes);
        expect(found.covered).toBeLessThanOrEqual(best);
        expect(best).toBeLessThanOrEqual(found.bound);
        // The guarantee of the better of greedy and the best single case: half of 1 - 1/e.
        expect(found.covered).toBeGreaterThanOrEqual(0.3 * best);
        if (found.optimal) expect(found.covered).toBe(best);
      }),
    );
  });
});

describe('cases that add nothing', () => {
  it('are told with the evidence that each still carries', () => {
    const cases = [reach('C-1', [1, 2, 5], ['R-1']), reach('C-2', [2], ['R-1']), reach('C-3', [3], ['R-1']), reach('C-4', [1], ['R-2'])];
    expect(idleCases(cases)).toEqual([{ key: 'C-2', stillShows: { points: 1, requirements: [{ key: 'R-1', alsoBy: 2 }] } }]);
    expect(idleCases([])).toEqual([]);
  });
});
