import type { CaseRedlines, RunDetail } from '@contract/run';
import { redlineBarred, redlined, redlineRefusal, withRedlines, type RedlineAsked } from '@core/run';
import { and, desc, eq, gte, inArray, isNotNull, sql } from 'drizzle-orm';
import { decisions, putDecision, recordRows, records, Refusal, write, type Actor, type Db } from '../base';
import { caseContent, lockCase, needCase, reviseCase } from '../design';
import { moreOf, putRunDetails, putRunDevice, runDetailsOf, sixth } from './more';
import { awayFormat, changeRun, deviceNote, lockOpenRun, needStepOf } from './recording';
import { evidenceRows, runRows } from './rows';
import { needRun, runDetail } from './store';
import { evidence, problems, runDetails, runs } from './tables';
import { problemRows } from './problems';

/** Changes, adds or drops a step for one run only, with a reason: it counts for that run, and is offered to the case's author. */
export async function addRedline(
  db: Db,
  actor: Actor,
  key: string,
  { of, ...asked }: RedlineAsked & { readonly of?: string | undefined },
): Promise<RunDetail> {
  await write(db, actor, async (w) => {
    const stored = await lockOpenRun(w, key);
    const { run, record } = stored;
    const [held] = await w.tx
      .select({ id: evidence.id })
      .from(evidence)
      .where(and(eq(evidence.runId, run.id), eq(evidence.step, asked.step), sql`${evidence.removedAt} is null`))
      .limit(1);
    const barred = redlineBarred({ finished: run.finishedAt !== null, holdsEvidence: held !== undefined }, asked);
    if (barred) throw new Refusal('stateForbids', { detail: barred });
    needStepOf(stored, asked.step, of);
    const before = { steps: run.frozen.steps, results: run.steps };
    const refused = redlineRefusal(before, asked);
    if (refused) throw new Refusal('invalid', { detail: refused, fields: [{ path: 'step', text: refused }] });
    const { steps, results, redline } = redlined(before, asked, actor.login, w.at);
    const more = moreOf((await runDetailsOf(w.tx, [run.id])).get(run.id));
    const note = deviceNote(w, 'redlined', asked.step);
    await changeRun(
      w,
      stored,
      {
        frozen: { ...run.frozen, steps },
        steps: results,
        startedAt: run.startedAt ?? w.at,
        format: sixth(run.format),
        ...awayFormat(note),
      },
      'onBench',
    );
    w.log({ action: 'step redlined', kind: 'run', key: record.key, after: { ...redline } });
    w.wrote(runRows, run.id);
    w.wrote(recordRows, run.id);
    await putRunDetails(w, run.id, { redlines: [...more.redlines, redline] });
    if (note) await putRunDevice(w, run.id, { note });
    if (asked.what === 'changed') return;
    // What belongs to the steps behind it moves with them.
    const [by, from] = asked.what === 'added' ? [1, asked.step] : [-1, asked.step + 1];
    const files = await w.tx
      .select({ id: evidence.id })
      .from(evidence)
      .where(and(eq(evidence.runId, run.id), gte(evidence.step, from)));
    const raised = await w.tx
      .select({ id: problems.id })
      .from(problems)
      .where(and(eq(problems.runId, run.id), gte(problems.step, from)));
    await w.tx
      .update(evidence)
      .set({ step: sql`${evidence.step} + ${by}` })
      .where(and(eq(evidence.runId, run.id), gte(evidence.step, from)));
    await w.tx
      .update(problems)
      .set({ step: sql`${problems.step} + ${by}` })
      .where(and(eq(problems.runId, run.id), gte(problems.step, from)));
    w.wrote(evidenceRows, ...files.map(({ id }) => id));
    w.wrote(problemRows, ...raised.map(({ id }) => id));
  });
  return runDetail(db, actor.projectId, key);
}

const answered = ['redlines taken', 'redlines left'] as const;

/** What runs of a case changed of its steps and its author has not answered yet: with what taking it would make of the case. */
export async function caseRedlines(db: Db, projectId: number, key: string): Promise<CaseRedlines> {
  const stored = await needCase(db, projectId, key);
  const rows = await db
    .select({ id: runs.id, key: records.key, revision: runs.caseRevision, redlines: runDetails.redlines })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .innerJoin(runDetails, eq(runDetails.id, runs.id))
    .where(and(eq(runs.caseId, stored.record.id), isNotNull(runs.finishedAt), sql`${runDetails.redlines} <> '[]'`))
    .orderBy(desc(runs.id))
    .limit(100);
  const done = new Set(
    rows.length
      ? (
          await db
            .select({ id: decisions.recordId })
            .from(decisions)
            .where(
              and(
                inArray(
                  decisions.recordId,
                  rows.map(({ id }) => id),
                ),
                inArray(decisions.choice, [...answered]),
              ),
            )
        ).map(({ id }) => id)
      : [],
  );
  const content = caseContent(stored);
  return rows
    .filter(({ id }) => !done.has(id))
    .map(({ key: run, revision, redlines }) => ({
      run,
      revision,
      redlines: [...redlines],
      left: withRedlines(content, redlines).left.length,
    }));
}

/** Takes what a run changed into the case, as a revision of it, or says that the case stays as it is. */
export async function answerRedlines(
  db: Db,
  actor: Actor,
  key: string,
  { run: runKey, take, reason, basedOn }: { run: string; take: boolean; reason: string; basedOn: number },
): Promise<CaseRedlines> {
  await write(db, actor, async (w) => {
    const stored = await lockCase(w, key, basedOn);
    const { run, record, caseKey } = await needRun(w.tx, actor.projectId, runKey);
    if (caseKey !== stored.record.key) throw new Refusal('stateForbids', { detail: `${runKey} is no run of ${key}.` });
    const { redlines } = moreOf((await runDetailsOf(w.tx, [run.id])).get(run.id));
    if (!redlines.length) throw new Refusal('stateForbids', { detail: `${runKey} changed nothing of ${key}.` });
    const [before] = await w.tx
      .select({ id: decisions.id })
      .from(decisions)
      .where(and(eq(decisions.recordId, run.id), inArray(decisions.choice, [...answered])))
      .limit(1);
    if (before) throw new Refusal('stateForbids', { detail: `What ${runKey} changed was answered already.` });
    if (reason.trim().length < 3)
      throw new Refusal('invalid', { fields: [{ path: 'reason', text: 'Give a reason of at least three letters.' }] });
    if (take) {
      const { content, taken } = withRedlines(caseContent(stored), redlines);
      if (!taken.length) throw new Refusal('stateForbids', { detail: `${key} no longer has the steps that ${runKey} changed.` });
      await reviseCase(w, stored, content, `Redline of ${record.key}: ${reason.trim()}`);
    }
    const choice = answered[take ? 0 : 1];
    w.log({ action: choice, kind: 'run', key: record.key, after: { case: key, reason: reason.trim() } });
    await putDecision(w, { recordId: run.id, revision: run.caseRevision, choice, reason: reason.trim() });
  });
  return caseRedlines(db, actor.projectId, key);
}
