import type { ListQuery, Page } from '@contract/base';
import type { Board, BoardRow, CordDetail } from '@contract/prove';
import { knots, perKnot, type Knot } from '@core/base';
import { boardTotals, projectCord } from '@core/prove';
import { and, eq, sql, type Placeholder, type SQL } from 'drizzle-orm';
import {
  type Ids,
  asText,
  builds,
  heldPage,
  heldRows,
  isNone,
  listPage,
  needBuild,
  recordFields,
  records,
  Refusal,
  statement,
  type AppContext,
  type Confirm,
  type Db,
  type ExportList,
  type HeldList,
  type ListSource,
  type StoredBuild,
  type Tx,
  type WholeRows,
} from '../base';
import { boardThen, faultyBoard, type BoardThen } from './board-then';
import { stateLetters, statesOf } from './cord-rows';
import { cords, projections, type CordThen, type StoredReason } from './tables';

type StoredCord = typeof cords.$inferSelect;
type ShownCord = Pick<StoredCord, 'key' | 'title' | 'level' | 'states' | 'below' | 'firstBreak' | 'reasons'>;

const brokenKnot = ({ firstBreak }: Pick<StoredCord, 'firstBreak'>): Knot | undefined => knots[firstBreak];

function firstReason(cord: Pick<StoredCord, 'firstBreak' | 'reasons'>): StoredReason | undefined {
  const knot = brokenKnot(cord);
  return knot && cord.reasons[knot][0];
}

function boardRow(cord: Omit<ShownCord, 'reasons'>, first: StoredReason | undefined): BoardRow {
  const states = statesOf(cord.states);
  const knot = brokenKnot(cord);
  return {
    key: cord.key,
    title: cord.title,
    level: cord.level,
    states,
    below: cord.below === null ? null : statesOf(cord.below),
    break: knot && first ? { state: states[knot], knot, words: first.words, records: [...first.records], action: first.action } : null,
  };
}

/** Which build, and as of when: waiting until what is judged is true for a ledger number, or as it was for one. */
interface BoardAsked {
  readonly build: string;
  readonly atLeast: number;
  readonly asOf?: number | undefined;
}

async function judgedBuild(
  { database: { db }, projections: judged }: AppContext,
  projectId: number,
  asked: BoardAsked,
): Promise<StoredBuild> {
  const build = await needBuild(db, projectId, asked.build);
  await (asked.atLeast ? judged.upTo(projectId, build.id, asked.atLeast) : judged.ready(projectId, build.id));
  return build;
}

const upTo = { seq: projections.seq };
const summedUp = { ...upTo, totals: projections.totals };

/** Builds by their names, with what is wanted of what was last judged of them. */
const judgedWith = <S extends typeof upTo | typeof summedUp>(judged: S) =>
  statement((db) =>
    db
      .select({ build: builds, name: records.key, judged })
      .from(records)
      .innerJoin(builds, eq(builds.id, records.id))
      .leftJoin(projections, eq(projections.buildId, builds.id))
      .where(and(eq(records.projectId, sql.placeholder('projectId')), eq(records.kind, 'build'), eq(records.key, sql.placeholder('name')))),
  );
const judgedUpTo = judgedWith(upTo);
/** One question where it is as new as whoever asks needs it. */
const judgedBuilds = judgedWith(summedUp);

/** What was judged is as new as whoever asks needs it. */
const isNew = (seq: number, { atLeast }: Pick<BoardAsked, 'atLeast'>): boolean => seq > 0 && seq >= atLeast;

async function lastJudged(context: AppContext, projectId: number, asked: BoardAsked) {
  const {
    database: { db },
    projections: projected,
  } = context;
  const read = async (name: string) => {
    const [row] = await judgedBuilds(db, { projectId, name });
    return row && { build: { ...row.build, name: row.name }, judged: row.judged };
  };
  const known = await read(asked.build);
  if (known && isNew(known.judged?.seq ?? 0, asked)) {
    await projected.ready(projectId, known.build.id);
    return known;
  }
  const build = await judgedBuild(context, projectId, asked);
  return { build, judged: (await read(build.name))?.judged ?? null };
}

/** A board that does not stand in the table of cords: one of the past, or one that rests on rows changed behind the ledger. */
const heldBoard = (
  tx: Db | Tx,
  projectId: number,
  build: StoredBuild,
  { asOf }: Pick<BoardAsked, 'asOf'>,
): Promise<BoardThen | undefined> => (asOf === undefined ? faultyBoard(tx, projectId, build) : boardThen(tx, build, asOf));

