import type { RunDetail, StepSaved } from '@contract/run';
import type { CaseStep } from '@core/design';
import {
  isStepOf,
  readingsAsked,
  recordedElsewhere,
  rollUp,
  verdictFaults,
  noMore,
  type DeviceNote,
  type PerformedBy,
  type ReadingResult,
  type StepBefore,
  type StepResult,
  type StepVerdict,
} from '@core/run';
import { and, eq, sql } from 'drizzle-orm';
import {
  inOnePacket,
  plainKey,
  recordRows,
  records,
  Refusal,
  said,
  statement,
  writeTogether,
  type ActOn,
  type Actor,
  type Ahead,
  type Db,
  type Tx,
  type Writing,
} from '../base';
import { listCaseKinds } from '../design';
import { moreOfRuns, putRunDetails, putRunDevice, runFormat } from './more';
import { around, evidenceOf, finishedOf, observationAsked, runDetail, storedRunHash, type StoredRun } from './store';
import { runRows } from './rows';
import { runs } from './tables';

/** A run that its tester may still record: locked, unsigned, on a build that is open. */
export async function lockOpenRun(w: Writing, key: string): Promise<LockedRun> {
  const locked = await lockRun(w, key);
  const { run, signed, closed } = locked;
  if (signed) throw new Refusal('signed');
  if (closed !== null) throw new Refusal('closed', { detail: `${locked.build} is closed: nothing is recorded on it any more.` });
  if (locked.roundState === 'closed')
    throw new Refusal('stateForbids', { detail: `Round ${locked.round} is closed: open it again before anything is recorded in it.` });
  if (run.withdrawnAt !== null) throw new Refusal('stateForbids', { detail: `${key} is withdrawn.` });
  if (run.supersededById !== null) throw new Refusal('stateForbids', { detail: `${key} is superseded by a newer run.` });
  if (run.tester !== w.actor.login) throw new Refusal('notTester', { detail: `${key} is planned for ${run.tester}: only they record it.` });
  return locked;
}

const lockedRuns = (wait: { noWait: true } | { noWait?: never }) =>
  statement((db) =>
    db
      .select({ record: records, run: runs, ...around })
      .from(records)
      .innerJoin(runs, eq(runs.id, records.id))
      .where(and(eq(records.projectId, sql.placeholder('projectId')), sql`${records.key} in (${sql.placeholder('keys')})`))
      .for('update', wait),
  );
const lockWaiting = lockedRuns({});
const lockAtOnce = lockedRuns({ noWait: true });

type LockedRun = Awaited<ReturnType<typeof lockWaiting>>[number];

/** Runs locked, with what is around them, by their keys. */
async function lockRuns(
  { tx, projectId, atOnce }: { tx: Tx; projectId: number; atOnce: boolean },
  keys: readonly string[],
): Promise<Map<string, LockedRun>> {
  const rows = await (atOnce ? lockAtOnce : lockWaiting)(tx, { projectId, keys: keys.map(plainKey) });
  return new Map(rows.map((row) => [row.record.key, row]));
}

/** What recording on some runs needs, for all who record in the same moment. */
const runsAhead: Ahead = (tx, projectId, keys) => lockRuns({ tx, projectId, atOnce: true }, keys);
const onRun = (key: string): ActOn => ({ key: plainKey(key), ahead: runsAhead });

export async function lockRun({ tx, actor: { projectId }, shared }: Writing, key: string): Promise<LockedRun> {
  const locked = (shared?.ahead ?? (await lockRuns({ tx, projectId, atOnce: shared !== undefined }, [key]))) as Map<string, LockedRun>;
  const row = locked.get(plainKey(key));
  if (!row) throw new Refusal('notFound', { detail: `There is no run ${key}.` });
  return row;
}

type RunChange = Partial<typeof runs.$inferInsert>;

const changeRunRecord = statement((db) =>
  db
    .update(records)
    .set({
      revision: said(records.revision, 'revision'),
      state: said(records.state, 'state'),
      updatedBy: said(records.updatedBy, 'by'),
      updatedAt: said(records.updatedAt, 'at'),
    })
    .where(eq(records.id, sql.placeholder('id'))),
);

/** Changes a run and, with it, the state and revision of its record: asked at once, since people wait for it by the dozen. */
export async function changeRun(w: Writing, stored: StoredRun, change: RunChange, state: string): Promise<number> {
  const { id } = stored.run;
  const revision = stored.record.revision + 1;
  await Promise.all([
    ...(Object.keys(change).length ? [w.tx.update(runs).set(change).where(eq(runs.id, id))] : []),
    changeRunRecord(w.tx, { id, revision, state, by: w.actor.login, at: w.at }),
  ]);
  return revision;
}

