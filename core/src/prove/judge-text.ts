import { policiesOf } from './policy';
import type { Approval, CordTrace } from './cord-input';
import type { Entry } from './entry';
import { knotOf, type JudgedKnot } from './knot';
import type { StandardProfile } from './profile';
import { requirementAction, type Reason, type ReasonCode } from './reason';

/** Is a text approved by somebody who may: independent of its author, unless the project allows otherwise at this level? */
export function approvedBy(
  approvals: readonly Approval[],
  author: string,
  ownAllowed: boolean,
): 'independent' | 'own' | 'mismatch' | 'ownOnly' | 'nobody' {
  if (approvals.some((a) => !a.matches)) return 'mismatch';
  if (approvals.some((a) => a.login !== author)) return 'independent';
  if (!approvals.length) return 'nobody';
  return ownAllowed ? 'own' : 'ownOnly';
}

/** A trace that was drawn at something approved, or again after it was suspect, and that nobody but its author has confirmed. */
export function unconfirmed(trace: CordTrace, ownAllowed: boolean): boolean {
  return trace.needsConfirmation && (trace.confirmedBy === null || (trace.confirmedBy === trace.drawnBy && !ownAllowed));
}

/** Specify, rule 1: approved, with level and method, and with a confirmed parent trace, top level, or derived with a rationale. */
export function judgeSpecify({ requirement: r, parents }: Entry, profile: StandardProfile): JudgedKnot {
  const reasons: Reason[] = [];
  const say = (code: ReasonCode, label: string, values: Reason['values'] = {}, records: Reason['records'] = []): void =>
    void reasons.push({
      code,
      records: [{ kind: 'requirement', key: r.key }, ...records],
      values,
      action: requirementAction(label, r.key),
    });
  // A draft is allowed to be incomplete: what is missing counts once somebody approved it so.
  if (r.state === 'draft') say('draft', 'Review', { revision: r.revision });
  else if (r.state === 'review') say('inReview', 'Review', { revision: r.revision });
  else {
    const own = policiesOf(profile).ownApprovalAt.includes(r.level);
    const approval = approvedBy(r.approvals, r.author, own);
    if (approval === 'mismatch') say('approvalMismatch', 'Open', { revision: r.revision });
    if (approval === 'nobody') say('notApproved', 'Approve', { revision: r.revision });
    if (approval === 'ownOnly') say('ownApprovalOnly', 'Approve', { revision: r.revision, author: r.author });
    if (approval === 'own') say('ownApproval', 'Open', { author: r.author });
    if (!r.level) say('noLevel', 'Give a level');
    else if (!profile.levels.includes(r.level)) say('unknownLevel', 'Give a level', { level: r.level, standard: profile.standard });
    if (!r.method) say('noMethod', 'Choose a method');
    if (!parents.length && !r.topLevel && !r.derived) say('noParent', 'Trace a parent');
    if (!parents.length && !r.topLevel && r.derived && !r.hasRationale) say('derivedNoRationale', 'Write the rationale');
    for (const { trace, parent } of parents) {
      const record = { kind: 'requirement' as const, key: trace.to };
      if (!parent) say('parentGone', 'Trace a parent', { parent: trace.to }, [record]);
      else if (unconfirmed(trace, own)) say('parentUnconfirmed', 'Confirm the trace', { parent: trace.to }, [record]);
      else if (parent.revision > trace.toRevision) say('parentRevised', 'Confirm the trace', { parent: trace.to }, [record]);
    }
  }
  return knotOf(reasons);
}

/** Design, rule 2: at least one case verifies it, all are approved, their traces are confirmed at the present revisions of both ends. */
export function judgeDesign({ requirement: r, cases }: Entry, profile: StandardProfile): JudgedKnot {
  const records: Reason['records'] = [{ kind: 'requirement', key: r.key }];
  // A case that is not among the facts verifies nothing.
  if (!cases.some(({ of }) => of))
    return knotOf([{ code: 'noCase', records, values: {}, action: requirementAction('Design a case', r.key) }]);
  const own = policiesOf(profile).ownApprovalAt.includes(r.level);
  const reasons: Reason[] = [];
  for (const { trace, of } of cases) {
    if (!of) continue;
    const c = of.case;
    const say = (code: ReasonCode, label: string, values: Reason['values'] = {}): void =>
      void reasons.push({
        code,
        records: [...records, { kind: 'case', key: c.key }],
        values: { case: c.key, ...values },
        action: { label, to: { kind: 'case', key: c.key }, place: 'case' },
      });
    if (!c.approved) say('caseDraft', 'Review the case');
    else {
      const approval = approvedBy(c.approvals, c.author, own);
      if (approval === 'mismatch') say('caseApprovalMismatch', 'Open the case', { revision: c.revision });
      if (approval === 'nobody') say('caseNotApproved', 'Approve the case', { revision: c.revision });
      if (approval === 'ownOnly') say('caseOwnApprovalOnly', 'Approve the case', { author: c.author });
      if (approval === 'own') say('caseOwnApproval', 'Open the case', { author: c.author });
    }
    for (const called of c.unapprovedCalls) say('callUnapproved', 'Open the case', { called });
    if (unconfirmed(trace, own)) say('traceUnconfirmed', 'Confirm the trace');
    else if (c.revision > trace.fromRevision || r.revision > trace.toRevision)
      say('traceSuspect', 'Confirm the trace', { end: r.revision > trace.toRevision ? 'requirement' : 'case' });
  }
  return knotOf(reasons);
}
