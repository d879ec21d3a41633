import { groupBy } from '../base';
import { bitsFor, clearRange, countBits, firstClear, hasBit, orAll, orRange, setBit, type Bits } from './bits';
import { markIndependence, mergeVectors, perMetric, type DecisionVectors, type Ratio } from './measurement';
import { detailOf, lowerBound, metricOf, metrics, rangeOf, sizeOf, type Metric, type PointTable } from './point';

/** A function as the credit rules see it. Functions of a file do not overlap. */
export interface CodeUnit {
  readonly name: string;
  /** First and last line, both inclusive. */
  readonly start: number;
  readonly end: number;
  /** Keys of the requirements that it implements. */
  readonly requirements: readonly string[];
}

/** What one case hit in a file: bits over the file's table, and the vectors of its decisions. */
export interface CaseHits {
  readonly caseKey: string;
  readonly bits: Bits;
  readonly vectors: readonly DecisionVectors[];
}

/** One measured file of a build: its points, its functions, and what each case hit in it. */
export interface MeasuredFile {
  readonly path: string;
  readonly table: PointTable;
  readonly units: readonly CodeUnit[];
  readonly byCase: readonly CaseHits[];
  /** Points for which somebody wrote why they need no evidence. */
  readonly justified?: Bits;
}

/** What gives credit, as data that a project may set. */
export interface CreditPolicy {
  /** May a case that verifies a requirement derived from this one give credit to its code? */
  readonly childCases: boolean;
  /** May a case that verifies the requirement from which this one is derived? */
  readonly parentCases: boolean;
  /** Does a run that passed with a deviation, which a reviewer accepted, count as passed? */
  readonly deviations: boolean;
}
/** Own cases only; accepted deviations count, as they do in the verdict (DESIGN.md section 3). */
export const usualPolicy: CreditPolicy = { childCases: false, parentCases: false, deviations: true };

export interface CreditContext {
  /** Requirements that a case verifies. */
  readonly verifies: ReadonlyMap<string, ReadonlySet<string>>;
  /** Cases whose latest valid runs on this build all passed, by the policy, and are current. */
  readonly passing: ReadonlySet<string>;
  readonly policy?: CreditPolicy;
  /** Parent traces, from child to parent; wanted by a policy that looks at them. */
  readonly parents?: readonly { readonly from: string; readonly to: string }[];
}

/** Why a point has no credit: the one reason that holds. */
export type NoCredit = 'neverHit' | 'noRequirement' | 'noCase' | 'noPassingRun' | 'otherCases';
export type PointState = 'credited' | 'justified' | NoCredit;

/** Credited and exercised of one metric over some code, in points. Justified ones are neither, and counted apart. */
export interface Coverage {
  readonly found: number;
  readonly exercised: number;
  readonly credited: number;
  readonly justified: number;
}
export type CoverageByMetric = Readonly<Record<Metric, Coverage>>;

/** Four numbers a metric: found, exercised, credited, justified. */
type Tally = Int32Array;

interface UnitSpan {
  /** Function points: named by their own place, since a writer may put them on the line before. */
  readonly functions: readonly number[];
  /** For each metric from `line` on, [first, behind the last). */
  readonly ranges: readonly (readonly [number, number])[];
}

/** A file judged: which of its points were exercised, hit by cases of their own requirements, and credited. */
export interface FileCredit {
  readonly path: string;
  readonly file: MeasuredFile;
  readonly exercised: Bits;
  readonly ownHit: Bits;
  readonly credited: Bits;
  readonly spans: readonly UnitSpan[];
  readonly hitsOf: ReadonlyMap<string, CaseHits>;
  /** For each unit, has its code any requirement, and have those any case? */
  readonly unitStates: readonly ('noRequirement' | 'noCase' | 'judged')[];
  /** A tally for each unit, and behind them one for what lies outside any function. */
  readonly tallies: readonly Tally[];
}

/** Which cases give credit to the code of a requirement, worked out once for all files. */
export interface CreditRules {
  readonly casesOf: (requirements: readonly string[]) => ReadonlySet<string>;
  readonly passing: ReadonlySet<string>;
}