interface StepsNoted {
  readonly id: number;
  readonly steps: readonly StepResult[];
  readonly seconds: number;
  readonly startedAt: string;
  readonly revision: number;
  readonly by: string;
  readonly at: string;
}

/** Stores the steps of a run that is on the bench; together with others where others record in the same transaction. */
async function noteSteps(
  w: Writing,
  { run: { id }, record }: StoredRun,
  steps: Pick<StepsNoted, 'steps' | 'seconds' | 'startedAt'>,
): Promise<number> {
  const noted = { ...steps, id, revision: record.revision + 1, by: w.actor.login, at: w.at };
  if (w.shared) w.shared.later(storeSteps, noted);
  else await storeSteps(w.tx, [noted]);
  return noted.revision;
}

const changeSteps = statement((db) =>
  db
    .update(runs)
    .set({ steps: said(runs.steps, 'steps'), seconds: said(runs.seconds, 'seconds'), startedAt: said(runs.startedAt, 'startedAt') })
    .where(eq(runs.id, sql.placeholder('id'))),
);

/** A run and its record each by its key: a statement that joins them, or several runs, makes the database build a table first. */
async function storeSteps(tx: Tx, noted: readonly StepsNoted[]): Promise<void> {
  await Promise.all(
    noted.flatMap(({ id, steps, seconds, startedAt, ...record }) => [
      changeSteps(tx, { id, steps, seconds, startedAt }),
      changeRunRecord(tx, { id, ...record, state: 'onBench' }),
    ]),
  );
}

/** Puts a planned run on the bench; a run that is there already stays as it is. */
export async function startRun(db: Db, actor: Actor, key: string): Promise<RunDetail> {
  await writeTogether(db, actor, onRun(key), async (w) => {
    const stored = await lockOpenRun(w, key);
    if (stored.run.startedAt !== null) return;
    const note = deviceNote(w, 'begun');
    await changeRun(w, stored, { startedAt: w.at, ...awayFormat(note) }, 'onBench');
    w.log({
      action: 'run begun',
      kind: 'run',
      key: stored.record.key,
      after: { case: stored.caseKey, revision: stored.run.caseRevision, build: stored.build },
    });
    w.wrote(runRows, stored.run.id);
    w.wrote(recordRows, stored.run.id);
    if (note) await putRunDevice(w, stored.run.id, { note });
  });
  return runDetail(db, actor.projectId, key);
}

/** What belongs to the record of a run where a device did it away from the server; undefined where it was done here and now. */
export function deviceNote(w: Writing, what: DeviceNote['what'], step: number | null = null): DeviceNote | undefined {
  const { device } = w.actor;
  return device && { what, step, ...device, arrived: w.at };
}
export const awayFormat = (note: DeviceNote | undefined): RunChange => (note ? { format: 7 } : {});

/** A step that is not the one any more at which something was done takes nothing of it. `of`: how its action began. */
export function needStepOf({ run }: StoredRun, step: number, of: string | undefined): void {
  const now = run.frozen.steps[step - 1] as CaseStep | undefined;
  if (of === undefined || (now && isStepOf(now, of))) return;
  throw new Refusal('stateForbids', { detail: `Step ${step} is another one now: the steps of this run were changed meanwhile.` });
}

export interface StepInput {
  readonly observed: string;
  readonly verdict: StepVerdict | null;
  readonly seconds: number;
  readonly reason?: string;
  readonly readings?: readonly ReadingResult[] | undefined;
  /** What the step said, as far as whoever records knows. */
  readonly known?: StepBefore | undefined;
  /** How the action of the step begins, as far as whoever records knows. */
  readonly of?: string | undefined;
}

