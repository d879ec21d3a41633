import { groupBy } from '@core/base';
import { and, asc, eq, isNull, sql } from 'drizzle-orm';
import { keysOfRecords, needBuild, Refusal, type Db, type Tx } from '../base';
import { partHits } from './store';
import { measurements, sources, type MeasuredPart } from './tables';

/** More bytes of bits than these are not put together for one answer. */
const mostBytes = 200 << 20;

/** A part of what was measured of a case. */
interface StandingPart {
  readonly m: { readonly id: number; readonly loadedAt: string };
  readonly part: MeasuredPart;
  readonly caseId: number;
}

/**
 * What was measured of cases on a build and stands: not withdrawn, not superseded, and of the text that `present` names for its path, the SHA-256 of
 * the build's source.
 */
export async function standingParts(db: Db | Tx, buildId: number, present: (path: string) => string | undefined): Promise<StandingPart[]> {
  const all = await db
    .select({
      id: measurements.id,
      caseId: measurements.caseId,
      parts: measurements.parts,
      superseded: measurements.superseded,
      loadedAt: measurements.loadedAt,
    })
    .from(measurements)
    .where(and(eq(measurements.buildId, buildId), eq(measurements.withdrawn, false)))
    .orderBy(asc(measurements.id));
  return all.flatMap(({ parts, superseded, caseId, ...m }) =>
    caseId === null
      ? []
      : parts.flatMap((part) => (!superseded.includes(part.path) && present(part.path) === part.source ? [{ m, part, caseId }] : [])),
  );
}

/** What a part hit: its bytes are read only where they are not known here. */
export const storedHits = (db: Db | Tx, m: StandingPart['m'], part: MeasuredPart): ReturnType<typeof partHits> =>
  partHits(db, m, part, async () => {
    const [row] = await db
      .select({ bytes: sql<Buffer>`substring(${measurements.data}, ${part.at + 1}, ${part.size})` })
      .from(measurements)
      .where(eq(measurements.id, m.id));
    return row.bytes;
  });

/**
 * The points of a build's code that each case reached, by the case's key: bits over places that are those of this answer alone. What was measured
 * on another text than the build's sources, is superseded or withdrawn, reaches nothing. The same source compiled otherwise has points of its own.
 */
export async function reachOfCases(db: Db, projectId: number, buildKey: string): Promise<Map<string, Uint32Array>> {
  const build = await needBuild(db, projectId, buildKey);
  const present = new Map(
    (
      await db
        .select({ path: sources.path, sha256: sources.sha256 })
        .from(sources)
        .where(and(eq(sources.buildId, build.id), isNull(sources.supersededAt)))
    ).map(({ path, sha256 }) => [path, sha256]),
  );
  const standing = await standingParts(db, build.id, (path) => present.get(path));
  const place = new Map<string, number>();
  let words = 0;
  for (const { part } of standing) {
    const name = `${part.path}\n${part.table}`;
    if (place.has(name)) continue;
    place.set(name, words);
    // Older parts do not say how many points they have: their bytes bound it.
    words += Math.ceil((part.points ?? part.size * 8) / 32) + 1;
  }
  const ids = [...new Set(standing.map(({ caseId }) => caseId))];
  if (ids.length * words * 4 > mostBytes)
    throw new Refusal('tooLarge', { detail: 'That is too much code to be looked at for all cases at once.' });
  const found = new Map<number, Uint32Array>();
  for (const [caseId, list] of groupBy(standing, (s) => s.caseId)) {
    const mine = new Uint32Array(words);
    for (const { m, part } of list) {
      const { bits } = await storedHits(db, m, part);
      const at = place.get(`${part.path}\n${part.table}`) ?? 0;
      for (let w = 0; w < bits.length && at + w < words; w++) mine[at + w] |= bits[w];
    }
    found.set(caseId, mine);
  }
  const keys = await keysOfRecords(db, ids);
  return new Map([...keys].flatMap(([id, key]) => (found.has(id) ? [[key, found.get(id) as Uint32Array]] : [])));
}
