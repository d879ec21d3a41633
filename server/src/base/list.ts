import type { Filter, ListQuery, Page } from '@contract/base';
import { findPassage, type FoundPassage } from '@core/base';
import { and, asc, desc, eq, gt, lt, or, sql, type SQL } from 'drizzle-orm';
import type { MySqlColumn } from 'drizzle-orm/mysql-core';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { among, FoundIds, type Ids } from './found-ids';
import { ledgerHead } from './ledger';
import { keeping, type Kept } from './kept';
import { inLastPacket, inOnePacket, packedReading } from './packets';
import {
  condition,
  needField,
  needFilter,
  onlyPlain,
  sortsPlain,
  withOwnFields,
  wordsOf,
  type ListField,
  type ListSource,
} from './list-filter';
import { statement } from './statement';
import { ledgerHeads, records } from './tables';

interface Order {
  readonly value: SQL | MySqlColumn;
  readonly down: boolean;
}

/** Keys sort as people count, titles by text; the id breaks ties, so that a cursor means one place. */
function ordersOf(source: ListSource, sort: string): Order[] {
  const place = source.place ?? { prefix: records.keyPrefix, number: records.keyNumber, id: records.id };
  const byKey = (down: boolean): Order[] => [
    { value: place.prefix, down },
    { value: place.number, down },
  ];
  const orders = sort.split(',').flatMap((name): Order[] => {
    const down = name.startsWith('-');
    const plain = down ? name.slice(1) : name;
    if (plain === 'key') return byKey(down);
    const { value, type } = needField(source, plain);
    return [
      {
        value: type === 'text' && !(value instanceof Object && 'notNull' in value && value.notNull) ? sql`ifnull(${value}, '')` : value,
        down,
      },
    ];
  });
  // The index that serves another table's columns goes on with the key.
  const keyed = source.place === undefined || sort.split(',').some((name) => /^-?key$/.test(name));
  // An index is read in one direction: the id goes on in that of the column before it.
  return [...orders, ...(keyed ? [] : byKey(false)), { value: place.id, down: keyed && (orders.at(-1)?.down ?? false) }];
}

type Place = readonly (string | number | null)[];

function parseCursor(text: string, size: number): Place {
  try {
    const place = JSON.parse(Buffer.from(text, 'base64url').toString()) as unknown;
    if (Array.isArray(place) && place.length === size && place.every((v) => typeof v === 'string' || typeof v === 'number'))
      return place as Place;
  } catch {
    // Falls through to the refusal: whoever sent it did not get it from here.
  }
  throw new Refusal('invalid', { fields: [{ path: 'after', text: 'This is no place in this list.' }] });
}

/** Rows behind a place: the first column bounds the index, the rest decide among equals. */
function behind(orders: readonly Order[], place: Place): SQL | undefined {
  const past = ({ value, down }: Order, at: string | number | null): SQL =>
    down ? lt(value as MySqlColumn, at) : gt(value as MySqlColumn, at);
  return or(
    ...orders.map((order, i) =>
      and(...orders.slice(0, i).map(({ value }, j) => eq(value as MySqlColumn, place[j])), past(order, place[i])),
    ),
  );
}

/** The SQL of a question without its page. */
function questionWhere(source: ListSource, filter: Filter | undefined): SQL {
  return and(source.where, filter && condition(source, filter)) ?? source.where;
}

/** The SQL that counts what a question finds: from the indexes on the fields that it asks for, where there are any. */
function countOf(source: ListSource, filter: Filter | undefined): SQL {
  const asked = !filter ? [] : 'and' in filter ? filter.and : [filter];
  const within = asked.flatMap((part) => ('is' in part ? (needField(source, part.field).within ?? []) : []));
  return sql`select count(*) ${source.from} where ${and(questionWhere(source, filter), ...within)}`;
}

