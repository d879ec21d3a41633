import { groupBy } from '@core/base';
import type { CordRun } from '@core/prove';
import { and, asc, eq, inArray, isNotNull, isNull, sql, type SQL } from 'drizzle-orm';
import { integrityFaults, records, signatures, statement, statementOfMany, type Db, type Tx } from '../base';
import { evidence, runDetails, runs } from './tables';

/** A run as it is judged, with what binds measurements to it. */
export interface JudgedRun extends CordRun {
  readonly id: number;
  readonly caseId: number;
  readonly plannedAt: string;
  readonly isRerun: boolean;
  /** The hash of its record, kept as it was finished. */
  readonly hash: string | null;
}

/** Runs of a build that stand; `finished`: what is planned is left out. */
const standing = (where: SQL | undefined, finished: boolean): SQL | undefined =>
  and(eq(runs.buildId, sql.placeholder('buildId')), isNull(runs.withdrawnAt), finished ? isNotNull(runs.finishedAt) : undefined, where);
const runRows = (finished: boolean) =>
  statementOfMany(runs.caseId, (db, where) =>
    db
      .select({
        id: runs.id,
        key: records.key,
        caseId: runs.caseId,
        caseRevision: runs.caseRevision,
        row: runs.row,
        configuration: runs.configuration,
        verdict: runs.verdict,
        finishedAt: runs.finishedAt,
        finished: runs.finishedSeq,
        failedStep: runs.failedStep,
        deviationAccepted: runs.deviationAccepted,
        returnedAt: runs.returnedAt,
        setAside: runs.setAside,
        carriedOverTo: runs.carriedOverTo,
        tester: runs.tester,
        hash: runs.hash,
        plannedAt: records.createdAt,
        supersedesId: runs.supersedesId,
        performedBy: runDetails.performedBy,
      })
      .from(runs)
      .innerJoin(records, eq(records.id, runs.id))
      .leftJoin(runDetails, eq(runDetails.id, runs.id))
      .where(standing(where, finished))
      .orderBy(asc(runs.id)),
  );
const signatureRows = (finished: boolean) =>
  statementOfMany(runs.caseId, (db, where) =>
    db
      .select({ recordId: signatures.recordId, meaning: signatures.meaning, login: signatures.login, hash: signatures.hash })
      .from(signatures)
      .innerJoin(runs, eq(runs.id, signatures.recordId))
      .where(standing(where, finished))
      .orderBy(asc(signatures.id)),
  );
const asked = {
  all: { runs: runRows(false), signatures: signatureRows(false) },
  finished: { runs: runRows(true), signatures: signatureRows(true) },
};

/**
 * The runs of a build as they are judged: all, or those of some cases; withdrawn ones left out, in the order in which they were planned.
 * A signature matches when it is bound to the hash that was kept as the run was finished, and the last verification found nothing that
 * differs from the ledger.
 */
export async function judgedRuns(
  tx: Db | Tx,
  projectId: number,
  buildId: number,
  caseIds: readonly number[] | 'all',
  given: {
    /** Records that differ from the ledger, where they are known already. */
    readonly faulty?: ReadonlySet<number> | undefined;
    /** Only those of them that are finished: what is planned gives no credit. */
    readonly finished?: true;
  } = {},
): Promise<JudgedRun[]> {
  const faulty = given.faulty ?? (await faultyRecords(tx, projectId));
  const question = given.finished ? asked.finished : asked.all;
  const [rows, bound] = await Promise.all([question.runs(tx, caseIds, { buildId }), question.signatures(tx, caseIds, { buildId })]);
  const signed = groupBy(bound, (s) => s.recordId);
  // Each by its name: of thousands, what is copied as a rest takes as long as the reading.
  return rows.map((run) => ({
    id: run.id,
    key: run.key,
    caseId: run.caseId,
    caseRevision: run.caseRevision,
    row: run.row,
    configuration: run.configuration,
    verdict: run.verdict,
    failedStep: run.failedStep,
    deviationAccepted: run.deviationAccepted,
    setAside: run.setAside,
    carriedOverTo: run.carriedOverTo,
    tester: run.tester,
    plannedAt: run.plannedAt,
    ...(run.performedBy ? { tool: `${run.performedBy.tool} ${run.performedBy.version}`.trim() } : {}),
    caseKey: '',
    finished: run.finishedAt === null ? null : (run.finished ?? 0),
    returned: run.returnedAt !== null,
    isRerun: run.supersedesId !== null,
    hash: run.hash,
    signatures: (signed.get(run.id) ?? []).map(({ meaning, login, hash }) => ({
      meaning,
      login,
      matches: hash === run.hash && !faulty.has(run.id),
    })),
  }));
}

const faultRows = statement((db) =>
  db
    .select({ recordId: integrityFaults.recordId })
    .from(integrityFaults)
    .where(eq(integrityFaults.projectId, sql.placeholder('projectId'))),
);

/** Records of which the last verification found rows that are not what the ledger says. */
export async function faultyRecords(tx: Db | Tx, projectId: number): Promise<Set<number>> {
  const faults = await faultRows(tx, { projectId });
  const ids = new Set<number>();
  for (const { recordId } of faults) if (recordId !== null) ids.add(recordId);
  return ids;
}

/** The runs to which rows of evidence belong, for what a verification found. */
export async function runsOfEvidence(tx: Db | Tx, ids: readonly number[]): Promise<Map<number, number>> {
  if (!ids.length) return new Map();
  const rows = await tx
    .select({ id: evidence.id, runId: evidence.runId })
    .from(evidence)
    .where(inArray(evidence.id, [...ids]));
  return new Map(rows.map(({ id, runId }) => [id, runId]));
}