export function creditRules({ verifies, passing, policy = usualPolicy, parents = [] }: CreditContext): CreditRules {
  const verifying = new Map<string, Set<string>>();
  for (const [caseKey, requirements] of verifies)
    for (const key of requirements) verifying.set(key, (verifying.get(key) ?? new Set()).add(caseKey));
  const below = policy.childCases
    ? groupBy(
        parents,
        (p) => p.to,
        (p) => p.from,
      )
    : undefined;
  const above = policy.parentCases
    ? groupBy(
        parents,
        (p) => p.from,
        (p) => p.to,
      )
    : undefined;
  const reach = (key: string): string[] => {
    const found = new Set([key]);
    for (const next of [below, above]) {
      const walk = [key];
      const seen = new Set(walk);
      for (let at = 0; next && at < walk.length; at++)
        for (const other of next.get(walk[at]) ?? []) if (!seen.has(other)) walk.push((seen.add(other), other));
      for (const other of seen) found.add(other);
    }
    return [...found];
  };
  const known = new Map<string, ReadonlySet<string>>();
  const casesOf = (requirements: readonly string[]): ReadonlySet<string> => {
    const id = requirements.join('\n');
    const before = known.get(id);
    if (before) return before;
    const cases = new Set(requirements.flatMap(reach).flatMap((key) => [...(verifying.get(key) ?? [])]));
    known.set(id, cases);
    return cases;
  };
  return { casesOf, passing };
}

/**
 * Judges every point of a file. Credited: hit by a passing, current run of a case that verifies a requirement which that
 * code implements (DESIGN.md section 2). One pass over the bits for what was exercised, and one over each function's own for the rest.
 */
export function creditFile(file: MeasuredFile, rules: CreditRules | CreditContext): FileCredit {
  const used = 'casesOf' in rules ? rules : creditRules(rules);
  const size = sizeOf(file.table);
  const exercised = bitsFor(size);
  for (const { bits } of file.byCase) orAll(exercised, bits);
  markIndependence(file.table, exercised, vectorsOf(file.byCase));
  const credit = {
    path: file.path,
    file,
    exercised,
    ownHit: bitsFor(size),
    credited: bitsFor(size),
    spans: spansOf(file.table, file.units),
    hitsOf: new Map(file.byCase.map((c) => [c.caseKey, c])),
    unitStates: [] as FileCredit['unitStates'][number][],
    tallies: [] as Tally[],
  };
  file.units.forEach((_, u) => creditUnit(credit, u, used));
  credit.tallies.push(outside(credit));
  return credit;
}

/** Judges a file anew in which only the requirements of some functions, or the cases of those, have changed. */
export function recreditUnits(before: FileCredit, units: readonly CodeUnit[], changed: readonly number[], rules: CreditRules): FileCredit {
  const credit = {
    ...before,
    file: { ...before.file, units },
    ownHit: before.ownHit.slice(),
    credited: before.credited.slice(),
    unitStates: [...before.unitStates],
    tallies: [...before.tallies],
  };
  for (const u of changed) {
    for (const i of credit.spans[u].functions) for (const bits of [credit.ownHit, credit.credited]) clearRange(bits, i, i + 1);
    for (const [from, to] of credit.spans[u].ranges) for (const bits of [credit.ownHit, credit.credited]) clearRange(bits, from, to);
    creditUnit(credit, u, rules);
  }
  return credit;
}

function spansOf(table: PointTable, units: readonly CodeUnit[]): UnitSpan[] {
  const functions: number[][] = units.map(() => []);
  const byName = new Map(units.map((unit, u) => [unit.name, u]));
  const [from, to] = rangeOf(table, 'function');
  for (let i = from; i < to; i++) {
    const named = byName.get(table.names[table.b[i]]);
    const u = named ?? units.findIndex(({ start, end }) => table.line[i] >= start && table.line[i] <= end);
    if (u >= 0) functions[u].push(i);
  }
  return units.map(({ start, end }, u) => ({
    functions: functions[u],
    ranges: metrics.slice(1).map((metric) => [lowerBound(table, metric, start), lowerBound(table, metric, end + 1)]),
  }));
}

interface Growing extends Omit<FileCredit, 'unitStates' | 'tallies'> {
  readonly unitStates: FileCredit['unitStates'][number][];
  readonly tallies: Tally[];
}

