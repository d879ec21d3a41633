import { day, key as recordKey, type BulkAct } from '@contract/base';
import type { RoundDetail, RoundProgress, RunSummary } from '@contract/run';
import { envelope2, recordFormat, textHash } from '@core/base';
import { projectedEnd } from '@core/run';
import { and, asc, eq, isNull, sql } from 'drizzle-orm';
import * as z from 'zod';
import {
  changeRecord,
  lockRecord,
  needOpenBuild,
  needRecord,
  openBuildById,
  people,
  plainKey,
  proveSigner,
  putSignature,
  recordRows,
  records,
  Refusal,
  write,
  type Actor,
  type Db,
  type Tx,
  type Writing,
} from '../base';
import { needCase, placesOf, runnable } from '../design';
import { putRunDetails, runDetailsOf } from './more';
import { needTester, planRuns } from './plan';
import { roundDetailRows, runRows } from './rows';
import { insertRound, roundDetail } from './rounds';
import { finishedOf, placeOfRun, runSummaries, selectRuns, type Combination, type StoredRun } from './store';
import { roundDetails, rounds, runDetails, runs } from './tables';

/** A round that still takes runs, with its build: locked. */
async function lockOpenRound(w: Writing, key: string) {
  const record = await lockRecord(w, 'round', key);
  if (record.state !== 'open') throw new Refusal('stateForbids', { detail: `${record.key} is ${record.state}.` });
  const [round] = await w.tx.select().from(rounds).where(eq(rounds.id, record.id));
  return { record, round, build: await openBuildById(w.tx, round.buildId) };
}

/** The result that stands for a combination already: a run of it that is planned now supersedes it. */
async function standingResult(tx: Tx, of: Combination): Promise<number | null> {
  return (await finishedOf(tx, of)).find(({ supersededById }) => supersededById === null)?.id ?? null;
}

/** Puts a round under a release or phase, says when it is wanted, keeps it as a pattern. */
export async function placeRound(
  db: Db,
  actor: Actor,
  key: string,
  place: { readonly folder: string; readonly due: string | null; readonly isPattern: boolean },
): Promise<RoundDetail> {
  await write(db, actor, async (w) => {
    const record = await lockRecord(w, 'round', key);
    const [before] = await w.tx.select().from(roundDetails).where(eq(roundDetails.id, record.id));
    const folder = place.folder
      .split('/')
      .map((part) => part.trim())
      .filter(Boolean)
      .join(' / ');
    const values = { ...place, folder };
    await w.tx
      .insert(roundDetails)
      .values({ id: record.id, projectId: actor.projectId, ...values })
      .onDuplicateKeyUpdate({ set: values });
    w.log({
      action: 'round placed',
      kind: 'round',
      key: record.key,
      before: before ? { folder: before.folder, due: before.due, isPattern: before.isPattern } : null,
      after: values,
    });
    w.wrote(roundDetailRows, record.id);
  });
  return roundDetail(db, actor.projectId, key);
}

/** Closes a round with a signature, or opens it again with a reason. What is not recorded stays planned, and is said. */
export async function closeRound(
  db: Db,
  actor: Actor,
  key: string,
  { reason, password }: { reason: string; password: string },
): Promise<RoundDetail> {
  const signer = await proveSigner(db, actor, password);
  await write(db, actor, async (w) => {
    const { record } = await lockOpenRound(w, key);
    const mine = await selectRuns(w.tx, and(eq(runs.roundId, record.id), isNull(runs.withdrawnAt)));
    const revision = record.revision + 1;
    const content = {
      state: 'closed',
      runs: mine.map((stored) => ({ key: stored.record.key, verdict: stored.run.verdict, hash: stored.run.hash })),
      reason,
    };
    const hash = textHash(envelope2('round', record.key, revision, content));
    await changeRecord(w, record, { revision, state: 'closed' });
    w.log({
      action: 'round closed',
      kind: 'round',
      key: record.key,
      after: {
        reason,
        runs: mine.length,
        open: mine.filter(({ run }) => run.finishedAt === null).length,
        hash,
        printedName: signer.printedName,
      },
    });
    w.snapshot({ recordId: record.id, revision, state: 'closed', snapshot: content, hash, reason });
    w.wrote(recordRows, record.id);
    await putSignature(w, signer, { recordId: record.id, revision, meaning: 'closed', format: recordFormat, hash, reason });
  });
  return roundDetail(db, actor.projectId, key);
}

