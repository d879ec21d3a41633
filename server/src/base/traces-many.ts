import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { plainKey, recordsByKey, type StoredRecord } from './records';
import { refuseCircles } from './trace-circles';
import { confirmTraceIn, fitEnd, insertTraces, needTraceKind, removeTraceIn } from './traces';
import { write, type Actor } from './writing';

/** Traces many records at once, each as if it were alone: what is refused is named, and then none is made. */
export function addTraces(
  db: Db,
  actor: Actor,
  input: { kind: string; pairs: readonly { from: string; to: string }[] },
): Promise<{ made: number }> {
  return write(db, actor, async (w) => {
    const kind = await needTraceKind(w, input.kind);
    const known = await recordsByKey(w.tx, actor.projectId, [
      ...new Set(input.pairs.flatMap(({ from, to }) => [plainKey(from), plainKey(to)])),
    ]);
    const end = (kinds: readonly string[], key: string): StoredRecord => fitEnd(kinds, plainKey(key), known.get(plainKey(key)));
    const ends = input.pairs.map(({ from, to }) => [end(kind.fromKinds, from), end(kind.toKinds, to)] as const);
    const self = ends.find(([from, to]) => from.id === to.id);
    if (self) throw new Refusal('stateForbids', { detail: `${self[0].key} is not traced to itself.` });
    const seen = new Set<string>();
    for (const [from, to] of ends) {
      const pair = `${from.id} ${to.id}`;
      if (seen.has(pair)) throw new Refusal('invalid', { detail: `${from.key} to ${to.key} is named twice.` });
      seen.add(pair);
    }
    if (!kind.circles) await refuseCircles(w, kind.name, ends);
    await insertTraces(w, kind.name, ends);
    return { made: ends.length };
  });
}

/** Confirms many traces with one reason, or none of them. */
export function confirmTraces(
  db: Db,
  actor: Actor,
  { reason, traces: list }: { reason: string; traces: readonly { id: number; fromRevision: number; toRevision: number }[] },
  ownAllowed: (ids: readonly number[], tx: Tx) => Promise<boolean>,
): Promise<{ done: number }> {
  return write(db, actor, async (w) => {
    for (const { id, ...at } of list) await confirmTraceIn(w, id, { reason, ...at }, ownAllowed);
    return { done: list.length };
  });
}

/** Takes many traces back with one reason, or none of them. */
export function removeTraces(db: Db, actor: Actor, { ids, reason }: { ids: readonly number[]; reason: string }): Promise<{ done: number }> {
  return write(db, actor, async (w) => {
    for (const id of ids) await removeTraceIn(w, id, reason);
    return { done: ids.length };
  });
}
