import { getTableColumns, getTableName } from 'drizzle-orm';
import type { MySqlColumn, MySqlTable } from 'drizzle-orm/mysql-core';
import type { Tx } from './database';
import { connectionOf } from './statement';

/** So many rows go in one statement. */
const atATime = 500;

interface Connection {
  query(text: string, values: readonly unknown[]): Promise<readonly [{ readonly insertId: number }, unknown]>;
}

/**
 * Inserts many rows of one table as `insert(…).values(…)` does, without making a text with a place for every value of every row, which takes longer than the
 * inserting. What no row gives is left to the table's default; a value that several rows share is written out once.
 * Answers the ids that the database counted up for them, in their order: InnoDB gives the rows of one statement consecutive ones.
 */
export async function insertMany<T extends MySqlTable>(tx: Tx, table: T, rows: readonly T['$inferInsert'][]): Promise<number[]> {
  const columns = Object.entries(getTableColumns(table) as Record<string, MySqlColumn>).filter(([name]) =>
    rows.some((row) => (row as Record<string, unknown>)[name] !== undefined),
  );
  const written = columns.map(() => new Map<unknown, unknown>());
  const stored = (value: unknown, column: MySqlColumn, at: number): unknown => {
    if (value === undefined || value === null) return null;
    if (typeof value !== 'object') return column.mapToDriverValue(value);
    let text = written[at].get(value);
    if (text === undefined) written[at].set(value, (text = column.mapToDriverValue(value)));
    return text;
  };
  const connection = connectionOf(tx) as Connection;
  const text = `insert into \`${getTableName(table)}\` (${columns.map(([, { name }]) => `\`${name}\``).join(', ')}) values ?`;
  const ids: number[] = [];
  // The next part is written out while the database takes the one before.
  let before: (() => Promise<void>) | undefined;
  for (let from = 0; from < rows.length; from += atATime) {
    const part = rows.slice(from, from + atATime);
    const values = part.map((row) => columns.map(([name, column], at) => stored((row as Record<string, unknown>)[name], column, at)));
    const asked = connection.query(text, [values]);
    // Told below; what comes behind a part that failed is undone with it.
    asked.catch(() => undefined);
    await before?.();
    before = async () => {
      const [{ insertId }] = await asked;
      ids.push(...part.map((_, i) => insertId + i));
    };
  }
  await before?.();
  return ids;
}
