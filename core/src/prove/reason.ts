import type { RecordRef } from '../base';

/** A next action: words for the link, and the record or work place that it leads to. */
export interface NextAction {
  readonly label: string;
  readonly to: RecordRef;
  readonly place: 'requirement' | 'case' | 'bench' | 'review' | 'run' | 'round' | 'problem' | 'code' | 'sources';
}

export type ReasonCode =
  | 'draft'
  | 'inReview'
  | 'noLevel'
  | 'noMethod'
  | 'noParent'
  | 'parentDraft'
  | 'parentRevised'
  | 'derivedNoRationale'
  | 'noCase'
  | 'caseDraft'
  | 'traceSuspect'
  | 'runFailed'
  | 'runBlocked'
  | 'runNotPlanned'
  | 'rowNotPlanned'
  | 'runNotRecorded'
  | 'runOutdated'
  | 'deviationOpen'
  | 'noCode'
  | 'noCoverage'
  | 'noMetric'
  | 'underTarget'
  | 'notInCode'
  | 'notInCodeNoRationale'
  | 'notSigned'
  | 'notReviewed'
  | 'hashMismatch'
  | 'problemOpen';

/** Why a knot is not sound. `values` fill the words. */
export interface Reason {
  readonly code: ReasonCode;
  readonly records: readonly RecordRef[];
  readonly values: Readonly<Record<string, string | number>>;
  readonly action: NextAction;
}

type Values = Reason['values'];
const s = (n: string | number): string => (Number(n) === 1 ? '' : 's');
const are = (n: string | number): string => (Number(n) === 1 ? 'is' : 'are');

const sentences: Record<ReasonCode, (v: Values) => string> = {
  draft: (v) => `Draft: revision ${v['revision']} is not approved`,
  inReview: (v) => `Revision ${v['revision']} is in review, not approved`,
  noLevel: () => 'No level is given',
  noMethod: () => 'No verification method is given',
  noParent: () => 'No parent: it is neither top level nor marked derived',
  parentDraft: (v) => `Its parent ${v['parent']} does not exist any more`,
  parentRevised: (v) => `Parent ${v['parent']} was revised after the trace was confirmed`,
  derivedNoRationale: () => 'Marked derived, without a rationale',
  noCase: () => 'No verification case',
  caseDraft: (v) => `Case ${v['case']} is not approved`,
  traceSuspect: (v) =>
    v['end'] === 'requirement'
      ? `Revised since its trace from ${v['case']} was confirmed`
      : `Case ${v['case']} was revised since its trace was confirmed`,
  runFailed: (v) =>
    `${v['step'] ? `Step ${v['step']} of ` : ''}${v['run']} (${v['case']}) failed${v['problem'] ? ` · ${v['problem']} open` : ''}`,
  runBlocked: (v) => `${v['run']} of ${v['case']} is blocked`,
  runNotPlanned: (v) => `${v['case']} is not planned on ${v['build']}`,
  rowNotPlanned: (v) => `${v['count']} data row${s(v['count'])} of ${v['case']} ${are(v['count'])} not planned on ${v['build']}`,
  runNotRecorded: (v) => `${v['open']} of ${v['total']} run${s(v['total'])} not yet recorded`,
  runOutdated: (v) => `Case ${v['case']} changed after ${v['run']}: decide carry over or rerun`,
  deviationOpen: (v) => `${v['run']} passed with a deviation that no reviewer has accepted`,
  noCode: () => 'No code is traced to it',
  noCoverage: (v) => `No coverage of its cases is loaded for ${v['build']}`,
  noMetric: (v) => `${v['level']} asks for ${v['metric']}, of which the coverage loaded for ${v['build']} tells nothing`,
  underTarget: (v) => `${v['metric']}: ${v['credited']} of ${v['found']} credited${v['place'] ? `, first gap at ${v['place']}` : ''}`,
  notInCode: () => 'Not in code',
  notInCodeNoRationale: () => 'Marked “not in code”, without a rationale',
  notSigned: (v) => `${v['count']} run${s(v['count'])} not signed by the tester: ${v['run']}`,
  notReviewed: (v) => `${v['count']} run${s(v['count'])} ${are(v['count'])} waiting for an independent reviewer: ${v['run']}`,
  hashMismatch: (v) => `The record of ${v['run']} no longer matches its signature`,
  problemOpen: (v) => `${v['problem']} stands open against it`,
};

/** A reason in words that name the records, without a full stop. */
export function reasonWords(reason: Reason): string {
  return sentences[reason.code](reason.values);
}