/** Records a step. The same content again changes nothing, so that a client may repeat what it is not sure of. */
export function recordStep(db: Db, actor: Actor, key: string, step: number, input: StepInput): Promise<StepSaved> {
  return writeTogether(db, actor, { ...onRun(key), brief: true }, async (w) => {
    const stored = await lockOpenRun(w, key);
    const { run, record } = stored;
    const before = run.steps[step - 1];
    if (!before) throw new Refusal('notFound', { detail: `${key} has no step ${step}.` });
    const seconds = Math.max(run.seconds, input.seconds);
    const saved = (result: StepResult, revision: number, reopened: boolean): StepSaved => ({
      key: record.key,
      step,
      result: { ...result },
      seconds,
      revision,
      startedAt: run.startedAt ?? w.at,
      reopened,
    });
    const asked = run.frozen.steps[step - 1];
    needStepOf(stored, step, input.of);
    // Readings that are not sent stay as they were.
    const readings = readingsAsked(asked, input.readings ?? before.readings ?? []);
    const same = JSON.stringify(readings) === JSON.stringify(readingsAsked(asked, before.readings ?? []));
    if (before.observed === input.observed && before.verdict === input.verdict && same) {
      if (seconds !== run.seconds && run.finishedAt === null) {
        await w.tx.update(runs).set({ seconds }).where(eq(runs.id, run.id));
        w.log({ action: 'clock', kind: 'run', key: record.key, before: { seconds: run.seconds }, after: { seconds } });
        w.wrote(runRows, run.id);
      }
      return saved(before, record.revision, false);
    }
    if (recordedElsewhere(before, input.known, input))
      throw new Refusal('conflict', {
        detail: `Step ${step} was recorded meanwhile: ${before.verdict ?? 'no verdict'}${before.observed ? `, “${before.observed}”` : ''}.`,
      });
    const wordless = !input.observed.trim();
    if (input.verdict !== null && input.verdict !== 'pass' && wordless)
      throw new Refusal('invalid', { fields: [{ path: 'observed', text: 'Say what you observed: this verdict needs it.' }] });
    if (input.verdict === 'pass' && wordless && (await observationAsked(w.tx, actor.projectId, run.caseId)))
      throw new Refusal('invalid', {
        fields: [{ path: 'observed', text: 'Say what you observed: the project asks for it at the level of what this case verifies.' }],
      });
    const files = asked.evidence && asked.evidence !== 'reading' ? ((await evidenceOf(w.tx, [run.id])).get(run.id) ?? []) : [];
    const faults = verdictFaults(
      asked,
      { ...input, readings },
      files.filter((file) => file.step === step),
    );
    if (faults.length) throw new Refusal('invalid', { detail: faults.map((f) => f.text).join(' '), fields: faults });
    const reopened = run.finishedAt !== null ? await reopen(w, stored, input.reason ?? '') : {};
    const after: StepResult = {
      observed: input.observed,
      verdict: input.verdict,
      at: input.verdict === null ? null : input.verdict === before.verdict ? before.at : w.at,
      ...(readings.length ? { readings } : {}),
    };
    const steps = run.steps.map((item, i) => (i === step - 1 ? after : item));
    const begun = { steps, seconds, startedAt: run.startedAt ?? w.at };
    const note = deviceNote(w, 'step', step);
    const change = { ...begun, ...reopened, ...awayFormat(note) };
    const revision = run.finishedAt === null && !note ? await noteSteps(w, stored, begun) : await changeRun(w, stored, change, 'onBench');
    w.log({ action: 'step recorded', kind: 'run', key: record.key, before: { step, ...before }, after: { step, ...after, seconds } });
    w.wroteAs(runRows, { ...run, ...change, id: run.id });
    w.wroteAs(recordRows, { ...record, revision, state: 'onBench' });
    if (note) await putRunDevice(w, run.id, { note });
    return saved(after, revision, run.finishedAt !== null);
  });
}

/** A finished run that nobody has signed is opened again when its tester corrects it: what it said first stays in its record, with the reason. */
export async function reopen(w: Writing, { run, record }: StoredRun, reason: string): Promise<RunChange> {
  if (reason.trim().length < 3)
    throw new Refusal('invalid', { fields: [{ path: 'reason', text: 'The run is finished: say why its result is corrected.' }] });
  w.log({
    action: 'run reopened',
    kind: 'run',
    key: record.key,
    before: { verdict: run.verdict, hash: run.hash },
    after: { reason },
    touches: { build: run.buildId, results: [run.caseId] },
  });
  // What it superseded stands again until it is finished.
  const older = await w.tx.select({ id: runs.id }).from(runs).where(eq(runs.supersededById, run.id));
  await w.tx.update(runs).set({ supersededById: null }).where(eq(runs.supersededById, run.id));
  w.wrote(runRows, ...older.map(({ id }) => id));
  return {
    finishedAt: null,
    finishedSeq: null,
    verdict: null,
    failedStep: null,
    hash: null,
    corrections: [...run.corrections, { at: w.at, reason: reason.trim(), verdict: run.verdict, steps: run.steps }],
  };
}

