import type { TraceKind } from '@contract/base';
import { and, asc, count, eq, isNull } from 'drizzle-orm';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { traceKinds, traces } from './tables';
import { write, type Actor } from './writing';

/** The kinds of trace with which every project begins; a project may name its own beside them. */
export const usualTraceKinds: readonly TraceKind[] = [
  {
    name: 'parent',
    forward: 'is derived from',
    backward: 'has derived',
    fromKinds: ['requirement'],
    toKinds: ['requirement'],
    circles: false,
  },
  { name: 'verifies', forward: 'verifies', backward: 'is verified by', fromKinds: ['case'], toKinds: ['requirement'], circles: false },
  {
    name: 'foundAgainst',
    forward: 'was found against',
    backward: 'has problem',
    fromKinds: ['problem'],
    toKinds: ['requirement'],
    circles: true,
  },
  { name: 'shownIn', forward: 'is shown by', backward: 'shows', fromKinds: ['problem'], toKinds: ['run'], circles: false },
  { name: 'sameAs', forward: 'is the same as', backward: 'is the same as', fromKinds: ['problem'], toKinds: ['problem'], circles: true },
  { name: 'causedBy', forward: 'is caused by', backward: 'causes', fromKinds: ['problem'], toKinds: ['problem'], circles: false },
  { name: 'blocks', forward: 'blocks', backward: 'is blocked by', fromKinds: ['problem'], toKinds: ['problem'], circles: false },
  {
    name: 'madeFor',
    forward: 'was made for',
    backward: 'is what this is for',
    fromKinds: ['case', 'round', 'specification'],
    toKinds: ['baseline'],
    circles: false,
  },
  {
    name: 'models',
    forward: 'models',
    backward: 'is modelled by',
    fromKinds: ['flow', 'parameters', 'decisionTable', 'stateTable'],
    toKinds: ['requirement'],
    circles: false,
  },
  {
    name: 'together',
    forward: 'verifies as a whole',
    backward: 'is verified as a whole by',
    fromKinds: ['group'],
    toKinds: ['requirement'],
    circles: false,
  },
  {
    name: 'relates',
    forward: 'relates to',
    backward: 'relates to',
    fromKinds: ['requirement', 'case', 'problem', 'round', 'build', 'specification'],
    toKinds: ['requirement', 'case', 'problem', 'round', 'build', 'specification'],
    circles: true,
  },
];

export async function listTraceKinds(db: Db | Tx, projectId: number): Promise<TraceKind[]> {
  const rows = await db.select().from(traceKinds).where(eq(traceKinds.projectId, projectId)).orderBy(asc(traceKinds.name));
  return rows.map(({ projectId: _, fromKinds, toKinds, ...kind }) => ({ ...kind, fromKinds: [...fromKinds], toKinds: [...toKinds] }));
}

/** How many traces of each kind stand; a kind without any is not named. */
export function countTraces(db: Db, projectId: number): Promise<{ kind: string; traces: number }[]> {
  return db
    .select({ kind: traces.kind, traces: count() })
    .from(traces)
    .where(and(eq(traces.projectId, projectId), isNull(traces.removedAt)))
    .groupBy(traces.kind)
    .orderBy(asc(traces.kind));
}

/** Names a kind of trace, or changes how one is told. What an existing one joins is changed only while no trace of it stands. */
export function saveTraceKind(db: Db, actor: Actor, kind: TraceKind): Promise<TraceKind[]> {
  return write(db, actor, async (w) => {
    const known = (await listTraceKinds(w.tx, actor.projectId)).find((k) => k.name === kind.name);
    const moved = known && JSON.stringify([known.fromKinds, known.toKinds]) !== JSON.stringify([kind.fromKinds, kind.toKinds]);
    if (moved) {
      const [used] = await w.tx
        .select({ id: traces.id })
        .from(traces)
        .where(and(eq(traces.projectId, actor.projectId), eq(traces.kind, kind.name), isNull(traces.removedAt)))
        .limit(1);
      if (used) throw new Refusal('stateForbids', { detail: `Traces of the kind “${kind.name}” stand: what it joins cannot change.` });
    }
    const { forward, backward, fromKinds, toKinds, circles } = kind;
    await w.tx
      .insert(traceKinds)
      .values({ projectId: actor.projectId, ...kind })
      .onDuplicateKeyUpdate({ set: { forward, backward, fromKinds, toKinds, circles } });
    w.log({ action: 'kind of trace set', kind: 'project', key: kind.name, before: known ?? null, after: kind });
    return listTraceKinds(w.tx, actor.projectId);
  });
}
