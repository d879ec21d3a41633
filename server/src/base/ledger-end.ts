import { ledgerRoot } from '@core/base';
import { eq, sql } from 'drizzle-orm';
import type { Tx } from './database';
import { insertMany } from './insert-many';
import { lastly } from './packets';
import { said, statement } from './statement';
import { ledger, ledgerHeads } from './tables';

export type LedgerRow = typeof ledger.$inferInsert;

/** The last entry of a ledger. */
export interface ChainEnd {
  readonly seq: number;
  readonly hash: string;
}

const lockedHead = statement((db) =>
  db
    .select({ seq: ledgerHeads.seq, hash: ledgerHeads.hash })
    .from(ledgerHeads)
    .where(eq(ledgerHeads.projectId, sql.placeholder('projectId')))
    .for('update'),
);

/** The chain's end, locked until the transaction is over. */
export async function lockHead(tx: Tx, projectId: number): Promise<ChainEnd> {
  const [head] = await lockedHead(tx, { projectId });
  if (head) return head;
  await tx.insert(ledgerHeads).ignore().values({ projectId, seq: 0, hash: ledgerRoot });
  const [made] = await lockedHead(tx, { projectId });
  return made;
}

const movedHead = statement((db) =>
  db
    .update(ledgerHeads)
    .set({
      seq: said(ledgerHeads.seq, 'seq'),
      hash: said(ledgerHeads.hash, 'hash'),
      otherSeq: sql`ifnull(${sql.placeholder('otherSeq')}, ${ledgerHeads.otherSeq})`,
    })
    .where(eq(ledgerHeads.projectId, sql.placeholder('projectId'))),
);

/** Appends entries behind the chain's end, which is locked. */
export async function appendEntries(tx: Tx, projectId: number, rows: readonly LedgerRow[], end: ChainEnd): Promise<void> {
  const parts = Array.from({ length: Math.ceil(rows.length / 50) }, (_, i) => rows.slice(i * 50, i * 50 + 50));
  const other = rows.findLast(({ kind }) => kind !== 'run');
  await lastly(tx, ...parts.map((part) => () => insertMany(tx, ledger, part)), () =>
    movedHead(tx, { projectId, ...end, otherSeq: other?.seq ?? null }),
  );
}
