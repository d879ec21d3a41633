import type { SentResults } from '@contract/run';
import { JunitReader, TapReader } from '@core/measure';
import { machineRuns, matchResult, titlesOf, type MachineResult, type MachineRun, type MatchableCase, type StepResult } from '@core/run';
import { and, asc, eq, inArray, isNull } from 'drizzle-orm';
import {
  needOpenBuild,
  openBuildById,
  parseHere,
  parseWork,
  records,
  Refusal,
  storeBlob,
  takeStorage,
  write,
  type Actor,
  type Db,
  type StoredBuild,
  type Tx,
  type Upload,
  type Writing,
} from '../base';
import { cases, listCaseKinds, needCases, whyNotRun, type StoredCase } from '../design';
import { planRuns, type PlannedRun } from './plan';
import { rulesOf, uploadsById } from './result-lists';
import { insertRound } from './rounds';
import { finishIn, lockRun } from './recording';
import { evidenceRows, resultItemRows, resultUploadRows } from './rows';
import { evidence, resultItems, resultUploads, runs } from './tables';

const mostResults = 20_000;

interface ReadResults {
  readonly format: 'junit' | 'tap';
  readonly results: readonly MachineResult[];
  readonly errors: readonly string[];
  readonly warnings: readonly string[];
}
/** A file of results, read: XML is JUnit's, anything else is taken for TAP. */
const readResults = parseWork('results', ({ bytes }: { readonly bytes: Uint8Array }): ReadResults => {
  const results: MachineResult[] = [];
  const begin = new TextDecoder().decode(bytes.subarray(0, 200)).trimStart();
  const format = begin.startsWith('<') ? 'junit' : 'tap';
  const reader = new (format === 'junit' ? JunitReader : TapReader)((result) => {
    if (results.length < mostResults) results.push(result);
  });
  reader.push(bytes);
  reader.finish();
  const said = (severity: string) =>
    reader.findings.filter((f) => f.severity === severity).map((f) => (f.row ? `Line ${f.row}: ${f.text}` : f.text));
  return { format, results, errors: said('error'), warnings: said('warning') };
});

export interface SendingResults {
  readonly build: string;
  readonly configuration: string;
  readonly tool: string;
  readonly version: string;
}

const isResults = ({ name, bytes }: Upload): boolean => /\.(xml|tap)$/i.test(name) || bytes.subarray(0, 5).toString() === '<?xml';

/** The cases of a project as results are matched to them. */
async function matchable(tx: Tx, projectId: number): Promise<Map<string, MatchableCase>> {
  const rows = await tx
    .select({ key: records.key, title: records.title, rows: cases.rows })
    .from(cases)
    .innerJoin(records, eq(records.id, cases.id))
    .where(and(eq(cases.projectId, projectId), isNull(records.retiredAt)));
  return new Map(rows.map(({ key, title, rows: dataRows }) => [key, { key, title, rows: (dataRows ?? []).map(({ name }) => name) }]));
}

/** What a program sends: kept as it came, matched to cases, and recorded as runs that the program performed. */
export async function sendResults(db: Db, actor: Actor, input: SendingResults, files: readonly Upload[]): Promise<SentResults> {
  const sent = files.filter(isResults);
  const logs = files.filter((file) => !isResults(file));
  if (!sent.length)
    throw new Refusal('invalid', { fields: [{ path: 'file', text: 'Send at least one file of results: JUnit XML or TAP.' }] });
  const read: { readonly file: Upload; readonly of: ReadResults }[] = [];
  for (const file of sent) {
    const of = await readResults(actor.parse ?? parseHere, { bytes: new Uint8Array(file.bytes) });
    // What was cut off, or is not what it says, is no result.
    if (of.errors.length) throw new Refusal('unreadable', { detail: `${file.name}: ${of.errors.slice(0, 5).join(' ')}` });
    read.push({ file, of });
  }
  const answer = {
    uploads: [] as number[],
    runs: [] as SentResults['runs'],
    unmatched: [] as string[],
    refused: [] as SentResults['refused'],
  };
  await write(db, actor, async (w) => {
    Object.assign(answer, { uploads: [], runs: [], unmatched: [], refused: [] });
    const build = await needOpenBuild(w.tx, actor.projectId, input.build);
    for (const { file, of } of read) {
      const sha256 = await storeBlob(w.tx, file.bytes);
      const [{ id }] = await w.tx
        .insert(resultUploads)
        .values({
          projectId: actor.projectId,
          buildId: build.id,
          configuration: input.configuration,
          format: of.format,
          tool: input.tool,
          version: input.version,
          sentBy: actor.login,
          at: w.at,
          name: file.name,
          bytes: file.bytes.length,
          sha256,
          results: of.results.length,
        })
        .$returningId();
      w.log({
        action: 'results sent',
        kind: 'build',
        key: build.name,
        after: {
          name: file.name,
          sha256,
          tool: input.tool,
          version: input.version,
          configuration: input.configuration,
          results: of.results.length,
        },
      });
      w.wrote(resultUploadRows, id);
      await takeStorage(
        w,
        [...logs, file].reduce((sum, { bytes }) => sum + bytes.length, 0),
      );
      const ids: number[] = [];
      for (let at = 0; at < of.results.length; at += 500) {
        const made = await w.tx
          .insert(resultItems)
          .values(
            of.results.slice(at, at + 500).map(({ group, name, verdict, seconds, message }, i) => ({
              projectId: actor.projectId,
              uploadId: id,
              position: at + i,
              suite: group.slice(0, 700),
              name: name.slice(0, 700),
              outcome: verdict,
              seconds: seconds ?? 0,
              message,
            })),
          )
          .$returningId();
        ids.push(...made.map((row) => row.id));
      }
      w.wrote(resultItemRows, ...ids);
      const upload = { ...input, id, build, sentBy: actor.login, name: file.name };
      const done = await recordResults(w, upload, of.results, ids, [file, ...logs]);
      answer.uploads.push(id);
      answer.runs.push(...done.runs);
      answer.unmatched.push(...done.unmatched);
      answer.refused.push(...done.refused);
    }
  });
  return { ...answer, uploads: await uploadsById(db, answer.uploads), findings: read.flatMap(({ of }) => [...of.warnings]) };
}

