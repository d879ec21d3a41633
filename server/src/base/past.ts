import { and, asc, eq, gt, inArray, isNull, lte, or, sql, type SQL } from 'drizzle-orm';
import type { Db, Tx } from './database';
import { records, revisions, traces } from './tables';

/** Traces that stand now, or that stood at a ledger number. */
export const standing = (asOf?: number | null): SQL | undefined =>
  asOf == null
    ? isNull(traces.removedAt)
    : and(lte(traces.seq, asOf), or(isNull(traces.removedAt), gt(sql`ifnull(${traces.removedSeq}, 0)`, asOf)));

export interface RecordThen {
  readonly revision: number;
  readonly state: string;
  readonly snapshot: Readonly<Record<string, unknown>>;
}

/** Records as of a ledger number, by their ids: what their newest snapshot up to there said. Those that were not there yet are left out. */
export async function recordsThen(db: Db | Tx, ids: readonly number[], asOf: number): Promise<Map<number, RecordThen>> {
  const found = new Map<number, RecordThen>();
  for (let at = 0; at < ids.length; at += 500)
    for (const { recordId, ...then } of await db
      .select({ recordId: revisions.recordId, revision: revisions.revision, state: revisions.state, snapshot: revisions.snapshot })
      .from(revisions)
      .where(and(inArray(revisions.recordId, ids.slice(at, at + 500)), lte(revisions.seq, asOf)))
      .orderBy(asc(revisions.seq)))
      found.set(recordId, then);
  return found;
}

/** The id of a record by its key. */
export async function recordId(db: Db | Tx, projectId: number, key: string): Promise<number | undefined> {
  const [row] = await db
    .select({ id: records.id })
    .from(records)
    .where(and(eq(records.projectId, projectId), eq(records.key, key)));
  return row?.id;
}
