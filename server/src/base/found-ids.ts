import { inArray, sql, type SQL } from 'drizzle-orm';
import type { MySqlColumn } from 'drizzle-orm/mysql-core';

/** Where the ids stand in the text of a question: nobody outside can say it, since each process has its own. */
const mark = `/*ids ${crypto.randomUUID()}*/`;

/**
 * Ids of a page that the database itself keeps, so that what the page shows is asked for in the packet that finds it. They hold for the
 * connection of the transaction, until it keeps another page; only a transaction that sends packets knows them.
 */
export class FoundIds {
  /** The question that finds a page and keeps it, by its columns; the id is in one of them. */
  static keep({ text, columns, id }: { readonly text: SQL; readonly columns: readonly string[]; readonly id: string }): SQL {
    const names = sql.join(
      columns.map((name) => sql.identifier(name)),
      sql`, `,
    );
    return sql`select json_arrayagg(json_array(${names})), ifnull(group_concat(${sql.identifier(id)}), '0') into @page, @ids from (${text}) page`;
  }

  /** The question for what is kept: JSON, a list for each row; null where there is none. */
  static readonly kept = sql`select @page as page`;

  /** As the driver asks for it where it stands among the values of a question. */
  toSqlString(): string {
    return mark;
  }
}

/** Ids as they are told, or as the database keeps them. */
export type Ids = readonly number[] | FoundIds;

/** It is known before anything is asked that there is none. */
export const isNone = (ids: Ids): boolean => !(ids instanceof FoundIds) && !ids.length;

/** A column holds one of some ids. */
export function among(column: MySqlColumn, ids: Ids): SQL {
  if (ids instanceof FoundIds) return sql`${column} in (${sql.raw(mark)})`;
  return ids.length ? inArray(column, [...ids]) : sql`false`;
}

/**
 * The text of a question with the kept ids written into it by the database: it then plans as it does with ids that it was told, which a
 * subquery would not make it do.
 */
export function withFoundIds(text: string, escape: (part: string) => string): string {
  const parts = text.split(mark);
  return parts.length === 1 ? text : `execute immediate concat(${parts.map(escape).join(', @ids, ')})`;
}
