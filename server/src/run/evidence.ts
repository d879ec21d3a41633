import type { RunDetail } from '@contract/run';
import type { HandedIn, RecordedAway } from '@core/run';
import { and, eq, isNull } from 'drizzle-orm';
import { recordRows, Refusal, storeBlob, takeStorage, write, type Actor, type Db, type Upload } from '../base';
import { putRunDevice } from './more';
import { awayFormat, changeRun, deviceNote, lockOpenRun, lockRun, needStepOf, reopen } from './recording';
import { evidenceRows, runRows } from './rows';
import { runDetail } from './store';
import { evidence } from './tables';

export async function addEvidence(
  db: Db,
  actor: Actor,
  key: string,
  step: number,
  files: readonly Upload[],
  { reason, of }: { readonly reason: string; readonly of?: string | undefined },
): Promise<RunDetail> {
  await write(db, actor, async (w) => {
    const stored = await lockOpenRun(w, key);
    const { run, record } = stored;
    if (!run.steps[step - 1]) throw new Refusal('notFound', { detail: `${key} has no step ${step}.` });
    needStepOf(stored, step, of);
    const reopened = run.finishedAt !== null ? await reopen(w, stored, reason) : {};
    const note = deviceNote(w, 'evidence', step);
    await changeRun(w, stored, { startedAt: run.startedAt ?? w.at, ...reopened, ...awayFormat(note) }, 'onBench');
    for (const { name, mime, bytes } of files) {
      const sha256 = await storeBlob(w.tx, bytes);
      const [made] = await w.tx
        .insert(evidence)
        .values({ projectId: actor.projectId, runId: run.id, step, name, mime: mime.slice(0, 120), bytes: bytes.length, sha256 })
        .$returningId();
      w.log({ action: 'evidence added', kind: 'run', key: record.key, after: { step, name, mime, bytes: bytes.length, sha256 } });
      takeStorage(w, bytes.length);
      w.wrote(evidenceRows, made.id);
    }
    if (note) await putRunDevice(w, run.id, { note });
    w.wrote(runRows, run.id);
    w.wrote(recordRows, run.id);
  });
  return runDetail(db, actor.projectId, key);
}

export async function removeEvidence(db: Db, actor: Actor, key: string, id: number, reason = ''): Promise<RunDetail> {
  await write(db, actor, async (w) => {
    const stored = await lockOpenRun(w, key);
    const [file] = await w.tx
      .select()
      .from(evidence)
      .where(and(eq(evidence.id, id), eq(evidence.runId, stored.run.id), isNull(evidence.removedAt)));
    if (!file) throw new Refusal('notFound', { detail: 'There is no such evidence.' });
    const reopened = stored.run.finishedAt !== null ? await reopen(w, stored, reason) : {};
    const note = deviceNote(w, 'evidenceRemoved', file.step);
    await changeRun(w, stored, { ...reopened, ...awayFormat(note) }, 'onBench');
    await w.tx.update(evidence).set({ removedAt: w.at }).where(eq(evidence.id, id));
    w.log({
      action: 'evidence taken off',
      kind: 'run',
      key: stored.record.key,
      before: { step: file.step, name: file.name, sha256: file.sha256 },
    });
    if (note) await putRunDevice(w, stored.run.id, { note });
    w.wrote(evidenceRows, id);
    w.wrote(runRows, stored.run.id);
    w.wrote(recordRows, stored.run.id);
  });
  return runDetail(db, actor.projectId, key);
}

/** Keeps with a run what a device recorded of it and what does not fit any more: it is readable beside the result, which stays as it is. */
export async function handIn(
  db: Db,
  actor: Actor,
  key: string,
  { why, recorded }: { readonly why: string; readonly recorded: readonly RecordedAway[] },
): Promise<RunDetail> {
  await write(db, actor, async (w) => {
    const { run, record } = await lockRun(w, key);
    const handedIn: HandedIn = { by: w.actor.login, at: w.at, sent: actor.device?.sent ?? w.at, why, recorded };
    w.log({ action: 'handed in from a device', kind: 'run', key: record.key, after: { why, recorded } });
    await putRunDevice(w, run.id, { handedIn });
  });
  return runDetail(db, actor.projectId, key);
}
