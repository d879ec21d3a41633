import type { RequirementDetail } from '@contract/specify';
import { eq, inArray } from 'drizzle-orm';
import { keysOfRecords, records, Refusal, write, type Actor, type Db, type Writing } from '../base';
import { lockSpecification, needRequirement, requirementDetail, requirementRows, siblingsOf, type StoredRequirement } from './store';
import { requirements } from './tables';

/** Gaps smaller than this are closed by numbering the siblings anew. */
const leastGap = 1e-6;
const deepest = 1000;

/** Moves a requirement under a heading, before a sibling (at the end without one). A place below itself is refused. */
export async function placeRequirement(
  db: Db,
  actor: Actor,
  key: string,
  under: string | null,
  before: string | null,
): Promise<RequirementDetail> {
  await write(db, actor, async (w) => {
    const stored = await needRequirement(w.tx, actor.projectId, key);
    await moveRequirement(w, stored, stored.row.specificationId, under, before);
  });
  return requirementDetail(db, actor.projectId, key);
}

/** Moves a requirement, with all that stands below it, to a place in its own or another specification. */
export async function moveRequirement(
  w: Writing,
  { record, row }: StoredRequirement,
  specificationId: number,
  under: string | null,
  before: string | null,
): Promise<void> {
  await w.tx
    .select({ id: records.id })
    .from(records)
    .where(inArray(records.id, [...new Set([row.specificationId, specificationId])]))
    .for('update');
  const above = under === null ? null : (await needRequirement(w.tx, w.actor.projectId, under)).row;
  if (above && above.specificationId !== specificationId)
    throw new Refusal('notFound', { detail: `There is no ${under} in this specification.` });
  for (let up = above, i = 0; up && i < deepest; i++) {
    if (up.id === row.id) throw new Refusal('stateForbids', { detail: 'A requirement cannot stand below itself.' });
    if (up.underId === null) break;
    [up] = await w.tx.select().from(requirements).where(eq(requirements.id, up.underId));
  }
  const siblings = (await siblingsOf(w.tx, specificationId, above?.id ?? null)).filter((item) => item.id !== row.id);
  const found = before === null ? -1 : siblings.findIndex((item) => item.key === before);
  const at = found < 0 ? siblings.length : found;
  const [previous, next] = [siblings[at - 1]?.position, siblings[at]?.position];
  let position = next === undefined ? (previous ?? 0) + 1 : previous === undefined ? next - 1 : (previous + next) / 2;
  const moved = [row.id];
  if (next !== undefined && previous !== undefined && next - previous < leastGap) {
    position = at + 1;
    for (const [i, item] of siblings.entries()) {
      await w.tx
        .update(requirements)
        .set({ position: i < at ? i + 1 : i + 2 })
        .where(eq(requirements.id, item.id));
      moved.push(item.id);
    }
  }
  await w.tx
    .update(requirements)
    .set({ specificationId, underId: above?.id ?? null, position })
    .where(eq(requirements.id, row.id));
  if (specificationId !== row.specificationId) moved.push(...(await takeAlong(w, row.id, specificationId)));
  w.log({
    action: 'requirement moved',
    kind: 'requirement',
    key: record.key,
    before: { specification: await specificationKey(w, row.specificationId), under: row.underId, position: row.position },
    after: { specification: await specificationKey(w, specificationId), under, position },
  });
  w.wrote(requirementRows, ...moved);
}

async function specificationKey(w: Writing, id: number): Promise<string> {
  const [row] = await w.tx.select({ key: records.key }).from(records).where(eq(records.id, id));
  return row.key;
}

/** What stands below goes along into another specification. */
async function takeAlong(w: Writing, id: number, specificationId: number): Promise<number[]> {
  const all: number[] = [];
  for (let layer = [id], depth = 0; layer.length && depth < deepest; depth++) {
    const below = await w.tx.select({ id: requirements.id }).from(requirements).where(inArray(requirements.underId, layer));
    layer = below.map((item) => item.id);
    if (layer.length) await w.tx.update(requirements).set({ specificationId }).where(inArray(requirements.id, layer));
    all.push(...layer);
  }
  return all;
}

/** Where a requirement stands now: what moves it back. */
export async function placeOf(w: Writing, { row }: StoredRequirement): Promise<{ specification: string; under: string | null }> {
  const ids = [row.specificationId, ...(row.underId === null ? [] : [row.underId])];
  const keyOf = await keysOfRecords(w.tx, ids);
  return { specification: keyOf.get(row.specificationId) ?? '', under: row.underId === null ? null : (keyOf.get(row.underId) ?? null) };
}

export async function moveInto(w: Writing, stored: StoredRequirement, specification: string, under: string | null): Promise<void> {
  const { id } = await lockSpecification(w, specification);
  await moveRequirement(w, stored, id, under, null);
}
