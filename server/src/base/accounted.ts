import { canonicalJson, sha256Hex, type Json, type LedgerWrite } from '@core/base';
import { getTableColumns, inArray, sql, type SQL } from 'drizzle-orm';
import { MySqlDialect, type MySqlColumn, type MySqlTable } from 'drizzle-orm/mysql-core';
import type { Db, Tx } from './database';
import { sha256Of } from './digest';
import { connectionOf } from './statement';

/** A table whose rows the ledger accounts for: every entry carries the hash of each row that it wrote. */
export interface Accounted {
  readonly name: string;
  readonly table: MySqlTable;
  readonly id: MySqlColumn;
  readonly project: MySqlColumn;
  /** The columns that are hashed, by name, in this order for ever: one that is added later goes into a new list. */
  readonly columns: readonly (readonly [string, MySqlColumn])[];
  /** Those of them that hold long texts which many rows share: of many rows, each text is read once. */
  readonly alike?: readonly MySqlColumn[];
}

const tables = new Map<string, Accounted>();

/** Says that a table is accounted for. Rooms do so beside their tables. */
export function account(accounted: Accounted): Accounted {
  tables.set(accounted.name, accounted);
  return accounted;
}

/** A row as it is hashed, as the driver reads it: its id, then the columns in their order. */
type Row = readonly unknown[];

/** How the rows of a table are asked for: by their ids, whole or with digests of what is alike, or some of a project behind an id. */
interface Questions {
  readonly whole: string;
  readonly digests: string;
  readonly behind: string;
}

const dialect = new MySqlDialect();
const questions = new Map<Accounted, Questions>();
function questionsOf(accounted: Accounted): Questions {
  let known = questions.get(accounted);
  if (!known) {
    const { table, id, project, columns, alike = [] } = accounted;
    const value = (column: MySqlColumn, digests: boolean): SQL =>
      digests && alike.includes(column) ? sql`sha2(${column}, 256)` : sql`${column}`;
    // The text is made once: making it, and turning rows into objects, takes longer than the asking.
    const text = (where: SQL, digests = false): string => {
      const asked = sql.join([sql`${id}`, ...columns.map(([, column]) => value(column, digests))], sql`, `);
      return dialect.sqlToQuery(sql`select ${asked} from ${table} where ${where}`).sql;
    };
    const byId = sql`${id} in (${sql.placeholder('ids')})`;
    const behind = sql`${project} = ${sql.placeholder('project')} and ${id} > ${sql.placeholder('after')} order by ${id} limit ${sql.raw(String(rowsAtOnce))}`;
    known = { whole: text(byId), digests: text(byId, true), behind: text(behind) };
    questions.set(accounted, known);
  }
  return known;
}

interface Asked {
  query(options: { readonly sql: string; readonly rowsAsArray: true }, values: readonly unknown[]): Promise<readonly [Row[], unknown]>;
}
async function ask(db: Db | Tx, text: string, ...values: readonly unknown[]): Promise<Row[]> {
  const [rows] = await (connectionOf(db) as Asked).query({ sql: text, rowsAsArray: true }, values);
  return rows;
}

export const accountedTables = (): Accounted[] => [...tables.values()];

/** Long texts that several rows share are read and written canonically once: of so many, as long as they are this long. */
const remembered = 5000;
const longEnough = 40;
/** Of fewer rows all texts are read: the digests cost a question more. */
const manyRows = 200;
const rowsAtOnce = 1000;

/** Hashes rows as the database holds them. What the columns hold is read first, so that the same content has the same hash however it is stored. */
class RowHasher {
  private readonly known = new Map<MySqlColumn, Map<string, string>>();
  /** Canonical texts by the digests of what is stored. */
  private readonly learnt = new Map<MySqlColumn, Map<string, string>>();

  constructor(private readonly accounted: Accounted) {}

  hashOf(row: Row): string {
    return hashOfTexts(
      this.accounted,
      this.accounted.columns.map(([, column], i) => this.canonical(column, row[i + 1])),
    );
  }

  /** Is it known what a column's digest stands for? A column that is null has none. */
  knows(column: MySqlColumn, digest: unknown): boolean {
    return typeof digest !== 'string' || (this.learnt.get(column)?.has(digest) ?? false);
  }

