import type { ProblemCode } from '@contract/base';
import type { RunDetail } from '@contract/run';
import type { Role } from '@core/base';
import { inPresentForm, policiesOf } from '@core/prove';
import { signRefusal, type SignatureMeaning, type SignRefusal } from '@core/run';
import { eq } from 'drizzle-orm';
import {
  lockRecord,
  needOpenBuild,
  profileOf,
  proveSigner,
  putDecision,
  putSignature,
  recordRows,
  Refusal,
  signaturesOf,
  write,
  type Actor,
  type Db,
  type SignedIn,
  type Tx,
  type Writing,
} from '../base';
import { needCase, type StoredCase } from '../design';
import { moreOfRuns } from './more';
import { needTester, planRuns } from './plan';
import { changeRun } from './recording';
import { runRows } from './rows';
import { evidenceOf, finishedOf, needRun, runDetail, storedRunHash, type StoredRun } from './store';
import { runs } from './tables';

const refusals: Record<SignRefusal, ProblemCode> = {
  notFinished: 'notFinished',
  superseded: 'stateForbids',
  withdrawn: 'stateForbids',
  returned: 'stateForbids',
  notTester: 'notTester',
  alreadySigned: 'alreadySigned',
  notPerformed: 'notPerformed',
  sameperson: 'selfReview',
  changed: 'recordChanged',
};

export interface Signing {
  readonly meaning: 'performed' | 'reviewed';
  readonly password: string;
  readonly hash: string;
  readonly acceptDeviation: boolean;
  readonly reason: string;
}

/** The hash of a run's record as it stands. */
export async function presentHash(tx: Db | Tx, stored: StoredRun): Promise<string> {
  const { id } = stored.run;
  const more = (await moreOfRuns(tx, [stored.run])).get(id);
  return storedRunHash(stored, (await evidenceOf(tx, [id])).get(id) ?? [], more);
}

/** What stands in the way of a signature, and what it would be bound to. */
async function checkSigning(
  database: Db | Tx,
  { projectId, login }: Pick<Actor, 'projectId' | 'login'>,
  key: string,
  input: Omit<Signing, 'password'>,
): Promise<{ stored: StoredRun; hash: string }> {
  const stored = await needRun(database, projectId, key);
  const { run } = stored;
  const hash = await presentHash(database, stored);
  const refused = signRefusal(
    input.meaning,
    login,
    {
      tester: run.tester,
      verdict: run.verdict,
      superseded: run.supersededById !== null,
      withdrawn: run.withdrawnAt !== null,
      returned: run.returnedAt !== null,
      hash,
    },
    await signaturesOf(database, [run.id]),
  );
  if (refused) throw new Refusal(refusals[refused]);
  if (hash !== input.hash)
    throw new Refusal('recordChanged', { detail: 'The record changed since you opened it: look at it again before you sign.' });
  if (input.acceptDeviation && input.reason.trim().length < 3)
    throw new Refusal('invalid', { fields: [{ path: 'reason', text: 'Say why the deviation is acceptable.' }] });
  return { stored, hash };
}

/** Signs a run: performed by its tester, reviewed by somebody else; bound to the hash that the signer saw. */
export async function signRun(db: Db, actor: Actor, roles: readonly Role[], key: string, input: Signing): Promise<RunDetail> {
  if (!roles.includes(input.meaning === 'performed' ? 'tester' : 'reviewer')) throw new Refusal('forbidden');
  // Checked before the password is asked for, so that a refused signature does not cost an attempt; and again under the lock.
  await checkSigning(db, actor, key, input);
  const signer = await proveSigner(db, actor, input.password);
  await write(db, actor, (w) => signIn(w, signer, key, input));
  return runDetail(db, actor.projectId, key);
}

/** The same within a transaction, by somebody whose password was proved. */
export async function signIn(w: Writing, signer: SignedIn, key: string, input: Omit<Signing, 'password'>): Promise<void> {
  await lockRecord(w, 'run', key);
  const { stored, hash } = await checkSigning(w.tx, w.actor, key, input);
  await needOpenBuild(w.tx, w.actor.projectId, stored.build);
  const { run, record } = stored;
  const accepts = input.meaning === 'reviewed' && run.verdict === 'deviation' && input.acceptDeviation;
  const revision = await changeRun(w, stored, accepts ? { deviationAccepted: true } : {}, input.meaning);
  w.log({
    action: `signed: ${input.meaning}`,
    kind: 'run',
    key: record.key,
    after: {
      printedName: signer.printedName,
      hash,
      ...(input.reason ? { reason: input.reason } : {}),
      ...(accepts ? { deviationAccepted: true } : {}),
    },
    touches: { build: run.buildId, results: [run.caseId] },
  });
  w.snapshot({ recordId: run.id, revision, state: input.meaning, snapshot: { meaning: input.meaning, hash }, hash, format: run.format });
  w.wrote(recordRows, run.id);
  w.wrote(runRows, run.id);
  await sign(w, signer, stored, input.meaning, hash, input.reason);
  if (accepts) await putDecision(w, { recordId: run.id, revision: run.caseRevision, choice: 'deviation accepted', reason: input.reason });
}

