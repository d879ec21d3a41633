import { filterSchema, type Filter } from '@contract/base';
import { and, eq, gte, inArray, isNull, like, lte, not, or, sql, type SQL } from 'drizzle-orm';
import type { MySqlColumn } from 'drizzle-orm/mysql-core';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { fields, records } from './tables';

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
  /** Under this name what questions about plain fields find and show is kept, until an entry about anything but a run: no run changes a row. */
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
export async function withOwnFields(
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
export function onlyPlain(source: ListSource, filter: Filter): boolean {
  if ('and' in filter) return filter.and.every((f) => onlyPlain(source, f));
  if ('or' in filter) return filter.or.every((f) => onlyPlain(source, f));
  if ('not' in filter) return onlyPlain(source, filter.not);
  return 'words' in filter || isPlain(source, filter.field);
}
const isPlain = (source: ListSource, field: string): boolean => needField(source, field).plain === true;
export const sortsPlain = (source: ListSource, sort: string): boolean =>
  sort.split(',').every((name) => /^-?key$/.test(name) || isPlain(source, name.replace(/^-/, '')));

export function needField(source: ListSource, name: string): ListField {
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

export function condition(source: ListSource, filter: Filter): SQL | undefined {
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

/** The words that a filter searches for, all together. */
export function wordsOf(filter: Filter | undefined): string {
  if (!filter) return '';
  if ('words' in filter) return filter.words;
  if ('and' in filter) return filter.and.map(wordsOf).join(' ').trim();
  if ('or' in filter) return filter.or.map(wordsOf).join(' ').trim();
  return '';
}