/** Does the kind of a case ask for evidence? */
async function evidenceAsked(w: Writing, kind: string | undefined): Promise<boolean> {
  if (!kind) return false;
  return (await listCaseKinds(w.tx, w.actor.projectId)).find(({ name }) => name === kind)?.evidence === true;
}

/** Rolls the verdict up and closes the recording; from now on it is the standing result. */
export async function finishRun(db: Db, actor: Actor, key: string, seconds: number, conclusion?: string): Promise<RunDetail> {
  await writeTogether(db, actor, onRun(key), async (w) => {
    const stored = await lockOpenRun(w, key);
    if (stored.run.finishedAt === null) await finishIn(w, stored, { seconds, conclusion });
  });
  return runDetail(db, actor.projectId, key);
}

/** The same for a run that is locked and not finished yet. */
export async function finishIn(
  w: Writing,
  stored: LockedRun,
  {
    seconds,
    conclusion,
    performedBy,
  }: { readonly seconds: number; readonly conclusion?: string | undefined; readonly performedBy?: PerformedBy },
): Promise<void> {
  const { run, record } = stored;
  const verdict = rollUp(run.steps.map((item) => item.verdict));
  if (!verdict) {
    const open = run.steps.findIndex((item) => item.verdict === null) + 1;
    throw new Refusal('notFinished', { detail: open ? `Step ${open} has no verdict yet.` : 'The run has no steps.' });
  }
  const failed = run.steps.findIndex((item) => item.verdict === 'fail') + 1;
  // Most runs have nothing beside their steps: nobody is asked then.
  const known = (await moreOfRuns(w.tx, [run])).get(run.id) ?? noMore;
  const note = deviceNote(w, 'finished');
  const said = { ...(conclusion === undefined ? {} : { conclusion: conclusion.trim() }), ...(performedBy ? { performedBy } : {}) };
  const more = { ...known, ...said, ...(note ? { device: [...known.device, note] } : {}) };
  const format = runFormat(run.frozen, more);
  const change = { verdict, failedStep: failed || null, finishedAt: w.at, seconds: Math.max(run.seconds, seconds), format };
  const files = stored.files ? ((await evidenceOf(w.tx, [run.id])).get(run.id) ?? []) : [];
  if ((verdict === 'passed' || verdict === 'deviation') && !files.length && (await evidenceAsked(w, run.frozen.kind)))
    throw new Refusal('stateForbids', {
      detail: 'Cases of this kind must hold evidence before they pass: add a picture or a file to a step.',
    });
  const hash = storedRunHash({ ...stored, run: { ...run, ...change } }, files, more);
  const [revision, finished] = await inOnePacket(
    w.tx,
    () => changeRun(w, stored, { ...change, hash }, 'recorded'),
    () => finishedOf(w.tx, run),
  );
  const older = finished.filter(({ id, supersededById }) => supersededById === null && id !== run.id);
  w.log({
    action: 'run recorded',
    kind: 'run',
    key: record.key,
    after: { verdict, seconds: change.seconds, hash, ...(more.conclusion ? { conclusion: more.conclusion } : {}) },
    touches: { build: run.buildId, results: [run.caseId] },
  });
  for (const { id } of older) await w.tx.update(runs).set({ supersededById: run.id }).where(eq(runs.id, id));
  w.snapshot({
    recordId: run.id,
    revision,
    state: 'recorded',
    snapshot: { verdict, hash, seconds: change.seconds },
    hash,
    format,
  });
  w.wroteAs(recordRows, { ...record, revision, state: 'recorded' });
  if (performedBy || more.conclusion !== known.conclusion) await putRunDetails(w, run.id, said);
  if (note) await putRunDevice(w, run.id, { note });
  w.withSeq(async (seq) => {
    if (w.shared) w.shared.later(storeFinished, { id: run.id, seq });
    else await storeFinished(w.tx, [{ id: run.id, seq }]);
    w.wroteAs(runRows, { ...run, ...change, hash, finishedSeq: seq });
    w.wrote(runRows, ...older.map(({ id }) => id));
  });
}

const changeFinishedSeq = statement((db) =>
  db
    .update(runs)
    .set({ finishedSeq: said(runs.finishedSeq, 'seq') })
    .where(eq(runs.id, sql.placeholder('id'))),
);

/** Notes the ledger numbers at which runs were finished. */
async function storeFinished(tx: Tx, finished: readonly { readonly id: number; readonly seq: number }[]): Promise<void> {
  await Promise.all(finished.map((run) => changeFinishedSeq(tx, run)));
}