/** The same for whoever does something with all that a filter finds. */
export async function whereOf(tx: Db | Tx, projectId: number, source: ListSource, filter: string | undefined): Promise<SQL> {
  return questionWhere(await withOwnFields(tx, source, projectId, [filter]), needFilter(filter));
}

type PageQuery = Pick<ListQuery, 'sort' | 'after' | 'skip' | 'limit'>;

interface PageQuestion {
  /** Finds a page's places in its order, the id last, and behind them the numbers that are asked along, and the row's own values. */
  readonly text: SQL;
  readonly columns: readonly string[];
  /** How many of them make a place. */
  readonly places: number;
  /** Where the row's own values begin. */
  readonly shown: number;
}

interface Along {
  readonly numbers?: readonly SQL[];
  readonly shown?: readonly (SQL | MySqlColumn)[];
}

function pageQuestion(source: ListSource, where: SQL, query: PageQuery, { numbers = [], shown = [] }: Along = {}): PageQuestion {
  const orders = ordersOf(source, query.sort ?? source.sort);
  const place = query.after === undefined ? undefined : behind(orders, parseCursor(query.after, orders.length));
  const values = [...orders.map(({ value }) => value), ...numbers.map((number) => sql`(${number})`), ...shown];
  const columns = values.map((_, i) => `k${i}`);
  const named = sql.join(
    values.map((value, i) => sql`${value} as ${sql.identifier(columns[i])}`),
    sql`, `,
  );
  const order = sql.join(
    orders.map(({ value, down }) => (down ? desc(value as MySqlColumn) : asc(value as MySqlColumn))),
    sql`, `,
  );
  const text = sql`select ${named} ${source.from} where ${and(where, place)} order by ${order} limit ${query.limit + 1} offset ${place ? 0 : (query.skip ?? 0)}`;
  return { text, columns, places: orders.length, shown: orders.length + numbers.length };
}

type Value = string | number | null;
type PlaceRow = readonly Value[];

/** The values of rows that stand whole in the tables that find them, and the row that they make. */
export interface WholeRows<R> {
  readonly columns: readonly (SQL | MySqlColumn)[];
  readonly row: (values: readonly Value[]) => R;
}

/** Ids of a page in order, with what comes behind it, and with the numbers that were asked along: none where the page is empty. */
function pageOf(rows: readonly PlaceRow[], { places, shown: end }: PageQuestion, limit: number) {
  const shown = rows.slice(0, limit);
  const last = shown.at(-1)?.slice(0, places);
  return {
    ids: shown.map((row) => Number(row[places - 1])),
    next: rows.length > limit && last ? Buffer.from(JSON.stringify(last)).toString('base64url') : null,
    along: rows.at(0)?.slice(places, end).map(Number),
  };
}

const headOf = (projectId: number, number: 'seq' | 'otherSeq' = 'seq'): SQL =>
  sql`select ${ledgerHeads[number]} from ${ledgerHeads} where ${ledgerHeads.projectId} = ${projectId}`;

async function numberOf(tx: Tx, question: SQL): Promise<number> {
  const [[row]] = (await tx.execute(sql`select (${question}) as n`)) as unknown as [{ n: number }[]];
  return Number(row.n);
}

interface FoundPage {
  readonly ids: readonly number[];
  readonly next: string | null;
  readonly total: number;
}
const counts = keeping<number>();
const pages = keeping<FoundPage>();
/** Of the pages that were asked for last, no longer than a screen's, what they show: as many as a node's memory holds whatever their texts. */
const shownPages = keeping<ShownPage<unknown>>(100);
const longestShown = 50;
/** The last number of an entry that could change a list, as this node saw it last: what is kept for an older one is not tried. */
const seen = keeping<null>();

