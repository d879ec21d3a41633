import { knots, perKnot, type Knot } from '../base';
import { stateWords } from './drawing';
import { reasonWords, type ReasonCode } from './reason';
import type { Cord } from './cord';
import { worse, type JudgedKnot } from './knot';
import type { KnotState } from './knot-state';

/** Which requirements a board shows. */
export const boardFilters = ['all', 'broken', 'waiting', 'suspect', 'proved', ...knots] as const;
export type BoardFilter = (typeof boardFilters)[number];

export interface KnotTotal {
  /** How many cords have each state here: they add up to `of`. */
  readonly states: Readonly<Record<KnotState, number>>;
  readonly of: number;
  /** What is missing, in words, worst first: "3 without a case · 1 suspect". */
  readonly missing: string;
  readonly worst: KnotState;
}

/** Requirements that were approved once and are judged no more: retired, or made a heading or a note. */
export interface LeftTheCount {
  readonly count: number;
  /** The first of them by key. */
  readonly keys: readonly string[];
  /** The build at whose closing they still counted; null where none was closed before. */
  readonly since: string | null;
}

export interface BoardTotals {
  readonly left?: LeftTheCount;
  readonly knots: Readonly<Record<Knot, KnotTotal>>;
  readonly counts: Readonly<Record<BoardFilter, number>>;
}

const shortWords: Partial<Record<ReasonCode, string>> = {
  draft: 'in draft',
  inReview: 'in review',
  notApproved: 'not approved',
  ownApprovalOnly: 'approved by the author only',
  approvalMismatch: 'with a broken approval',
  noLevel: 'without a level',
  unknownLevel: 'with an unknown level',
  noMethod: 'without a method',
  noParent: 'without a parent',
  parentGone: 'with a lost parent',
  parentUnconfirmed: 'with a trace to confirm',
  parentRevised: 'suspect',
  derivedNoRationale: 'without a rationale',
  noCase: 'without a case',
  caseDraft: 'with a case in draft',
  caseNotApproved: 'with a case not approved',
  caseOwnApprovalOnly: 'with a case approved by its author only',
  caseApprovalMismatch: 'with a broken approval',
  callUnapproved: 'with an unapproved call',
  traceUnconfirmed: 'with a trace to confirm',
  traceSuspect: 'suspect',
  runFailed: 'failed',
  runReturned: 'returned',
  runBlocked: 'blocked',
  runNotPlanned: 'not planned',
  rowNotPlanned: 'not planned',
  runNotRecorded: 'not run',
  runOutdated: 'to decide',
  outOfSight: 'to decide',
  deviationOpen: 'with an open deviation',
  programNotReviewed: 'waiting for review',
  programDoesNotCount: 'done by a program only',
  noCode: 'without code',
  noCoverage: 'not measured',
  'code-neverLoaded': 'not measured',
  'code-otherText': 'measured on other text',
  'code-partial': 'measured in part',
  'code-absent': 'with code not found',
  noPoints: 'without points',
  noMetric: 'not measured as asked',
  underTarget: 'short of target',
  notInCodeButNamed: 'in contradiction to code',
  notInCodeNoRationale: 'without a rationale',
  notSigned: 'not signed',
  notReviewed: 'waiting for review',
  hashMismatch: 'with a broken signature',
  problemOpen: 'with an open problem',
};

export const knotStates = ['sound', 'waiting', 'broken', 'suspect', 'notReached', 'notRequired'] as const satisfies readonly KnotState[];

/** The state that a cord is filed under: that of its first break. */
export function cordState(cord: Cord): KnotState {
  return cord.firstBreak ? cord.knots[cord.firstBreak].state : 'sound';
}

/** Does a cord belong to a filter? A knot's filter holds the cords whose first break is that knot. */
export function inFilter(cord: Cord, filter: BoardFilter): boolean {
  return inFilterStates(countedCord(cord), filter);
}

