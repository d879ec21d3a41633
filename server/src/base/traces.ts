import { and, eq, isNull, or } from 'drizzle-orm';
import type { TraceRow } from '@contract/specify';
import { write, type Actor, type Db, type Tx, type Writing } from './database';
import { Refusal } from './errors';
import { traces } from './tables';

export type StoredTrace = typeof traces.$inferSelect;

/** The traces at a record, either way; taken-back ones left out. */
export function tracesAt(db: Db | Tx, projectId: number, key: string): Promise<StoredTrace[]> {
  return db
    .select()
    .from(traces)
    .where(and(eq(traces.projectId, projectId), isNull(traces.removedAt), or(eq(traces.fromKey, key), eq(traces.toKey, key))));
}

export function allTraces(db: Db | Tx, projectId: number): Promise<StoredTrace[]> {
  return db
    .select()
    .from(traces)
    .where(and(eq(traces.projectId, projectId), isNull(traces.removedAt)));
}

/** Draws a trace that is confirmed by being drawn; the same one twice is refused. */
export async function insertTrace(
  w: Writing,
  kind: 'parent' | 'verifies',
  from: { key: string; revision: number },
  to: { key: string; revision: number },
): Promise<number> {
  const { projectId, login } = w.actor;
  const [known] = await w.tx
    .select({ id: traces.id })
    .from(traces)
    .where(
      and(
        eq(traces.projectId, projectId),
        eq(traces.kind, kind),
        eq(traces.fromKey, from.key),
        eq(traces.toKey, to.key),
        isNull(traces.removedAt),
      ),
    );
  if (known) throw new Refusal('exists', { detail: `${from.key} is traced to ${to.key} already.` });
  const facts = { kind, fromKey: from.key, toKey: to.key, fromRevision: from.revision, toRevision: to.revision };
  const [made] = await w.tx
    .insert(traces)
    .values({ projectId, ...facts, confirmedBy: login, confirmedAt: w.at, reason: '' })
    .$returningId();
  await w.log('trace drawn', 'trace', `${from.key} → ${to.key}`, null, facts);
  return made.id;
}

/** A record that a trace can end at. */
export interface End {
  readonly key: string;
  readonly title: string;
  readonly revision: number;
}

type Lookup = (db: Db | Tx, projectId: number, keys: readonly string[]) => Promise<End[]>;
const lookups = new Map<'requirement' | 'case', Lookup>();

/** Each room says how its own records are found, so that traces can join records without this room knowing theirs. */
export function lookUpRecords(kind: 'requirement' | 'case', look: Lookup): void {
  lookups.set(kind, look);
}

async function needEnd(tx: Tx, projectId: number, kind: 'requirement' | 'case', key: string): Promise<End> {
  const [end] = (await lookups.get(kind)?.(tx, projectId, [key])) ?? [];
  if (!end) throw new Refusal('notFound', { detail: `There is no ${kind} ${key}.` });
  return end;
}

/** Titles and present revisions of the records that traces join. */
export async function traceEnds(db: Db | Tx, projectId: number, stored: readonly StoredTrace[]): Promise<Map<string, End>> {
  const keys = [...new Set(stored.flatMap((t) => [t.fromKey, t.toKey]))];
  if (!keys.length) return new Map();
  const ends = new Map<string, End>();
  for (const look of lookups.values()) for (const end of await look(db, projectId, keys)) ends.set(end.key, end);
  return ends;
}

export function asTrace(t: StoredTrace, ends: ReadonlyMap<string, End>): TraceRow {
  const from = ends.get(t.fromKey);
  const to = ends.get(t.toKey);
  return {
    id: t.id,
    kind: t.kind,
    from: t.fromKey,
    to: t.toKey,
    fromTitle: from?.title ?? '',
    toTitle: to?.title ?? '',
    fromRevision: t.fromRevision,
    toRevision: t.toRevision,
    fromNow: from?.revision ?? t.fromRevision,
    toNow: to?.revision ?? t.toRevision,
    confirmedBy: t.confirmedBy,
    confirmedAt: t.confirmedAt,
    reason: t.reason,
  };
}

async function traceRow(tx: Tx, projectId: number, id: number): Promise<TraceRow> {
  const [stored] = await tx
    .select()
    .from(traces)
    .where(and(eq(traces.projectId, projectId), eq(traces.id, id), isNull(traces.removedAt)));
  if (!stored) throw new Refusal('notFound', { detail: 'There is no such trace.' });
  return asTrace(stored, await traceEnds(tx, projectId, [stored]));
}

export function addTrace(db: Db, actor: Actor, told: { kind: 'parent' | 'verifies'; from: string; to: string }): Promise<TraceRow> {
  return write(db, actor, async (w) => {
    const to = await needEnd(w.tx, actor.projectId, 'requirement', told.to);
    const from = await needEnd(w.tx, actor.projectId, told.kind === 'parent' ? 'requirement' : 'case', told.from);
    if (told.kind === 'parent') await refuseCircle(w.tx, actor.projectId, told.from, told.to);
    return traceRow(w.tx, actor.projectId, await insertTrace(w, told.kind, from, to));
  });
}

/** A requirement must not become its own ancestor. */
async function refuseCircle(tx: Tx, projectId: number, child: string, parent: string): Promise<void> {
  const all = await tx
    .select({ from: traces.fromKey, to: traces.toKey })
    .from(traces)
    .where(and(eq(traces.projectId, projectId), eq(traces.kind, 'parent'), isNull(traces.removedAt)));
  const reached = new Set([parent]);
  for (const key of reached) for (const trace of all) if (trace.from === key) reached.add(trace.to);
  if (reached.has(child))
    throw new Refusal('stateForbids', { detail: `${parent} is derived from ${child} already: the trace would close a circle.` });
}

/** Says that a suspect trace still holds, at the revisions that were looked at. */
export function confirmTrace(
  db: Db,
  actor: Actor,
  id: number,
  told: { reason: string; fromRevision: number; toRevision: number },
): Promise<TraceRow> {
  return write(db, actor, async (w) => {
    const now = await traceRow(w.tx, actor.projectId, id);
    if (now.fromNow !== told.fromRevision || now.toNow !== told.toRevision)
      throw new Refusal('conflict', { detail: 'One end was revised again in between: look at it first.', current: now });
    await w.tx
      .update(traces)
      .set({ ...told, confirmedBy: actor.login, confirmedAt: w.at })
      .where(eq(traces.id, id));
    await w.log(
      'trace confirmed',
      'trace',
      `${now.from} → ${now.to}`,
      { fromRevision: now.fromRevision, toRevision: now.toRevision },
      told,
    );
    return traceRow(w.tx, actor.projectId, id);
  });
}

export function removeTrace(db: Db, actor: Actor, id: number): Promise<{ id: number }> {
  return write(db, actor, async (w) => {
    const now = await traceRow(w.tx, actor.projectId, id);
    await w.tx.update(traces).set({ removedAt: w.at }).where(eq(traces.id, id));
    await w.log('trace taken back', 'trace', `${now.from} → ${now.to}`, { kind: now.kind, from: now.from, to: now.to }, null);
    return { id };
  });
}
