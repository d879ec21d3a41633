import { LedgerCheck, RowCheck, type Json, type LedgerEntry, type LedgerVerdict } from '@core/base';
import type { LedgerRow } from '@contract/base';
import { and, asc, count, desc, eq, gt, gte, like, lt, or, type SQL } from 'drizzle-orm';
import { allRowHashes, snapshotWrite } from './accounted';
import type { Db, Tx } from './database';
import { ledger, ledgerHeads, revisions } from './tables';
import type { Touches } from './touches';

export interface LedgerQuery {
  readonly before?: number;
  readonly limit: number;
  readonly kind?: string;
  readonly who?: string;
  readonly q?: string;
  /** Days, the last one included. */
  readonly from?: string;
  readonly to?: string;
}

const row = {
  format: ledger.format,
  seq: ledger.seq,
  at: ledger.at,
  who: ledger.who,
  action: ledger.action,
  kind: ledger.kind,
  key: ledger.key,
  before: ledger.before,
  after: ledger.after,
  writes: ledger.writes,
  operation: ledger.operation,
  touches: ledger.touches,
  previous: ledger.previous,
  hash: ledger.hash,
};

/** The entries that a question finds. */
function entriesAsked(projectId: number, query: Omit<LedgerQuery, 'before' | 'limit'>): SQL[] {
  const where: SQL[] = [eq(ledger.projectId, projectId)];
  if (query.kind) where.push(eq(ledger.kind, query.kind));
  if (query.who) where.push(eq(ledger.who, query.who));
  if (query.from) where.push(gte(ledger.at, query.from));
  if (query.to) where.push(lt(ledger.at, `${query.to}T24`));
  for (const word of (query.q ?? '').split(/\s+/).filter(Boolean).slice(0, 12))
    where.push(or(like(ledger.key, `%${word}%`), like(ledger.action, `%${word}%`)) as SQL);
  return where;
}

/** All entries that a question finds, oldest first, whole: with what is needed to compute their hashes again. */
export async function* entriesFound(
  db: Db,
  projectId: number,
  query: Omit<LedgerQuery, 'before' | 'limit'>,
): AsyncGenerator<LedgerEntry & { readonly hash: string }> {
  const where = entriesAsked(projectId, query);
  for (let seq = 0; ;) {
    const entries = await db
      .select(row)
      .from(ledger)
      .where(and(...where, gt(ledger.seq, seq)))
      .orderBy(asc(ledger.seq))
      .limit(500);
    for (const { writes, touches: _, before, after, ...entry } of entries)
      yield { ...entry, before: before as Json, after: after as Json, writes: writes ?? [] };
    if (entries.length < 500) return;
    seq = entries[entries.length - 1].seq;
  }
}

/** A page of the ledger, newest first, with how many entries the filter has in all. */
export async function listLedger(
  db: Db,
  projectId: number,
  query: LedgerQuery,
): Promise<{ entries: LedgerRow[]; total: number; kinds: string[]; people: string[] }> {
  const where = entriesAsked(projectId, query);
  const [{ total }] = await db
    .select({ total: count() })
    .from(ledger)
    .where(and(...where));
  const { writes: _writes, operation: _operation, touches: _touches, format: _format, ...shown } = row;
  const entries = await db
    .select(shown)
    .from(ledger)
    .where(and(...where, ...(query.before ? [lt(ledger.seq, query.before)] : [])))
    .orderBy(desc(ledger.seq))
    .limit(query.limit);
  const kinds = await db
    .selectDistinct({ kind: ledger.kind })
    .from(ledger)
    .where(eq(ledger.projectId, projectId))
    .orderBy(asc(ledger.kind));
  const people = await db.selectDistinct({ who: ledger.who }).from(ledger).where(eq(ledger.projectId, projectId)).orderBy(asc(ledger.who));
  return { entries, total, kinds: kinds.map((k) => k.kind), people: people.map((p) => p.who) };
}

