import type { RecordRef } from '../base';

/** A next action: words for the link, and the record or work place that it leads to. */
export interface NextAction {
  readonly label: string;
  readonly to: RecordRef;
  readonly place: 'requirement' | 'case' | 'bench' | 'review' | 'run' | 'round' | 'problem' | 'code' | 'sources';
}

export function requirementAction(label: string, key: string): NextAction {
  return { label, to: { kind: 'requirement', key }, place: 'requirement' };
}

export type ReasonCode =
  | 'draft'
  | 'inReview'
  | 'notApproved'
  | 'ownApprovalOnly'
  | 'ownApproval'
  | 'approvalMismatch'
  | 'noLevel'
  | 'unknownLevel'
  | 'noMethod'
  | 'noParent'
  | 'parentGone'
  | 'parentUnconfirmed'
  | 'parentRevised'
  | 'derivedNoRationale'
  | 'noCase'
  | 'caseDraft'
  | 'caseNotApproved'
  | 'caseOwnApprovalOnly'
  | 'caseOwnApproval'
  | 'caseApprovalMismatch'
  | 'callUnapproved'
  | 'traceUnconfirmed'
  | 'traceSuspect'
  | 'runFailed'
  | 'runReturned'
  | 'runBlocked'
  | 'runNotPlanned'
  | 'rowNotPlanned'
  | 'runNotRecorded'
  | 'plannedAgain'
  | 'outOfSight'
  | 'runOutdated'
  | 'deviationOpen'
  | 'programNotReviewed'
  | 'programDoesNotCount'
  | 'resultCarried'
  | 'carryNotAllowed'
  | 'carryOtherSources'
  | 'carryReplaced'
  | 'carryMismatch'
  | 'noCode'
  | 'noCoverage'
  | `code-${'neverLoaded' | 'otherText' | 'partial' | 'absent'}`
  | 'noPoints'
  | 'noMetric'
  | 'attested'
  | 'carried'
  | 'underTarget'
  | 'notInCode'
  | 'notInCodeButNamed'
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
const more = (v: Values): string => (Number(v['count']) === 1 ? ' is' : ` and ${Number(v['count']) - 1} more are`);
const are = (n: string | number): string => (Number(n) === 1 ? 'is' : 'are');

