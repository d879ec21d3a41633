import { filterSchema, type Filter, type ListQuery, type Page } from '@contract/base';
import { findPassage, type FoundPassage } from '@core/base';
import { and, asc, desc, eq, gt, gte, inArray, isNull, like, lt, lte, not, or, sql, type SQL } from 'drizzle-orm';
import type { MySqlColumn } from 'drizzle-orm/mysql-core';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { among, FoundIds, type Ids } from './found-ids';
import { ledgerHead } from './ledger';
import { keepCount, keptCount } from './kept-counts';
import { inOnePacket, packedReading } from './packets';
import { fields, ledgerHeads, records } from './tables';

/** A field that lists are filtered, sorted and grouped by. */
export interface ListField {
  readonly value: SQL | MySqlColumn;
  readonly type: 'text' | 'number' | 'yesNo';
  /** Where it holds several values: the JSON list of them. */
  readonly list?: SQL;
  /** Where it is stored otherwise than it is said: what is stored, by what is said. */
  readonly stored?: Readonly<Record<string, string | number>>;
  /** What holds of all rows that have it, and leads the database to the index on it where they are counted. */
  readonly within?: SQL;
  /** Stands in the rows of the record itself: only an entry about it changes it. */
  readonly plain?: true;
}

/** How records of one kind are asked for: the tables that its fields stand in, and the fields by name. */
export interface ListSource {
  /**
   * Joins what the fields need to `records`; written so that it begins with `from records`. Each by `left join` on a primary key: the
   * database leaves out what a question does not name, so that a count costs nothing beside its own conditions.
   */
  readonly from: SQL;
  readonly fields: Readonly<Record<string, ListField>>;
  /** Column that the words of a filter are searched in, with a FULLTEXT index on it. */
  readonly words: MySqlColumn;
  readonly projectId: number;
  /** Always holds: project, kind. */
  readonly where: SQL;
  readonly sort: string;
  /** The columns of the key, as it is counted, and of the record's id, where an index of another table serves them better. */
  readonly place?: { readonly prefix: MySqlColumn; readonly number: MySqlColumn; readonly id: MySqlColumn };
  /** The question for how many there are in all, where that is known without counting. */
  readonly all?: SQL;
  /** Under this name counts of questions about plain fields are kept, until an entry about anything but a run. */
  readonly kept?: string;
}

/** The fields that every record has. */
export const recordFields: Readonly<Record<string, ListField>> = {
  key: { value: records.key, type: 'text', plain: true },
  title: { value: records.title, type: 'text', plain: true },
  state: { value: records.state, type: 'text', plain: true },
  revision: { value: records.revision, type: 'number', plain: true },
  createdBy: { value: records.createdBy, type: 'text', plain: true },
  createdAt: { value: records.createdAt, type: 'text', plain: true },
  updatedBy: { value: records.updatedBy, type: 'text', plain: true },
  updatedAt: { value: records.updatedAt, type: 'text', plain: true },
  retired: { value: sql`(${records.retiredAt} is not null)`, type: 'yesNo', plain: true },
};

const invalid = (text: string): Refusal => new Refusal('invalid', { detail: text, fields: [{ path: 'filter', text }] });

export function needFilter(text: string | undefined): Filter | undefined {
  if (!text) return undefined;
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw invalid('The filter is no JSON.');
  }
  const parsed = filterSchema.safeParse(value);
  if (!parsed.success) throw invalid('The filter is not understood.');
  return parsed.data;
}

/** The project's own fields, as far as a question names any: by what they hold. */
async function withOwnFields(
  db: Db | Tx,
  source: ListSource,
  projectId: number,
  texts: readonly (string | undefined)[],
): Promise<ListSource> {
  const ids = [...new Set(texts.flatMap((text) => [...(text ?? '').matchAll(/own:(\d{1,15})/g)].map(([, id]) => Number(id))))];
  if (!ids.length) return source;
  const rows = await db
    .select({ id: fields.id, definition: fields.definition })
    .from(fields)
    .where(and(eq(fields.projectId, projectId), inArray(fields.id, ids)));
  const own = rows.map(({ id, definition: { type } }): [string, ListField] => {
    const path = `$."${id}"`;
    const text = sql`json_value(${records.own}, ${path})`;
    if (type === 'number') return [`own:${id}`, { value: sql`cast(${text} as double)`, type: 'number' }];
    if (type === 'yesNo') return [`own:${id}`, { value: sql`(${text} = '1')`, type: 'yesNo' }];
    if (type === 'choices')
      return [
        `own:${id}`,
        { value: sql`json_query(${records.own}, ${path})`, type: 'text', list: sql`json_query(${records.own}, ${path})` },
      ];
    return [`own:${id}`, { value: text, type: 'text' }];
  });
  return { ...source, fields: { ...source.fields, ...Object.fromEntries(own) } };
}