const sign = (
  w: Writing,
  signer: SignedIn,
  { run, record }: StoredRun,
  meaning: SignatureMeaning,
  hash: string,
  reason: string,
): Promise<void> => putSignature(w, signer, { recordId: run.id, revision: record.revision, meaning, format: run.format, hash, reason });

export interface Decision {
  readonly choice: 'carryOver' | 'rerun' | 'return' | 'acceptDeviation' | 'setAside' | 'withdraw' | 'bringBack';
  readonly reason: string;
  readonly password: string;
}

/** What each choice is called in the record, who may make it, and what its signature means. */
const choices: Record<Decision['choice'], { readonly word: string; readonly by: readonly Role[]; readonly meaning?: SignatureMeaning }> = {
  carryOver: { word: 'carried over', by: ['reviewer'], meaning: 'carried over' },
  rerun: { word: 'rerun', by: ['tester', 'reviewer', 'author'] },
  return: { word: 'returned', by: ['reviewer'], meaning: 'returned' },
  acceptDeviation: { word: 'deviation accepted', by: ['reviewer'], meaning: 'deviation accepted' },
  setAside: { word: 'set aside', by: ['reviewer'], meaning: 'set aside' },
  withdraw: { word: 'withdrawn', by: ['author', 'tester', 'reviewer'], meaning: 'withdrawn' },
  bringBack: { word: 'brought back', by: ['author', 'tester', 'reviewer'], meaning: 'withdrawn' },
};

/** Decides about a result. Nothing is edited: what it was stays, and the decision stands beside it with its reason. */
export async function decideRun(db: Db, actor: Actor, roles: readonly Role[], key: string, input: Decision): Promise<RunDetail> {
  const { by, meaning } = choices[input.choice];
  if (!by.some((role) => roles.includes(role)))
    throw new Refusal('forbidden', { detail: by[0] === 'reviewer' ? 'A reviewer decides this.' : undefined });
  const signer = meaning ? await proveSigner(db, actor, input.password) : undefined;
  await write(db, actor, async (w) => {
    await lockRecord(w, 'run', key);
    await decideIn(w, await needRun(w.tx, actor.projectId, key), input, signer);
  });
  return runDetail(db, actor.projectId, key);
}

/** Decides about a run that is locked. */
export async function decideIn(
  w: Writing,
  stored: StoredRun,
  { choice, reason }: Pick<Decision, 'choice' | 'reason'>,
  signer: SignedIn | undefined,
): Promise<void> {
  const { projectId } = w.actor;
  const { word, by, meaning } = choices[choice];
  w.needRole(...by);
  const { run, record } = stored;
  await needOpenBuild(w.tx, projectId, stored.build);
  const c = await needCase(w.tx, projectId, stored.caseKey);
  await refuseDecision(w, stored, c, choice);
  const { reasonLength } = policiesOf(await profileOf(w.tx, projectId));
  if (reason.trim().length < reasonLength)
    throw new Refusal('invalid', { fields: [{ path: 'reason', text: `Give a reason of at least ${reasonLength} letters.` }] });
  const hash = await presentHash(w.tx, stored);
  const change = changeOf(w, choice, c);
  if (change) await changeRun(w, stored, change.run, change.state ?? record.state);
  w.log({
    action: choice === 'rerun' ? 'rerun asked for' : word,
    kind: 'run',
    key: record.key,
    before: { caseRevision: run.caseRevision },
    after: {
      reason,
      ...(choice === 'carryOver' ? { caseRevision: c.record.revision } : {}),
      ...(signer ? { printedName: signer.printedName, hash } : {}),
    },
    touches: { build: run.buildId, results: [run.caseId] },
  });
  w.wrote(recordRows, run.id);
  w.wrote(runRows, run.id);
  await putDecision(w, {
    recordId: run.id,
    revision: choice === 'carryOver' ? c.record.revision : run.caseRevision,
    choice: word,
    reason,
  });
  if (signer && meaning) await sign(w, signer, stored, meaning, hash, reason);
  if (choice === 'rerun') {
    const { roundId, buildId, configuration, unit, tools, tester } = run;
    await planRuns(w, { roundId, buildId, configuration, unit, tools }, [{ c, row: run.row, tester, supersedesId: run.id }]);
  }
  if (choice === 'withdraw' || choice === 'bringBack') await standAnew(w, run);
}