/** Entries after a number, oldest first, with what those who listen are told of them. */
export const newestEntries = (db: Db, projectId: number, after: number, limit: number) =>
  db
    .select({ seq: row.seq, at: row.at, who: row.who, action: row.action, kind: row.kind, key: row.key })
    .from(ledger)
    .where(and(eq(ledger.projectId, projectId), gt(ledger.seq, after)))
    .orderBy(asc(ledger.seq))
    .limit(limit);

/** An entry as it is stored, whole. */
export type StoredEntry = LedgerEntry & { readonly touches: Touches | null };

/** All entries after a number, oldest first, in batches. */
export async function* ledgerEntries(db: Db | Tx, projectId: number, after = 0, batch = 500): AsyncGenerator<StoredEntry> {
  for (let seq = after; ;) {
    const entries = await db
      .select(row)
      .from(ledger)
      .where(and(eq(ledger.projectId, projectId), gt(ledger.seq, seq)))
      .orderBy(asc(ledger.seq))
      .limit(batch);
    for (const { writes, before, after: now, ...entry } of entries)
      yield { ...entry, before: before as Json, after: now as Json, writes: writes ?? [] };
    if (entries.length < batch) return;
    seq = entries[entries.length - 1].seq;
  }
}

/** What differs between the ledger and the rows that it accounts for. */
export interface RowFaultFound {
  readonly table: string;
  readonly id: string;
  readonly fault: 'changed' | 'removed' | 'inserted';
  readonly seq: number | null;
}

export interface Verification extends LedgerVerdict {
  readonly rows: number;
  /** The first rows that are not what the ledger says, and how many there are. */
  readonly rowFaults: readonly RowFaultFound[];
  readonly rowFaultCount: number;
}

const shownFaults = 50;

/** Recomputes a project's whole chain, and holds every accounted row against it, all in one snapshot. */
export async function verifyLedger(db: Db, projectId: number): Promise<Verification> {
  return db.transaction(async (tx) => {
    const [head] = await tx
      .select({ seq: ledgerHeads.seq, hash: ledgerHeads.hash })
      .from(ledgerHeads)
      .where(eq(ledgerHeads.projectId, projectId));
    const check = new LedgerCheck();
    const rowCheck = new RowCheck();
    for await (const entry of ledgerEntries(tx, projectId)) {
      check.push(entry);
      rowCheck.entry(entry);
    }
    let rows = 0;
    if (projectId !== 0) {
      for await (const { table, id, hash } of allRowHashes(tx, projectId)) {
        rowCheck.row(table, id, hash);
        rows++;
      }
      for await (const { table, id, hash } of snapshotHashes(tx, projectId)) {
        rowCheck.row(table, id, hash ?? '');
        rows++;
      }
    }
    const faults = projectId === 0 ? [] : rowCheck.faults();
    return { ...check.verdict(head), rows, rowFaults: faults.slice(0, shownFaults), rowFaultCount: faults.length };
  });
}

async function* snapshotHashes(tx: Tx, projectId: number) {
  for (let record = 0, seq = 0; ;) {
    const rows = await tx
      .select()
      .from(revisions)
      .where(
        and(
          eq(revisions.projectId, projectId),
          or(gt(revisions.recordId, record), and(eq(revisions.recordId, record), gt(revisions.seq, seq))),
        ),
      )
      .orderBy(asc(revisions.recordId), asc(revisions.seq))
      .limit(500);
    for (const { snapshot, ...entry } of rows) yield snapshotWrite({ ...entry, snapshot: snapshot as Json });
    if (rows.length < 500) return;
    ({ recordId: record, seq } = rows[rows.length - 1]);
  }
}

export async function ledgerHead(db: Db | Tx, projectId: number): Promise<number> {
  const [head] = await db.select({ seq: ledgerHeads.seq }).from(ledgerHeads).where(eq(ledgerHeads.projectId, projectId));
  return head?.seq ?? 0;
}
