import type { ProblemCode } from '@contract/base';
import type { RunDetail } from '@contract/run';
import type { Role } from '@core/base';
import { signRefusal, type SignRefusal } from '@core/run';
import { eq } from 'drizzle-orm';
import { checkPassword, Refusal, signatures, write, type Actor, type Db, type SignedIn, type Writing } from '../base';
import { needCase } from '../design';
import { freeNumber, planRun } from './plan';
import { needRun, runDetail } from './store';
import { decisions, runs } from './tables';

const refusals: Record<SignRefusal, ProblemCode> = {
  notFinished: 'notFinished',
  superseded: 'stateForbids',
  notTester: 'notTester',
  alreadySigned: 'alreadySigned',
  notPerformed: 'notPerformed',
  sameperson: 'selfReview',
  changed: 'recordChanged',
};

/** Who signs, proven by the password given again; a wrong one counts towards the lock-out. */
async function proveSigner(db: Db, actor: Actor, password: string): Promise<SignedIn> {
  try {
    return await checkPassword(db, actor.login, password, actor.now);
  } catch (error) {
    throw error instanceof Refusal && error.code === 'wrongPassword' ? new Refusal('signaturePassword') : error;
  }
}

export interface Signing {
  readonly meaning: 'performed' | 'reviewed';
  readonly password: string;
  readonly hash: string;
  readonly acceptDeviation: boolean;
  readonly reason: string;
}

/** Signs a run: performed by its tester, reviewed by somebody else; bound to the hash that the signer saw. */
export async function signRun(db: Db, actor: Actor, roles: readonly Role[], key: string, told: Signing): Promise<RunDetail> {
  if (!roles.includes(told.meaning === 'performed' ? 'tester' : 'reviewer')) throw new Refusal('forbidden');
  const check = async (database: Db | Writing['tx']): Promise<{ id: number; revision: number; now: RunDetail }> => {
    const { id, revision } = await needRun(database, actor.projectId, key);
    const now = await runDetail(database, actor.projectId, key);
    const refused = signRefusal(
      told.meaning,
      actor.login,
      { tester: now.tester, verdict: now.verdict, superseded: now.supersededBy !== null, hash: now.hash },
      now.signatures,
    );
    if (refused) throw new Refusal(refusals[refused]);
    if (now.hash !== told.hash)
      throw new Refusal('recordChanged', { detail: 'The record changed since you opened it: look at it again before you sign.' });
    if (told.acceptDeviation && told.reason.trim().length < 3)
      throw new Refusal('invalid', { fields: [{ path: 'reason', text: 'Say why the deviation is acceptable.' }] });
    return { id, revision, now };
  };
  // Checked before the password is asked for, so that a refused signature does not cost an attempt; and again under the lock.
  await check(db);
  const signer = await proveSigner(db, actor, told.password);
  return write(db, actor, async (w) => {
    const { id, revision, now } = await check(w.tx);
    const accepts = told.meaning === 'reviewed' && now.verdict === 'deviation' && told.acceptDeviation;
    await putSignature(w, id, signer, told.meaning, now.hash, told.reason);
    await w.keep('run', id, revision + 1, { meaning: told.meaning, hash: now.hash, record: { ...now, signatures: undefined } });
    if (accepts)
      await w.tx
        .insert(decisions)
        .values({ projectId: actor.projectId, runId: id, choice: 'deviation accepted', reason: told.reason, login: actor.login, at: w.at });
    await w.tx
      .update(runs)
      .set({ revision: revision + 1, ...(accepts ? { deviationAccepted: true } : {}) })
      .where(eq(runs.id, id));
    await w.log(`signed: ${told.meaning}`, 'run', key, null, {
      printedName: signer.printedName,
      hash: now.hash,
      ...(accepts ? { deviationAccepted: true, reason: told.reason } : {}),
    });
    return runDetail(w.tx, actor.projectId, key);
  });
}

async function putSignature(
  w: Writing,
  runId: number,
  signer: SignedIn,
  meaning: 'performed' | 'reviewed' | 'carried over',
  hash: string,
  reason: string,
): Promise<void> {
  await w.tx
    .insert(signatures)
    .values({ projectId: w.actor.projectId, runId, meaning, login: signer.login, printedName: signer.printedName, at: w.at, hash, reason });
}

/**
 * After a case changed: carry the result over (signed, with a reason), or run again. A rerun supersedes the run, which
 * stays readable, and plans a new one of the case as it stands now.
 */
export async function decideRun(
  db: Db,
  actor: Actor,
  key: string,
  told: { choice: 'carryOver' | 'rerun'; reason: string; password: string },
): Promise<RunDetail> {
  const signer = told.choice === 'carryOver' ? await proveSigner(db, actor, told.password) : undefined;
  return write(db, actor, async (w) => {
    const run = await needRun(w.tx, actor.projectId, key);
    const now = await runDetail(w.tx, actor.projectId, key);
    if (run.supersededBy !== null) throw new Refusal('stateForbids', { detail: `${key} is superseded by ${run.supersededBy} already.` });
    if (run.verdict === null) throw new Refusal('notFinished', { detail: `${key} is not recorded yet: there is nothing to decide.` });
    const c = await needCase(w.tx, actor.projectId, run.caseKey);
    await w.tx.insert(decisions).values({
      projectId: actor.projectId,
      runId: run.id,
      choice: told.choice === 'carryOver' ? 'carried over' : 'rerun',
      reason: told.reason,
      login: actor.login,
      at: w.at,
    });
    if (signer) {
      if (!now.outdated)
        throw new Refusal('stateForbids', { detail: `${run.caseKey} has not changed since ${key}: there is nothing to carry over.` });
      await putSignature(w, run.id, signer, 'carried over', now.hash, told.reason);
      await w.tx.update(runs).set({ carriedOverTo: c.revision }).where(eq(runs.id, run.id));
      await w.log(
        'carried over',
        'run',
        key,
        { caseRevision: run.caseRevision },
        { caseRevision: c.revision, reason: told.reason, printedName: signer.printedName, hash: now.hash },
      );
    } else {
      const next = await freeNumber(w.tx, runs, actor.projectId, 'RUN');
      const { round, build, configuration, unit, tools, tester } = run;
      await planRun(w, next, c, run.row, { round, build, configuration, unit, tools, tester }, key);
      await w.tx.update(runs).set({ supersededBy: next }).where(eq(runs.id, run.id));
      await w.log('rerun asked for', 'run', key, null, { supersededBy: next, reason: told.reason });
    }
    return runDetail(w.tx, actor.projectId, key);
  });
}