function creditUnit(credit: Growing, u: number, { casesOf, passing }: CreditRules): void {
  const { file, spans, ownHit, credited } = credit;
  const { requirements } = file.units[u];
  const own = casesOf(requirements);
  credit.unitStates[u] = !requirements.length ? 'noRequirement' : own.size ? 'judged' : 'noCase';
  if (own.size) {
    const { functions, ranges } = spans[u];
    const mine = [...own].flatMap((key) => credit.hitsOf.get(key) ?? []);
    for (const { caseKey, bits } of mine) {
      const counts = passing.has(caseKey);
      for (const [from, to] of ranges) {
        orRange(ownHit, bits, from, to);
        if (counts) orRange(credited, bits, from, to);
      }
      for (const i of functions)
        if (hasBit(bits, i)) {
          setBit(ownHit, i);
          if (counts) setBit(credited, i);
        }
    }
    // MC/DC is judged from the vectors of those cases together, not from what each shows alone.
    const range = ranges[metrics.indexOf('mcdc') - 1];
    markIndependence(file.table, ownHit, vectorsOf(mine), range);
    markIndependence(file.table, credited, vectorsOf(mine.filter((c) => passing.has(c.caseKey))), range);
  }
  credit.tallies[u] = tallyOf(credit, spans[u]);
}

const vectorsOf = (hits: readonly CaseHits[]): DecisionVectors[] => mergeVectors(hits.map((c) => c.vectors));

function tallyOf(
  { exercised, credited, file }: Pick<FileCredit, 'exercised' | 'credited' | 'file'>,
  { functions, ranges }: UnitSpan,
): Tally {
  const tally = new Int32Array(metrics.length * 4);
  const add = (m: number, from: number, to: number): void => {
    tally[4 * m] += to - from;
    tally[4 * m + 1] += countBits(exercised, from, to);
    tally[4 * m + 2] += countBits(credited, from, to);
    tally[4 * m + 3] += file.justified ? countOnly(file.justified, credited, from, to) : 0;
  };
  for (const i of functions) add(0, i, i + 1);
  ranges.forEach(([from, to], r) => add(r + 1, from, to));
  return tally;
}

/** Justified points that are credited as well need no justification. */
function countOnly(justified: Bits, credited: Bits, from: number, to: number): number {
  let n = 0;
  for (let i = from; i < to; i++) if (hasBit(justified, i) && !hasBit(credited, i)) n++;
  return n;
}

/** What the whole has and no function does. Nothing there is credited: no requirement is traced to it. */
function outside(credit: Growing): Tally {
  const { file } = credit;
  const whole = tallyOf(credit, {
    functions: Array.from({ length: rangeOf(file.table, 'function')[1] }, (_, i) => i),
    ranges: metrics.slice(1).map((metric) => rangeOf(file.table, metric)),
  });
  for (const tally of credit.tallies) tally.forEach((n, i) => (whole[i] -= n));
  return whole;
}

const asCoverage = (tally: Tally): CoverageByMetric =>
  perMetric((metric) => {
    const m = 4 * metrics.indexOf(metric);
    return { found: tally[m], exercised: tally[m + 1], credited: tally[m + 2], justified: tally[m + 3] };
  });

const sum = (tallies: Iterable<Tally>): Tally => {
  const total = new Int32Array(metrics.length * 4);
  for (const tally of tallies) for (let i = 0; i < total.length; i++) total[i] += tally[i];
  return total;
};

/** The sums over whole files. */
export function coverageOf(credits: readonly FileCredit[]): CoverageByMetric {
  return asCoverage(sum(credits.flatMap((credit) => credit.tallies)));
}

/** A part of the code: what falls into exactly these groups, and into no other. */
export interface CreditPart {
  readonly groups: readonly string[];
  readonly coverage: CoverageByMetric;
}

/**
 * Coverage by any grouping of functions: by file, requirement, specification, level. A function may fall into several groups
 * (it implements two requirements), so the parts are kept by their sets of groups: they add up to the whole, whatever the
 * grouping. `undefined` stands for code outside any function.
 */
export function coverageParts(
  credits: readonly FileCredit[],
  groupsOf: (path: string, unit: CodeUnit | undefined) => readonly string[],
): CreditPart[] {
  const parts = new Map<string, { groups: readonly string[]; tallies: Tally[] }>();
  for (const { path, file, tallies } of credits)
    tallies.forEach((tally, u) => {
      const groups = [...new Set(groupsOf(path, file.units[u]))].sort();
      const id = groups.join('\n');
      const part = parts.get(id);
      if (part) part.tallies.push(tally);
      else parts.set(id, { groups, tallies: [tally] });
    });
  return [...parts.values()].map(({ groups, tallies }) => ({ groups, coverage: asCoverage(sum(tallies)) }));
}

