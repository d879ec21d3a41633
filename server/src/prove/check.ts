import { and, asc, eq, isNull, sql } from 'drizzle-orm';
import { builds, records, settings, type AppContext, type Verification } from '../base';
import { verifyProject } from './integrity';
import type { Projector } from './projector';
import { checkHeads, signHead, type HeadsVerdict } from './signed-heads';
import { projections } from './tables';

/** A build whose stored cords were not what the ledger gives; they are now. */
export interface Drift {
  readonly build: string;
  /** Keys of the cords that were others. */
  readonly keys: readonly string[];
}

/** Makes what is stored of the open builds of a project afresh, and tells where it differed from what had been brought along. */
export async function projectAgain({ database }: Pick<AppContext, 'database'>, projector: Projector, projectId: number): Promise<Drift[]> {
  const { db } = database;
  const open = await db
    .select({ id: builds.id, name: records.key, seq: projections.seq })
    .from(projections)
    .innerJoin(builds, eq(builds.id, projections.buildId))
    .innerJoin(records, eq(records.id, builds.id))
    .where(and(eq(builds.projectId, projectId), isNull(builds.closedSeq)))
    .orderBy(asc(builds.id));
  const drifts: Drift[] = [];
  for (const { id, name, seq } of open) {
    // Up to the present first, so that what differs afterwards was wrong and not only old.
    await projector.bring(projectId, id);
    await projector.forget(id);
    const brought = await projector.bring(projectId, id);
    if (seq > 0 && brought?.keys?.length) drifts.push({ build: name, keys: brought.keys });
  }
  return drifts;
}

const day = 24 * 3600_000;

/**
 * Once a day and project, whichever node comes first: verifies ledger and rows, makes the cords afresh, and signs the ledger's end outside the
 * database. Undefined where it was done.
 */
export async function checkDaily(
  context: Pick<AppContext, 'database' | 'now'>,
  projector: Projector,
  projectId: number,
): Promise<{ verification: Verification; drifts: readonly Drift[]; heads: HeadsVerdict | null } | undefined> {
  const { db } = context.database;
  const name = `checked:${projectId}`;
  const now = context.now();
  await db
    .insert(settings)
    .ignore()
    .values({ name, value: new Date(0).toISOString() });
  const before = new Date(now.getTime() - day).toISOString();
  const [claimed] = await db
    .update(settings)
    .set({ value: now.toISOString() })
    .where(and(eq(settings.name, name), sql`${settings.value} < ${before}`));
  if (!claimed.affectedRows) return undefined;
  const verification = await verifyProject(context, projectId);
  const drifts = await projectAgain(context, projector, projectId);
  const heads = await checkHeads(db, projectId);
  await signHead(db, projectId, now);
  await signHead(db, 0, now);
  return { verification, drifts, heads };
}
