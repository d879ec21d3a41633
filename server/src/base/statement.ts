import { sql, type SQL } from 'drizzle-orm';
import { MySqlDialect, type MySqlColumn } from 'drizzle-orm/mysql-core';
import type { Db, Tx } from './database';

interface Prepared<R> {
  execute(values?: Record<string, unknown>): Promise<R>;
}

/**
 * A query that is asked very often. Its text is made once, with `sql.placeholder` where values go, and is then asked on any connection and
 * in any transaction: making the text costs more than the asking.
 */
export function statement<V extends Record<string, unknown>, R>(
  build: (db: Db) => { prepare(): Prepared<R> },
): (db: Db | Tx, values: V) => Promise<R> {
  let made: Prepared<R> | undefined;
  return (db, values) => {
    made ??= build(db as Db).prepare();
    const here = Object.create(made, { client: { value: connectionOf(db) } }) as Prepared<R>;
    return here.execute(values);
  };
}

const dialect = new MySqlDialect();

/** A part of many questions that holds no value: its text is made once. */
export const asText = (part: SQL | MySqlColumn): SQL => sql.raw(dialect.sqlToQuery(sql`${part}`).sql);

/** So many ids go into one question. */
const idsAtOnce = 1000;

/**
 * The same for what belongs to many ids, by the column that holds them: so many at a time, or all that there is. `build` is given the
 * condition on the column; undefined where all are meant.
 */
export function statementOfMany<V extends Record<string, unknown>, R>(
  column: MySqlColumn,
  build: (db: Db, where: SQL | undefined) => { prepare(): Prepared<R[]> },
): (db: Db | Tx, ids: readonly number[] | 'all', values: V) => Promise<R[]> {
  const ofAll = statement<V, R[]>((db) => build(db, undefined));
  const ofSome = statement<V & { ids: readonly number[] }, R[]>((db) => build(db, sql`${column} in (${sql.placeholder('ids')})`));
  return async (db, ids, values) => {
    if (ids === 'all') return ofAll(db, values);
    const parts: R[][] = [];
    for (let at = 0; at < ids.length; at += idsAtOnce) parts.push(await ofSome(db, { ...values, ids: ids.slice(at, at + idsAtOnce) }));
    return parts.flat();
  };
}

/** A value of a column that is said when a statement is asked. */
export const said = (column: MySqlColumn, name: string): SQL => sql`${sql.param(sql.placeholder(name), column)}`;

/** The connection or the pool that asks for a database or a transaction. */
export function connectionOf(db: Db | Tx): unknown {
  return (db as unknown as { readonly session: { readonly client: unknown } }).session.client;
}
