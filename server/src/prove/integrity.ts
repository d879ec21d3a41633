import { and, eq, inArray, isNull, sql } from 'drizzle-orm';
import {
  builds,
  decisions,
  integrityFaults,
  signatures,
  verifyLedger,
  type AppContext,
  type Db,
  type RowFaultFound,
  type Verification,
} from '../base';
import { runsOfEvidence } from '../run';
import { projections } from './tables';

/** Tables whose rows have the number of the record that they belong to. */
const byRecord = new Set(['records', 'requirements', 'cases', 'runs', 'rounds', 'builds', 'problems', 'specifications', 'uploads']);

/** The record that a row belongs to, where one can be named. */
async function recordsOf(db: Db, faults: readonly RowFaultFound[]): Promise<(fault: RowFaultFound) => number | null> {
  const ids = (table: string): number[] => faults.filter((f) => f.table === table).map((f) => Number(f.id));
  const runs = await runsOfEvidence(db, ids('evidence'));
  const signed = ids('signatures').length
    ? await db
        .select({ id: signatures.id, recordId: signatures.recordId })
        .from(signatures)
        .where(inArray(signatures.id, ids('signatures')))
    : [];
  const decided = ids('decisions').length
    ? await db
        .select({ id: decisions.id, recordId: decisions.recordId })
        .from(decisions)
        .where(inArray(decisions.id, ids('decisions')))
    : [];
  const ofSignature = new Map(signed.map((s) => [s.id, s.recordId]));
  const ofDecision = new Map(decided.map((d) => [d.id, d.recordId]));
  return ({ table, id }) => {
    if (byRecord.has(table)) return Number(id);
    if (table === 'revisions') return Number(id.split(':')[0]);
    if (table === 'evidence') return runs.get(Number(id)) ?? null;
    if (table === 'signatures') return ofSignature.get(Number(id)) ?? null;
    return table === 'decisions' ? (ofDecision.get(Number(id)) ?? null) : null;
  };
}

/**
 * Verifies a project's ledger and rows, and keeps what was found: what rests on a row that differs is broken from now on, and sound again
 * once a later verification finds it as it was written.
 */
export async function verifyProject(context: Pick<AppContext, 'database' | 'now'>, projectId: number): Promise<Verification> {
  const { db } = context.database;
  const verification = await verifyLedger(db, projectId);
  const recordOf = await recordsOf(db, verification.rowFaults);
  const foundAt = context.now().toISOString();
  const now = verification.rowFaults.map((fault) => ({
    projectId,
    table: fault.table,
    rowId: fault.id,
    recordId: recordOf(fault),
    fault: fault.fault,
    foundAt,
  }));
  await db.transaction(async (tx) => {
    const before = await tx.select().from(integrityFaults).where(eq(integrityFaults.projectId, projectId));
    const name = (f: { table: string; rowId: string }): string => `${f.table} ${f.rowId}`;
    if (before.map(name).sort().join() === now.map(name).sort().join()) return;
    await tx.delete(integrityFaults).where(eq(integrityFaults.projectId, projectId));
    if (now.length) await tx.insert(integrityFaults).values(now);
    // Everything is judged afresh: faults are rare, and each may lie under many cords.
    await tx
      .update(projections)
      .set({ seq: sql`0` })
      .where(
        and(
          eq(projections.projectId, projectId),
          // A closed build stays as it was judged; what differs under it breaks its cords as they are read.
          inArray(
            projections.buildId,
            tx
              .select({ id: builds.id })
              .from(builds)
              .where(and(eq(builds.projectId, projectId), isNull(builds.closedSeq))),
          ),
        ),
      );
  });
  return verification;
}
