import type { KnotState } from './knot-state';
import type { ReasonCode } from './reason';

/** What a reason makes of its knot; those that only inform make nothing of it. */
const states: Partial<Record<ReasonCode, KnotState | 'informs'>> = {
  draft: 'waiting',
  inReview: 'waiting',
  notApproved: 'waiting',
  ownApprovalOnly: 'waiting',
  parentUnconfirmed: 'waiting',
  caseDraft: 'waiting',
  caseNotApproved: 'waiting',
  caseOwnApprovalOnly: 'waiting',
  callUnapproved: 'waiting',
  traceUnconfirmed: 'waiting',
  runNotPlanned: 'waiting',
  rowNotPlanned: 'waiting',
  runNotRecorded: 'waiting',
  runBlocked: 'waiting',
  deviationOpen: 'waiting',
  programNotReviewed: 'waiting',
  programDoesNotCount: 'waiting',
  carryNotAllowed: 'waiting',
  noCoverage: 'waiting',
  'code-neverLoaded': 'waiting',
  'code-otherText': 'waiting',
  'code-partial': 'waiting',
  'code-absent': 'waiting',
  noPoints: 'waiting',
  noMetric: 'waiting',
  notSigned: 'waiting',
  notReviewed: 'waiting',
  parentRevised: 'suspect',
  traceSuspect: 'suspect',
  runOutdated: 'suspect',
  outOfSight: 'suspect',
  carryOtherSources: 'suspect',
  carryReplaced: 'suspect',
  ownApproval: 'informs',
  caseOwnApproval: 'informs',
  plannedAgain: 'informs',
  notInCode: 'informs',
  attested: 'informs',
  carried: 'informs',
  resultCarried: 'informs',
};

/** The state that a reason brings; undefined where it only informs. What is not listed breaks. */
export function stateOfReason(code: ReasonCode): KnotState | undefined {
  const state = states[code] ?? 'broken';
  return state === 'informs' ? undefined : state;
}
