import { groupBy } from '@core/base';
import { combinations, sourcesDigest, type CarriedResult } from '@core/prove';
import { and, asc, eq, inArray, isNull, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { records, revisions, signatures, statement, type Db, type StoredBuild, type Tx } from '../base';
import { judgedRuns, type JudgedRun } from '../run';
import { runCarries, sources } from './tables';

const fromRecord = alias(records, 'from_record');

export type Place = Pick<JudgedRun, 'caseId' | 'row' | 'configuration'>;
export const placeOf = ({ caseId, row, configuration }: Place): string => JSON.stringify([caseId, row, configuration]);

const sourceRows = statement((db) =>
  db
    .select({ id: sources.id, path: sources.path, sha256: sources.sha256 })
    .from(sources)
    .where(and(eq(sources.buildId, sql.placeholder('buildId')), isNull(sources.supersededAt)))
    .orderBy(asc(sources.path)),
);

/** The source files that a build has now, by their paths. */
export const sourcesOf = (tx: Db | Tx, buildId: number) => sourceRows(tx, { buildId });

const carriedTo = () => and(eq(runCarries.buildId, sql.placeholder('buildId')), isNull(runCarries.withdrawnAt));
const statementRows = statement((db) =>
  db
    .select({ row: runCarries, key: records.key, revision: records.revision, from: fromRecord.key })
    .from(runCarries)
    .innerJoin(records, eq(records.id, runCarries.id))
    .innerJoin(fromRecord, eq(fromRecord.id, runCarries.fromBuildId))
    .where(carriedTo())
    .orderBy(asc(runCarries.id)),
);
const fromRows = statement((db) => db.selectDistinct({ id: runCarries.fromBuildId }).from(runCarries).where(carriedTo()));

/** Statements that carry results to a build, and stand. */
export const standingStatements = (tx: Db | Tx, buildId: number) => statementRows(tx, { buildId });

/** The builds whose results were carried to a build. */
export async function carriedFrom(tx: Db | Tx, buildId: number): Promise<Set<number>> {
  return new Set((await fromRows(tx, { buildId })).map(({ id }) => id));
}

/** The cases of which a result was carried to a build. */
export async function casesCarriedTo(tx: Db | Tx, buildId: number): Promise<number[]> {
  return [...new Set((await standingStatements(tx, buildId)).flatMap(({ row }) => row.runs.map(({ caseId }) => caseId)))];
}

/** The runs that were carried to a build, by their number: the statement that says so. */
export async function runsCarriedTo(tx: Db | Tx, buildId: number): Promise<Map<number, { readonly id: number; readonly key: string }>> {
  const statements = await standingStatements(tx, buildId);
  return new Map(statements.flatMap(({ row, key }) => row.runs.map(({ runId }) => [runId, { id: row.id, key }] as const)));
}

/** Results of other builds that were carried to this one, as they are judged. What was withdrawn on its own build is none any more. */
export async function carriedResults(
  tx: Db | Tx,
  projectId: number,
  build: StoredBuild,
  caseIds: readonly number[] | 'all',
  faulty: ReadonlySet<number>,
): Promise<JudgedRun[]> {
  const statements = await standingStatements(tx, build.id);
  if (!statements.length) return [];
  const wanted = caseIds === 'all' ? undefined : new Set(caseIds);
  const digest = sourcesDigest(await sourcesOf(tx, build.id));
  const sound = await signedAsTheyStand(tx, statements);
  const found: JudgedRun[] = [];
  for (const { row, key, from } of statements) {
    const carried = new Map(row.runs.filter(({ caseId }) => wanted?.has(caseId) ?? true).map((run) => [run.runId, run]));
    const ids = [...new Set([...carried.values()].map(({ caseId }) => caseId))];
    const there = await judgedRuns(tx, projectId, row.fromBuildId, ids, { faulty, finished: true });
    const stands = new Set(
      [...groupBy(there, ({ caseId }) => caseId).values()].flatMap((runs) => combinations(runs).map((place) => place.standing?.id)),
    );
    for (const run of there) {
      const said = carried.get(run.id);
      if (!said) continue;
      const holds: CarriedResult['holds'] = !stands.has(run.id) ? 'replaced' : row.sources === digest ? 'yes' : 'otherSources';
      const matches = sound.has(row.id) && !faulty.has(row.id) && said.hash === run.hash;
      found.push({ ...run, carried: { key, from, holds, matches } });
    }
  }
  return found;
}

/** Statements whose signature is of the revision that they have now. */
async function signedAsTheyStand(tx: Db | Tx, statements: Awaited<ReturnType<typeof standingStatements>>): Promise<Set<number>> {
  const ids = statements.map(({ row }) => row.id);
  const rows = await tx
    .select({ id: signatures.recordId })
    .from(signatures)
    .innerJoin(
      revisions,
      and(eq(revisions.recordId, signatures.recordId), eq(revisions.revision, signatures.revision), eq(revisions.hash, signatures.hash)),
    )
    .innerJoin(records, and(eq(records.id, signatures.recordId), eq(records.revision, signatures.revision)))
    .where(and(inArray(signatures.recordId, ids), eq(signatures.meaning, 'results carried')));
  return new Set(rows.map(({ id }) => id));
}