/** What the cords of a build add up to, as they were last judged: true for the ledger number that the answer names. */
export async function getBoard(context: AppContext, projectId: number, asked: BoardAsked): Promise<Board> {
  const { build, judged } = await lastJudged(context, projectId, asked);
  const { totals: known, seq = 0 } = (await heldBoard(context.database.db, projectId, build, asked)) ?? judged ?? {};
  const totals = known ?? boardTotals([]);
  return { build: asked.build, seq, totals, rail: projectCord(totals) };
}

const proved = 9;
const breaks = { ...Object.fromEntries(knots.map((knot, i) => [knot, i])), none: proved };
const stateAt = (knot: Knot): SQL => sql`substring(${cords.states}, ${knots.indexOf(knot) + 1}, 1)`;

/** How the cords of a build are asked for. */
function cordList(projectId: number, buildId: number | SQL): ListSource {
  return {
    from: sql`from ${cords} left join ${records} on ${records.id} = ${cords.requirementId}`,
    fields: {
      ...recordFields,
      title: { value: cords.title, type: 'text' },
      level: { value: cords.level, type: 'text' },
      cord: { value: cords.state, type: 'text', stored: stateLetters },
      break: { value: cords.firstBreak, type: 'number', stored: breaks },
      ...perKnot((knot): ListSource['fields'][string] => ({ value: stateAt(knot), type: 'text', stored: stateLetters })),
    },
    projectId,
    words: cords.words,
    where: eq(cords.buildId, buildId),
    sort: 'key',
    place: { prefix: cords.keyPrefix, number: cords.keyNumber, id: cords.requirementId },
    all: sql`select cast(json_value(${projections.totals}, '$.counts.all') as unsigned) from ${projections} where ${projections.buildId} = ${buildId}`,
  };
}

// Of all reasons a row shows the first of its break. Where they are many, the others are not sent from the database; where they are few,
// taking one out takes it longer than sending all.
const sentWhole = 1000;
const firstPath = sql.join(
  knots.map((knot, i) => sql.raw(`when ${i} then '$.${knot}[0]'`)),
  sql` `,
);
const first = sql<
  string | null
>`if(length(${cords.reasons}) < ${sql.raw(String(sentWhole))}, ${cords.reasons}, cast(json_extract(${cords.reasons}, case ${cords.firstBreak} ${firstPath} end) as char))`;
const { requirementId: id, key, title, level, states, below, firstBreak } = cords;
const shown = { id, key, title, level, states, below, firstBreak, first };
const rowsOfBuild = statement((db) =>
  db
    .select(shown)
    .from(cords)
    .where(
      and(eq(cords.buildId, buildNamed(sql.placeholder('projectId'), sql.placeholder('name'))), sql`${id} in (${sql.placeholder('ids')})`),
    ),
);
type ShownRow = Awaited<ReturnType<typeof rowsOfBuild>>[number];

function listedRow(row: ShownRow): BoardRow & { id: number } {
  const knot = brokenKnot(row);
  const read = knot && row.first !== null ? (JSON.parse(row.first) as StoredReason | StoredCord['reasons']) : undefined;
  const reason = read && knot && (knot in read ? (read as StoredCord['reasons'])[knot][0] : (read as StoredReason));
  return { id: row.id, ...boardRow(row, reason) };
}

/** Cords stand whole in their table. */
const wholeRows: WholeRows<BoardRow & { id: number }> = {
  columns: Object.values(shown).map(asText),
  row: ([id, key, title, level, states, below, firstBreak, first]) =>
    listedRow({ id, key, title, level, states, below, firstBreak, first } as ShownRow),
};

/** A build by its name, as a question of its own. */
function buildNamed(projectId: number | Placeholder, name: string | Placeholder): SQL {
  return sql`(select b.id from ${records} b where b.project_id = ${projectId} and b.kind = 'build' and b.record_key = ${name})`;
}

async function cordsById(
  db: Db | Tx,
  { projectId, name }: Pick<StoredBuild, 'projectId' | 'name'>,
  ids: Ids,
): Promise<(BoardRow & { id: number })[]> {
  if (isNone(ids)) return [];
  return (await rowsOfBuild(db, { projectId, name, ids })).map(listedRow);
}