/** Coverage of each group: a function that falls into two counts in both, so these do not add up. */
export function coverageByGroup(parts: readonly CreditPart[]): Map<string, CoverageByMetric> {
  const found = new Map<string, CoverageByMetric>();
  for (const { groups, coverage } of parts)
    for (const group of groups) found.set(group, addCoverage(found.get(group) ?? noCoverage, coverage));
  return found;
}

/** A function with its coverage and, for each metric, the line of its first point without credit. */
export interface UnitCoverage {
  readonly path: string;
  readonly unit: CodeUnit;
  readonly totals: CoverageByMetric;
  readonly firstGap: Readonly<Partial<Record<Metric, number>>>;
}

/** Coverage function by function, in the order of the files. */
export function unitCoverages(credits: readonly FileCredit[]): UnitCoverage[] {
  return credits.flatMap(({ path, file, spans, credited, tallies }) =>
    file.units.map((unit, u) => {
      const firstGap: Partial<Record<Metric, number>> = {};
      const settled = credited.slice();
      if (file.justified) orAll(settled, file.justified);
      const entry = spans[u].functions.find((i) => !hasBit(settled, i));
      if (entry !== undefined) firstGap.function = file.table.line[entry];
      spans[u].ranges.forEach(([from, to], r) => {
        const gap = firstClear(settled, from, to);
        if (gap !== undefined) firstGap[metrics[r + 1]] = file.table.line[gap];
      });
      return { path, unit, totals: asCoverage(tallies[u]), firstGap };
    }),
  );
}

export const noCoverage: CoverageByMetric = perMetric(() => ({ found: 0, exercised: 0, credited: 0, justified: 0 }));

export function addCoverage(a: CoverageByMetric, b: CoverageByMetric): CoverageByMetric {
  return perMetric((metric) => ({
    found: a[metric].found + b[metric].found,
    exercised: a[metric].exercised + b[metric].exercised,
    credited: a[metric].credited + b[metric].credited,
    justified: a[metric].justified + b[metric].justified,
  }));
}

export function ratioOf(coverage: Coverage, lane: 'exercised' | 'credited'): Ratio {
  return lane === 'credited'
    ? { hit: coverage.credited + coverage.justified, found: coverage.found }
    : { hit: coverage.exercised, found: coverage.found };
}

/** The function that a point lies in; -1 outside any. */
export function unitOfPoint({ spans }: FileCredit, point: number): number {
  return spans.findIndex(({ functions, ranges }) => functions.includes(point) || ranges.some(([from, to]) => point >= from && point < to));
}

/** What a point has: credit, a justification, or the one reason why not, from what is missing first. */
export function stateOf(credit: FileCredit, point: number, unit = unitOfPoint(credit, point)): PointState {
  if (hasBit(credit.credited, point)) return 'credited';
  if (credit.file.justified && hasBit(credit.file.justified, point)) return 'justified';
  if (!hasBit(credit.exercised, point)) return 'neverHit';
  const state = unit < 0 ? 'noRequirement' : credit.unitStates[unit];
  if (state !== 'judged') return state;
  return hasBit(credit.ownHit, point) ? 'noPassingRun' : 'otherCases';
}

/** The cases that hit a point, in the order of the file's cases. */
export function casesHitting({ byCase }: MeasuredFile, point: number): string[] {
  return byCase.flatMap(({ caseKey, bits }) => (hasBit(bits, point) ? [caseKey] : []));
}

/** One point with all that is known of it, for people and for files that leave the house. */
export interface Point {
  readonly metric: Metric;
  readonly line: number;
  readonly detail: string;
  readonly state: PointState;
  readonly hitBy: readonly string[];
}

export function pointOf(credit: FileCredit, point: number): Point {
  const { table } = credit.file;
  return {
    metric: metricOf(table, point),
    line: table.line[point],
    detail: detailOf(table, point),
    state: stateOf(credit, point),
    hitBy: casesHitting(credit.file, point),
  };
}

export const pointsOf = (credit: FileCredit): Point[] => Array.from({ length: sizeOf(credit.file.table) }, (_, i) => pointOf(credit, i));