export async function reopenRound(db: Db, actor: Actor, key: string, reason: string): Promise<RoundDetail> {
  await write(db, actor, async (w) => {
    const record = await lockRecord(w, 'round', key);
    if (record.state !== 'closed') throw new Refusal('stateForbids', { detail: `${record.key} is ${record.state}.` });
    const revision = record.revision + 1;
    await changeRecord(w, record, { revision, state: 'open' });
    w.log({ action: 'round opened again', kind: 'round', key: record.key, after: { reason } });
    w.snapshot({ recordId: record.id, revision, state: 'open', snapshot: { state: 'open', reason }, reason });
    w.wrote(recordRows, record.id);
  });
  return roundDetail(db, actor.projectId, key);
}

/** Adds cases to a round: a run for each of their rows, in the round's configuration. */
export async function addToRound(
  db: Db,
  actor: Actor,
  key: string,
  { cases, tester, reason }: { readonly cases: readonly string[]; readonly tester: string; readonly reason: string },
): Promise<RoundDetail> {
  await write(db, actor, async (w) => {
    const { record, round, build } = await lockOpenRound(w, key);
    await needTester(w.tx, actor.projectId, tester);
    const { id: roundId, buildId, unit, tools } = round;
    const [first] = await w.tx.select({ configuration: runs.configuration }).from(runs).where(eq(runs.roundId, roundId)).limit(1);
    const configuration = first?.configuration ?? round.configuration;
    const planned = [];
    for (const caseKey of new Set(cases)) {
      const c = await needCase(w.tx, actor.projectId, caseKey);
      const why = await runnable(w.tx, actor.projectId, c);
      if (why) throw new Refusal('invalid', { detail: why, fields: [{ path: 'cases', text: why }] });
      for (const row of c.row.rows?.length ? c.row.rows.map(({ name }) => name) : [null]) {
        const supersedesId = await standingResult(w.tx, { buildId, caseId: c.record.id, row, configuration });
        if (supersedesId !== null && reason.trim().length < 3)
          throw new Refusal('invalid', {
            fields: [{ path: 'reason', text: `${caseKey} has a result here already: say why it is planned again.` }],
          });
        planned.push({ c, row, tester, supersedesId });
      }
    }
    w.log({
      action: 'runs added to round',
      kind: 'round',
      key: record.key,
      after: { cases: [...new Set(cases)], tester, runs: planned.length, ...(reason ? { reason } : {}) },
      touches: { build: build.id, results: planned.map(({ c }) => c.record.id) },
    });
    await planRuns(w, { roundId, buildId, configuration, unit, tools }, planned);
  });
  return roundDetail(db, actor.projectId, key);
}

/** Does a run of a round one place earlier or later among those that are done; the last and the first stay where they are. */
export async function moveRun(
  db: Db,
  actor: Actor,
  key: string,
  { run, by }: { readonly run: string; readonly by: -1 | 1 },
): Promise<void> {
  await write(db, actor, async (w) => {
    const { record } = await lockOpenRound(w, key);
    const place = placeOfRun(sql`${runDetails.position}`);
    const rows = await w.tx
      .select({ id: runs.id, key: records.key, place: place.mapWith(Number) })
      .from(runs)
      .innerJoin(records, eq(records.id, runs.id))
      .leftJoin(runDetails, eq(runDetails.id, runs.id))
      .where(and(eq(runs.roundId, record.id), isNull(runs.supersededById), isNull(runs.withdrawnAt)))
      .orderBy(asc(place));
    const at = rows.findIndex((row) => row.key === plainKey(run));
    if (at < 0) throw new Refusal('notFound', { detail: `${run} is no run of ${record.key}.` });
    const [next, beyond] = [rows[at + by], rows[at + 2 * by]];
    if (!next) return;
    // Between the one that it passes and the one behind that.
    const position = beyond ? (next.place + beyond.place) / 2 : next.place + by;
    w.log({ action: 'run moved in its round', kind: 'run', key: run, before: { behind: next.key }, after: { round: record.key, by } });
    await putRunDetails(w, rows[at].id, { position });
  });
}

