import type { TraceKind, TraceRow } from '@contract/base';
import { suspectEnds } from '@core/design';
import { and, asc, eq, inArray, isNull, lte, or, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { account } from './accounted';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { among, type Ids } from './found-ids';
import { recordsThen, standing } from './past';
import { findRecord, plainKey, type StoredRecord } from './records';
import { records, traceConfirmations, traces } from './tables';
import type { Touches } from './touches';
import { refuseCircles } from './trace-circles';
import { listTraceKinds } from './trace-kinds';
import { write, type Actor, type Writing } from './writing';

export type StoredTrace = typeof traces.$inferSelect;

export const traceRows = account({
  name: 'traces',
  table: traces,
  id: traces.id,
  project: traces.projectId,
  columns: [
    ['kind', traces.kind],
    ['fromId', traces.fromId],
    ['toId', traces.toId],
    ['fromRevision', traces.fromRevision],
    ['toRevision', traces.toRevision],
    ['drawnBy', traces.drawnBy],
    ['drawnAt', traces.drawnAt],
    ['needsConfirmation', traces.needsConfirmation],
    ['confirmedBy', traces.confirmedBy],
    ['confirmedAt', traces.confirmedAt],
    ['reason', traces.reason],
    ['removedAt', traces.removedAt],
  ],
});

const fromEnd = alias(records, 'from_end');
const toEnd = alias(records, 'to_end');

/** The traces at records, either way, with both ends; as of a ledger number, those of then, as they were confirmed then. */
export async function tracesAt(db: Db | Tx, ids: Ids, asOf?: number): Promise<TraceRow[]> {
  const rows = await db
    .select({ trace: traces, from: endColumns(fromEnd), to: endColumns(toEnd) })
    .from(traces)
    .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
    .innerJoin(toEnd, eq(toEnd.id, traces.toId))
    .where(and(standing(asOf), or(among(traces.fromId, ids), among(traces.toId, ids))))
    .orderBy(asc(traces.id));
  if (asOf === undefined || !rows.length) return rows.map(({ trace, from, to }) => asTrace(trace, from, to));
  const confirmed = await confirmedThen(
    db,
    rows.map(({ trace }) => trace.id),
    asOf,
  );
  const then = await recordsThen(db, [...new Set(rows.flatMap(({ from, to }) => [from.id, to.id]))], asOf);
  return rows.map(({ trace, from, to }) => {
    const last = confirmed.get(trace.id);
    const past = last
      ? {
          ...trace,
          fromRevision: last.fromRevision,
          toRevision: last.toRevision,
          confirmedBy: last.by,
          confirmedAt: last.at,
          reason: last.reason,
        }
      : { ...trace, confirmedBy: null, confirmedAt: null };
    const end = (e: End): End => {
      const old = then.get(e.id);
      const title = old?.snapshot['title'];
      return old ? { ...e, revision: old.revision, state: old.state, ...(typeof title === 'string' ? { title } : {}) } : e;
    };
    return asTrace(past, end(from), end(to));
  });
}

/** Traces by their ids, as they stand, in that order. */
export async function tracesById(db: Db | Tx, projectId: number, ids: readonly number[]): Promise<TraceRow[]> {
  const rows = await db
    .select({ trace: traces, from: endColumns(fromEnd), to: endColumns(toEnd) })
    .from(traces)
    .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
    .innerJoin(toEnd, eq(toEnd.id, traces.toId))
    .where(and(eq(traces.projectId, projectId), inArray(traces.id, [...ids]), isNull(traces.removedAt)));
  const byId = new Map(rows.map(({ trace, from, to }) => [trace.id, asTrace(trace, from, to)]));
  return ids.flatMap((id) => byId.get(id) ?? []);
}

/** The last confirmation of each trace up to a ledger number. */
async function confirmedThen(
  db: Db | Tx,
  ids: readonly number[],
  asOf: number,
): Promise<Map<number, typeof traceConfirmations.$inferSelect>> {
  const rows = await db
    .select()
    .from(traceConfirmations)
    .where(and(inArray(traceConfirmations.traceId, [...ids]), lte(traceConfirmations.seq, asOf)))
    .orderBy(asc(traceConfirmations.seq), asc(traceConfirmations.id));
  return new Map(rows.map((row) => [row.traceId, row]));
}

const endColumns = (end: typeof fromEnd | typeof toEnd) => ({
  id: end.id,
  kind: end.kind,
  key: end.key,
  title: end.title,
  revision: end.revision,
  state: end.state,
});

type End = Pick<StoredRecord, 'id' | 'kind' | 'key' | 'title' | 'revision' | 'state'>;

function asTrace(t: StoredTrace, from: End, to: End): TraceRow {
  return {
    id: t.id,
    kind: t.kind,
    from: from.key,
    to: to.key,
    fromKind: from.kind,
    toKind: to.kind,
    fromTitle: from.title,
    toTitle: to.title,
    fromRevision: t.fromRevision,
    toRevision: t.toRevision,
    fromNow: from.revision,
    toNow: to.revision,
    suspect: suspectEnds(
      { from: from.key, to: to.key, fromRevision: t.fromRevision, toRevision: t.toRevision },
      from.revision,
      to.revision,
    ),
    drawnBy: t.drawnBy,
    drawnAt: t.drawnAt,
    waits: t.needsConfirmation && (t.confirmedBy === null || t.confirmedBy === t.drawnBy),
    confirmedBy: t.confirmedBy,
    confirmedAt: t.confirmedAt,
    reason: t.reason,
  };
}

async function needTrace(w: Writing, id: number): Promise<{ stored: StoredTrace; row: TraceRow; ends: readonly [number, number] }> {
  const [found] = await w.tx
    .select({ trace: traces, from: endColumns(fromEnd), to: endColumns(toEnd) })
    .from(traces)
    .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
    .innerJoin(toEnd, eq(toEnd.id, traces.toId))
    .where(and(eq(traces.projectId, w.actor.projectId), eq(traces.id, id), isNull(traces.removedAt)))
    .for('update');
  if (!found) throw new Refusal('notFound', { detail: 'There is no such trace.' });
  return { stored: found.trace, row: asTrace(found.trace, found.from, found.to), ends: [found.from.id, found.to.id] };
}

/** What a trace makes doubtful: the text at both of its ends, and what a case gives. */
const touchesOf = (kind: string, from: number, to: number): Touches =>
  kind === 'parent'
    ? { texts: [from, to], requirements: [from, to] }
    : kind === 'verifies'
      ? { results: [from], requirements: [to] }
      : { requirements: [to] };

/** Draws traces. Drawn at something approved, or again after it was taken back, one waits for somebody else's confirmation. */
export async function insertTraces(
  w: Writing,
  kind: string,
  ends: readonly (readonly [from: End, to: End])[],
  approvedEver: (id: number) => boolean = () => false,
): Promise<void> {
  if (!ends.length) return;
  const { projectId, login } = w.actor;
  const pairs = new Map<string, boolean>();
  for (let at = 0; at < ends.length; at += 1000) {
    const part = ends.slice(at, at + 1000);
    const known = await w.tx
      .select({ fromId: traces.fromId, toId: traces.toId, removedAt: traces.removedAt })
      .from(traces)
      .where(
        and(
          eq(traces.kind, kind),
          inArray(
            traces.fromId,
            part.map(([from]) => from.id),
          ),
        ),
      );
    for (const { fromId, toId, removedAt } of known) {
      const pair = `${fromId}:${toId}`;
      pairs.set(pair, pairs.get(pair) === true || removedAt === null);
    }
  }
  const rows = ends.map(([from, to]): typeof traces.$inferInsert => {
    const before = pairs.get(`${from.id}:${to.id}`);
    if (before === true) throw new Refusal('exists', { detail: `${from.key} is traced to ${to.key} already.` });
    const approved = [from, to].some((end) => end.state === 'approved' || approvedEver(end.id));
    const needsConfirmation = before === false || approved;
    return {
      projectId,
      kind,
      fromId: from.id,
      toId: to.id,
      fromRevision: from.revision,
      toRevision: to.revision,
      drawnBy: login,
      drawnAt: w.at,
      needsConfirmation,
      confirmedBy: needsConfirmation ? null : login,
      confirmedAt: needsConfirmation ? null : w.at,
      reason: '',
      seq: 0,
    };
  });
  w.log({
    action: ends.length === 1 ? 'trace drawn' : `${ends.length} traces drawn`,
    kind: 'trace',
    key: ends.length === 1 ? `${ends[0][0].key} → ${ends[0][1].key}` : kind,
    after: ends
      .slice(0, 200)
      .map(([from, to]) => ({ kind, from: from.key, to: to.key, fromRevision: from.revision, toRevision: to.revision })),
    touches: ends.map(([from, to]) => touchesOf(kind, from.id, to.id)).reduce(joined, {}),
  });
  w.withSeq(async (seq) => {
    for (let at = 0; at < rows.length; at += 500)
      await w.tx.insert(traces).values(rows.slice(at, at + 500).map((row) => ({ ...row, seq })));
    const made = await w.tx
      .select({ id: traces.id, by: traces.confirmedBy })
      .from(traces)
      .where(and(eq(traces.projectId, projectId), eq(traces.seq, seq), eq(traces.kind, kind)));
    w.wrote(traceRows, ...made.map(({ id }) => id));
    const confirmed = new Set(made.filter(({ by }) => by !== null).map(({ id }) => id));
    await keepConfirmations(w, seq, [...confirmed], '');
  });
}

const joined = (a: Touches, b: Touches): Touches => ({
  texts: [...(a.texts ?? []), ...(b.texts ?? [])],
  results: [...(a.results ?? []), ...(b.results ?? [])],
  requirements: [...(a.requirements ?? []), ...(b.requirements ?? [])],
});

/** Copies the present confirmation of traces into their history. */
async function keepConfirmations(w: Writing, seq: number, ids: readonly number[], reason: string): Promise<void> {
  const { projectId, login } = w.actor;
  for (let at = 0; at < ids.length; at += 500) {
    const rows = await w.tx
      .select({ traceId: traces.id, fromRevision: traces.fromRevision, toRevision: traces.toRevision })
      .from(traces)
      .where(inArray(traces.id, ids.slice(at, at + 500)));
    if (rows.length)
      await w.tx.insert(traceConfirmations).values(rows.map((row) => ({ ...row, projectId, by: login, at: w.at, seq, reason })));
  }
}

async function needEnd(w: Writing, kinds: readonly string[], key: string): Promise<StoredRecord> {
  return fitEnd(kinds, key, await findRecord(w.tx, w.actor.projectId, key));
}

export function fitEnd(kinds: readonly string[], key: string, record: StoredRecord | undefined): StoredRecord {
  if (!record || record.retiredAt !== null || !kinds.includes(record.kind))
    throw new Refusal('notFound', { detail: `There is no ${kinds.join(' or ')} ${key}.` });
  return record;
}

export async function addTrace(db: Db, actor: Actor, input: { kind: string; from: string; to: string }): Promise<TraceRow> {
  const fromId = await write(db, actor, async (w) => {
    const kind = await needTraceKind(w, input.kind);
    const to = await needEnd(w, kind.toKinds, input.to);
    const from = await needEnd(w, kind.fromKinds, input.from);
    if (from.id === to.id) throw new Refusal('stateForbids', { detail: 'A record is not traced to itself.' });
    if (!kind.circles) await refuseCircles(w, kind.name, [[from, to]]);
    await insertTraces(w, kind.name, [[from, to]]);
    return from.id;
  });
  const [from, to] = [plainKey(input.from), plainKey(input.to)];
  const made = (await tracesAt(db, [fromId])).find((t) => t.kind === input.kind && t.from === from && t.to === to);
  if (!made) throw new Refusal('conflict', { detail: 'The trace was taken back in between.' });
  return made;
}

export async function needTraceKind(w: Writing, name: string): Promise<TraceKind> {
  const kind = (await listTraceKinds(w.tx, w.actor.projectId)).find((k) => k.name === name);
  if (!kind) throw new Refusal('invalid', { fields: [{ path: 'kind', text: `There is no kind of trace “${name}” in this project.` }] });
  return kind;
}

/** Says that a trace still holds, at the revisions that were looked at. One that waits for confirmation is confirmed by somebody other than its author. */
export function confirmTrace(
  db: Db,
  actor: Actor,
  id: number,
  input: { reason: string; fromRevision: number; toRevision: number },
  ownAllowed: (levelOf: readonly number[], tx: Tx) => Promise<boolean>,
): Promise<TraceRow> {
  return write(db, actor, (w) => confirmTraceIn(w, id, input, ownAllowed));
}

export async function confirmTraceIn(
  w: Writing,
  id: number,
  input: { reason: string; fromRevision: number; toRevision: number },
  ownAllowed: Parameters<typeof confirmTrace>[4],
): Promise<TraceRow> {
  const { actor } = w;
  const { stored, row, ends } = await needTrace(w, id);
  if (row.fromNow !== input.fromRevision || row.toNow !== input.toRevision)
    throw new Refusal('conflict', { detail: 'One end was revised again in between: look at it first.', current: row });
  if (stored.needsConfirmation && stored.drawnBy === actor.login && !(await ownAllowed(ends, w.tx)))
    throw new Refusal('ownWork', { detail: 'You drew this trace: somebody else has to confirm it.' });
  const after = { ...input, confirmedBy: actor.login, confirmedAt: w.at };
  await w.tx.update(traces).set(after).where(eq(traces.id, id));
  w.log({
    action: 'trace confirmed',
    kind: 'trace',
    key: `${row.from} → ${row.to}`,
    before: { fromRevision: row.fromRevision, toRevision: row.toRevision },
    after: input,
    touches: touchesOf(row.kind, ...ends),
  });
  w.wrote(traceRows, id);
  w.withSeq((seq) => keepConfirmations(w, seq, [id], input.reason));
  return { ...row, ...after, suspect: [], waits: stored.needsConfirmation && stored.drawnBy === actor.login };
}

/** With the approval of a record by somebody else, the traces that its author drew from it are confirmed as they stand. */
export async function confirmWithApproval(w: Writing, record: Pick<StoredRecord, 'id' | 'key'>): Promise<void> {
  const waiting = await w.tx
    .select({ id: traces.id })
    .from(traces)
    .where(
      and(eq(traces.fromId, record.id), isNull(traces.removedAt), isNull(traces.confirmedBy), sql`${traces.drawnBy} <> ${w.actor.login}`),
    );
  if (!waiting.length) return;
  const ids = waiting.map(({ id }) => id);
  const reason = `With the approval of ${record.key}.`;
  await w.tx.update(traces).set({ confirmedBy: w.actor.login, confirmedAt: w.at, reason }).where(inArray(traces.id, ids));
  w.wrote(traceRows, ...ids);
  w.withSeq((seq) => keepConfirmations(w, seq, ids, reason));
}

/** Takes a trace back. From or to something approved that needs a reason. */
export function removeTrace(db: Db, actor: Actor, id: number, reason: string): Promise<{ id: number }> {
  return write(db, actor, async (w) => {
    await removeTraceIn(w, id, reason);
    return { id };
  });
}

/** Takes a trace back within a transaction; at something approved that needs a reason. */
export async function removeTraceIn(w: Writing, id: number, reason: string): Promise<void> {
  const { row, ends } = await needTrace(w, id);
  const states = await w.tx
    .select({ state: records.state })
    .from(records)
    .where(inArray(records.id, [...ends]));
  if (states.some(({ state }) => state === 'approved') && reason.trim().length < 3)
    throw new Refusal('invalid', { fields: [{ path: 'reason', text: 'One end is approved: say why the trace is taken back.' }] });
  w.log({
    action: 'trace taken back',
    kind: 'trace',
    key: `${row.from} → ${row.to}`,
    before: { kind: row.kind, from: row.from, to: row.to },
    after: reason ? { reason } : null,
    touches: touchesOf(row.kind, ...ends),
  });
  w.withSeq(async (seq) => {
    await w.tx
      .update(traces)
      .set({ removedAt: w.at, removedSeq: seq, removedBy: w.actor.login, removedReason: reason })
      .where(eq(traces.id, id));
    w.wrote(traceRows, id);
  });
}

/** Carries the traces of a record along to its new revision: it is still being designed, and its author looks at both ends. */
export async function carryTraces(w: Writing, recordId: number, kind: string, before: number, after: number): Promise<void> {
  const mine = and(eq(traces.fromId, recordId), eq(traces.kind, kind), eq(traces.fromRevision, before), isNull(traces.removedAt));
  const ids = (await w.tx.select({ id: traces.id }).from(traces).where(mine)).map(({ id }) => id);
  if (!ids.length) return;
  await w.tx.update(traces).set({ fromRevision: after }).where(inArray(traces.id, ids));
  w.wrote(traceRows, ...ids);
  w.withSeq((seq) => keepConfirmations(w, seq, ids, ''));
}
