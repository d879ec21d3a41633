import type { Round, RoundDetail } from '@contract/run';
import { and, eq, inArray, sql, type SQL } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  among,
  type Ids,
  freeKey,
  insertRecord,
  needRecord,
  recordFields,
  recordRows,
  records,
  type Db,
  type ListSource,
  type StoredBuild,
  type Touches,
  type Tx,
  type Writing,
} from '../base';
import { placesOf } from '../design';
import { roundRows } from './rows';
import { placeOfRun, runsById } from './store';
import { roundDetails, rounds, runDetails, runs } from './tables';

const buildRecord = alias(records, 'build_record');

/** How rounds are asked for in lists. */
export function roundList(projectId: number, buildId: number): ListSource {
  return {
    from: sql`from ${records} left join ${rounds} on ${rounds.id} = ${records.id}`,
    fields: {
      ...recordFields,
      configuration: { value: rounds.configuration, type: 'text' },
      folder: { value: sql`ifnull((select d.folder from round_details d where d.id = ${records.id}), '')`, type: 'text' },
      pattern: { value: sql`ifnull((select d.is_pattern from round_details d where d.id = ${records.id}), 0)`, type: 'yesNo' },
    },
    projectId,
    words: records.words,
    where: and(eq(records.projectId, projectId), eq(records.kind, 'round'), eq(rounds.buildId, buildId)) as SQL,
    sort: '-createdAt',
  };
}

/** Rounds with how far they have come, by their ids. */
export async function roundsById(db: Db | Tx, ids: Ids): Promise<(Round & { id: number })[]> {
  const rows = await db
    .select({ record: records, round: rounds, build: buildRecord.key, details: roundDetails })
    .from(rounds)
    .innerJoin(records, eq(records.id, rounds.id))
    .innerJoin(buildRecord, eq(buildRecord.id, rounds.buildId))
    .leftJoin(roundDetails, eq(roundDetails.id, rounds.id))
    .where(among(rounds.id, ids));
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
    .where(among(runs.roundId, ids))
    .groupBy(runs.roundId);
  const countsOf = new Map(counts.map(({ id, ...rest }) => [id, rest]));
  return rows.map(({ record, round, build, details }) => ({
    id: round.id,
    key: record.key,
    state: record.state === 'withdrawn' || record.state === 'closed' ? record.state : 'open',
    title: record.title,
    folder: details?.folder ?? '',
    due: details?.due ?? null,
    isPattern: details?.isPattern ?? false,
    build,
    configuration: round.configuration,
    unit: round.unit,
    tools: round.tools,
    createdBy: record.createdBy,
    createdAt: record.createdAt,
    ...(countsOf.get(round.id) ?? { runs: 0, recorded: 0, failed: 0, reviewed: 0 }),
  }));
}

/** So many runs of a round are shown with it; all of them are a list of their own. */
const mostItems = 1000;

export async function roundDetail(db: Db | Tx, projectId: number, key: string): Promise<RoundDetail> {
  const record = await needRecord(db, projectId, 'round', key);
  const [{ id, ...round }] = await roundsById(db, [record.id]);
  // The first of them: a round may hold twenty thousand.
  const placed = await db
    .select({ id: runs.id, caseId: runs.caseId })
    .from(runs)
    .leftJoin(runDetails, eq(runDetails.id, runs.id))
    .where(eq(runs.roundId, id))
    .orderBy(placeOfRun(sql`${runDetails.position}`))
    .limit(mostItems);
  const ids = placed.map((run) => run.id);
  const known = new Map((await runsById(db, ids)).map((item) => [item.id, item]));
  const ordered = placed.flatMap((run) => known.get(run.id) ?? []);
  const places = await placesOf(db, [...new Set(placed.map(({ caseId }) => caseId))]);
  const folders = placed.flatMap(({ id: run, caseId }) => {
    const [place, item] = [places.get(caseId), known.get(run)];
    return place && item ? [[item.caseKey, place.title] as const] : [];
  });
  const items = ordered.map(({ id: _, ...item }) => item);
  return { ...round, items, folders: Object.fromEntries(folders), ...(items.length < mostItems ? {} : { left: await leftOf(db, id) }) };
}

/** What is still to be recorded of a round, by tester: runs, and the minutes that their cases planned when they were frozen. */
const leftOf = (db: Db | Tx, roundId: number): Promise<{ tester: string; runs: number; minutes: number }[]> =>
  db
    .select({
      tester: runs.tester,
      runs: sql<number>`count(*)`.mapWith(Number),
      minutes: sql<number>`ifnull(sum(json_value(${runs.frozen}, '$.plannedMinutes')), 0)`.mapWith(Number),
    })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .where(and(eq(runs.roundId, roundId), inArray(records.state, ['planned', 'onBench'])))
    .groupBy(runs.tester);

/** A round as it is made, still without runs. */
interface RoundMade {
  readonly title: string;
  readonly build: StoredBuild;
  readonly configuration: string;
  readonly unit?: string;
  readonly tools?: string;
}

/** Makes a round and logs it; `said` is what its entry says beside that. */
export async function insertRound(
  w: Writing,
  { title, build, configuration, unit = '', tools = '' }: RoundMade,
  said: Readonly<Record<string, unknown>>,
  touches?: Touches,
): Promise<{ readonly id: number; readonly key: string }> {
  const key = await freeKey(w, 'R');
  const words = [configuration, unit, tools].filter(Boolean).join(' ');
  const id = await insertRecord(w, { kind: 'round', key, title, words, state: 'open' });
  await w.tx.insert(rounds).values({ id, projectId: w.actor.projectId, buildId: build.id, configuration, unit, tools });
  w.log({
    action: 'round planned',
    kind: 'round',
    key,
    after: { build: build.name, title, configuration, ...said },
    ...(touches ? { touches } : {}),
  });
  w.wrote(recordRows, id);
  w.wrote(roundRows, id);
  return { id, key };
}
