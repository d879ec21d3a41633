import { recordFormat, type RecordFormat, type Role } from '@core/base';
import { policiesOf } from '@core/prove';
import type { SignedIn } from './passwords';
import type { Db } from './database';
import { Refusal } from './errors';
import { profileOf } from './profile';
import { changeRecord, recordRows, refuseRetired, type StoredRecord } from './records';
import { proveSigner, putSignature } from './signing';
import { confirmWithApproval } from './traces';
import type { Actor, Writing } from './writing';

/** A locked record that is reviewed and approved, with what its kind says of it. */
export interface Reviewed {
  readonly record: StoredRecord;
  /** What its present revision says, as snapshots keep it beside the project's own fields. */
  readonly content: object;
  /** In which format it is signed. */
  readonly format?: RecordFormat;
  /** Refuses the state where something that it asks for is missing. */
  refuseIncomplete(state: 'review' | 'approved'): Promise<void>;
}

/** What a reviewer signs: the revision and the hash that were seen. */
export interface Approval {
  readonly basedOn: number;
  readonly hash: string;
  readonly password: string;
  readonly reason: string;
}

/** Who approves: a reviewer, proven by the password given again. */
export function proveApprover(db: Db, actor: Actor, roles: readonly Role[], password: string): Promise<SignedIn> {
  if (!roles.includes('reviewer')) throw new Refusal('forbidden', { detail: 'Only a reviewer approves.' });
  return proveSigner(db, actor, password);
}

/** What is approved changes for a reason, in words of the length that the project asks for. */
export async function needReasonOfChange(w: Writing, { state }: StoredRecord, reason: string): Promise<void> {
  if (state !== 'approved') return;
  const { reasonLength } = policiesOf(await profileOf(w.tx, w.actor.projectId));
  if (reason.trim().length < reasonLength)
    throw new Refusal('invalid', {
      detail: `It is approved: say why it changes, in at least ${reasonLength} letters.`,
      fields: [{ path: 'reason', text: `It is approved: say why it changes, in at least ${reasonLength} letters.` }],
    });
}

/** Asks for review, or takes back to draft. */
export async function changeReviewState(
  w: Writing,
  { record, content, refuseIncomplete }: Reviewed,
  state: 'draft' | 'review',
): Promise<void> {
  refuseRetired(record);
  if (state === 'review') await refuseIncomplete(state);
  if (record.state === state) return;
  await changeRecord(w, record, { state });
  w.log({
    action: state === 'review' ? 'review asked for' : 'sent back to draft',
    kind: record.kind,
    key: record.key,
    before: { revision: record.revision, state: record.state },
    after: { revision: record.revision, state },
    touches: { texts: [record.id] },
  });
  w.snapshot({ recordId: record.id, revision: record.revision, state, snapshot: { ...content, own: record.own } });
  w.wrote(recordRows, record.id);
}

/**
 * Approves a revision that is in review: a signature on the hash that the signer saw. Not by who wrote it, unless the project allows
 * that. Its traces that wait are confirmed with it. What else is written belongs to the same ledger entry.
 */
export async function approveRecord(
  w: Writing,
  signer: SignedIn,
  { record, content, format = recordFormat, refuseIncomplete }: Reviewed,
  { hash, seen, reason, ownAllowed }: { hash: string; seen: string; reason: string; ownAllowed(): Promise<boolean> },
): Promise<void> {
  const { id, kind, key, revision } = record;
  w.needRole('reviewer');
  if (record.state === 'approved') throw new Refusal('alreadySigned', { detail: `${key} revision ${revision} is approved already.` });
  if (record.state !== 'review') throw new Refusal('stateForbids', { detail: `${key} is not in review: its author asks for that first.` });
  await refuseIncomplete('approved');
  if (hash !== seen) throw new Refusal('recordChanged', { detail: 'It changed since you opened it: read it again before you sign.' });
  if (w.actor.login === record.authoredBy && !(await ownAllowed()))
    throw new Refusal('ownWork', { detail: 'You wrote this revision: somebody else has to approve it.' });
  await changeRecord(w, record, { state: 'approved' });
  w.log({
    action: `${kind} approved`,
    kind,
    key,
    before: { revision, state: record.state },
    after: { revision, state: 'approved', printedName: signer.printedName, hash, reason },
    touches: { texts: [id] },
  });
  w.snapshot({ recordId: id, revision, state: 'approved', snapshot: { ...content, own: record.own }, format, hash });
  w.wrote(recordRows, id);
  await putSignature(w, signer, { recordId: id, revision, meaning: 'approved', format, hash, reason });
  await confirmWithApproval(w, record);
}
