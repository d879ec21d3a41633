import { groupBy } from '@core/base';
import { boundaryPoints, verifiedByTest, type BoundaryCase, type BoundaryPoint } from '@core/design';
import { and, eq, gt, inArray, isNull, or, sql } from 'drizzle-orm';
import { ledger, ledgerHeads, needRecord, sumOfTouches, traces, type Db, type Tx } from '../base';
import { boundaryCounts, boundaryProgress, requirements } from '../specify';
import { caseContent, casesById, verifyingPairs } from './store';

/** Other rules of finding boundaries make all counts afresh: raise it with them. */
export const boundaryVersion = 1;
/** So many requirements are read, counted and written at once. */
const portion = 500;
/** Entries that touch no text are passed over one by one as long as there are no more of them than this. */
const passedOver = 50;

/** The cases in use that verify each of some requirements, as far as their numbers are looked for, by the requirement's id. */
async function boundaryCases(db: Db | Tx, ids: readonly number[]): Promise<Map<number, BoundaryCase[]>> {
  const pairs = await verifyingPairs(db, ids);
  const stored = await casesById(db, [...new Set(pairs.map(({ id }) => id))]);
  const cases = new Map([...stored].map(([id, c]): [number, BoundaryCase] => [id, { key: c.record.key, content: caseContent(c) }]));
  return groupBy(
    pairs.filter(({ id }) => cases.has(id)),
    ({ to }) => to,
    ({ id }) => cases.get(id) as BoundaryCase,
  );
}

/** The limits of one requirement, and what stands at each. */
export async function boundariesOf(db: Db, projectId: number, key: string): Promise<BoundaryPoint[]> {
  const { id } = await needRecord(db, projectId, 'requirement', key);
  const [{ text, method }] = await db
    .select({ text: requirements.text, method: requirements.method })
    .from(requirements)
    .where(eq(requirements.id, id));
  return verifiedByTest(method) ? boundaryPoints(text, (await boundaryCases(db, [id])).get(id) ?? []) : [];
}

/** Projects whose counts are behind their ledger. */
export async function boundariesBehind(db: Db): Promise<number[]> {
  const rows = await db
    .select({ projectId: ledgerHeads.projectId, head: ledgerHeads.seq, seq: boundaryProgress.seq, version: boundaryProgress.version })
    .from(ledgerHeads)
    .leftJoin(boundaryProgress, eq(boundaryProgress.projectId, ledgerHeads.projectId))
    .where(
      and(
        gt(ledgerHeads.projectId, 0),
        sql`not (${boundaryProgress.seq} <=> ${ledgerHeads.seq} and ${boundaryProgress.version} <=> ${boundaryVersion})`,
      ),
    );
  const behind: number[] = [];
  for (const { projectId, head, seq, version } of rows)
    if (seq === null || version !== boundaryVersion || head > seq + passedOver || (await textsTouched(db, projectId, seq)))
      behind.push(projectId);
  return behind;
}

/** Does an entry behind a number touch a text? The number stands in the question, not in a join: so only what came behind it is read. */
async function textsTouched(db: Db, projectId: number, after: number): Promise<boolean> {
  const text = (at: string) => sql`json_exists(${ledger.touches}, ${at})`;
  const [found] = await db
    .select({ seq: ledger.seq })
    .from(ledger)
    .where(and(eq(ledger.projectId, projectId), gt(ledger.seq, after), or(text('$.texts'), text('$.requirements'), text('$.all'))))
    .limit(1);
  return found !== undefined;
}

/**
 * Counts the boundaries of every requirement whose text, cases or traces changed since they were counted last; what lists filter and sort by. False where
 * another node is at it.
 */
export async function bringBoundaries(db: Db, projectId: number): Promise<boolean> {
  await db.insert(boundaryProgress).ignore().values({ projectId, seq: 0, version: 0 });
  return db.transaction(async (tx) => {
    const [progress] = await tx
      .select()
      .from(boundaryProgress)
      .where(eq(boundaryProgress.projectId, projectId))
      .for('update', { skipLocked: true });
    if (!progress) return false;
    const [head] = await tx.select({ seq: ledgerHeads.seq }).from(ledgerHeads).where(eq(ledgerHeads.projectId, projectId));
    const ids =
      progress.version === boundaryVersion ? await touchedSince(tx, projectId, progress.seq) : await everyRequirement(tx, projectId);
    for (let at = 0; at < ids.length; at += portion) await count(tx, projectId, ids.slice(at, at + portion));
    await tx
      .update(boundaryProgress)
      .set({ seq: head?.seq ?? 0, version: boundaryVersion })
      .where(eq(boundaryProgress.projectId, projectId));
    return true;
  });
}

async function everyRequirement(tx: Tx, projectId: number): Promise<number[]> {
  const rows = await tx.select({ id: requirements.id }).from(requirements).where(eq(requirements.projectId, projectId));
  return rows.map(({ id }) => id);
}

/** The requirements that what was written after a number makes doubtful: themselves, or by a case that verifies them. */
async function touchedSince(tx: Tx, projectId: number, seq: number): Promise<number[]> {
  const rows = await tx
    .select({ touches: ledger.touches })
    .from(ledger)
    .where(and(eq(ledger.projectId, projectId), gt(ledger.seq, seq), sql`${ledger.touches} is not null`));
  const touched = sumOfTouches(rows.map(({ touches }) => touches));
  if (touched?.all) return everyRequirement(tx, projectId);
  const texts = [...new Set([...(touched?.texts ?? []), ...(touched?.requirements ?? [])])];
  if (!texts.length) return [];
  const own = await tx.select({ id: requirements.id }).from(requirements).where(inArray(requirements.id, texts));
  const verified = await tx
    .select({ id: traces.toId })
    .from(traces)
    .where(and(inArray(traces.fromId, texts), eq(traces.kind, 'verifies'), isNull(traces.removedAt)));
  return [...new Set([...own, ...verified].map(({ id }) => id))];
}

async function count(tx: Tx, projectId: number, ids: readonly number[]): Promise<void> {
  const asked = await tx
    .select({ id: requirements.id, text: requirements.text, method: requirements.method })
    .from(requirements)
    .where(and(inArray(requirements.id, [...ids]), eq(requirements.kind, 'requirement')));
  const verifying = await boundaryCases(tx, ids);
  const rows = asked.flatMap(({ id, text, method }) => {
    const points = verifiedByTest(method) ? boundaryPoints(text, verifying.get(id) ?? []) : [];
    return points.length ? [{ id, projectId, points: points.length, open: points.filter((p) => p.case === null).length }] : [];
  });
  await tx.delete(boundaryCounts).where(inArray(boundaryCounts.id, [...ids]));
  if (rows.length) await tx.insert(boundaryCounts).values(rows);
}
