import type { RunDetail } from '@contract/run';
import { rollUp, runHash, type StepResult, type StepVerdict } from '@core/run';
import { and, eq, isNull } from 'drizzle-orm';
import { Refusal, signatures, storeBlob, write, type Actor, type Db, type Tx, type Upload, type Writing } from '../base';
import { evidenceOf, needRun, runDetail, runRecord, type StoredRun } from './store';
import { evidence, runs } from './tables';

async function openRun(tx: Tx, actor: Actor, key: string): Promise<StoredRun> {
  const run = await needRun(tx, actor.projectId, key);
  const [signed] = await tx.select({ id: signatures.id }).from(signatures).where(eq(signatures.runId, run.id)).limit(1);
  if (signed) throw new Refusal('signed');
  if (run.supersededBy !== null) throw new Refusal('stateForbids', { detail: `${key} is superseded by ${run.supersededBy}.` });
  if (run.tester !== actor.login) throw new Refusal('notTester', { detail: `${key} is planned for ${run.tester}: only they record it.` });
  return run;
}

/** Puts a planned run on the bench; a run that is there already stays as it is. */
export function startRun(db: Db, actor: Actor, key: string): Promise<RunDetail> {
  return write(db, actor, async (w) => {
    const run = await openRun(w.tx, actor, key);
    if (run.startedAt === null) {
      await w.tx
        .update(runs)
        .set({ startedAt: w.at, revision: run.revision + 1 })
        .where(eq(runs.id, run.id));
      await w.log('run begun', 'run', key, null, { case: run.caseKey, revision: run.caseRevision, build: run.build });
    }
    return runDetail(w.tx, actor.projectId, key);
  });
}

/** Records a step. The same content again changes nothing, so that a client may repeat what it is not sure of. */
export function recordStep(
  db: Db,
  actor: Actor,
  key: string,
  step: number,
  told: { observed: string; verdict: StepVerdict | null; seconds: number },
): Promise<RunDetail> {
  return write(db, actor, async (w) => {
    const run = await openRun(w.tx, actor, key);
    const before = run.steps[step - 1];
    if (!before) throw new Refusal('notFound', { detail: `${key} has no step ${step}.` });
    if (run.finishedAt !== null) await reopen(w, run);
    const seconds = Math.max(run.seconds, told.seconds);
    if (before.observed === told.observed && before.verdict === told.verdict) {
      if (seconds !== run.seconds) await w.tx.update(runs).set({ seconds }).where(eq(runs.id, run.id));
      return runDetail(w.tx, actor.projectId, key);
    }
    if ((told.verdict === 'fail' || told.verdict === 'deviation' || told.verdict === 'blocked') && !told.observed.trim())
      throw new Refusal('invalid', { fields: [{ path: 'observed', text: 'Say what you observed: this verdict needs it.' }] });
    const after: StepResult = {
      observed: told.observed,
      verdict: told.verdict,
      at: told.verdict === null ? null : told.verdict === before.verdict ? before.at : w.at,
    };
    const steps = run.steps.map((item, i) => (i === step - 1 ? after : item));
    await w.tx
      .update(runs)
      .set({ steps, seconds, startedAt: run.startedAt ?? w.at, revision: run.revision + 1 })
      .where(eq(runs.id, run.id));
    await w.log('step recorded', 'run', key, { step, ...before }, { step, ...after, seconds });
    return runDetail(w.tx, actor.projectId, key);
  });
}

/** A finished run that nobody has signed is opened again when its tester corrects a step; the ledger keeps both. */
async function reopen(w: Writing, run: StoredRun): Promise<void> {
  await w.tx.update(runs).set({ finishedAt: null, verdict: null, failedStep: null, hash: null }).where(eq(runs.id, run.id));
  await w.log('run reopened', 'run', run.key, { verdict: run.verdict, hash: run.hash }, null);
}

/** Rolls the verdict up and closes the recording. */
export function finishRun(db: Db, actor: Actor, key: string, seconds: number): Promise<RunDetail> {
  return write(db, actor, async (w) => {
    const run = await openRun(w.tx, actor, key);
    if (run.finishedAt !== null) return runDetail(w.tx, actor.projectId, key);
    const verdict = rollUp(run.steps.map((item) => item.verdict));
    if (!verdict) {
      const open = run.steps.findIndex((item) => item.verdict === null) + 1;
      throw new Refusal('notFinished', { detail: open ? `Step ${open} has no verdict yet.` : 'The run has no steps.' });
    }
    const failed = run.steps.findIndex((item) => item.verdict === 'fail') + 1;
    const finished = { ...run, verdict, failedStep: failed || null, finishedAt: w.at, seconds: Math.max(run.seconds, seconds) };
    const hash = runHash(runRecord(finished, (await evidenceOf(w.tx, [run.id])).get(run.id) ?? []));
    await w.tx
      .update(runs)
      .set({ verdict, failedStep: failed || null, finishedAt: w.at, seconds: finished.seconds, hash, revision: run.revision + 1 })
      .where(eq(runs.id, run.id));
    await w.log('run recorded', 'run', key, null, { verdict, seconds: finished.seconds, hash });
    return runDetail(w.tx, actor.projectId, key);
  });
}

export function addEvidence(db: Db, actor: Actor, key: string, step: number, files: readonly Upload[]): Promise<RunDetail> {
  return write(db, actor, async (w) => {
    const run = await openRun(w.tx, actor, key);
    if (!run.steps[step - 1]) throw new Refusal('notFound', { detail: `${key} has no step ${step}.` });
    if (run.finishedAt !== null) await reopen(w, run);
    for (const { name, mime, bytes } of files) {
      const sha256 = await storeBlob(w.tx, bytes);
      await w.tx
        .insert(evidence)
        .values({ projectId: actor.projectId, runId: run.id, step, name, mime: mime.slice(0, 120), bytes: bytes.length, sha256 });
      await w.log('evidence added', 'run', key, null, { step, name, mime, bytes: bytes.length, sha256 });
    }
    await w.tx
      .update(runs)
      .set({ revision: run.revision + 1, startedAt: run.startedAt ?? w.at })
      .where(eq(runs.id, run.id));
    return runDetail(w.tx, actor.projectId, key);
  });
}

export function removeEvidence(db: Db, actor: Actor, key: string, id: number): Promise<RunDetail> {
  return write(db, actor, async (w) => {
    const run = await openRun(w.tx, actor, key);
    const [file] = await w.tx
      .select()
      .from(evidence)
      .where(and(eq(evidence.id, id), eq(evidence.runId, run.id), isNull(evidence.removedAt)));
    if (!file) throw new Refusal('notFound', { detail: 'There is no such evidence.' });
    if (run.finishedAt !== null) await reopen(w, run);
    await w.tx.update(evidence).set({ removedAt: w.at }).where(eq(evidence.id, id));
    await w.log('evidence taken off', 'run', key, { step: file.step, name: file.name, sha256: file.sha256 }, null);
    return runDetail(w.tx, actor.projectId, key);
  });
}