interface UploadOf extends SendingResults {
  readonly id: number;
  readonly sentBy: string;
  readonly name: string;
}

/** Makes runs of the results that belong to cases; the rest stays with the upload. Belongs to the entry logged before. */
async function recordResults(
  w: Writing,
  upload: Omit<UploadOf, 'build'> & { readonly build: StoredBuild },
  results: readonly MachineResult[],
  ids: readonly number[],
  files: readonly Upload[],
): Promise<Pick<SentResults, 'runs' | 'unmatched' | 'refused'>> {
  const { projectId } = w.actor;
  const known = await matchable(w.tx, projectId);
  const rules = await rulesOf(w.tx, projectId);
  const titles = titlesOf(known);
  const { runs: made, unmatched } = machineRuns(results, (result) => matchResult(result, known, rules, titles));
  const kinds = await listCaseKinds(w.tx, projectId);
  const named = await needCases(
    w.tx,
    projectId,
    made.map(({ caseKey }) => caseKey),
  );
  const caseOf = new Map(named.map((c) => [c.record.key, c]));
  const planned: { run: MachineRun; plan: PlannedRun }[] = [];
  const refused: SentResults['refused'] = [];
  for (const run of made) {
    const c = caseOf.get(run.caseKey) as StoredCase;
    const [row] = c.row.rows ?? [];
    const why =
      whyNotRun(c, kinds) ??
      (row && run.row === null ? `${run.caseKey} has data rows: name one, as in “${run.caseKey} row ${row.name}”.` : undefined);
    if (why) refused.push({ key: run.caseKey, why });
    else planned.push({ run, plan: { c, row: run.row, tester: upload.sentBy, supersedesId: null, configuration: upload.configuration } });
  }
  const names = unmatched.map((at) => results[at]).map(({ group, name }) => (group ? `${group} › ${name}` : name));
  if (!planned.length) return { runs: [], unmatched: names, refused };
  const tools = `${upload.tool} ${upload.version}`.trim();
  const place = { buildId: upload.build.id, configuration: upload.configuration, unit: '', tools };
  const waiting = await plannedFor(w, upload);
  const keyOf = ({ plan }: (typeof planned)[number]): string | undefined => waiting.get(`${plan.c.record.id}\n${plan.row ?? ''}`);
  const unplanned = planned.filter((of) => keyOf(of) === undefined);
  const fresh = unplanned.length
    ? await planRuns(
        w,
        { ...place, roundId: await roundOf(w, upload) },
        unplanned.map(({ plan }) => plan),
      )
    : [];
  const keys = planned.map((of) => keyOf(of) ?? fresh[unplanned.indexOf(of)]);
  if (!fresh.length) await noteRound(w, upload.id, keys[0]);
  // Every run of theirs holds the same files: they are stored once.
  const kept: KeptFile[] = [];
  for (const { name, mime, bytes } of files)
    kept.push({ name, mime: mime.slice(0, 120), bytes: bytes.length, sha256: await storeBlob(w.tx, bytes) });
  const answer: SentResults['runs'] = [];
  for (const [i, { run, plan }] of planned.entries()) {
    const runId = await recordMachineRun(w, keys[i], run, { ...upload, tools }, kept);
    const mine = run.steps.map(({ at }) => ids[at]);
    await w.tx.update(resultItems).set({ runId }).where(inArray(resultItems.id, mine));
    w.wrote(resultItemRows, ...mine);
    answer.push({ key: keys[i], caseKey: run.caseKey, row: plan.row, verdict: run.verdict });
  }
  return { runs: answer, unmatched: names, refused };
}

