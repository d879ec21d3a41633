import type { RoundDetail, Round, RunDetail, RunSummary } from '@contract/run';
import { groupBy } from '@core/base';
import { runOutdated } from '@core/prove';
import { plainContent } from '@core/design';
import { runHash, type RunRecord } from '@core/run';
import { and, asc, desc, eq, inArray, isNull, type SQL } from 'drizzle-orm';
import { people, Refusal, signatures, traces, type Db, type Tx } from '../base';
import { cases } from '../design';
import { requirements } from '../specify';
import { decisions, evidence, problems, rounds, runs } from './tables';

export type StoredRun = typeof runs.$inferSelect;
export type StoredEvidence = typeof evidence.$inferSelect;

/** The record that a signature is bound to, from what is stored now. */
export function runRecord(run: StoredRun, files: readonly StoredEvidence[]): RunRecord {
  const {
    key,
    round,
    build,
    configuration,
    unit,
    tools,
    caseKey,
    caseRevision,
    frozen,
    row,
    tester,
    startedAt,
    finishedAt,
    seconds,
    steps,
    verdict,
  } = run;
  const notes = files
    .filter((file) => file.removedAt === null)
    .map(({ step, name, mime, bytes, sha256 }) => ({ step, name, mime, bytes, sha256 }));
  return {
    key,
    round,
    build,
    configuration,
    unit,
    tools,
    caseKey,
    caseRevision,
    case: frozen,
    row,
    tester,
    startedAt,
    finishedAt,
    seconds,
    steps,
    evidence: notes,
    verdict,
  };
}

export async function evidenceOf(db: Db | Tx, runIds: readonly number[]): Promise<Map<number, StoredEvidence[]>> {
  if (!runIds.length) return new Map();
  const files = await db
    .select()
    .from(evidence)
    .where(and(inArray(evidence.runId, [...runIds]), isNull(evidence.removedAt)))
    .orderBy(asc(evidence.id));
  return groupBy(files, (file) => file.runId);
}

export async function needRun(db: Db | Tx, projectId: number, key: string): Promise<StoredRun> {
  const [run] = await db
    .select()
    .from(runs)
    .where(and(eq(runs.projectId, projectId), eq(runs.key, key)));
  if (!run) throw new Refusal('notFound', { detail: `There is no run ${key}.` });
  return run;
}

/** Run summaries with what they need from elsewhere, in a fixed number of queries. */
export async function runSummaries(db: Db | Tx, projectId: number, where: SQL): Promise<RunSummary[]> {
  const rows = await db
    .select({ run: runs, caseNow: cases.revision, testerName: people.printedName })
    .from(runs)
    .leftJoin(cases, and(eq(cases.projectId, runs.projectId), eq(cases.key, runs.caseKey)))
    .leftJoin(people, eq(people.login, runs.tester))
    .where(and(eq(runs.projectId, projectId), where))
    .orderBy(asc(runs.id));
  const signed = rows.length
    ? await db
        .select({ runId: signatures.runId, meaning: signatures.meaning })
        .from(signatures)
        .where(
          inArray(
            signatures.runId,
            rows.map((r) => r.run.id),
          ),
        )
    : [];
  const meanings = new Map<number, Set<string>>();
  for (const { runId, meaning } of signed) meanings.set(runId, (meanings.get(runId) ?? new Set()).add(meaning));
  return rows.map(({ run, caseNow, testerName }) => {
    const has = meanings.get(run.id);
    const state: RunSummary['state'] =
      run.supersededBy !== null
        ? 'superseded'
        : has?.has('reviewed')
          ? 'reviewed'
          : has?.has('performed')
            ? 'performed'
            : run.finishedAt !== null
              ? 'recorded'
              : run.startedAt !== null
                ? 'onBench'
                : 'planned';
    return {
      key: run.key,
      round: run.round,
      build: run.build,
      caseKey: run.caseKey,
      caseTitle: run.frozen.title,
      caseRevision: run.caseRevision,
      caseNow: caseNow ?? run.caseRevision,
      row: run.row,
      configuration: run.configuration,
      tester: run.tester,
      testerName: testerName ?? run.tester,
      state,
      verdict: run.verdict,
      outdated: run.verdict !== null && run.supersededBy === null && runOutdated(run, caseNow ?? 0),
      carriedOver: run.carriedOverTo !== null,
      plannedMinutes: run.frozen.plannedMinutes,
      seconds: run.seconds,
    };
  });
}

