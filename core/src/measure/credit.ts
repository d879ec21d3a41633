import { groupBy } from '../base';
import { bitsFor, clearRange, countBits, firstClear, hasBit, orAll, orRange, setBit, type Bits } from './bits';
import type { DecisionVectors } from './file-measurement';
import { markIndependence, mergeVectors, perMetric, type Ratio } from './measurement';
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

/**
 * What one case hit in a file: bits over the file's table, and the vectors of its decisions. A case may stand twice: with what is
 * bound to its standing, passing results, which counts, and with the rest, which is exercised and no more.
 */
export interface CaseHits {
  /** Empty for what belongs to no case. */
  readonly caseKey: string;
  readonly bits: Bits;
  readonly vectors: readonly DecisionVectors[];
  /** Is it bound to a result that gives credit? */
  readonly counts: boolean;
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
  readonly hitsOf: ReadonlyMap<string, readonly CaseHits[]>;
  /** For each unit, has its code any requirement, and have those any case? */
  readonly unitStates: readonly ('noRequirement' | 'noCase' | 'judged')[];
  /** A tally for each unit, and behind them one for what lies outside any function. */
  readonly tallies: readonly Tally[];
}

/** Which cases give credit to the code of a requirement, worked out once for all files. */
export interface CreditRules {
  readonly casesOf: (requirements: readonly string[]) => ReadonlySet<string>;
}

export function creditRules({ verifies, policy = usualPolicy, parents = [] }: CreditContext): CreditRules {
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
  return { casesOf };
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
    hitsOf: groupBy(file.byCase, (c) => c.caseKey),
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

function creditUnit(credit: Growing, u: number, { casesOf }: CreditRules): void {
  const { file, spans, ownHit, credited } = credit;
  const { requirements } = file.units[u];
  const own = casesOf(requirements);
  credit.unitStates[u] = !requirements.length ? 'noRequirement' : own.size ? 'judged' : 'noCase';
  // Credited is what is credited to one of its requirements at least: MC/DC is shown for each of them by its own cases together.
  for (const requirement of requirements) {
    const mine = hitsOfCases(credit, casesOf([requirement]));
    markHits(ownHit, file.table, spans[u], mine);
    markHits(
      credited,
      file.table,
      spans[u],
      mine.filter((hits) => hits.counts),
    );
  }
  credit.tallies[u] = tallyOf(credit, spans[u]);
}

const hitsOfCases = ({ hitsOf }: Pick<FileCredit, 'hitsOf'>, cases: ReadonlySet<string>): CaseHits[] =>
  hitsOf.size < cases.size
    ? [...hitsOf].flatMap(([key, hits]) => (cases.has(key) ? hits : []))
    : [...cases].flatMap((key) => hitsOf.get(key) ?? []);

/** Sets what these hits show of a function: its points, and the independence that their vectors show together. */
function markHits(target: Bits, table: PointTable, { functions, ranges }: UnitSpan, hits: readonly CaseHits[]): void {
  for (const { bits } of hits) {
    for (const [from, to] of ranges) orRange(target, bits, from, to);
    for (const i of functions) if (hasBit(bits, i)) setBit(target, i);
  }
  markIndependence(table, target, vectorsOf(hits), ranges[metrics.indexOf('mcdc') - 1]);
}

/**
 * What of one function is credited to a requirement, and where the first point without credit stands: by the cases given, which are those
 * that the rules let count for it. What other requirements' cases hit is no evidence here.
 */
export function creditOfUnit(credit: FileCredit, u: number, cases: ReadonlySet<string>): Pick<UnitCoverage, 'totals' | 'firstGap'> {
  const { file, exercised, spans } = credit;
  const credited = bitsFor(sizeOf(file.table));
  markHits(
    credited,
    file.table,
    spans[u],
    hitsOfCases(credit, cases).filter((hits) => hits.counts),
  );
  return {
    totals: asCoverage(tallyOf({ exercised, credited, file }, spans[u])),
    firstGap: gapsOf(credited, file, spans[u]),
  };
}

/** For each metric, the line of the first point that is neither credited nor justified. */
function gapsOf(credited: Bits, file: MeasuredFile, { functions, ranges }: UnitSpan): Partial<Record<Metric, number>> {
  const gaps: Partial<Record<Metric, number>> = {};
  const settled = file.justified ? credited.slice() : credited;
  if (file.justified) orAll(settled, file.justified);
  const entry = functions.find((i) => !hasBit(settled, i));
  if (entry !== undefined) gaps.function = file.table.line[entry];
  ranges.forEach(([from, to], r) => {
    const gap = firstClear(settled, from, to);
    if (gap !== undefined) gaps[metrics[r + 1]] = file.table.line[gap];
  });
  return gaps;
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
    file.units.map((unit, u) => ({ path, unit, totals: asCoverage(tallies[u]), firstGap: gapsOf(credited, file, spans[u]) })),
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
  return [...new Set(byCase.flatMap(({ caseKey, bits }) => (caseKey && hasBit(bits, point) ? [caseKey] : [])))];
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
