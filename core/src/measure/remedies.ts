import {
  coverageOf,
  creditFile,
  ratioOf,
  type Coverage,
  type CreditContext,
  type FileCredit,
  type MeasuredFile,
  type Point,
  type PointState,
} from './credit';
import { percent } from './measurement';

/** A change that would give credit to a place in the code, with what it would do to the file's figures. */
export interface Remedy {
  readonly kind: 'extendCase' | 'traceCode' | 'linkCase' | 'designCase' | 'recordRun' | 'removeCode';
  readonly caseKey?: string;
  readonly requirement?: string;
  /** For the nearest case: how many of the function's measured points it hits already. */
  readonly near?: { readonly hit: number; readonly of: number };
  /** Credited branches of the file before and after, in points. */
  readonly before: number;
  readonly after: number;
  readonly beforePercent: number;
  readonly afterPercent: number;
}

export interface LineDiagnosis {
  readonly line: number;
  readonly state: PointState;
  readonly unit: string | null;
  readonly requirements: readonly string[];
  readonly hitBy: readonly string[];
  /** Cases of the code's own requirements. */
  readonly ownCases: readonly string[];
  /** Outcomes of the decision on this line. */
  readonly outcomes: readonly Point[];
  readonly remedies: readonly Remedy[];
}

/** Lines and branches of a file together. */
function pointsOf(credit: FileCredit): Coverage {
  const sums = coverageOf([credit]);
  return {
    found: sums.branch.found + sums.line.found,
    exercised: sums.branch.exercised + sums.line.exercised,
    credited: sums.branch.credited + sums.line.credited,
    justified: 0,
  };
}

/** Why a line has or has not its credit, and what would close it. Figures count lines and branches of the file. */
export function diagnoseLine(file: MeasuredFile, line: number, context: CreditContext): LineDiagnosis | undefined {
  const credit = creditFile(file, context);
  const indexes = credit.points.flatMap((point, i) => (point.line === line && point.metric !== 'function' ? [i] : []));
  if (!indexes.length) return undefined;
  const here = indexes.map((i) => credit.points[i]);
  const order: readonly PointState[] = ['noPassingRun', 'noCase', 'otherCases', 'noRequirement', 'neverHit', 'credited'];
  const state = order.find((candidate) => here.some((point) => point.state === candidate)) ?? 'credited';
  const unitIndex = credit.unitOf[indexes[0]];
  const unit = unitIndex < 0 ? undefined : file.units[unitIndex];
  const hitBy = [...new Set(here.filter((point) => point.state === state).flatMap((point) => point.hitBy))].sort();
  const ownCases = [...context.verifies]
    .filter(([, keys]) => unit?.requirements.some((key) => keys.has(key)))
    .map(([key]) => key)
    .sort();
  const found = pointsOf(credit);
  const base = { before: found.credited, beforePercent: percent(ratioOf(found, 'credited')) };
  const figure = (after: Coverage): Pick<Remedy, 'before' | 'after' | 'beforePercent' | 'afterPercent'> => ({
    ...base,
    after: after.credited,
    afterPercent: percent(ratioOf(after, 'credited')),
  });
  const remedies: Remedy[] = [];
  if (unit && state !== 'credited') {
    const near = nearestCase(
      credit.points.filter((_, i) => credit.unitOf[i] === unitIndex),
      ownCases.filter((key) => context.passing.has(key)),
    );
    if (near && (state === 'otherCases' || state === 'neverHit')) {
      // As if the nearest case also reached every point of this function that lacks credit for the same reason.
      const extra = credit.points.filter((p, i) => credit.unitOf[i] === unitIndex && p.state === state).length;
      remedies.push({
        kind: 'extendCase',
        caseKey: near.caseKey,
        requirement: unit.requirements[0],
        near: { hit: near.hit, of: near.of },
        ...figure({ ...found, credited: found.credited + extra }),
      });
    }
    const others = new Set(
      hitBy.flatMap((key) => [...(context.verifies.get(key) ?? [])]).filter((key) => !unit.requirements.includes(key)),
    );
    if (state === 'otherCases' || state === 'noRequirement' || state === 'noCase') {
      for (const requirement of [...others].sort().slice(0, 2)) {
        const units = file.units.map((u, i) => (i === unitIndex ? { ...u, requirements: [...u.requirements, requirement] } : u));
        remedies.push({ kind: 'traceCode', requirement, ...figure(pointsOf(creditFile({ ...file, units }, context))) });
      }
    }
    if ((state === 'otherCases' || state === 'noCase') && unit.requirements.length) {
      for (const caseKey of hitBy.slice(0, 2)) {
        const verifies = new Map(context.verifies);
        verifies.set(caseKey, new Set([...(verifies.get(caseKey) ?? []), unit.requirements[0]]));
        remedies.push({
          kind: 'linkCase',
          caseKey,
          requirement: unit.requirements[0],
          ...figure(pointsOf(creditFile(file, { ...context, verifies }))),
        });
      }
    }
    if ((state === 'noCase' || (state === 'neverHit' && !ownCases.length)) && unit.requirements.length)
      remedies.push({ kind: 'designCase', requirement: unit.requirements[0], ...figure(found) });
    if (state === 'noPassingRun') {
      for (const caseKey of hitBy.filter((key) => ownCases.includes(key)).slice(0, 2))
        remedies.push({
          kind: 'recordRun',
          caseKey,
          ...figure(pointsOf(creditFile(file, { ...context, passing: new Set([...context.passing, caseKey]) }))),
        });
    }
  }
  if (state === 'neverHit' && !remedies.length) remedies.push({ kind: 'removeCode', ...figure(found) });
  return {
    line,
    state,
    unit: unit?.name ?? null,
    requirements: unit?.requirements ?? [],
    hitBy,
    ownCases,
    outcomes: here.filter((p) => p.metric === 'branch'),
    remedies: remedies.sort((a, b) => b.after - a.after).slice(0, 3),
  };
}

/** The case that hits most of a function's points: the nearest to reaching the rest. Ties go to the first key. */
function nearestCase(points: readonly Point[], cases: readonly string[]): { caseKey: string; hit: number; of: number } | undefined {
  let best: { caseKey: string; hit: number; of: number } | undefined;
  for (const caseKey of cases) {
    const hit = points.filter((point) => point.hitBy.includes(caseKey)).length;
    if (hit > (best?.hit ?? 0)) best = { caseKey, hit, of: points.length };
  }
  return best;
}
