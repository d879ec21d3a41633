import type { RecordFormat } from '@core/base';
import { policiesOf } from '@core/prove';
import { and, asc, desc, eq, inArray, isNotNull } from 'drizzle-orm';
import { checkPassword, type SignedIn } from './passwords';
import { account } from './accounted';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { profileOf } from './profile';
import { statementOfMany } from './statement';
import { decisions, revisions, signatures } from './tables';
import type { Actor, Writing } from './writing';

export const signatureRows = account({
  name: 'signatures',
  table: signatures,
  id: signatures.id,
  project: signatures.projectId,
  columns: [
    ['recordId', signatures.recordId],
    ['revision', signatures.revision],
    ['meaning', signatures.meaning],
    ['login', signatures.login],
    ['printedName', signatures.printedName],
    ['at', signatures.at],
    ['format', signatures.format],
    ['hash', signatures.hash],
    ['reason', signatures.reason],
  ],
});

export const decisionRows = account({
  name: 'decisions',
  table: decisions,
  id: decisions.id,
  project: decisions.projectId,
  columns: [
    ['recordId', decisions.recordId],
    ['revision', decisions.revision],
    ['choice', decisions.choice],
    ['reason', decisions.reason],
    ['login', decisions.login],
    ['at', decisions.at],
  ],
});

export type StoredSignature = typeof signatures.$inferSelect;
export type StoredDecision = typeof decisions.$inferSelect;

/** Who signs, proven by the password given again; a wrong one counts towards the lock-out. */
export async function proveSigner(db: Db, actor: Actor, password: string): Promise<SignedIn> {
  if (!actor.rights?.factorShown && actor.rights && policiesOf(await profileOf(db, actor.projectId)).signingNeedsFactor)
    throw new Refusal('secondFactorNeeded', {
      detail: 'This project asks for a second factor for signing: add one to your account, and sign in with it.',
    });
  try {
    return await checkPassword(db, actor.login, password, actor.now, 'session');
  } catch (error) {
    throw error instanceof Refusal && error.code === 'wrongPassword' ? new Refusal('signaturePassword') : error;
  }
}

export interface NewSignature {
  readonly recordId: number;
  readonly revision: number;
  /** One that the rules know, or one of the project's own. */
  readonly meaning: string;
  readonly format: RecordFormat;
  /** Hash of the exact encoding that was signed. */
  readonly hash: string;
  readonly reason: string;
}

/** Puts a signature under a record; belongs to the ledger entry logged last. */
export async function putSignature(w: Writing, signer: SignedIn, signature: NewSignature): Promise<void> {
  const { login, printedName } = signer;
  const [made] = await w.tx
    .insert(signatures)
    .values({ projectId: w.actor.projectId, ...signature, login, printedName, at: w.at })
    .$returningId();
  w.wrote(signatureRows, made.id);
}

/** Keeps what somebody decided about a record; belongs to the ledger entry logged last. */
export async function putDecision(
  w: Writing,
  decision: { readonly recordId: number; readonly revision: number; readonly choice: string; readonly reason: string },
): Promise<void> {
  const [made] = await w.tx
    .insert(decisions)
    .values({ projectId: w.actor.projectId, ...decision, login: w.actor.login, at: w.at })
    .$returningId();
  w.wrote(decisionRows, made.id);
}

const signaturesOfMany = statementOfMany(signatures.recordId, (db, where) =>
  db.select().from(signatures).where(where).orderBy(asc(signatures.id)),
);

export const signaturesOf = (db: Db | Tx, recordIds: readonly number[]): Promise<StoredSignature[]> => signaturesOfMany(db, recordIds, {});

/** A signature as people and packs are told it. */
export const shownSignature = ({ meaning, revision, login, printedName, at, format, hash, reason }: StoredSignature) => ({
  meaning,
  revision,
  login,
  printedName,
  at,
  format,
  hash,
  reason,
});

export async function decisionsOf(db: Db | Tx, recordIds: readonly number[], choice?: string): Promise<StoredDecision[]> {
  if (!recordIds.length) return [];
  return db
    .select()
    .from(decisions)
    .where(and(inArray(decisions.recordId, [...recordIds]), ...(choice ? [eq(decisions.choice, choice)] : [])))
    .orderBy(asc(decisions.id));
}

/** What a signature of the present revision of a record is bound to, with the format of its encoding; undefined where it has none. */
export async function presentHash(tx: Db | Tx, record: { readonly id: number; readonly revision: number }) {
  const [row] = await tx
    .select({ hash: revisions.hash, format: revisions.format })
    .from(revisions)
    .where(and(eq(revisions.recordId, record.id), eq(revisions.revision, record.revision), isNotNull(revisions.hash)))
    .orderBy(desc(revisions.seq))
    .limit(1);
  return row?.hash ? { hash: row.hash, format: row.format } : undefined;
}