/** When a run is wanted and how urgently; what is recorded already has nothing of it to change. */
export async function scheduleIn(
  w: Writing,
  { record, run, round }: StoredRun,
  values: Readonly<Record<string, unknown>>,
): Promise<{ words: string; undo: BulkAct | null }> {
  const given = scheduleSchema.safeParse(values);
  if (!given.success) throw new Refusal('invalid', { detail: given.error.issues.map(({ message }) => message).join(' ') });
  if (given.data.round !== undefined) return toOtherRound(w, { record, run, round }, given.data.round);
  const known = (await runDetailsOf(w.tx, [run.id])).get(run.id);
  const before = { due: known?.due ?? null, priority: known?.priority ?? '' };
  const { due, priority } = given.data;
  const after = { ...before, ...(due === undefined ? {} : { due: due || null }), ...(priority === undefined ? {} : { priority }) };
  const told = ({ due: day, priority: how }: typeof before): string => [day ?? 'no day', how].filter(Boolean).join(', ');
  if (told(before) === told(after)) throw new Refusal('stateForbids', { detail: 'It says so already.' });
  w.log({ action: 'run scheduled', kind: 'run', key: record.key, before, after });
  await putRunDetails(w, run.id, after);
  return { words: `${told(before)} → ${told(after)}`, undo: { act: 'set', values: { due: before.due ?? '', priority: before.priority } } };
}
/** Puts a run that nobody began into another open round of its build; its configuration stays what it was planned for. */
async function toOtherRound(
  w: Writing,
  { record, run, round }: Pick<StoredRun, 'record' | 'run' | 'round'>,
  key: string,
): Promise<{ words: string; undo: BulkAct | null }> {
  const { record: to, build } = await lockOpenRound(w, key);
  const no = (detail: string): Refusal => new Refusal('stateForbids', { detail });
  if (to.id === run.roundId) throw no(`It stands in ${to.key} already.`);
  if (build.id !== run.buildId) throw no(`${to.key} is of another build.`);
  if (run.startedAt !== null || run.withdrawnAt !== null) throw no('It was begun, or withdrawn: it stays where it is.');
  await lockOpenRound(w, round);
  await w.tx.update(runs).set({ roundId: to.id }).where(eq(runs.id, run.id));
  w.log({ action: 'run moved to round', kind: 'run', key: record.key, before: { round }, after: { round: to.key } });
  w.wrote(runRows, run.id);
  await putRunDetails(w, run.id, { position: null });
  return { words: `${round} → ${to.key}`, undo: { act: 'set', values: { round } } };
}

const scheduleSchema = z.strictObject({
  /** Another round of the same build; nothing else is set with it. */
  round: recordKey.optional(),
  due: z.union([day, z.literal('')]).optional(),
  priority: z.string().trim().max(20, 'At most 20 letters.').optional(),
});

