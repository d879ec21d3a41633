import type { Board, BoardRow, CordDetail } from '@contract/prove';
import { knots, perKnot, type Knot } from '@core/base';
import { boardTotals, projectCord, type BoardFilter } from '@core/prove';
import { and, asc, desc, eq, gt, lt, or, sql, type SQL } from 'drizzle-orm';
import type { MySqlColumn } from 'drizzle-orm/mysql-core';
import { needBuild, Refusal, wordsFound, type AppContext, type Db, type StoredBuild } from '../base';
import { boardThen, faultyBoard, pageThen } from './board-then';
import { statesOf } from './cord-rows';
import { cords, projections } from './tables';

type StoredCord = typeof cords.$inferSelect;
type ShownCord = Pick<StoredCord, 'key' | 'title' | 'level' | 'states' | 'below' | 'firstBreak' | 'reasons'>;

function boardRow(cord: ShownCord): BoardRow {
  const states = statesOf(cord.states);
  const knot: Knot | undefined = knots[cord.firstBreak];
  const first = knot && cord.reasons[knot][0];
  return {
    key: cord.key,
    title: cord.title,
    level: cord.level,
    states,
    below: cord.below === null ? null : statesOf(cord.below),
    break: knot && first ? { state: states[knot], knot, words: first.words, records: [...first.records], action: first.action } : null,
  };
}

export interface BoardQuery {
  readonly build: string;
  readonly filter: BoardFilter;
  readonly q: string;
  readonly sort: 'key' | 'title' | 'level' | 'break';
  readonly after?: string | undefined;
  readonly offset: number;
  readonly limit: number;
  readonly atLeast: number;
  /** As it was for this ledger number. */
  readonly asOf?: number | undefined;
}

interface Order {
  readonly column: MySqlColumn;
  readonly down: boolean;
}
const byKey: readonly Order[] = [
  { column: cords.keyPrefix, down: false },
  { column: cords.keyNumber, down: false },
  { column: cords.requirementId, down: false },
];
const orders: Record<BoardQuery['sort'], readonly Order[]> = {
  key: byKey,
  title: [{ column: cords.title, down: false }, ...byKey],
  level: [{ column: cords.level, down: true }, ...byKey],
  break: [{ column: cords.firstBreak, down: false }, ...byKey],
};

const stateFilters: Partial<Record<BoardFilter, string>> = { broken: 'B', waiting: 'W', suspect: 'U' };

function chosen(filter: BoardFilter): SQL | undefined {
  if (filter === 'all') return undefined;
  if (filter === 'proved') return eq(cords.firstBreak, 9);
  const letter = stateFilters[filter];
  return letter ? eq(cords.state, letter) : eq(cords.firstBreak, knots.indexOf(filter as Knot));
}

function behind(order: readonly Order[], cursor: string): SQL | undefined {
  let place: unknown;
  try {
    place = JSON.parse(Buffer.from(cursor, 'base64url').toString());
  } catch {
    place = undefined;
  }
  if (!Array.isArray(place) || place.length !== order.length)
    throw new Refusal('invalid', { fields: [{ path: 'after', text: 'This is no place on this board.' }] });
  const at = place as (string | number)[];
  return or(
    ...order.map(({ column, down }, i) =>
      and(...order.slice(0, i).map((o, j) => eq(o.column, at[j])), down ? lt(column, at[i]) : gt(column, at[i])),
    ),
  );
}

