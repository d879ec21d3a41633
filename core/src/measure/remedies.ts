import { hasBit } from './bits';
import {
  casesHitting,
  coverageOf,
  creditFile,
  creditRules,
  pointOf,
  ratioOf,
  recreditUnits,
  stateOf,
  unitOfPoint,
  type Coverage,
  type CreditContext,
  type FileCredit,
  type MeasuredFile,
  type Point,
  type PointState,
} from './credit';
import { percent } from './measurement';
import { metrics, rangeOf, type Metric } from './point';

/** A change that would give credit to a place in the code, with what it would do to the file's figures. */
export interface Remedy {
  readonly kind: 'extendCase' | 'traceCode' | 'linkCase' | 'designCase' | 'recordRun' | 'removeCode';
  readonly caseKey?: string;
  readonly requirement?: string;
  /** For the nearest case: how many of the function's measured points it hits already. That is how near is measured. */
  readonly near?: { readonly hit: number; readonly of: number };
  /** Credited points of the file (all but function entries) before and after. */
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
  /** Cases that may give credit to this code. */
  readonly ownCases: readonly string[];
  /** Outcomes of the decisions on this line, and the independence of their conditions. */
  readonly outcomes: readonly Point[];
  readonly remedies: readonly Remedy[];
}

/** All points of a file together, but for function entries. */
function pointsTogether(credit: FileCredit): Coverage {
  const coverage = coverageOf([credit]);
  const add = (lane: keyof Coverage): number => metrics.reduce((n, metric) => (metric === 'function' ? n : n + coverage[metric][lane]), 0);
  return { found: add('found'), exercised: add('exercised'), credited: add('credited'), justified: add('justified') };
}

const order: readonly PointState[] = ['noPassingRun', 'noCase', 'otherCases', 'noRequirement', 'neverHit', 'justified', 'credited'];
const toldOutcomes: readonly Metric[] = ['branch', 'condition', 'mcdc'];