/** Plans one run at once, for whoever asks: in the round named, or in one of their own on that build that is made by itself. */
export async function runNow(
  db: Db,
  actor: Actor,
  caseKey: string,
  input: {
    readonly build: string;
    readonly configuration: string;
    readonly row: string | null;
    readonly round: string | null;
    readonly reason: string;
  },
): Promise<RunSummary> {
  const made = await write(db, actor, async (w) => {
    const { projectId, login } = actor;
    const { configuration, row } = input;
    const c = await needCase(w.tx, projectId, caseKey);
    const why = await runnable(w.tx, projectId, c);
    if (why) throw new Refusal('stateForbids', { detail: why });
    const rows = (c.row.rows ?? []).map(({ name }) => name);
    if (rows.length ? row === null || !rows.includes(row) : row !== null)
      throw new Refusal('invalid', {
        fields: [
          { path: 'row', text: rows.length ? `Choose a data row: ${rows.slice(0, 20).join(', ')}.` : `${caseKey} has no data rows.` },
        ],
      });
    await needTester(w.tx, projectId, login);
    const build = await needOpenBuild(w.tx, projectId, input.build);
    const supersedesId = await standingResult(w.tx, { buildId: build.id, caseId: c.record.id, row, configuration });
    if (supersedesId !== null && input.reason.trim().length < 3)
      throw new Refusal('invalid', {
        fields: [{ path: 'reason', text: `${caseKey} has a result here already: say why it is run again.` }],
      });
    let roundId: number;
    let unit = '';
    let tools = '';
    if (input.round !== null) {
      const { round } = await lockOpenRound(w, input.round);
      if (round.buildId !== build.id) throw new Refusal('stateForbids', { detail: `${input.round} is a round of another build.` });
      ({ id: roundId, unit, tools } = round);
    } else {
      const title = `Single runs of ${login}`;
      const [own] = await w.tx
        .select({ id: rounds.id })
        .from(rounds)
        .innerJoin(records, eq(records.id, rounds.id))
        .where(and(eq(rounds.buildId, build.id), eq(records.title, title), eq(records.createdBy, login), eq(records.state, 'open')))
        .limit(1);
      ({ id: roundId } = own ?? (await insertRound(w, { title, build, configuration }, { tester: login })));
    }
    w.log({
      action: 'run planned',
      kind: 'case',
      key: c.record.key,
      after: { build: build.name, configuration, row, ...(input.reason ? { reason: input.reason } : {}) },
      touches: { build: build.id, results: [c.record.id] },
    });
    const [key] = await planRuns(w, { roundId, buildId: build.id, configuration, unit, tools }, [{ c, row, tester: login, supersedesId }]);
    return key;
  });
  const [{ id: _, ...summary }] = await runSummaries(db, and(eq(records.projectId, actor.projectId), eq(records.key, made)));
  return summary;
}

/** What was recorded of a round day by day against what is planned, and when it ends at that pace. */
export async function roundProgress(db: Db, projectId: number, key: string, now: Date): Promise<RoundProgress> {
  const record = await needRecord(db, projectId, 'round', key);
  const rows = await db
    .select({
      caseId: runs.caseId,
      caseKey: records.key,
      tester: runs.tester,
      printedName: people.printedName,
      configuration: runs.configuration,
      verdict: runs.verdict,
      finishedAt: runs.finishedAt,
      seconds: runs.seconds,
      frozen: runs.frozen,
    })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.caseId))
    .leftJoin(people, eq(people.login, runs.tester))
    .where(and(eq(runs.roundId, record.id), isNull(runs.withdrawnAt), isNull(runs.supersededById)))
    .orderBy(asc(runs.id));
  const places = await placesOf(db, [...new Set(rows.map(({ caseId }) => caseId))]);
  const folderOf = ({ caseId }: { readonly caseId: number }): string => places.get(caseId)?.title ?? 'in no folder';
  const days = new Map<string, { minutes: number; took: number; runs: number }>();
  for (const { finishedAt, frozen, seconds } of rows) {
    if (finishedAt === null) continue;
    const day = days.get(finishedAt.slice(0, 10)) ?? { minutes: 0, took: 0, runs: 0 };
    days.set(finishedAt.slice(0, 10), { minutes: day.minutes + frozen.plannedMinutes, took: day.took + seconds / 60, runs: day.runs + 1 });
  }
  const planned = rows.reduce((sum, { frozen }) => sum + frozen.plannedMinutes, 0);
  let [minutes, took, done] = [0, 0, 0];
  const line = [...days]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([day, of]) => {
      [minutes, took, done] = [minutes + of.minutes, took + of.took, done + of.runs];
      return { day, minutes, took: Math.round(took), runs: done };
    });
  const counted = (nameOf: (row: (typeof rows)[number]) => string) => {
    const found = new Map<string, number>();
    for (const row of rows) {
      const at = `${nameOf(row)}\n${row.verdict ?? 'planned'}`;
      found.set(at, (found.get(at) ?? 0) + 1);
    }
    return [...found].map(([at, count]) => ({ name: at.split('\n')[0], verdict: at.split('\n')[1], runs: count }));
  };
  return {
    planned,
    days: line,
    ends: projectedEnd(planned, line, now.toISOString().slice(0, 10)),
    by: {
      person: counted((row) => row.printedName ?? row.tester),
      configuration: counted((row) => row.configuration),
      folder: counted(folderOf),
    },
    folders: Object.fromEntries(rows.map((row) => [row.caseKey, folderOf(row)])),
  };
}
