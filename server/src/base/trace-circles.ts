import { circlesThrough } from '@core/base';
import { and, eq, inArray, isNull } from 'drizzle-orm';
import { Refusal } from './errors';
import type { StoredRecord } from './records';
import { records, traces } from './tables';
import type { Writing } from './writing';

type End = Pick<StoredRecord, 'id' | 'key'>;

/** No record may become its own ancestor: traces that stand and those that are new are looked at as one, and the circle that they would close is named. */
export async function refuseCircles(w: Writing, kind: string, ends: readonly (readonly [End, End])[]): Promise<void> {
  const next = new Map<number, number[]>();
  const names = new Map(ends.flatMap(([from, to]) => [[from.id, from.key] as const, [to.id, to.key] as const]));
  for (const [from, to] of ends) next.set(from.id, [...(next.get(from.id) ?? []), to.id]);
  // Upwards from the new ends, layer by layer: only what lies above them can lead back.
  for (let layer = [...new Set(ends.map(([, to]) => to.id))], known = new Set(layer); layer.length;) {
    const rows = await w.tx
      .select({ from: traces.fromId, to: traces.toId, key: records.key })
      .from(traces)
      .innerJoin(records, eq(records.id, traces.toId))
      .where(and(eq(traces.kind, kind), isNull(traces.removedAt), inArray(traces.fromId, layer)));
    for (const { from, to, key } of rows) {
      next.set(from, [...(next.get(from) ?? []), to]);
      names.set(to, key);
    }
    layer = [...new Set(rows.map(({ to }) => to))].filter((id) => !known.has(id));
    known = new Set([...known, ...layer]);
  }
  const keyOf = (id: number): string => names.get(id) ?? '';
  circlesThrough(
    [...new Set(ends.map(([from]) => from.id))].map(String),
    (id) => (next.get(Number(id)) ?? []).map(String),
    (_, circle) => {
      const keys = circle.split(' → ').map((id) => keyOf(Number(id)));
      throw new Refusal('stateForbids', {
        detail: `${ends.length === 1 ? 'The trace' : 'The traces'} would close a circle: ${keys.join(' → ')}.`,
      });
    },
  );
}