export async function runDetail(db: Db | Tx, projectId: number, key: string): Promise<RunDetail> {
  const run = await needRun(db, projectId, key);
  const [summary] = await runSummaries(db, projectId, eq(runs.id, run.id));
  const files = (await evidenceOf(db, [run.id])).get(run.id) ?? [];
  const hash = runHash(runRecord(run, files));
  const signed = await db.select().from(signatures).where(eq(signatures.runId, run.id)).orderBy(asc(signatures.id));
  const decided = await db.select().from(decisions).where(eq(decisions.runId, run.id)).orderBy(asc(decisions.id));
  const raised = await db
    .select()
    .from(problems)
    .where(and(eq(problems.projectId, projectId), eq(problems.run, key)))
    .orderBy(asc(problems.id));
  const verifies = await db
    .select({ key: requirements.key, title: requirements.title })
    .from(traces)
    .innerJoin(requirements, and(eq(requirements.projectId, traces.projectId), eq(requirements.key, traces.toKey)))
    .where(and(eq(traces.projectId, projectId), eq(traces.kind, 'verifies'), eq(traces.fromKey, run.caseKey), isNull(traces.removedAt)));
  const { unit, tools, startedAt, finishedAt, revision, deviationAccepted, supersededBy, supersedes } = run;
  return {
    ...summary,
    unit,
    tools,
    case: plainContent(run.frozen),
    verifies,
    steps: [...run.steps],
    evidence: files.map(({ id, step, name, mime, bytes, sha256 }) => ({ id, step, name, mime, bytes, sha256 })),
    signatures: signed.map(({ meaning, login, printedName, at, hash: bound, reason }) => ({
      meaning,
      login,
      printedName,
      at,
      hash: bound,
      reason,
      matches: bound === hash,
    })),
    decisions: decided.map(({ choice, reason, login, at }) => ({ choice, reason, login, at })),
    problems: raised.map(({ key: problem, title, state, step }) => ({ key: problem, title, state, step })),
    startedAt,
    finishedAt,
    hash,
    revision,
    deviationAccepted,
    supersededBy,
    supersedes,
  };
}

const counted = (items: readonly RunSummary[]): Pick<Round, 'runs' | 'recorded' | 'failed' | 'reviewed'> => {
  const current = items.filter((item) => item.state !== 'superseded');
  return {
    runs: current.length,
    recorded: current.filter((item) => item.verdict !== null).length,
    failed: current.filter((item) => item.verdict === 'failed').length,
    reviewed: current.filter((item) => item.state === 'reviewed').length,
  };
};

const asRound = (row: typeof rounds.$inferSelect): Omit<Round, 'runs' | 'recorded' | 'failed' | 'reviewed'> => {
  const { key, title, build, configuration, unit, tools, createdBy, createdAt } = row;
  return { key, title, build, configuration, unit, tools, createdBy, createdAt };
};

export async function listRounds(db: Db, projectId: number, build: string): Promise<Round[]> {
  const rows = await db
    .select()
    .from(rounds)
    .where(and(eq(rounds.projectId, projectId), eq(rounds.build, build)))
    .orderBy(desc(rounds.id));
  const items = await runSummaries(db, projectId, eq(runs.build, build));
  return rows.map((row) => ({ ...asRound(row), ...counted(items.filter((item) => item.round === row.key)) }));
}

export async function roundDetail(db: Db | Tx, projectId: number, key: string): Promise<RoundDetail> {
  const [row] = await db
    .select()
    .from(rounds)
    .where(and(eq(rounds.projectId, projectId), eq(rounds.key, key)));
  if (!row) throw new Refusal('notFound', { detail: `There is no round ${key}.` });
  const items = await runSummaries(db, projectId, eq(runs.round, key));
  return { ...asRound(row), ...counted(items), items };
}