/** Results that belong to runs which were planned before stand in the round of these. */
async function noteRound(w: Writing, uploadId: number, runKey: string): Promise<void> {
  const [run] = await w.tx
    .select({ roundId: runs.roundId })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .where(and(eq(runs.projectId, w.actor.projectId), eq(records.key, runKey)));
  await w.tx
    .update(resultUploads)
    .set({ roundId: run.roundId })
    .where(and(eq(resultUploads.id, uploadId), isNull(resultUploads.roundId)));
  w.wrote(resultUploadRows, uploadId);
}

/** The runs that are planned for whoever sent an upload, on its build and in its configuration, by case and data row: their results belong there. */
async function plannedFor(
  w: Writing,
  { sentBy, build, configuration }: Pick<UploadOf, 'sentBy' | 'configuration'> & { readonly build: StoredBuild },
): Promise<Map<string, string>> {
  const rows = await w.tx
    .select({ key: records.key, caseId: runs.caseId, row: runs.row })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .where(
      and(
        eq(runs.buildId, build.id),
        eq(runs.tester, sentBy),
        eq(runs.configuration, configuration),
        isNull(runs.finishedAt),
        isNull(runs.withdrawnAt),
      ),
    )
    .orderBy(asc(runs.id));
  return new Map(rows.map(({ key, caseId, row }) => [`${caseId}\n${row ?? ''}`, key]));
}

/** The round of an upload: made by itself with the first of its runs. */
async function roundOf(w: Writing, upload: Omit<UploadOf, 'build'> & { readonly build: StoredBuild }): Promise<number> {
  const [before] = await w.tx.select({ roundId: resultUploads.roundId }).from(resultUploads).where(eq(resultUploads.id, upload.id));
  if (before?.roundId) return before.roundId;
  const { configuration, tool, version, name, build } = upload;
  const tools = `${tool} ${version}`.trim();
  const made = { title: `${tools}: ${name}`.slice(0, 300), build, configuration, tools };
  const { id } = await insertRound(w, made, { tools, results: upload.id }, { build: build.id });
  await w.tx.update(resultUploads).set({ roundId: id }).where(eq(resultUploads.id, upload.id));
  w.wrote(resultUploadRows, upload.id);
  return id;
}

/** A file that a program sent, as runs hold it. */
type KeptFile = Pick<typeof evidence.$inferInsert, 'name' | 'mime' | 'bytes' | 'sha256'>;

/** Records what a program did: its steps are the results that belong to the run, its evidence the files as they came. Answers the run's id. */
async function recordMachineRun(
  w: Writing,
  key: string,
  made: MachineRun,
  { sentBy, tool, version, tools }: { readonly sentBy: string; readonly tool: string; readonly version: string; readonly tools: string },
  files: readonly KeptFile[],
): Promise<number> {
  const locked = await lockRun(w, key);
  const { run } = locked;
  const steps = made.steps.map(({ verdict, message }): StepResult => ({
    verdict,
    observed: message || (verdict === 'pass' ? `${tools} says that it passed.` : `${tools} says no more than that.`),
    at: w.at,
  }));
  const frozen = { ...run.frozen, steps: made.steps.map(({ name }) => ({ action: name, expected: 'It passes' })) };
  const performedBy = { program: sentBy, tool, version };
  await w.tx.update(runs).set({ frozen, steps, startedAt: w.at, format: 6 }).where(eq(runs.id, run.id));
  if (files.length) {
    const held = await w.tx
      .insert(evidence)
      .values(files.map((file) => ({ projectId: w.actor.projectId, runId: run.id, step: 1, ...file })))
      .$returningId();
    w.wrote(evidenceRows, ...held.map(({ id }) => id));
  }
  await finishIn(
    w,
    { ...locked, files: files.length > 0, run: { ...run, frozen, steps, startedAt: w.at, format: 6 } },
    { seconds: Math.round(made.seconds), performedBy },
  );
  return run.id;
}

/** Matches what matched nothing again, by the rules that there are now. */
export async function matchResults(db: Db, actor: Actor, id: number): Promise<SentResults> {
  const answer: { value: Pick<SentResults, 'runs' | 'unmatched' | 'refused'> } = { value: { runs: [], unmatched: [], refused: [] } };
  await write(db, actor, async (w) => {
    const [row] = await w.tx
      .select()
      .from(resultUploads)
      .where(and(eq(resultUploads.projectId, actor.projectId), eq(resultUploads.id, id)))
      .for('update');
    if (!row) throw new Refusal('notFound', { detail: 'There are no such results.' });
    const build = await openBuildById(w.tx, row.buildId);
    const open = await w.tx
      .select()
      .from(resultItems)
      .where(and(eq(resultItems.uploadId, id), isNull(resultItems.runId), isNull(resultItems.dismissed)))
      .orderBy(asc(resultItems.position));
    w.log({ action: 'results matched again', kind: 'build', key: build.name, after: { results: id, name: row.name, open: open.length } });
    answer.value = await recordResults(
      w,
      { ...row, build },
      open.map(({ suite, name, outcome, seconds, message }) => ({ group: suite, name, verdict: outcome, seconds, message })),
      open.map((item) => item.id),
      [],
    );
  });
  return { ...answer.value, uploads: await uploadsById(db, [id]), findings: [] };
}
