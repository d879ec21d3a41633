import type { Round, RoundDetail } from '@contract/run';
import { and, eq, inArray, sql, type SQL } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { needRecord, recordFields, records, type Db, type ListSource, type Tx } from '../base';
import { runSummaries } from './store';
import { rounds, runs } from './tables';

const buildRecord = alias(records, 'build_record');

/** How rounds are asked for in lists. */
export function roundList(projectId: number, buildId: number): ListSource {
  return {
    from: sql`from ${records} join ${rounds} on ${rounds.id} = ${records.id}`,
    fields: { ...recordFields, configuration: { value: rounds.configuration, type: 'text' } },
    projectId,
    words: records.words,
    where: and(eq(records.projectId, projectId), eq(records.kind, 'round'), eq(rounds.buildId, buildId)) as SQL,
    sort: '-createdAt',
  };
}

/** Rounds with how far they have come, by their ids. */
export async function roundsById(db: Db | Tx, ids: readonly number[]): Promise<(Round & { id: number })[]> {
  if (!ids.length) return [];
  const rows = await db
    .select({ record: records, round: rounds, build: buildRecord.key })
    .from(rounds)
    .innerJoin(records, eq(records.id, rounds.id))
    .innerJoin(buildRecord, eq(buildRecord.id, rounds.buildId))
    .where(inArray(rounds.id, [...ids]));
  const current = sql`${runs.supersededById} is null and ${runs.withdrawnAt} is null`;
  const counts = await db
    .select({
      id: runs.roundId,
      runs: sql<number>`sum(${current})`.mapWith(Number),
      recorded: sql<number>`sum(${current} and ${runs.verdict} is not null)`.mapWith(Number),
      failed: sql<number>`sum(${current} and ifnull(${runs.verdict}, '') = 'failed')`.mapWith(Number),
      reviewed: sql<number>`sum(${current} and ${records.state} = 'reviewed')`.mapWith(Number),
    })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .where(inArray(runs.roundId, [...ids]))
    .groupBy(runs.roundId);
  const countsOf = new Map(counts.map(({ id, ...rest }) => [id, rest]));
  return rows.map(({ record, round, build }) => ({
    id: round.id,
    key: record.key,
    state: record.state === 'withdrawn' ? 'withdrawn' : 'open',
    title: record.title,
    build,
    configuration: round.configuration,
    unit: round.unit,
    tools: round.tools,
    createdBy: record.createdBy,
    createdAt: record.createdAt,
    ...(countsOf.get(round.id) ?? { runs: 0, recorded: 0, failed: 0, reviewed: 0 }),
  }));
}

export async function roundDetail(db: Db | Tx, projectId: number, key: string): Promise<RoundDetail> {
  const record = await needRecord(db, projectId, 'round', key);
  const [{ id, ...round }] = await roundsById(db, [record.id]);
  const items = await runSummaries(db, eq(runs.roundId, id));
  return { ...round, items: items.map(({ id: _, ...item }) => item) };
}