interface PageAsked<R> {
  readonly projectId: number;
  readonly source: ListSource;
  readonly filter: Filter | undefined;
  readonly query: ListQuery;
  /** Under which name what is found may be kept; undefined where more than plain fields are asked for. */
  readonly kept: string | undefined;
  readonly load: (tx: Tx, ids: Ids) => Promise<readonly R[]>;
  readonly whole: WholeRows<R> | undefined;
  readonly beside: (tx: Tx) => Promise<void>;
}
/** What a page shows. */
interface ShownPage<R> {
  readonly loaded: readonly R[];
  readonly passages: Record<string, FoundPassage> | undefined;
}
interface LoadedPage<R> extends FoundPage, ShownPage<R> {
  readonly seq: number;
}

/** The page as it was found last; undefined where it has to be found anew. Its rows are read where they are not kept. */
async function foundAgain<R>(db: Db, tx: Tx, asked: PageAsked<R>): Promise<LoadedPage<R> | undefined> {
  const { projectId, filter, query, kept, load, beside } = asked;
  const name = kept === undefined ? undefined : pageName(kept, query);
  const known = name === undefined ? undefined : pages.of(db, name);
  if (name === undefined || !known || known.seq !== seen.of(db, String(projectId))?.seq) return undefined;
  const { ids } = known.value;
  const searched = wordsOf(filter);
  const before = shownPages.of(db, name) as Kept<ShownPage<R>> | undefined;
  const shown = before?.seq === known.seq ? before.value : undefined;
  // What a page keeps is all of it, where nothing is counted by groups: the reading ends with what is asked here.
  const ask = shown && query.groups === undefined ? inLastPacket : inOnePacket;
  const [[head], loaded, passages] = await ask(
    tx,
    () => headsOf(tx, { projectId }),
    async () => shown?.loaded ?? (ids.length ? load(tx, ids) : []),
    async () => (shown ? shown.passages : searched && ids.length ? passagesOf(tx, ids, searched) : undefined),
    () => beside(tx),
  );
  if (head) seen.keep(db, String(projectId), { seq: head.other, value: null });
  if (head?.other !== known.seq) return undefined;
  const page = { ...known.value, seq: head.seq, loaded, passages };
  if (!shown) keepShown(db, name, known.seq, page);
  return page;
}

const headsOf = statement((db) =>
  db
    .select({ seq: ledgerHeads.seq, other: ledgerHeads.otherSeq })
    .from(ledgerHeads)
    .where(eq(ledgerHeads.projectId, sql.placeholder('projectId'))),
);

function keepShown<R>(db: Db, name: string, seq: number, { loaded, passages }: ShownPage<R>): void {
  if (loaded.length <= longestShown) shownPages.keep(db, name, { seq, value: { loaded, passages } });
}

const pageName = (kept: string, { sort, after, skip, limit }: PageQuery): string => JSON.stringify([kept, sort, after, skip, limit]);

async function foundAnew<R>(db: Db, tx: Tx, asked: PageAsked<R>, mayEnd = asked.query.groups === undefined): Promise<LoadedPage<R>> {
  const { projectId, source, filter, query, kept } = asked;
  const counted = query.after === undefined;
  const count = (filter ? undefined : source.all) ?? countOf(source, filter);
  // A search for words finds all before it shows the first: they are counted as they pass, not searched again.
  const searched = wordsOf(filter);
  const measures = !counted ? [] : searched ? [sql`count(*) over ()`] : kept === undefined ? [count] : [];
  const numbers = [headOf(projectId), ...(kept === undefined ? [] : [headOf(projectId, 'otherSeq')]), ...measures];
  const where = questionWhere(source, filter);
  // What a search finds is laid aside before its page is cut out of it: the page's rows are not made for all of it.
  const whole = searched ? undefined : asked.whole;
  const question = pageQuestion(source, where, query, { numbers, shown: whole?.columns ?? [] });
  // Where the page tells all that is asked, the reading ends with it.
  const ends = mayEnd && whole !== undefined && (!counted || measures.length > 0);
  const { found, loaded, passages } = whole
    ? await readWhole(tx, question, whole, asked, ends ? inLastPacket : inOnePacket)
    : await readPlaces(tx, question, searched, asked);
  const { ids, next, along } = pageOf(found, question, query.limit);
  if (!along) {
    // An empty page tells nothing along: it is asked again in a reading that goes on.
    if (ends) return foundAnew(db, tx, asked, false);
    const total = counted && query.skip ? await numberOf(tx, count) : 0;
    return { ids, next, total, seq: await ledgerHead(tx, projectId), loaded, passages };
  }
  const other = along[1];
  const total = !counted
    ? 0
    : measures.length
      ? along[along.length - 1]
      : await countedOnce(db, tx, { kept: kept ?? '', seq: other, count });
  const page = { ids, next, total };
  if (kept !== undefined) {
    const name = pageName(kept, query);
    pages.keep(db, name, { seq: other, value: page });
    keepShown(db, name, other, { loaded, passages });
    seen.keep(db, String(projectId), { seq: other, value: null });
  }
  return { ...page, seq: along[0], loaded, passages };
}

