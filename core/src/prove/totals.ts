import { knots, perKnot, type Knot } from '../base';
import { reasonWords, type ReasonCode } from './reason';
import { worse, type Cord, type KnotState } from './cord';

/** Which requirements a board shows. */
export const boardFilters = ['all', 'broken', 'waiting', 'suspect', 'proved', ...knots] as const;
export type BoardFilter = (typeof boardFilters)[number];

export interface KnotTotal {
  readonly sound: number;
  readonly of: number;
  /** What is missing, in words, worst first: "3 without a case · 1 suspect". */
  readonly missing: string;
  readonly worst: KnotState;
}

export interface BoardTotals {
  readonly knots: Readonly<Record<Knot, KnotTotal>>;
  readonly counts: Readonly<Record<BoardFilter, number>>;
}

const shortWords: Partial<Record<ReasonCode, string>> = {
  draft: 'in draft',
  inReview: 'in review',
  noLevel: 'without a level',
  noMethod: 'without a method',
  noParent: 'without a parent',
  parentDraft: 'with a lost parent',
  parentRevised: 'suspect',
  derivedNoRationale: 'without a rationale',
  noCase: 'without a case',
  caseDraft: 'with a case in draft',
  traceSuspect: 'suspect',
  runFailed: 'failed',
  runBlocked: 'blocked',
  runNotPlanned: 'not planned',
  rowNotPlanned: 'not planned',
  runNotRecorded: 'not run',
  runOutdated: 'to decide',
  deviationOpen: 'with an open deviation',
  noCode: 'without code',
  noCoverage: 'not measured',
  noMetric: 'not measured as asked',
  underTarget: 'short of target',
  notInCodeNoRationale: 'without a rationale',
  notSigned: 'not signed',
  notReviewed: 'waiting for review',
  hashMismatch: 'with a broken signature',
  problemOpen: 'with an open problem',
};

/** The state that a cord is filed under: that of its first break. */
export function cordState(cord: Cord): KnotState {
  return cord.firstBreak ? cord.knots[cord.firstBreak].state : 'sound';
}

/** Does a cord belong to a filter? A knot's filter holds the cords whose first break is that knot. */
export function inFilter(cord: Cord, filter: BoardFilter): boolean {
  if (filter === 'all') return true;
  if (filter === 'proved') return cord.firstBreak === null;
  if (filter === 'broken' || filter === 'waiting' || filter === 'suspect') return cordState(cord) === filter;
  return cord.firstBreak === filter;
}

/** The five totals above the board, and how many rows each filter shows. */
export function boardTotals(cords: readonly Cord[]): BoardTotals {
  const totals = {} as Record<Knot, KnotTotal>;
  for (const name of knots) {
    let sound = 0;
    let worst: KnotState = 'sound';
    const missing = new Map<string, number>();
    const order = new Map<string, number>();
    for (const cord of cords) {
      const { state, reasons } = cord.knots[name];
      if (state === 'sound' || state === 'notRequired') sound++;
      else {
        worst = worse(worst, state);
        const words = reasons.length ? (shortWords[reasons[0].code] ?? reasonWords(reasons[0])) : '';
        if (words) missing.set(words, (missing.get(words) ?? 0) + 1);
        if (words && !order.has(words)) order.set(words, state === 'broken' ? 0 : state === 'suspect' ? 1 : 2);
      }
    }
    const listed = [...missing].sort((a, b) => (order.get(a[0]) ?? 0) - (order.get(b[0]) ?? 0) || b[1] - a[1]);
    totals[name] = {
      sound,
      of: cords.length,
      worst,
      missing: listed
        .slice(0, 2)
        .map(([words, n]) => `${n} ${words}`)
        .join(' · '),
    };
  }
  const counts = Object.fromEntries(boardFilters.map((filter) => [filter, 0])) as Record<BoardFilter, number>;
  for (const cord of cords) for (const filter of boardFilters) if (inFilter(cord, filter)) counts[filter]++;
  return { knots: totals, counts };
}

/** The project's own cord, for the navigation rail: a knot is as bad as the worst that is at it. Not-reached cords do not speak. */
export function projectCord(totals: BoardTotals): Record<Knot, KnotState> {
  return perKnot((name) => (totals.knots[name].of === 0 ? 'notReached' : totals.knots[name].worst));
}