/** A page of the cords of a build, as they were last judged: true for the ledger number that the answer names. */
export async function getBoard(context: AppContext, projectId: number, query: BoardQuery): Promise<Board> {
  const { db } = context.database;
  const build = await needBuild(db, projectId, query.build);
  const { projections: judged } = context;
  await (query.atLeast ? judged.upTo(projectId, build.id, query.atLeast) : judged.ready(projectId, build.id));
  return db.transaction(async (tx) => {
    const then = query.asOf === undefined ? await faultyBoard(tx, projectId, build) : await boardThen(tx, build, query.asOf);
    if (then) return pageThen(then, query, boardRow);
    const [projection] = await tx.select().from(projections).where(eq(projections.buildId, build.id));
    const totals = projection?.totals ?? boardTotals([]);
    const words = query.q.trim()
      ? wordsFound(
          cords.words,
          query.q,
          (key) => sql`(${cords.key} like ${`${key.toUpperCase()}%`} or match(${cords.words}) against (${`"${key}"`} in boolean mode))`,
        )
      : undefined;
    const where = and(eq(cords.buildId, build.id), chosen(query.filter), words);
    const order = orders[query.sort];
    const rows = await tx
      .select({
        key: cords.key,
        title: cords.title,
        level: cords.level,
        states: cords.states,
        below: cords.below,
        firstBreak: cords.firstBreak,
        reasons: cords.reasons,
        keyPrefix: cords.keyPrefix,
        keyNumber: cords.keyNumber,
        requirementId: cords.requirementId,
      })
      .from(cords)
      .where(and(where, query.after === undefined ? undefined : behind(order, query.after)))
      .orderBy(...order.map(({ column, down }) => (down ? desc(column) : asc(column))))
      .limit(query.limit + 1)
      .offset(query.after === undefined ? query.offset : 0);
    const shown = rows.slice(0, query.limit);
    const last = shown.at(-1);
    const total = words
      ? (
          await tx
            .select({ n: sql<number>`count(*)`.mapWith(Number) })
            .from(cords)
            .where(where)
        )[0].n
      : totals.counts[query.filter];
    return {
      build: query.build,
      seq: projection?.seq ?? 0,
      rows: shown.map(boardRow),
      next:
        rows.length > query.limit && last
          ? Buffer.from(JSON.stringify(order.map(({ column }) => placeOf(last, column)))).toString('base64url')
          : null,
      total,
      totals,
      rail: projectCord(totals),
    };
  });
}

function placeOf(
  row: Pick<StoredCord, 'title' | 'level' | 'firstBreak' | 'keyPrefix' | 'keyNumber' | 'requirementId'>,
  column: MySqlColumn,
): string | number {
  switch (column) {
    case cords.title:
      return row.title;
    case cords.level:
      return row.level;
    case cords.firstBreak:
      return row.firstBreak;
    case cords.keyPrefix:
      return row.keyPrefix;
    case cords.keyNumber:
      return row.keyNumber;
    default:
      return row.requirementId;
  }
}

export async function getCord(
  context: AppContext,
  projectId: number,
  key: string,
  query: { readonly build: string; readonly atLeast: number; readonly asOf?: number | undefined },
): Promise<CordDetail> {
  const { db } = context.database;
  const build = await needBuild(db, projectId, query.build);
  const seq = await context.projections.upTo(projectId, build.id, query.atLeast);
  const then = query.asOf === undefined ? await faultyBoard(db, projectId, build) : await boardThen(db, build, query.asOf);
  const cord: ShownCord = then
    ? neededCord(
        then.cords.find((c) => c.key === key),
        key,
      )
    : await needCord(db, build, key);
  return {
    ...boardRow(cord),
    seq: then?.seq ?? seq,
    reasons: perKnot((knot) =>
      cord.reasons[knot].map(({ state, words, records, action }) => ({ state, words, records: [...records], action })),
    ),
  };
}

function neededCord<C>(cord: C | undefined, key: string): C {
  if (!cord) throw new Refusal('notFound', { detail: `There is no requirement ${key}.` });
  return cord;
}

async function needCord(db: Db, build: StoredBuild, key: string): Promise<StoredCord> {
  const [cord] = await db
    .select()
    .from(cords)
    .where(and(eq(cords.buildId, build.id), eq(cords.key, key)));
  return neededCord(cord, key);
}