function inFilterStates({ states, firstBreak }: CountedCord, filter: BoardFilter): boolean {
  if (filter === 'all') return true;
  if (filter === 'proved') return firstBreak === null;
  if (filter === 'broken' || filter === 'waiting' || filter === 'suspect') return firstBreak !== null && states[firstBreak] === filter;
  return firstBreak === filter;
}

/** One cord as the totals count it: its states, the words of the worst reason at each knot, and its first break. */
export interface CountedCord {
  readonly states: Readonly<Record<Knot, KnotState>>;
  readonly words: Readonly<Record<Knot, string>>;
  readonly firstBreak: Knot | null;
}

export function countedCord(cord: Cord): CountedCord {
  return {
    states: perKnot((name) => cord.knots[name].state),
    words: perKnot((name) => shortWordsOf(cord.knots[name])),
    firstBreak: cord.firstBreak,
  };
}

/** The short words of a knot's worst reason; empty where nothing stands in its way. */
export function shortWordsOf({ state, reasons }: Pick<JudgedKnot, 'state' | 'reasons'>): string {
  if (state === 'sound' || state === 'notRequired' || !reasons.length) return '';
  return shortWords[reasons[0].code] ?? reasonWords(reasons[0]);
}

/** The five totals above the board, and how many rows each filter shows. */
export function boardTotals(cords: readonly Cord[]): BoardTotals {
  return totalsOf(cords.map((cord) => ({ ...countedCord(cord), count: 1 })));
}

/** The same from cords that were counted by groups of equal ones. */
export function totalsOf(groups: readonly (CountedCord & { readonly count: number })[]): BoardTotals {
  const of = groups.reduce((n, group) => n + group.count, 0);
  const totals = perKnot((name): KnotTotal => {
    const states: Record<KnotState, number> = { sound: 0, waiting: 0, broken: 0, suspect: 0, notReached: 0, notRequired: 0 };
    let worst: KnotState = of ? 'notRequired' : 'sound';
    const missing = new Map<string, { n: number; order: number }>();
    for (const { states: own, words, count } of groups) {
      const state = own[name];
      states[state] += count;
      worst = worse(worst, state);
      if (!words[name]) continue;
      const known = missing.get(words[name]);
      const order = state === 'broken' ? 0 : state === 'suspect' ? 1 : 2;
      missing.set(words[name], { n: (known?.n ?? 0) + count, order: Math.min(order, known?.order ?? 2) });
    }
    const listed = [...missing].sort((a, b) => a[1].order - b[1].order || b[1].n - a[1].n || (a[0] < b[0] ? -1 : 1));
    return {
      states,
      of,
      worst,
      missing: listed
        .slice(0, 2)
        .map(([words, { n }]) => `${n} ${words}`)
        .join(' · '),
    };
  });
  const counts = Object.fromEntries(boardFilters.map((filter) => [filter, 0])) as Record<BoardFilter, number>;
  for (const group of groups) for (const filter of boardFilters) if (inFilterStates(group, filter)) counts[filter] += group.count;
  return { knots: totals, counts };
}

/** The project's own cord, for the navigation rail: a knot is as bad as the worst that is at it. Not-reached cords do not speak. */
export function projectCord(totals: BoardTotals): Record<Knot, KnotState> {
  return perKnot((name) => {
    const { of, states } = totals.knots[name];
    if (of === 0) return 'notReached';
    for (const state of ['broken', 'suspect', 'waiting', 'notReached', 'sound'] as const) if (states[state]) return state;
    return 'notRequired';
  });
}

/** What left the count, in words. */
export function leftWords({ count, since }: LeftTheCount): string {
  const once = since === null ? 'since they were approved' : `since ${since} was closed`;
  return `${count} requirement${count === 1 ? '' : 's'} left the count ${count === 1 && since === null ? 'since it was approved' : once}`;
}

/** Every state that occurs at a knot with its count, sound first: states are never summed up in one figure. */
export function stateCountWords({ states }: Pick<KnotTotal, 'states'>): string {
  return knotStates
    .filter((state) => states[state] > 0)
    .map((state) => `${states[state]} ${stateWords[state].toLowerCase()}`)
    .join(' · ');
}
