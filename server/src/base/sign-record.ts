import type { Role } from '@core/base';
import { meaningsFor, policiesOf } from '@core/prove';
import { asc, count, eq } from 'drizzle-orm';
import type { Db } from './database';
import { Refusal } from './errors';
import { profileOf } from './profile';
import { needAnyRecord } from './collaboration';
import { lockRecord, refuseRetired } from './records';
import { presentHash, proveSigner, putSignature, shownSignature, signaturesOf } from './signing';
import { signatures } from './tables';
import { write, type Actor } from './writing';

export interface RecordSigning {
  readonly meaning: string;
  /** Of what the signer read: another one means that it changed since. */
  readonly hash: string;
  readonly password: string;
  readonly reason: string;
}

/** Signs a record in a meaning of the project's own: no rule rests on it, and it changes nothing of the record. */
export async function signRecord(db: Db, actor: Actor, roles: readonly Role[], key: string, asked: RecordSigning) {
  const found = await needAnyRecord(db, actor.projectId, key);
  const profile = await profileOf(db, actor.projectId);
  const [meaning] = meaningsFor(policiesOf(profile).meanings, found.kind, roles).filter(({ name }) => name === asked.meaning.trim());
  if (!meaning) throw new Refusal('forbidden', { detail: `Nobody with your roles signs a ${found.kind} as “${asked.meaning}” here.` });
  const signer = await proveSigner(db, actor, asked.password);
  await write(db, actor, async (w) => {
    w.needRole(...meaning.roles);
    const record = await lockRecord(w, found.kind, key);
    refuseRetired(record);
    const present = await presentHash(w.tx, record);
    if (!present) throw new Refusal('stateForbids', { detail: `${key} has nothing yet that could be signed.` });
    if (present.hash !== asked.hash) throw new Refusal('conflict', { detail: `${key} was changed since you read it: read it again.` });
    const signed = await signaturesOf(w.tx, [record.id]);
    // A signature closes a record: it is its tester, or who reviews what a program did, who says first that it is whole.
    if (found.kind === 'run' && !signed.some((s) => s.meaning === 'performed' || s.meaning === 'reviewed'))
      throw new Refusal('stateForbids', { detail: `${key} is signed so once its tester has signed it.` });
    if (signed.some((s) => s.meaning === meaning.name && s.login === signer.login && s.hash === present.hash))
      throw new Refusal('stateForbids', { detail: `You have signed ${key} as “${meaning.name}” already.` });
    w.log({
      action: `signed: ${meaning.name}`,
      kind: found.kind,
      key,
      before: null,
      after: { meaning: meaning.name, says: meaning.says, printedName: signer.printedName, hash: present.hash, reason: asked.reason },
    });
    await putSignature(w, signer, {
      recordId: record.id,
      revision: record.revision,
      meaning: meaning.name,
      format: present.format,
      hash: present.hash,
      reason: asked.reason,
    });
  });
  return { signatures: (await signaturesOf(db, [found.id])).map(shownSignature) };
}

/** How many signatures of a project carry each meaning. */
export const countMeanings = (db: Db, projectId: number): Promise<{ name: string; signatures: number }[]> =>
  db
    .select({ name: signatures.meaning, signatures: count() })
    .from(signatures)
    .where(eq(signatures.projectId, projectId))
    .groupBy(signatures.meaning)
    .orderBy(asc(signatures.meaning));
