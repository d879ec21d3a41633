import type { RunDetail } from '@contract/run';
import { policiesOf } from '@core/prove';
import { verdictFaults, type StepResult } from '@core/run';
import { profileOf, recordRows, Refusal, write, type Actor, type Db } from '../base';
import { moreOf, putRunDetails, runDetailsOf, sixth } from './more';
import { changeRun, finishIn, lockOpenRun } from './recording';
import { runRows } from './rows';
import { evidenceOf, needRun, observationAsked, runDetail } from './store';

export interface ShortRecord {
  readonly verdict: 'passed' | 'failed' | 'blocked';
  readonly observed: string;
  readonly seconds: number;
  /** The step at which it failed or could not go on. */
  readonly step: number;
}

/**
 * Records a run whole, without stepping through it, where the project allows that for its kind of case: the words stand for all of its steps. What a step
 * asks to be read or shown cannot be recorded so.
 */
export async function recordShort(db: Db, actor: Actor, key: string, input: ShortRecord): Promise<RunDetail> {
  await write(db, actor, async (w) => {
    const stored = await lockOpenRun(w, key);
    const { run, record } = stored;
    if (run.finishedAt !== null) throw new Refusal('stateForbids', { detail: `${key} is finished: correct it step by step.` });
    const { shortRecordFor = [] } = policiesOf(await profileOf(w.tx, actor.projectId));
    if (!shortRecordFor.includes(run.frozen.kind ?? ''))
      throw new Refusal('stateForbids', { detail: 'The project has cases of this kind recorded step by step.' });
    const observed = input.observed.trim();
    if (!observed && input.verdict !== 'passed')
      throw new Refusal('invalid', { fields: [{ path: 'observed', text: 'Say what you observed: this verdict needs it.' }] });
    if (!observed && (await observationAsked(w.tx, actor.projectId, run.caseId)))
      throw new Refusal('invalid', {
        fields: [{ path: 'observed', text: 'Say what you observed: the project asks for it at the level of what this case verifies.' }],
      });
    const end = Math.min(Math.max(1, input.step), run.steps.length) - 1;
    const files = stored.files ? ((await evidenceOf(w.tx, [run.id])).get(run.id) ?? []) : [];
    const steps = run.steps.map((before, i): StepResult => {
      // What failed or could not go on ends the run: the steps behind it were not done.
      if (input.verdict !== 'passed' && i > end) return before;
      const verdict = input.verdict === 'passed' || i < end ? 'pass' : input.verdict === 'failed' ? 'fail' : 'blocked';
      const faults = verdictFaults(
        run.frozen.steps[i],
        { verdict, observed, readings: before.readings ?? [] },
        files.filter((f) => f.step === i + 1),
      );
      if (faults.length)
        throw new Refusal('stateForbids', { detail: `Step ${i + 1} is recorded by itself: ${faults.map(({ text }) => text).join(' ')}` });
      return { ...before, verdict, observed, at: w.at };
    });
    const startedAt = run.startedAt ?? w.at;
    const revision = await changeRun(w, stored, { steps, startedAt }, 'onBench');
    w.log({
      action: 'run recorded as a whole',
      kind: 'run',
      key: record.key,
      after: { verdict: input.verdict, observed, seconds: input.seconds },
    });
    await finishIn(w, { ...stored, run: { ...run, steps, startedAt }, record: { ...record, revision } }, { seconds: input.seconds });
  });
  return runDetail(db, actor.projectId, key);
}

/** Corrects the clock of a run that is open; how it stood before stays in its record, with the reason. */
export async function correctClock(
  db: Db,
  actor: Actor,
  key: string,
  { seconds, reason }: { readonly seconds: number; readonly reason: string },
): Promise<RunDetail> {
  await write(db, actor, async (w) => {
    const stored = await lockOpenRun(w, key);
    const { run, record } = stored;
    if (run.finishedAt !== null) throw new Refusal('stateForbids', { detail: `${key} is finished: its clock stands.` });
    if (seconds === run.seconds) return;
    const change = { at: w.at, from: run.seconds, to: seconds, reason: reason.trim() };
    const { clock } = moreOf((await runDetailsOf(w.tx, [run.id])).get(run.id));
    await changeRun(w, stored, { seconds, startedAt: run.startedAt ?? w.at, format: sixth(run.format) }, 'onBench');
    w.log({
      action: 'clock corrected',
      kind: 'run',
      key: record.key,
      before: { seconds: run.seconds },
      after: { seconds, reason: change.reason },
    });
    w.wrote(runRows, run.id);
    w.wrote(recordRows, run.id);
    await putRunDetails(w, run.id, { clock: [...clock, change] });
  });
  return runDetail(db, actor.projectId, key);
}

/**
 * Records a planned run as blocked, because one that its case depends on did not pass: its first step without a verdict says which. The steps
 * before it stay as they are.
 */
export async function blockRun(db: Db, actor: Actor, key: string, on: string): Promise<RunDetail> {
  await write(db, actor, async (w) => {
    const locked = await lockOpenRun(w, key);
    const { run, record } = locked;
    const before = await needRun(w.tx, actor.projectId, on);
    const bad = before.run.verdict === 'failed' || before.run.verdict === 'blocked';
    if (run.finishedAt !== null) throw new Refusal('stateForbids', { detail: `${key} is finished.` });
    if (!(run.frozen.dependsOn ?? []).includes(before.caseKey) || before.run.buildId !== run.buildId)
      throw new Refusal('stateForbids', { detail: `${key} does not rest on ${on}.` });
    if (!bad || before.run.withdrawnAt !== null || before.run.supersededById !== null)
      throw new Refusal('stateForbids', { detail: `${on} does not stand as failed or blocked.` });
    const open = Math.max(
      0,
      run.steps.findIndex(({ verdict }) => verdict === null),
    );
    const observed = `Not run: it rests on ${before.caseKey}, which ${before.run.verdict === 'failed' ? 'failed' : 'is blocked'} in ${before.record.key}.`;
    const steps = run.steps.map((step, i): StepResult => (i === open ? { ...step, observed, verdict: 'blocked', at: w.at } : step));
    const startedAt = run.startedAt ?? w.at;
    const revision = await changeRun(w, locked, { steps, startedAt }, 'onBench');
    w.log({
      action: 'step recorded',
      kind: 'run',
      key: record.key,
      before: { step: open + 1, ...run.steps[open] },
      after: { step: open + 1, ...steps[open], restsOn: before.record.key },
    });
    await finishIn(w, { ...locked, run: { ...run, steps, startedAt }, record: { ...record, revision } }, { seconds: run.seconds });
  });
  return runDetail(db, actor.projectId, key);
}
