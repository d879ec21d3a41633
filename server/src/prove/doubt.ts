import { and, eq, inArray, isNull } from 'drizzle-orm';
import { records, traces, type Touches, type Tx } from '../base';
import { caseCalls } from '../design';
import { casesCarriedTo, codeTraces, measurements, restingOn, sources } from '../measure';

/** More than this is judged as a whole. */
export const tooMany = 2000;

/** What a change makes doubtful, worked out to requirements and source files. */
export interface Doubt {
  readonly judged: Set<number>;
  readonly credited: Set<number>;
  readonly sources: Set<number>;
}

export const idsOf = async <T extends { id: number | null }>(rows: Promise<T[]>): Promise<number[]> =>
  (await rows).flatMap(({ id }) => id ?? []);

export async function doubtOf(tx: Tx, projectId: number, buildId: number, touches: Touches): Promise<Doubt> {
  const judged = new Set<number>();
  const credited = new Set<number>();
  const files = new Set<number>(touches.sources ?? []);
  const add = (set: Set<number>, ids: Iterable<number>): void => {
    for (const id of ids) set.add(id);
  };
  const standing = (kind: string) => and(eq(traces.projectId, projectId), eq(traces.kind, kind), isNull(traces.removedAt));
  const verifiedBy = async (caseIds: readonly number[]): Promise<number[]> =>
    caseIds.length
      ? idsOf(
          tx
            .select({ id: traces.toId })
            .from(traces)
            .where(and(standing('verifies'), inArray(traces.fromId, [...caseIds]))),
        )
      : [];
  const texts = [...(touches.texts ?? [])];
  if (texts.length) {
    const kinds = await tx.select({ id: records.id, kind: records.kind }).from(records).where(inArray(records.id, texts));
    const changed = kinds.filter((r) => r.kind === 'requirement').map((r) => r.id);
    add(judged, changed);
    if (changed.length)
      add(
        judged,
        await idsOf(
          tx
            .select({ id: traces.fromId })
            .from(traces)
            .where(and(standing('parent'), inArray(traces.toId, changed))),
        ),
      );
    const changedCases = kinds.filter((r) => r.kind === 'case').map((r) => r.id);
    const callers = changedCases.length
      ? await idsOf(tx.select({ id: caseCalls.caseId }).from(caseCalls).where(inArray(caseCalls.calledId, changedCases)))
      : [];
    add(judged, await verifiedBy([...changedCases, ...callers]));
  }
  // With other sources, what was carried to them from another build has to be said again.
  const results = [...(touches.results ?? []), ...(touches.sources?.length ? await casesCarriedTo(tx, buildId) : [])];
  const [ofResults, measured] = await Promise.all([
    verifiedBy(results),
    results.length
      ? tx
          .select({ parts: measurements.parts })
          .from(measurements)
          .where(and(eq(measurements.buildId, buildId), inArray(measurements.caseId, results)))
      : [],
  ]);
  add(judged, ofResults);
  add(credited, ofResults);
  if (results.length) {
    const paths = new Set(measured.flatMap(({ parts }) => parts.map((part) => part.path)));
    if (paths.size)
      add(
        files,
        await idsOf(
          tx
            .select({ id: sources.id })
            .from(sources)
            .where(
              and(eq(sources.buildId, buildId), isNull(sources.supersededAt), inArray(sources.path, await restingOn(tx, buildId, paths))),
            ),
        ),
      );
  }
  add(judged, touches.requirements ?? []);
  add(credited, touches.requirements ?? []);
  if (touches.sources?.length) {
    const named = await idsOf(
      tx
        .select({ id: codeTraces.requirementId })
        .from(codeTraces)
        .innerJoin(sources, and(eq(sources.buildId, codeTraces.buildId), eq(sources.path, codeTraces.path)))
        .where(and(inArray(sources.id, [...touches.sources]), isNull(codeTraces.removedAt))),
    );
    add(judged, named);
    add(credited, named);
  }
  if (credited.size)
    add(
      files,
      await idsOf(
        tx
          .select({ id: sources.id })
          .from(codeTraces)
          .innerJoin(sources, and(eq(sources.buildId, codeTraces.buildId), eq(sources.path, codeTraces.path), isNull(sources.supersededAt)))
          .where(and(eq(codeTraces.buildId, buildId), inArray(codeTraces.requirementId, [...credited]), isNull(codeTraces.removedAt))),
      ),
    );
  await addAncestors(tx, credited, standing('parent'));
  for (const id of credited) judged.add(id);
  await addAncestors(tx, judged, standing('parent'));
  return { judged, credited, sources: files };
}

/** Whatever these are derived from, however far up: its second line, and its credit, rest on them. */
async function addAncestors(tx: Tx, ids: Set<number>, parents: ReturnType<typeof and>): Promise<void> {
  for (let layer = [...ids]; layer.length && ids.size <= tooMany;) {
    const next = await tx
      .selectDistinct({ id: traces.toId })
      .from(traces)
      .where(and(parents, inArray(traces.fromId, layer)));
    layer = next.map(({ id }) => id).filter((id) => !ids.has(id));
    for (const id of layer) ids.add(id);
  }
}