const sentences: Record<ReasonCode, (v: Values) => string> = {
  draft: (v) => `Draft: revision ${v['revision']} is not approved`,
  inReview: (v) => `Revision ${v['revision']} is in review, not approved`,
  notApproved: (v) => `Revision ${v['revision']} bears no approval`,
  ownApprovalOnly: (v) => `Revision ${v['revision']} was approved only by ${v['author']}, who wrote it`,
  ownApproval: (v) => `Approved by its author ${v['author']}, as the project allows at this level`,
  approvalMismatch: (v) => `The text of revision ${v['revision']} no longer matches its approval`,
  noLevel: () => 'No level is given',
  unknownLevel: (v) => `“${v['level']}” is no level of ${v['standard']} in this project`,
  noMethod: () => 'No verification method is given',
  noParent: () => 'No parent: it is neither top level nor marked derived',
  parentGone: (v) => `Its parent ${v['parent']} does not exist any more`,
  parentUnconfirmed: (v) => `Its trace to ${v['parent']} waits for somebody other than its author to confirm it`,
  parentRevised: (v) => `Parent ${v['parent']} was revised after the trace was confirmed`,
  derivedNoRationale: () => 'Marked derived, without a rationale',
  noCase: () => 'No verification case',
  caseDraft: (v) => `Case ${v['case']} is not approved`,
  caseNotApproved: (v) => `Case ${v['case']} revision ${v['revision']} bears no approval`,
  caseOwnApprovalOnly: (v) => `Case ${v['case']} was approved only by ${v['author']}, who wrote it`,
  caseOwnApproval: (v) => `Case ${v['case']} was approved by its author ${v['author']}, as the project allows at this level`,
  caseApprovalMismatch: (v) => `The text of case ${v['case']} no longer matches its approval`,
  callUnapproved: (v) => `Case ${v['case']} calls ${v['called']}, which was never approved`,
  traceUnconfirmed: (v) => `The trace from ${v['case']} waits for somebody other than its author to confirm it`,
  traceSuspect: (v) =>
    v['end'] === 'requirement'
      ? `Revised since its trace from ${v['case']} was confirmed`
      : `Case ${v['case']} was revised since its trace was confirmed`,
  runFailed: (v) =>
    `${v['step'] ? `Step ${v['step']} of ` : ''}${v['run']} (${v['case']}) failed${v['problem'] ? ` · ${v['problem']} open` : ''}`,
  runReturned: (v) => `${v['run']} of ${v['case']} was returned by a reviewer`,
  plannedAgain: (v) => `${v['count']} run${s(v['count'])} planned again: ${v['run']}`,
  outOfSight: (v) => `${v['run']} did not pass, and a change of ${v['case']} took it out of sight: decide`,
  runBlocked: (v) => `${v['run']} of ${v['case']} is blocked`,
  runNotPlanned: (v) => `${v['case']} is not planned on ${v['build']}`,
  rowNotPlanned: (v) => `${v['count']} data row${s(v['count'])} of ${v['case']} ${are(v['count'])} not planned on ${v['build']}`,
  runNotRecorded: (v) => `${v['open']} of ${v['total']} run${s(v['total'])} not yet recorded`,
  runOutdated: (v) => `Case ${v['case']} changed after ${v['run']}: decide carry over or rerun`,
  deviationOpen: (v) => `${v['run']} passed with a deviation that no reviewer has accepted`,
  programNotReviewed: (v) => `${v['run']} of ${v['case']} was done by a program and counts once somebody reviewed it`,
  programDoesNotCount: (v) => `${v['run']} of ${v['case']} was done by a program, which does not count at this level`,
  resultCarried: (v) => `${v['run']} of ${v['case']} was carried from ${v['from']}: ${v['key']}`,
  carryNotAllowed: (v) => `${v['run']} of ${v['case']} was carried from ${v['from']}, which is not allowed at ${v['level']}`,
  carryOtherSources: (v) => `${v['run']} of ${v['case']} was carried from ${v['from']} to other sources than ${v['build']} has now`,
  carryReplaced: (v) => `${v['run']} of ${v['case']} was carried from ${v['from']} and does not stand there any more`,
  carryMismatch: (v) => `${v['key']}, which carried ${v['run']}, no longer matches its signature`,
  noCode: () => 'No code is traced to it',
  noCoverage: (v) => `No coverage of its cases is loaded for ${v['build']}`,
  'code-neverLoaded': (v) => `${v['unit']}${more(v)} not measured: nothing of its file is loaded for ${v['build']}`,
  'code-otherText': (v) => `${v['unit']}${more(v)} measured on other text than the sources of ${v['build']}`,
  'code-partial': (v) => `${v['unit']}${more(v)} measured by a part of a faulty file only`,
  'code-absent': (v) => `${v['unit']}${more(v)} not found in the sources of ${v['build']}: not compiled in, or not there`,
  noPoints: (v) => `What is loaded of its code holds no ${v['metric']}: 0 of 0 shows nothing`,
  noMetric: (v) => `${v['level']} asks for ${v['metric']}, of which the coverage loaded for ${v['build']} tells nothing`,
  attested: (v) => `${v['metric']} attested for ${v['count']} function${s(v['count'])}, counted apart: ${v['key']}`,
  carried: (v) =>
    `${v['count']} unchanged function${s(v['count'])} count${s(v['count']) ? '' : 's'} by what was measured on the sources before: ${v['key']}`,
  underTarget: (v) => `${v['metric']}: ${v['credited']} of ${v['found']} credited${v['place'] ? `, first gap at ${v['place']}` : ''}`,
  notInCode: () => 'Not in code',
  notInCodeButNamed: (v) => `Marked “not in code”, but ${v['place']} names it`,
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