/** The same of a board that is held: the fields that the cord itself tells. */
const heldCords: HeldList<CordThen> = {
  fields: {
    key: ({ key }) => key,
    title: ({ title }) => title,
    level: ({ level }) => level,
    cord: ({ firstBreak, states }) => (firstBreak < knots.length ? statesOf(states)[knots[firstBreak]] : 'sound'),
    break: ({ firstBreak }) => knots[firstBreak] ?? 'none',
    ...perKnot(
      (knot): HeldList<CordThen>['fields'][string] =>
        ({ states }) =>
          statesOf(states)[knot],
    ),
  },
  order: { break: ({ firstBreak }) => firstBreak },
  // As `cordRow` writes them.
  words: (cord) => `${cord.key} ${cord.title} ${cord.level} ${knots[cord.firstBreak] ? (firstReason(cord)?.words ?? '') : 'proved'}`,
  sort: 'key',
};

interface Confirmed {
  readonly confirm?: Confirm;
}

/** The page as it was last judged, and what that was: asked at once, before it is known whether that is enough. */
async function pageNow({ database: { db } }: AppContext, projectId: number, { confirm, ...query }: BoardAsked & ListQuery & Confirmed) {
  let known: Awaited<ReturnType<typeof judgedUpTo>> = [];
  const page = await listPage(
    db,
    projectId,
    cordList(projectId, buildNamed(projectId, query.build)),
    query,
    (tx, ids) => cordsById(tx, { projectId, name: query.build }, ids),
    {
      whole: wholeRows,
      beside: async (tx) => void ([known] = await Promise.all([judgedUpTo(tx, { projectId, name: query.build }), confirm?.(tx)])),
    },
  );
  const [found] = known;
  return { build: found && { ...found.build, name: query.build }, page: { ...page, seq: found?.judged?.seq ?? 0 } };
}

/** A page of the cords of a build that a question finds. */
export async function listCords(
  context: AppContext,
  projectId: number,
  query: BoardAsked & ListQuery & Confirmed,
): Promise<Page<BoardRow>> {
  const { db } = context.database;
  const soon = query.asOf === undefined ? await pageNow(context, projectId, query) : undefined;
  const known = soon && isNew(soon.page.seq, query) ? soon.build : undefined;
  if (known) await context.projections.ready(projectId, known.id);
  const build = known ?? (await judgedBuild(context, projectId, query));
  const then = await heldBoard(db, projectId, build, query);
  if (!then) return known && soon ? soon.page : (await pageNow(context, projectId, { ...query, build: build.name })).page;
  const page = heldPage(then.cords, heldCords, query, then.seq);
  return { ...page, rows: page.rows.map((cord) => boardRow(cord, firstReason(cord))) };
}

/** The rows of an export of cords: each state a column of its own, the break in words. */
const exported = ({ states, break: first, ...row }: BoardRow): object => ({
  ...row,
  ...states,
  break: first?.knot ?? '',
  why: first?.words ?? '',
  next: first?.action.label ?? '',
});

/** The same question as the board's, for its export. */
export function cordsExport(context: AppContext): ExportList {
  const needed = async (projectId: number, build: string | undefined): Promise<StoredBuild> => {
    if (build === undefined) throw new Refusal('invalid', { fields: [{ path: 'build', text: 'Which build is meant is to be said.' }] });
    return judgedBuild(context, projectId, { build, atLeast: 0 });
  };
  return {
    kind: 'requirement',
    columns: ['key', 'title', 'level', ...knots, 'break', 'why', 'next'],
    source: async (projectId, { build }) => cordList(projectId, (await needed(projectId, build)).id),
    load: async (db, ids, { projectId, build }) =>
      (await cordsById(db, await needed(projectId, build), ids)).map((row) => ({ id: row.id, ...exported(row) })),
    held: async (projectId, { build }, query) => {
      const then = await faultyBoard(context.database.db, projectId, await needed(projectId, build));
      return then && heldRows(then.cords, heldCords, query).map((cord) => exported(boardRow(cord, firstReason(cord))));
    },
  };
}

export async function getCord(context: AppContext, projectId: number, key: string, query: BoardAsked): Promise<CordDetail> {
  const { db } = context.database;
  const build = await needBuild(db, projectId, query.build);
  const seq = await context.projections.upTo(projectId, build.id, query.atLeast);
  const then = await heldBoard(db, projectId, build, query);
  const cord: ShownCord = then
    ? neededCord(
        then.cords.find((c) => c.key === key),
        key,
      )
    : await needCord(db, build, key);
  return {
    ...boardRow(cord, firstReason(cord)),
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
