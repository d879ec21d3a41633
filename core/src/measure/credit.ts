import { metrics, type FileMeasurement, type Metric, type Ratio } from './measurement';

/** A function as the credit rules see it. */
export interface CodeUnit {
  readonly name: string;
  readonly start: number;
  readonly end: number;
  /** Keys of the requirements that it implements. */
  readonly requirements: readonly string[];
}

/** One measured file: its functions, and what each case hit in it on this build. */
export interface MeasuredFile {
  readonly path: string;
  readonly units: readonly CodeUnit[];
  readonly byCase: readonly { readonly caseKey: string; readonly file: FileMeasurement }[];
}

export interface CreditContext {
  /** Requirements that a case verifies. */
  readonly verifies: ReadonlyMap<string, ReadonlySet<string>>;
  /** Cases whose latest valid runs on this build all passed and are current. */
  readonly passing: ReadonlySet<string>;
}

/** Why a point has no credit: the one reason that holds. */
export type NoCredit = 'neverHit' | 'noRequirement' | 'noCase' | 'noPassingRun' | 'otherCases';
export type PointState = 'credited' | NoCredit;

export interface Point {
  readonly metric: Metric;
  readonly line: number;
  /** Which outcome of which decision, for a branch; the name, for a function. */
  readonly detail: string;
  readonly state: PointState;
  /** The cases that hit it. */
  readonly hitBy: readonly string[];
}

export interface FileCredit {
  readonly path: string;
  readonly points: readonly Point[];
  /** For each point, the unit that it lies in; -1 outside any function. */
  readonly unitOf: readonly number[];
}

/** Credited and exercised of one metric over some code. */
export interface Coverage {
  readonly found: number;
  readonly exercised: number;
  readonly credited: number;
  readonly justified: number;
}
export type CoverageByMetric = Readonly<Record<Metric, Coverage>>;

/** What a pointed-to place in the code needs first: order of the reasons when several points share a line. */
const severity: readonly PointState[] = ['neverHit', 'noPassingRun', 'noCase', 'otherCases', 'noRequirement', 'credited'];

/**
 * Judges every point of a file. Credited: hit by a passing, current run of a case that verifies a requirement which that
 * code implements (DESIGN.md section 2). Otherwise the one reason that holds, from what is missing first.
 */
export function creditFile(file: MeasuredFile, context: CreditContext): FileCredit {
  const covering = new Map<string, Set<string>>();
  for (const [caseKey, requirements] of context.verifies) {
    for (const requirement of requirements) {
      const known = covering.get(requirement);
      if (known) known.add(caseKey);
      else covering.set(requirement, new Set([caseKey]));
    }
  }
  const own = file.units.map((unit) => new Set(unit.requirements.flatMap((key) => [...(covering.get(key) ?? [])])));
  const points: Point[] = [];
  const unitOf: number[] = [];
  for (const { metric, line, detail, hitBy, unitName } of collectPoints(file)) {
    const unit =
      unitName !== undefined
        ? file.units.findIndex((u) => u.name === unitName)
        : file.units.findIndex((u) => line >= u.start && line <= u.end);
    points.push({ metric, line, detail, hitBy, state: judge(hitBy, unit < 0 ? undefined : file.units[unit], own[unit], context) });
    unitOf.push(unit);
  }
  return { path: file.path, points, unitOf };
}

function judge(
  hitBy: readonly string[],
  unit: CodeUnit | undefined,
  own: ReadonlySet<string> | undefined,
  context: CreditContext,
): PointState {
  if (!hitBy.length) return 'neverHit';
  if (!unit?.requirements.length || !own) return 'noRequirement';
  if (!own.size) return 'noCase';
  const ownHits = hitBy.filter((key) => own.has(key));
  if (!ownHits.length) return 'otherCases';
  return ownHits.some((key) => context.passing.has(key)) ? 'credited' : 'noPassingRun';
}

interface RawPoint {
  readonly metric: Metric;
  readonly line: number;
  readonly detail: string;
  readonly unitName?: string;
  readonly hitBy: string[];
}

function collectPoints(file: MeasuredFile): RawPoint[] {
  const points = new Map<string, RawPoint>();
  const point = (id: string, make: () => RawPoint): RawPoint => {
    const known = points.get(id);
    if (known) return known;
    const made = make();
    points.set(id, made);
    return made;
  };
  for (const { caseKey, file: m } of file.byCase) {
    for (let i = 0; i < m.lines.length; i += 2) {
      const p = point(`l${m.lines[i]}`, () => ({ metric: 'line', line: m.lines[i], detail: '', hitBy: [] }));
      if (m.lines[i + 1] > 0) p.hitBy.push(caseKey);
    }
    for (let i = 0; i < m.branches.length; i += 4) {
      const [line, block, branch] = [m.branches[i], m.branches[i + 1], m.branches[i + 2]];
      const p = point(`b${line}:${block}:${branch}`, () => ({ metric: 'branch', line, detail: `${block}:${branch}`, hitBy: [] }));
      if (m.branches[i + 3] > 0) p.hitBy.push(caseKey);
    }
    for (const f of m.functions) {
      const p = point(`f${f.name}`, () => ({ metric: 'function', line: f.line, detail: f.name, unitName: f.name, hitBy: [] }));
      if (f.hits > 0) p.hitBy.push(caseKey);
    }
  }
  return [...points.values()].sort(
    (a, b) => a.line - b.line || metrics.indexOf(a.metric) - metrics.indexOf(b.metric) || (a.detail < b.detail ? -1 : 1),
  );
}