/** Asks for nothing but plain fields. */
function onlyPlain(source: ListSource, filter: Filter): boolean {
  if ('and' in filter) return filter.and.every((f) => onlyPlain(source, f));
  if ('or' in filter) return filter.or.every((f) => onlyPlain(source, f));
  if ('not' in filter) return onlyPlain(source, filter.not);
  return !('words' in filter) && needField(source, filter.field).plain === true;
}

function needField(source: ListSource, name: string): ListField {
  const field = Object.hasOwn(source.fields, name) ? source.fields[name] : undefined;
  if (!field) throw invalid(`There is no field “${name}” here.`);
  return field;
}

const keyLike = /^[A-Za-z][A-Za-z0-9]*(?:-[A-Za-z0-9]+)*-\d{1,9}$/;

/** Words of three letters and more by the index, as beginnings; shorter ones by looking. A key finds itself, and what names it. */
export function wordsFound(
  column: MySqlColumn,
  text: string,
  named: (key: string) => SQL = (key) => sql`match(${column}) against (${`"${key}"`} in boolean mode)`,
): SQL | undefined {
  const tokens = text.trim().split(/\s+/).slice(0, 12);
  const keys = tokens.filter((token) => keyLike.test(token));
  const words = tokens
    .filter((token) => !keyLike.test(token))
    .flatMap((token) => [...token.matchAll(/[\p{L}\p{N}]+/gu)].map(([word]) => word));
  const long = words.filter((word) => word.length >= 3);
  const parts: SQL[] = [];
  if (long.length) parts.push(sql`match(${column}) against (${long.map((word) => `+${word}*`).join(' ')} in boolean mode)`);
  for (const word of words) if (word.length < 3) parts.push(like(column, `%${word}%`));
  parts.push(...keys.map(named));
  return and(...parts);
}

/** Records of a key, or of one that begins so, and those that name it: each by its own index. */
const namedRecords =
  (projectId: number) =>
  (key: string): SQL =>
    sql`${records.id} in (select k.id from ${records} k where k.project_id = ${projectId} and k.record_key like ${`${key.toUpperCase()}%`} union select t.id from ${records} t where t.project_id = ${projectId} and match(t.words) against (${`"${key}"`} in boolean mode))`;

function condition(source: ListSource, filter: Filter): SQL | undefined {
  if ('and' in filter) return and(...filter.and.map((f) => condition(source, f)));
  if ('or' in filter) return filter.or.length ? or(...filter.or.map((f) => condition(source, f) ?? sql`true`)) : sql`false`;
  if ('not' in filter) {
    const inner = condition(source, filter.not);
    return inner ? not(sql`ifnull(${inner}, false)`) : sql`false`;
  }
  if ('words' in filter) return wordsFound(source.words, filter.words, namedRecords(source.projectId));
  const { value, list, stored } = needField(source, filter.field);
  if ('is' in filter) {
    if (list !== undefined) {
      const some = filter.is.filter((v) => v !== null).map((v) => sql`json_contains(${list}, ${JSON.stringify(v)})`);
      return or(...some, ...(filter.is.includes(null) ? [sql`ifnull(json_length(${list}), 0) = 0`] : []));
    }
    const values = filter.is
      .filter((v) => v !== null)
      .map((v) => (typeof v === 'boolean' ? Number(v) : stored ? (stored[String(v)] ?? '') : v));
    const some = values.length ? inArray(value as MySqlColumn, values) : undefined;
    return filter.is.includes(null) ? or(isNull(value), some) : some;
  }
  if ('empty' in filter) return sql`(ifnull(${value}, '') = '') = ${filter.empty}`;
  return and(
    filter.from === undefined ? undefined : gte(value as MySqlColumn, filter.from),
    filter.to === undefined ? undefined : lte(value as MySqlColumn, filter.to),
  );
}

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
  /** Finds a page's places in its order, the id last, and behind them the numbers that are asked along. */
  readonly text: SQL;
  readonly columns: readonly string[];
  /** How many of them make a place. */
  readonly places: number;
}

function pageQuestion(source: ListSource, where: SQL, query: PageQuery, along: readonly SQL[] = []): PageQuestion {
  const orders = ordersOf(source, query.sort ?? source.sort);
  const place = query.after === undefined ? undefined : behind(orders, parseCursor(query.after, orders.length));
  const values = [...orders.map(({ value }) => value), ...along.map((number) => sql`(${number})`)];
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
  return { text, columns, places: orders.length };
}