  /** From now on the digest stands for this text in that column. */
  learn(column: MySqlColumn, digest: string, text: string): void {
    let texts = this.learnt.get(column);
    if (!texts) this.learnt.set(column, (texts = new Map<string, string>()));
    texts.set(digest, canonicalJson(column.mapFromDriverValue(text) as Json));
  }

  private canonical(column: MySqlColumn, stored: unknown): string {
    if (stored === null || stored === undefined) return 'null';
    const read = (): string => canonicalJson(column.mapFromDriverValue(stored) as Json);
    if (typeof stored !== 'string' || stored.length < longEnough) return read();
    const learnt = this.learnt.get(column)?.get(stored);
    if (learnt !== undefined) return learnt;
    let texts = this.known.get(column);
    if (!texts || texts.size >= remembered) this.known.set(column, (texts = new Map<string, string>()));
    let text = texts.get(stored);
    if (text === undefined) texts.set(stored, (text = read()));
    return text;
  }
}

/** Rows with the digests of their long texts; what each digest stands for is read from the first row that has it. */
async function readAlike(tx: Tx, accounted: Accounted, hasher: RowHasher, ids: readonly number[]): Promise<Row[]> {
  const rows = await ask(tx, questionsOf(accounted).digests, ids);
  for (const [i, [, column]] of accounted.columns.entries()) {
    if (!accounted.alike?.includes(column)) continue;
    const first = new Map<unknown, number>();
    for (const row of rows) if (!hasher.knows(column, row[i + 1]) && !first.has(row[i + 1])) first.set(row[i + 1], Number(row[0]));
    if (!first.size) continue;
    const texts = await tx
      .select({ digest: sql<string>`sha2(${column}, 256)`, text: sql<string>`${column}` })
      .from(accounted.table)
      .where(inArray(accounted.id, [...first.values()]));
    for (const { digest, text } of texts) hasher.learn(column, digest, text);
  }
  return rows;
}

/** The names under which a row that was read holds the columns that are hashed, in their order. */
const names = new Map<Accounted, readonly string[]>();
function namesOf(accounted: Accounted): readonly string[] {
  let known = names.get(accounted);
  if (!known) {
    const all = Object.entries(getTableColumns(accounted.table));
    known = accounted.columns.map(([, column]) => all.find(([, other]) => other === column)?.[0] ?? '');
    names.set(accounted, known);
  }
  return known;
}

/** The hash of a row that holds these values, as it is read: the same that `rowHashes` finds once they are stored. */
export const hashOfRow = (accounted: Accounted, row: Readonly<Record<string, unknown>>): string =>
  hashOfTexts(
    accounted,
    namesOf(accounted).map((name) => canonicalJson((row[name] ?? null) as Json)),
  );

const hashOfTexts = ({ name }: Accounted, columns: readonly string[]): string =>
  sha256Of(`[${[canonicalJson(name), ...columns].join(',')}]`);

/** The hashes of rows by id, as they stand in this transaction; a row that is no more has none. */
export async function rowHashes(tx: Tx, accounted: Accounted, ids: readonly number[]): Promise<Map<number, string>> {
  const found = new Map<number, string>();
  const hasher = new RowHasher(accounted);
  const alike = accounted.alike !== undefined && ids.length >= manyRows;
  const read = (at: number): Promise<Row[]> => {
    const some = ids.slice(at, at + rowsAtOnce);
    if (!some.length) return Promise.resolve([]);
    return alike ? readAlike(tx, accounted, hasher, some) : ask(tx, questionsOf(accounted).whole, some);
  };
  let next = read(0);
  for (let at = 0; at < ids.length; at += rowsAtOnce) {
    const rows = await next;
    // The next are read while these are hashed.
    next = read(at + rowsAtOnce);
    for (const row of rows) found.set(Number(row[0]), hasher.hashOf(row));
  }
  return found;
}

/** Every accounted row of a project with its hash, a batch at a time. */
export async function* allRowHashes(db: Db | Tx, projectId: number): AsyncGenerator<{ table: string; id: string; hash: string }> {
  for (const accounted of tables.values()) {
    const hasher = new RowHasher(accounted);
    for (let after = 0; ;) {
      const rows = await ask(db, questionsOf(accounted).behind, projectId, after);
      for (const row of rows) yield { table: accounted.name, id: String(row[0]), hash: hasher.hashOf(row) };
      if (rows.length < rowsAtOnce) break;
      after = Number(rows[rows.length - 1][0]);
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