/** Why a line has or has not its credit, and what would close it; undefined where nothing on it is measured. */
export function diagnoseLine(credit: FileCredit, line: number, context: CreditContext): LineDiagnosis | undefined {
  const { file } = credit;
  const indexes = pointsOnLine(credit, line);
  if (!indexes.length) return undefined;
  const here = indexes.map((i) => pointOf(credit, i));
  const state = order.find((candidate) => here.some((point) => point.state === candidate)) ?? 'credited';
  const unitIndex = unitOfPoint(credit, indexes[0]);
  const unit = unitIndex < 0 ? undefined : file.units[unitIndex];
  const hitBy = [...new Set(here.filter((point) => point.state === state).flatMap((point) => point.hitBy))].sort();
  const rules = creditRules(context);
  const ownCases = unit ? [...rules.casesOf(unit.requirements)].sort() : [];
  const found = pointsTogether(credit);
  const figure = (after: Coverage): Pick<Remedy, 'before' | 'after' | 'beforePercent' | 'afterPercent'> => ({
    before: found.credited,
    beforePercent: percent(ratioOf(found, 'credited')),
    after: after.credited,
    afterPercent: percent(ratioOf(after, 'credited')),
  });
  /** The file's figures if this function were judged in another context or with other traces. */
  const judgedWith = (changed: CreditContext, traced?: readonly string[]): Coverage => {
    const units = file.units.map((u, i) => (i === unitIndex && traced ? { ...u, requirements: traced } : u));
    return pointsTogether(
      recreditUnits(
        credit,
        units,
        file.units.map((_, i) => i),
        creditRules(changed),
      ),
    );
  };
  const remedies: Remedy[] = [];
  if (unit && state !== 'credited' && state !== 'justified') {
    const near = nearestCase(
      credit,
      unitIndex,
      ownCases.filter((key) => credit.hitsOf.get(key)?.some((hits) => hits.counts)),
    );
    if (near && (state === 'otherCases' || state === 'neverHit')) {
      // As if the nearest case also reached every point of this function that lacks credit for the same reason.
      const extra = unitPoints(credit, unitIndex).filter((i) => stateOf(credit, i, unitIndex) === state).length;
      remedies.push({
        kind: 'extendCase',
        caseKey: near.caseKey,
        requirement: unit.requirements[0],
        near: { hit: near.hit, of: near.of },
        ...figure({ ...found, credited: found.credited + extra }),
      });
    }
    if (state === 'otherCases' || state === 'noRequirement' || state === 'noCase') {
      const others = new Set(
        hitBy.flatMap((key) => [...(context.verifies.get(key) ?? [])]).filter((key) => !unit.requirements.includes(key)),
      );
      for (const requirement of [...others].sort().slice(0, 2))
        remedies.push({ kind: 'traceCode', requirement, ...figure(judgedWith(context, [...unit.requirements, requirement])) });
    }
    if ((state === 'otherCases' || state === 'noCase') && unit.requirements.length) {
      for (const caseKey of hitBy.slice(0, 2)) {
        const verifies = new Map(context.verifies);
        verifies.set(caseKey, new Set([...(verifies.get(caseKey) ?? []), unit.requirements[0]]));
        remedies.push({ kind: 'linkCase', caseKey, requirement: unit.requirements[0], ...figure(judgedWith({ ...context, verifies })) });
      }
    }
    if ((state === 'noCase' || (state === 'neverHit' && !ownCases.length)) && unit.requirements.length)
      remedies.push({ kind: 'designCase', requirement: unit.requirements[0], ...figure(found) });
    if (state === 'noPassingRun') {
      for (const caseKey of hitBy.filter((key) => ownCases.includes(key)).slice(0, 2))
        remedies.push({
          kind: 'recordRun',
          caseKey,
          ...figure(pointsTogether(creditFile(countingCase(file, caseKey), rules))),
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
    outcomes: here.filter((p) => toldOutcomes.includes(p.metric)),
    remedies: remedies.sort((a, b) => b.after - a.after).slice(0, 3),
  };
}

/** The file as it were if all that a case hit counted. */
function countingCase(file: MeasuredFile, caseKey: string): MeasuredFile {
  return { ...file, byCase: file.byCase.map((hits) => (hits.caseKey === caseKey ? { ...hits, counts: true } : hits)) };
}

function pointsOnLine({ file: { table } }: FileCredit, line: number): number[] {
  const found: number[] = [];
  for (let i = rangeOf(table, 'line')[0]; i < table.line.length; i++) if (table.line[i] === line) found.push(i);
  return found;
}

function unitPoints({ spans }: FileCredit, unit: number): number[] {
  return spans[unit].ranges.flatMap(([from, to]) => Array.from({ length: to - from }, (_, i) => from + i));
}

/** The case that hits most of a function's points: the nearest to reaching the rest. Ties go to the first key. */
function nearestCase(credit: FileCredit, unit: number, cases: readonly string[]): { caseKey: string; hit: number; of: number } | undefined {
  const points = unitPoints(credit, unit);
  let best: { caseKey: string; hit: number; of: number } | undefined;
  for (const caseKey of cases) {
    const own = credit.hitsOf.get(caseKey) ?? [];
    const hit = points.filter((i) => own.some(({ bits }) => hasBit(bits, i))).length;
    if (hit > (best?.hit ?? 0)) best = { caseKey, hit, of: points.length };
  }
  return best;
}

/** Which cases of other requirements hit a point, for the reason `otherCases`. */
export function otherCases(credit: FileCredit, point: number, context: CreditContext): string[] {
  const unit = unitOfPoint(credit, point);
  const own = unit < 0 ? new Set<string>() : creditRules(context).casesOf(credit.file.units[unit].requirements);
  return casesHitting(credit.file, point).filter((key) => !own.has(key));
}
