import { canonicalJson, sha256Hex, type Json, type LedgerWrite } from '@core/base';
import { and, asc, eq, gt, sql, type SQL } from 'drizzle-orm';
import type { MySqlColumn, MySqlTable } from 'drizzle-orm/mysql-core';
import type { Db, Tx } from './database';
import { sha256Of } from './digest';
import { statement } from './statement';

/** A table whose rows the ledger accounts for: every entry carries the hash of each row that it wrote. */
export interface Accounted {
  readonly name: string;
  readonly table: MySqlTable;
  readonly id: MySqlColumn;
  readonly project: MySqlColumn;
  /** The columns that are hashed, by name, in this order for ever: one that is added later goes into a new list. */
  readonly columns: readonly (readonly [string, MySqlColumn])[];
}

const tables = new Map<string, Accounted>();

/** Says that a table is accounted for. Rooms do so beside their tables. */
export function account(accounted: Accounted): Accounted {
  tables.set(accounted.name, accounted);
  return accounted;
}

/** The rows of a table by their ids, as they are hashed. */
const rowsOf = new Map<Accounted, (db: Db | Tx, values: { ids: readonly number[] }) => Promise<Record<string, unknown>[]>>();
function rowsById(accounted: Accounted) {
  let rows = rowsOf.get(accounted);
  if (!rows) {
    rows = statement((db) =>
      db
        .select(selection(accounted))
        .from(accounted.table)
        .where(sql`${accounted.id} in (${sql.placeholder('ids')})`),
    );
    rowsOf.set(accounted, rows);
  }
  return rows;
}

export const accountedTables = (): Accounted[] => [...tables.values()];

function hashOf({ name, columns }: Accounted, row: Record<string, unknown>): string {
  return sha256Of(canonicalJson([name, ...columns.map(([column]) => (row[column] ?? null) as Json)]));
}

const selection = ({ id, columns }: Accounted): Record<string, MySqlColumn> => ({ $id: id, ...Object.fromEntries(columns) });

/** The hashes of rows by id, as they stand in this transaction; a row that is no more has none. */
export async function rowHashes(tx: Tx, accounted: Accounted, ids: readonly number[]): Promise<Map<number, string>> {
  const found = new Map<number, string>();
  for (let at = 0; at < ids.length; at += 1000) {
    const rows = await rowsById(accounted)(tx, { ids: ids.slice(at, at + 1000) });
    for (const row of rows) found.set(Number(row['$id']), hashOf(accounted, row));
  }
  return found;
}

/** Every accounted row of a project with its hash, a batch at a time. */
export async function* allRowHashes(db: Db | Tx, projectId: number): AsyncGenerator<{ table: string; id: string; hash: string }> {
  for (const accounted of tables.values()) {
    for (let after = 0; ;) {
      const rows = await db
        .select(selection(accounted))
        .from(accounted.table)
        .where(and(eq(accounted.project, projectId), gt(accounted.id, after)) as SQL)
        .orderBy(asc(accounted.id))
        .limit(1000);
      for (const row of rows) yield { table: accounted.name, id: String(row['$id']), hash: hashOf(accounted, row) };
      if (rows.length < 1000) break;
      after = Number(rows[rows.length - 1]['$id']);
    }
  }
}

/** The hash under which a snapshot is accounted for: it is named by its record and its ledger number. */
export function snapshotWrite(row: {
  readonly recordId: number;
  readonly seq: number;
  readonly revision: number;
  readonly state: string;
  readonly hash: string | null;
  readonly snapshot: Json;
  readonly by: string;
  readonly at: string;
}): LedgerWrite {
  const { recordId, seq, revision, state, hash, snapshot, by, at } = row;
  return {
    table: 'revisions',
    id: `${recordId}:${seq}`,
    hash: sha256Hex(canonicalJson(['revisions', recordId, seq, revision, state, hash, snapshot, by, at])),
  };
}