/** Places that were found, with what they show. */
interface Read<R> extends ShownPage<R> {
  readonly found: readonly PlaceRow[];
}

/** One packet: the page is kept where the database finds it, and what it shows is asked for by that. */
async function readPlaces<R>(tx: Tx, question: PageQuestion, searched: string, { load, beside }: PageAsked<R>): Promise<Read<R>> {
  const here = new FoundIds();
  const [, kept, loaded, passages] = await inOnePacket(
    tx,
    () => tx.execute(FoundIds.keep({ ...question, id: question.columns[question.places - 1] })),
    () => tx.execute(FoundIds.kept) as unknown as Promise<[[{ page: string | null }]]>,
    () => load(tx, here),
    async () => (searched ? passagesOf(tx, here, searched) : undefined),
    () => beside(tx),
  );
  return { found: JSON.parse(kept[0][0].page ?? '[]') as PlaceRow[], loaded, passages };
}

/** One question: what a page shows comes with its places. */
async function readWhole<R>(
  tx: Tx,
  question: PageQuestion,
  { row }: WholeRows<R>,
  { beside }: PageAsked<R>,
  ask: typeof inOnePacket,
): Promise<Read<R>> {
  const [[rows]] = await ask(
    tx,
    () => tx.execute(question.text) as unknown as Promise<[Record<string, Value>[]]>,
    () => beside(tx),
  );
  // As they were asked for, in their order.
  const found = rows.map((values) => Object.values(values));
  return { found, loaded: found.map((values) => row(values.slice(question.shown))), passages: undefined };
}

/** How many there are: as it was counted last, as long as nothing came that could change it. */
async function countedOnce(
  db: Db,
  tx: Tx,
  { kept, seq, count }: { readonly kept: string; readonly seq: number; readonly count: SQL },
): Promise<number> {
  const known = counts.of(db, kept);
  if (known?.seq === seq) return known.value;
  const value = await numberOf(tx, count);
  counts.keep(db, kept, { seq, value });
  return value;
}

/**
 * One page of a question; `load` reads the rows for ids, in whatever order. `whole` does without where the rows stand in the tables that find
 * them; `beside` is asked in the same packet, of the same moment.
 */
