import { LedgerCheck, type Json, type LedgerVerdict } from '@core/base';
import type { LedgerRow } from '@contract/base';
import { and, asc, count, desc, eq, gt, like, lt, or, type SQL } from 'drizzle-orm';
import type { Db, Tx } from './database';
import { ledger, ledgerHeads } from './tables';

export interface LedgerQuery {
  readonly before?: number;
  readonly limit: number;
  readonly kind?: string;
  readonly who?: string;
  readonly q?: string;
}

const row = {
  seq: ledger.seq,
  at: ledger.at,
  who: ledger.who,
  action: ledger.action,
  kind: ledger.kind,
  key: ledger.key,
  before: ledger.before,
  after: ledger.after,
  previous: ledger.previous,
  hash: ledger.hash,
};

/** A page of the ledger, newest first, with how many entries the filter has in all. */
export async function listLedger(
  db: Db,
  projectId: number,
  query: LedgerQuery,
): Promise<{ entries: LedgerRow[]; total: number; kinds: string[]; people: string[] }> {
  const where: SQL[] = [eq(ledger.projectId, projectId)];
  if (query.kind) where.push(eq(ledger.kind, query.kind));
  if (query.who) where.push(eq(ledger.who, query.who));
  if (query.q) where.push(or(like(ledger.key, `%${query.q}%`), like(ledger.action, `%${query.q}%`)) as SQL);
  const [{ total }] = await db
    .select({ total: count() })
    .from(ledger)
    .where(and(...where));
  const entries = await db
    .select(row)
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

/** All entries after a number, oldest first, in batches. */
export async function* ledgerEntries(db: Db | Tx, projectId: number, after = 0, batch = 1000): AsyncGenerator<LedgerRow> {
  for (let seq = after; ;) {
    const entries = await db
      .select(row)
      .from(ledger)
      .where(and(eq(ledger.projectId, projectId), gt(ledger.seq, seq)))
      .orderBy(asc(ledger.seq))
      .limit(batch);
    yield* entries;
    if (entries.length < batch) return;
    seq = entries[entries.length - 1].seq;
  }
}

/** Recomputes a project's whole chain. The head is read with the entries, in one snapshot. */
export async function verifyLedger(db: Db, projectId: number): Promise<LedgerVerdict> {
  return db.transaction(async (tx) => {
    const [head] = await tx
      .select({ seq: ledgerHeads.seq, hash: ledgerHeads.hash })
      .from(ledgerHeads)
      .where(eq(ledgerHeads.projectId, projectId));
    const check = new LedgerCheck();
    for await (const entry of ledgerEntries(tx, projectId))
      check.push({ ...entry, before: entry.before as Json, after: entry.after as Json });
    return check.verdict(head);
  });
}

export async function ledgerHead(db: Db | Tx, projectId: number): Promise<number> {
  const [head] = await db.select({ seq: ledgerHeads.seq }).from(ledgerHeads).where(eq(ledgerHeads.projectId, projectId));
  return head?.seq ?? 0;
}