/** Sums points by metric; `keep` chooses which. */
export function coverageOf(credits: readonly FileCredit[], keep?: (file: FileCredit, index: number) => boolean): CoverageByMetric {
  const sums = { function: [0, 0, 0], line: [0, 0, 0], branch: [0, 0, 0] };
  for (const credit of credits) {
    credit.points.forEach((point, i) => {
      if (keep && !keep(credit, i)) return;
      const sum = sums[point.metric];
      sum[0]++;
      if (point.hitBy.length) sum[1]++;
      if (point.state === 'credited') sum[2]++;
    });
  }
  const shape = (metric: Metric): Coverage => ({
    found: sums[metric][0],
    exercised: sums[metric][1],
    credited: sums[metric][2],
    justified: 0,
  });
  return { function: shape('function'), line: shape('line'), branch: shape('branch') };
}

/** A function with its coverage and, for each metric, the line of its first point without credit. */
export interface UnitCoverage {
  readonly path: string;
  readonly unit: CodeUnit;
  readonly totals: CoverageByMetric;
  readonly firstGap: Readonly<Partial<Record<Metric, number>>>;
}

/** Coverage function by function, in the order of the files. */
export function unitCoverages(files: readonly MeasuredFile[], credits: readonly FileCredit[]): UnitCoverage[] {
  return files.flatMap((file, f) => {
    const credit = credits[f];
    return file.units.map((unit, u) => {
      const firstGap: Partial<Record<Metric, number>> = {};
      const totals = coverageOf([credit], (_, i) => {
        if (credit.unitOf[i] !== u) return false;
        const { metric, line, state } = credit.points[i];
        if (state !== 'credited') firstGap[metric] ??= line;
        return true;
      });
      return { path: file.path, unit, totals, firstGap };
    });
  });
}

export const noCoverage: CoverageByMetric = {
  function: { found: 0, exercised: 0, credited: 0, justified: 0 },
  line: { found: 0, exercised: 0, credited: 0, justified: 0 },
  branch: { found: 0, exercised: 0, credited: 0, justified: 0 },
};

export function addCoverage(a: CoverageByMetric, b: CoverageByMetric): CoverageByMetric {
  const add = (x: Coverage, y: Coverage): Coverage => ({
    found: x.found + y.found,
    exercised: x.exercised + y.exercised,
    credited: x.credited + y.credited,
    justified: x.justified + y.justified,
  });
  return { function: add(a.function, b.function), line: add(a.line, b.line), branch: add(a.branch, b.branch) };
}

export function ratioOf(coverage: Coverage, lane: 'exercised' | 'credited'): Ratio {
  return lane === 'credited'
    ? { hit: coverage.credited + coverage.justified, found: coverage.found }
    : { hit: coverage.exercised, found: coverage.found };
}

export interface LineCredit {
  readonly line: number;
  /** Was it run: wholly, only in part (an outcome of its decision was never taken), never. */
  readonly exercised: 'all' | 'part' | 'none';
  /** What is missing for its credit, `credited` when nothing is. */
  readonly state: PointState;
  readonly points: number;
  readonly creditedPoints: number;
  readonly hitBy: readonly string[];
}

/** One entry a measured line, for the two lanes of the code view. */
export function lineCredits(credit: FileCredit): LineCredit[] {
  const byLine = new Map<number, Point[]>();
  for (const point of credit.points) {
    if (point.metric === 'function') continue;
    const list = byLine.get(point.line);
    if (list) list.push(point);
    else byLine.set(point.line, [point]);
  }
  return [...byLine].map(([line, points]) => {
    const hit = points.filter((p) => p.hitBy.length).length;
    const worst = points.reduce<PointState>((a, p) => (severity.indexOf(p.state) < severity.indexOf(a) ? p.state : a), 'credited');
    const ranPartly = hit > 0 && worst === 'neverHit';
    // A line that ran is told by the reason of what did run, unless only its missing outcome stands in the way.
    const told = ranPartly
      ? points
          .filter((p) => p.hitBy.length)
          .reduce<PointState>((a, p) => (severity.indexOf(p.state) < severity.indexOf(a) ? p.state : a), 'credited')
      : worst;
    return {
      line,
      exercised: hit === 0 ? 'none' : hit === points.length ? 'all' : 'part',
      state: told === 'credited' ? worst : told,
      points: points.length,
      creditedPoints: points.filter((p) => p.state === 'credited').length,
      hitBy: [...new Set(points.flatMap((p) => p.hitBy))].sort(),
    };
  });
}
