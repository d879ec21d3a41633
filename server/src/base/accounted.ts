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

/** Long texts that several rows share are read and written canonically once: of so many, as long as they are this long. */
const remembered = 5000;
const longEnough = 40;

/** Hashes rows as the database holds them. What the columns hold is read first, so that the same content has the same hash however it is stored. */
class RowHasher {
  private readonly known = new Map<MySqlColumn, Map<string, string>>();

  constructor(private readonly accounted: Accounted) {}

  hashOf(row: Record<string, unknown>): string {
    const { name, columns } = this.accounted;
    return sha256Of(`[${[canonicalJson(name), ...columns.map(([column, of]) => this.canonical(of, row[column]))].join(',')}]`);
  }

  private canonical(column: MySqlColumn, stored: unknown): string {
    if (stored === null || stored === undefined) return 'null';
    const read = (): string => canonicalJson(column.mapFromDriverValue(stored) as Json);
    if (typeof stored !== 'string' || stored.length < longEnough) return read();
    let texts = this.known.get(column);
    if (!texts || texts.size >= remembered) this.known.set(column, (texts = new Map<string, string>()));
    let text = texts.get(stored);
    if (text === undefined) texts.set(stored, (text = read()));
    return text;
  }
}

/** Columns as the driver reads them. */
const selection = ({ id, columns }: Accounted): Record<string, SQL> =>
  Object.fromEntries([['$id', id] as const, ...columns].map(([name, column]) => [name, sql`${column}`]));

/** The hashes of rows by id, as they stand in this transaction; a row that is no more has none. */
export async function rowHashes(tx: Tx, accounted: Accounted, ids: readonly number[]): Promise<Map<number, string>> {
  const found = new Map<number, string>();
  const hasher = new RowHasher(accounted);
  const ask = (at: number) => (at < ids.length ? rowsById(accounted)(tx, { ids: ids.slice(at, at + 1000) }) : Promise.resolve([]));
  let next = ask(0);
  for (let at = 0; at < ids.length; at += 1000) {
    const rows = await next;
    // The next are read while these are hashed.
    next = ask(at + 1000);
    for (const row of rows) found.set(Number(row['$id']), hasher.hashOf(row));
  }
  return found;
}

/** Every accounted row of a project with its hash, a batch at a time. */
export async function* allRowHashes(db: Db | Tx, projectId: number): AsyncGenerator<{ table: string; id: string; hash: string }> {
  for (const accounted of tables.values()) {
    const hasher = new RowHasher(accounted);
    for (let after = 0; ;) {
      const rows = await db
        .select(selection(accounted))
        .from(accounted.table)
        .where(and(eq(accounted.project, projectId), gt(accounted.id, after)) as SQL)
        .orderBy(asc(accounted.id))
        .limit(1000);
      for (const row of rows) yield { table: accounted.name, id: String(row['$id']), hash: hasher.hashOf(row) };
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