type PlaceRow = readonly (string | number | null)[];

/** Ids of a page in order, with what comes behind it, and with the numbers that were asked along: none where the page is empty. */
function pageOf(rows: readonly PlaceRow[], { places }: PageQuestion, limit: number) {
  const shown = rows.slice(0, limit);
  const last = shown.at(-1)?.slice(0, places);
  return {
    ids: shown.map((row) => Number(row[places - 1])),
    next: rows.length > limit && last ? Buffer.from(JSON.stringify(last)).toString('base64url') : null,
    along: rows.at(0)?.slice(places).map(Number),
  };
}

const headOf = (projectId: number, number: 'seq' | 'otherSeq' = 'seq'): SQL =>
  sql`select ${ledgerHeads[number]} from ${ledgerHeads} where ${ledgerHeads.projectId} = ${projectId}`;

async function numberOf(tx: Tx, question: SQL): Promise<number> {
  const [[row]] = (await tx.execute(sql`select (${question}) as n`)) as unknown as [{ n: number }[]];
  return Number(row.n);
}

/** One page of a question; `load` reads the rows for ids, in whatever order; `beside` is asked in the same packet, of the same moment. */
export async function listPage<R extends { readonly id: number }>(
  db: Db,
  projectId: number,
  plain: ListSource,
  query: ListQuery,
  load: (tx: Tx, ids: Ids) => Promise<readonly R[]>,
  beside: (tx: Tx) => Promise<void> = async () => undefined,
): Promise<Page<Omit<R, 'id'>>> {
  return packedReading(db, async (tx) => {
    const source = await withOwnFields(tx, plain, projectId, [query.filter, query.sort, query.groups, query.sum]);
    const filter = needFilter(query.filter);
    const where = questionWhere(source, filter);
    const counts = query.after === undefined;
    const count = (filter ? undefined : source.all) ?? countOf(source, filter);
    const kept =
      counts && source.kept !== undefined && (!filter || onlyPlain(source, filter))
        ? `${projectId} ${source.kept} ${query.filter ?? ''}`
        : undefined;
    // A search for words finds all before it shows the first: they are counted as they pass, not searched again.
    const searched = wordsOf(filter);
    const measure = kept === undefined ? (searched ? sql`count(*) over ()` : count) : headOf(projectId, 'otherSeq');
    const question = pageQuestion(source, where, query, [headOf(projectId), ...(counts ? [measure] : [])]);
    const here = new FoundIds();
    // One packet: the page is kept where the database finds it, and what it shows is asked for by that.
    const [, found, loaded, passing] = await inOnePacket(
      tx,
      () => tx.execute(FoundIds.keep({ ...question, id: question.columns[question.places - 1] })),
      () => tx.execute(FoundIds.kept) as unknown as Promise<[[{ page: string | null }]]>,
      () => load(tx, here),
      async () => (searched ? passages(tx, here, searched) : undefined),
      () => beside(tx),
    );
    const { ids, next, along } = pageOf(JSON.parse(found[0][0].page ?? '[]') as PlaceRow[], question, query.limit);
    const rows = new Map(loaded.map((row) => [row.id, row]));
    const counted = async ([, found]: readonly number[]): Promise<number> => {
      if (kept === undefined) return found;
      const known = keptCount(db, kept, found);
      if (known !== undefined) return known;
      const fresh = await numberOf(tx, count);
      keepCount(db, kept, { seq: found, count: fresh });
      return fresh;
    };
    const [seq, total] = along
      ? [along[0], counts ? await counted(along) : 0]
      : [await ledgerHead(tx, projectId), counts && query.skip ? await numberOf(tx, count) : 0];
    const page: Page<Omit<R, 'id'>> = {
      rows: ids.flatMap((id) => {
        const row = rows.get(id);
        if (!row) return [];
        const { id: _, ...shown } = row;
        return [wanted(shown, query.columns)];
      }),
      next,
      total: counts ? total : null,
      seq,
    };
    if (passing) Object.assign(page, { found: passing });
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

/** The words that a filter searches for, all together. */
function wordsOf(filter: Filter | undefined): string {
  if (!filter) return '';
  if ('words' in filter) return filter.words;
  if ('and' in filter) return filter.and.map(wordsOf).join(' ').trim();
  if ('or' in filter) return filter.or.map(wordsOf).join(' ').trim();
  return '';
}

/** Where in their text the words of a search were found, by key. */
async function passages(tx: Tx, ids: Ids, words: string): Promise<Record<string, FoundPassage>> {
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