function changeOf(
  w: Writing,
  choice: Decision['choice'],
  c: StoredCase,
): { run: Partial<typeof runs.$inferInsert>; state?: string } | undefined {
  switch (choice) {
    case 'carryOver':
      return { run: { carriedOverTo: c.record.revision } };
    case 'return':
      return { run: { returnedAt: w.at }, state: 'returned' };
    case 'acceptDeviation':
      return { run: { deviationAccepted: true } };
    case 'setAside':
      return { run: { setAside: true } };
    case 'withdraw':
      return { run: { withdrawnAt: w.at, supersededById: null }, state: 'withdrawn' };
    case 'bringBack':
      return { run: { withdrawnAt: null }, state: 'recorded' };
    case 'rerun':
      return undefined;
  }
}

/** Why a decision cannot be made now, by whom it is asked. */
async function refuseDecision(w: Writing, { run, record, caseNow }: StoredRun, c: StoredCase, choice: Decision['choice']): Promise<void> {
  const no = (detail: string): Refusal => new Refusal('stateForbids', { detail });
  const { key } = record;
  const { login } = w.actor;
  if (choice === 'bringBack' && run.withdrawnAt === null) throw no(`${key} is not withdrawn.`);
  if (choice !== 'bringBack' && run.withdrawnAt !== null) throw no(`${key} is withdrawn.`);
  if (choice === 'withdraw' || choice === 'bringBack') {
    if (run.verdict === null) return;
    // What has a result is taken out of sight, or brought back, by somebody else: else a failure is the tester's own to hide.
    w.needRole('reviewer');
    if (run.tester === login)
      throw new Refusal('selfReview', {
        detail: `You recorded ${key}: a reviewer ${choice === 'withdraw' ? 'withdraws it' : 'brings it back'}.`,
      });
    return;
  }
  if (run.supersededById !== null) throw no(`${key} is superseded by a newer run already.`);
  if (run.verdict === null) throw new Refusal('notFinished', { detail: `${key} is not recorded yet: there is nothing to decide.` });
  if ((choice === 'carryOver' || choice === 'rerun') && c.record.state !== 'approved')
    throw no(`${c.record.key} revision ${c.record.revision} is not approved: decide once it is.`);
  if (choice !== 'rerun' && run.tester === login)
    throw new Refusal('selfReview', { detail: 'You recorded this run: somebody else decides.' });
  if (choice === 'carryOver') {
    if (Math.max(run.caseRevision, run.carriedOverTo ?? 0) >= caseNow)
      throw no(`${c.record.key} has not changed since ${key}: there is nothing to carry over.`);
    if (c.record.authoredBy === login)
      throw new Refusal('ownWork', { detail: 'You made the change to the case: somebody else decides whether the result still stands.' });
  }
  if (choice === 'return' && run.returnedAt !== null) throw no(`${key} was returned already.`);
  if (choice === 'acceptDeviation') {
    if (run.verdict !== 'deviation') throw no(`${key} did not pass with a deviation.`);
    if (run.deviationAccepted) throw no('The deviation is accepted already.');
  }
  if (choice === 'setAside' && inPresentForm(run, c.row.rows?.length ? { rows: c.row.rows.map((row) => row.name) } : {}))
    throw no(`${key} is of the case as it is now: it is not out of sight.`);
}

/** After a withdrawal, or its taking back: of the finished runs of the combination, the newest stands, the others are superseded by it. */
async function standAnew(w: Writing, run: typeof runs.$inferSelect): Promise<void> {
  const finished = await finishedOf(w.tx, run);
  for (const [i, { id }] of finished.entries())
    await w.tx
      .update(runs)
      .set({ supersededById: i === 0 ? null : finished[0].id })
      .where(eq(runs.id, id));
  w.wrote(runRows, ...finished.map(({ id }) => id));
}

/** Gives a run that nobody has begun to another tester. */
export async function reassignRun(db: Db, actor: Actor, key: string, tester: string, reason: string): Promise<RunDetail> {
  await write(db, actor, async (w) => {
    await lockRecord(w, 'run', key);
    await reassignIn(w, await needRun(w.tx, actor.projectId, key), tester, reason);
  });
  return runDetail(db, actor.projectId, key);
}

/** The same for a run that is locked. */
export async function reassignIn(w: Writing, stored: StoredRun, tester: string, reason: string): Promise<void> {
  const { run, record } = stored;
  await needOpenBuild(w.tx, w.actor.projectId, stored.build);
  if (run.startedAt !== null || run.withdrawnAt !== null)
    throw new Refusal('stateForbids', { detail: `${record.key} was begun by ${run.tester}: withdraw it and plan it anew.` });
  if (run.tester === tester) throw new Refusal('stateForbids', { detail: `${record.key} is ${tester}’s already.` });
  await needTester(w.tx, w.actor.projectId, tester);
  await changeRun(w, stored, { tester }, record.state);
  w.log({ action: 'run reassigned', kind: 'run', key: record.key, before: { tester: run.tester }, after: { tester, reason } });
  w.wrote(runRows, run.id);
  w.wrote(recordRows, run.id);
}