export async function listPage<R extends { readonly id: number }>(
  db: Db,
  projectId: number,
  plain: ListSource,
  query: ListQuery,
  load: (tx: Tx, ids: Ids) => Promise<readonly R[]>,
  { whole, beside = async () => undefined }: Partial<Pick<PageAsked<R>, 'whole' | 'beside'>> = {},
): Promise<Page<Omit<R, 'id'>>> {
  return packedReading(db, async (tx) => {
    const source = await withOwnFields(tx, plain, projectId, [query.filter, query.sort, query.groups, query.sum]);
    const filter = needFilter(query.filter);
    const where = questionWhere(source, filter);
    const plainly = (!filter || onlyPlain(source, filter)) && sortsPlain(source, query.sort ?? source.sort);
    const kept = source.kept !== undefined && plainly ? `${projectId} ${source.kept} ${query.filter ?? ''}` : undefined;
    const asked: PageAsked<R> = { projectId, source, filter, query, kept, load, whole, beside };
    const { ids, next, total, seq, loaded, passages } = (await foundAgain(db, tx, asked)) ?? (await foundAnew(db, tx, asked));
    const rows = new Map(loaded.map((row) => [row.id, row]));
    const page: Page<Omit<R, 'id'>> = {
      rows: ids.flatMap((id) => {
        const row = rows.get(id);
        if (!row) return [];
        const { id: _, ...shown } = row;
        return [wanted(shown, query.columns)];
      }),
      next,
      total: query.after === undefined ? total : null,
      seq,
    };
    if (passages) Object.assign(page, { found: passages });
    if (!query.groups) return page;
    const { value, stored } = needField(source, query.groups);
    const said = new Map(Object.entries(stored ?? {}).map(([word, at]) => [at, word]));
    const summed = query.sum === undefined ? undefined : needNumber(source, query.sum);
    const [groups] = (await tx.execute(
      sql`select ${value} as v, count(*) as n, ${summed ? sql`ifnull(sum(${summed}), 0)` : sql`0`} as s ${source.from} where ${where} group by ${value} order by n desc, v limit 500`,
    )) as unknown as [{ v: string | number | null; n: number; s: number }[]];
    return {
      ...page,
      groups: groups.map(({ v, n, s }) => ({
        value: v === null ? null : (said.get(v) ?? v),
        count: Number(n),
        ...(summed ? { sum: Number(s) } : {}),
      })),
    };
  });
}

/** A field that can be summed up. */
function needNumber(source: ListSource, name: string): ListField['value'] {
  const { value, type } = needField(source, name);
  if (type !== 'number') throw new Refusal('invalid', { fields: [{ path: 'sum', text: `“${name}” is no number.` }] });
  return value;
}

/** The columns that are wanted of a row, and its key. */
function wanted<R extends object>(row: R, columns: string | undefined): R {
  if (columns === undefined) return row;
  const names = new Set(['key', ...columns.split(',')]);
  return Object.fromEntries(Object.entries(row).filter(([name]) => names.has(name))) as R;
}

/** Where in their text the words of a search were found, by key. */
async function passagesOf(tx: Tx, ids: Ids, words: string): Promise<Record<string, FoundPassage>> {
  const rows = await tx.select({ key: records.key, words: records.words }).from(records).where(among(records.id, ids));
  return Object.fromEntries(
    rows.flatMap((row) => {
      const passage = findPassage(row.words, words);
      return passage ? [[row.key, passage]] : [];
    }),
  );
}

/** All rows of a question, page by page: what an export streams. */
export async function* allRows<R extends { readonly id: number }>(
  db: Db,
  projectId: number,
  plain: ListSource,
  query: Pick<ListQuery, 'filter' | 'sort'>,
  load: (db: Db, ids: readonly number[]) => Promise<readonly R[]>,
): AsyncGenerator<R> {
  const source = await withOwnFields(db, plain, projectId, [query.filter, query.sort]);
  const where = questionWhere(source, needFilter(query.filter));
  for (let after: string | undefined; ;) {
    const question = pageQuestion(source, where, { ...query, ...(after ? { after } : {}), limit: 500 });
    const [places] = (await db.execute(question.text)) as unknown as [Record<string, string | number | null>[]];
    const { ids, next } = pageOf(
      places.map((row) => question.columns.map((name) => row[name])),
      question,
      500,
    );
    const rows = new Map((await load(db, ids)).map((row) => [row.id, row]));
    for (const id of ids) {
      const row = rows.get(id);
      if (row) yield row;
    }
    if (!next) return;
    after = next;
  }
}
