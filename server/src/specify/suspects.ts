import type { SuspectTrace } from '@contract/base';
import { and, asc, eq, gt, inArray, isNull, or, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { ledgerHead, needRecord, records, revisions, traces, tracesById, type Db, type Tx } from '../base';
import { requirements } from './tables';

export interface SuspectQuestion {
  readonly of?: string | undefined;
  readonly specification?: string | undefined;
  /** The id of the trace before the first that is wanted. */
  readonly after: number;
  readonly limit: number;
}

const fromEnd = alias(records, 'from_end');
const toEnd = alias(records, 'to_end');

/** Traces of which an end was revised since they were confirmed, each with what changed; a page by their ids. */
export function listSuspects(
  db: Db,
  projectId: number,
  { of, specification, after, limit }: SuspectQuestion,
): Promise<{ traces: SuspectTrace[]; total: number; next: number | null; seq: number }> {
  return db.transaction(async (tx) => {
    const record = of === undefined ? undefined : await needRecord(tx, projectId, 'requirement', of);
    const specificationId = specification === undefined ? undefined : (await needRecord(tx, projectId, 'specification', specification)).id;
    const within = (end: typeof traces.fromId | typeof traces.toId) =>
      specificationId === undefined
        ? undefined
        : inArray(end, tx.select({ id: requirements.id }).from(requirements).where(eq(requirements.specificationId, specificationId)));
    const where = and(
      eq(traces.projectId, projectId),
      isNull(traces.removedAt),
      or(gt(fromEnd.revision, traces.fromRevision), gt(toEnd.revision, traces.toRevision)),
      record && or(eq(traces.fromId, record.id), eq(traces.toId, record.id)),
      specificationId === undefined ? undefined : or(within(traces.fromId), within(traces.toId)),
    );
    const all = () => ({ n: sql<number>`count(*)`.mapWith(Number) });
    const [{ n }] = await tx
      .select(all())
      .from(traces)
      .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
      .innerJoin(toEnd, eq(toEnd.id, traces.toId))
      .where(where);
    const ids = await tx
      .select({ id: traces.id })
      .from(traces)
      .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
      .innerJoin(toEnd, eq(toEnd.id, traces.toId))
      .where(and(where, gt(traces.id, after)))
      .orderBy(asc(traces.id))
      .limit(limit + 1);
    const page = ids.slice(0, limit).map(({ id }) => id);
    return {
      traces: await withDifferences(tx, projectId, page),
      total: n,
      next: ids.length > limit ? (page.at(-1) ?? null) : null,
      seq: await ledgerHead(tx, projectId),
    };
  });
}

/** What a revision said, as far as people read it to judge a trace. */
function said(snapshot: Readonly<Record<string, unknown>> | undefined): string {
  const { title, text, objective, steps, description } = snapshot ?? {};
  const lines = Array.isArray(steps)
    ? (steps as { action?: string; expected?: string }[]).map(({ action = '', expected = '' }, i) => `${i + 1}. ${action} → ${expected}`)
    : [];
  return [title, text, objective, description, ...lines].filter((part) => typeof part === 'string' && part !== '').join('\n');
}

async function withDifferences(tx: Tx, projectId: number, ids: readonly number[]): Promise<SuspectTrace[]> {
  if (!ids.length) return [];
  const rows = await tracesById(tx, projectId, ids);
  const keys = [...new Set(rows.flatMap(({ from, to }) => [from, to]))];
  const snapshots = new Map<string, Readonly<Record<string, unknown>>>();
  for (const row of await tx
    .select({ key: records.key, revision: revisions.revision, snapshot: revisions.snapshot })
    .from(revisions)
    .innerJoin(records, eq(records.id, revisions.recordId))
    .where(and(eq(records.projectId, projectId), inArray(records.key, keys)))
    .orderBy(asc(revisions.seq)))
    snapshots.set(`${row.key} ${row.revision}`, row.snapshot);
  const at = (key: string, revision: number): string => said(snapshots.get(`${key} ${revision}`));
  return rows.map((trace) => {
    const ends = { from: [trace.from, trace.fromRevision, trace.fromNow], to: [trace.to, trace.toRevision, trace.toNow] } as const;
    const calm = trace.suspect.length === 1 ? (trace.suspect[0] === 'from' ? ends.to : ends.from) : undefined;
    return {
      trace,
      changed: trace.suspect.map((end) => {
        const [key, then, now] = ends[end];
        return { key, from: then, to: now, before: at(key, then), after: at(key, now) };
      }),
      other: calm ? { key: calm[0], text: at(calm[0], calm[2]) } : null,
    };
  });
}
