import { getTableColumns, getTableName } from 'drizzle-orm';
import type { MySqlColumn, MySqlTable } from 'drizzle-orm/mysql-core';
import type { Tx } from './database';
import { connectionOf } from './statement';

/** So many rows go in one statement. */
export const rowsAtOnce = 500;

interface Connection {
  query(options: { readonly sql: string }, values: readonly unknown[]): Promise<readonly [{ readonly insertId: number }, unknown]>;
  escape(value: unknown): string;
}

/**
 * Inserts many rows of one table as `insert(…).values(…)` does, without making a text with a place for every value of every row, which takes longer than the
 * inserting. What no row gives is left to the table's default; a value that several rows share is written out once.
 * Answers the ids that the database counted up for them, in their order: InnoDB gives the rows of one statement consecutive ones.
 */
export function insertMany<T extends MySqlTable>(
  tx: Tx,
  table: T,
  rows: readonly T['$inferInsert'][],
  /** Told how many stand, part by part. */
  reached?: (count: number) => Promise<void>,
): Promise<number[]> {
  return writeMany(tx, table, rows, { reached });
}

/** The same for rows that may stand already: what stands under the same primary key is given their values, and keeps those that none gives. */
export async function putMany<T extends MySqlTable>(tx: Tx, table: T, rows: readonly T['$inferInsert'][]): Promise<void> {
  await writeMany(tx, table, rows, { over: true });
}

async function writeMany<T extends MySqlTable>(
  tx: Tx,
  table: T,
  rows: readonly T['$inferInsert'][],
  { over, reached }: { readonly over?: true; readonly reached?: ((count: number) => Promise<void>) | undefined },
): Promise<number[]> {
  const columns = Object.entries(getTableColumns(table) as Record<string, MySqlColumn>).filter(([name]) =>
    rows.some((row) => (row as Record<string, unknown>)[name] !== undefined),
  );
  const connection = connectionOf(tx) as Connection;
  const written = columns.map(() => new Map<unknown, string>());
  const literal = (value: unknown, column: MySqlColumn, at: number): string => {
    if (value === undefined || value === null) return 'null';
    if (typeof value !== 'object') return connection.escape(column.mapToDriverValue(value));
    let text = written[at].get(value);
    if (text === undefined) written[at].set(value, (text = connection.escape(column.mapToDriverValue(value))));
    return text;
  };
  const row = (of: T['$inferInsert']): string =>
    `(${columns.map(([name, column], at) => literal((of as Record<string, unknown>)[name], column, at)).join(',')})`;
  const into = `insert into \`${getTableName(table)}\` (${columns.map(([, { name }]) => `\`${name}\``).join(', ')}) values ?${over ? ` on duplicate key update ${columns.map(([, { name }]) => `\`${name}\` = values(\`${name}\`)`).join(', ')}` : ''}`;
  const ids: number[] = [];
  // The next part is written out while the database takes the one before.
  let before: (() => Promise<void>) | undefined;
  for (let from = 0; from < rows.length; from += rowsAtOnce) {
    const part = rows.slice(from, from + rowsAtOnce);
    const text = part.map(row).join(',');
    // As it is: a text of megabytes is not looked through for places of values.
    const asked = connection.query({ sql: into }, [{ toSqlString: () => text }]);
    // Told below; what comes behind a part that failed is undone with it.
    asked.catch(() => undefined);
    await before?.();
    before = async () => {
      const [{ insertId }] = await asked;
      ids.push(...part.map((_, i) => insertId + i));
      await reached?.(ids.length);
    };
  }
  await before?.();
  return ids;
}
