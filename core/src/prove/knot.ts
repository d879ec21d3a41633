import { stateOfReason } from './reason-state';
import type { KnotState } from './knot-state';
import type { Reason } from './reason';

export interface JudgedKnot {
  readonly state: KnotState;
  /** What stands in its way, worst first, then what a reader should know besides. */
  readonly reasons: readonly Reason[];
}

const rank: Record<KnotState, number> = { notRequired: 0, sound: 1, notReached: 2, waiting: 3, suspect: 4, broken: 5 };
/** The worse of two states: broken, suspect, waiting, not reached, sound, not required. */
export const worse = (a: KnotState, b: KnotState): KnotState => (rank[b] > rank[a] ? b : a);

/** A knot from its reasons: the worst of them decides, those that only inform do not; `clear` is its state where nothing stands in its way. */
export function knotOf(reasons: readonly Reason[], clear: KnotState = 'sound'): JudgedKnot {
  let state: KnotState = clear;
  for (const reason of reasons) state = worse(state, stateOfReason(reason.code) ?? state);
  if (reasons.length < 2) return { state, reasons };
  const order = (reason: Reason): number => rank[stateOfReason(reason.code) ?? 'notRequired'];
  return { state, reasons: [...reasons].sort((a, b) => order(b) - order(a)) };
}
