import type { TraceOffer } from '@contract/measure';
import { groupBy } from '@core/base';
import { goneBecause, sameUnit } from '@core/measure';
import { and, asc, desc, eq, inArray, isNull, lt } from 'drizzle-orm';
import { buildById, type Db, type StoredBuild, type Tx, type Writing } from '../base';
import { codeTraceRows } from './store';
import { codeTraces, codeUnits, sources } from './tables';

export async function insertCodeTraces(w: Writing, rows: readonly (typeof codeTraces.$inferInsert)[]): Promise<void> {
  for (let at = 0; at < rows.length; at += 500) {
    const part = rows.slice(at, at + 500);
    await w.tx.insert(codeTraces).values([...part]);
    const made = await w.tx
      .select({ id: codeTraces.id })
      .from(codeTraces)
      .where(
        and(
          eq(codeTraces.buildId, part[0].buildId),
          eq(codeTraces.at, w.at),
          inArray(
            codeTraces.path,
            part.map((row) => row.path),
          ),
        ),
      );
    w.wrote(codeTraceRows, ...made.map(({ id }) => id));
  }
}

/** Traces that somebody made by hand on the build before come along to functions that have the same text; to a build that has none of its own yet. */
export async function carryHandTraces(
  w: Writing,
  build: StoredBuild,
  parsed: readonly { path: string; functions: readonly { name: string; textHash: string }[] }[],
): Promise<void> {
  const own = await w.tx
    .select({ id: codeTraces.id })
    .from(codeTraces)
    .where(and(eq(codeTraces.buildId, build.id), eq(codeTraces.origin, 'hand')))
    .limit(1);
  if (own.length) return;
  const [last] = await w.tx
    .select({ buildId: codeTraces.buildId })
    .from(codeTraces)
    .where(and(eq(codeTraces.projectId, w.actor.projectId), eq(codeTraces.origin, 'hand'), isNull(codeTraces.removedAt)))
    .orderBy(desc(codeTraces.buildId))
    .limit(1);
  if (!last) return;
  const before = await w.tx
    .select()
    .from(codeTraces)
    .where(and(eq(codeTraces.buildId, last.buildId), eq(codeTraces.origin, 'hand'), isNull(codeTraces.removedAt)));
  const same = groupBy(
    parsed.flatMap(({ path, functions }) => functions.map((f) => ({ path, ...f }))),
    (f) => f.textHash,
  );
  await insertCodeTraces(
    w,
    before.flatMap(({ id: _, ...trace }) => {
      const now = sameUnit({ path: trace.path, name: trace.unit }, same.get(trace.textHash) ?? []);
      if (!now || now === 'ambiguous') return [];
      return [{ ...trace, buildId: build.id, path: now.path, unit: now.name, by: w.actor.login, at: w.at }];
    }),
  );
}

const offersShown = 500;

/** Traces by hand of the build before that stand on this one no more: their functions were changed, or are gone. Somebody looks, and says it again. */
export async function traceOffers(db: Db | Tx, projectId: number, build: StoredBuild): Promise<TraceOffer[]> {
  if (build.closedSeq !== null) return [];
  const byHand = and(eq(codeTraces.projectId, projectId), eq(codeTraces.origin, 'hand'), isNull(codeTraces.removedAt));
  const [last] = await db
    .select({ buildId: codeTraces.buildId })
    .from(codeTraces)
    .where(and(byHand, lt(codeTraces.buildId, build.id)))
    .orderBy(desc(codeTraces.buildId))
    .limit(1);
  const present = await db
    .select({ path: sources.path, name: codeUnits.name })
    .from(sources)
    .leftJoin(codeUnits, eq(codeUnits.sourceId, sources.id))
    .where(and(eq(sources.buildId, build.id), isNull(sources.supersededAt)));
  // Of a build without sources nothing can be said yet.
  if (!last || !present.length) return [];
  const before = await db
    .select()
    .from(codeTraces)
    .where(and(byHand, eq(codeTraces.buildId, last.buildId)))
    .orderBy(asc(codeTraces.path), asc(codeTraces.unit), asc(codeTraces.id));
  const now = await db
    .select({ unit: codeTraces.unit, requirement: codeTraces.requirementKey })
    .from(codeTraces)
    .where(and(eq(codeTraces.buildId, build.id), isNull(codeTraces.removedAt)));
  const standing = new Set(now.map(({ unit, requirement }) => `${unit}\n${requirement}`));
  const files = new Set(present.map(({ path }) => path));
  const { name } = await buildById(db, last.buildId);
  return before
    .filter((trace) => !standing.has(`${trace.unit}\n${trace.requirementKey}`))
    .slice(0, offersShown)
    .map(({ path, unit, requirementKey, by, reason }) => ({
      path,
      unit,
      requirement: requirementKey,
      from: name,
      by,
      reason,
      state: goneBecause({ path, name: unit }, present, files),
    }));
}
