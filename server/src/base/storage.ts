import { bytesWords } from '@core/base';
import { and, eq, sql } from 'drizzle-orm';
import type { Db } from './database';
import { Refusal } from './errors';
import { projects, storage } from './tables';
import { installation, write, type Writing } from './writing';

/** What a project may hold where nobody set anything else: 20 GiB. */
export const usualStorage = 20 * 1024 ** 3;

export interface Storage {
  /** Bytes of files that were stored: evidence, attachments, uploads and sources as they came. None is ever deleted. */
  readonly used: number;
  readonly allowed: number;
}

export async function storageOf(db: Db, projectId: number): Promise<Storage> {
  const [row] = await db.select({ used: storage.used, allowed: storage.allowed }).from(storage).where(eq(storage.projectId, projectId));
  return row ?? { used: 0, allowed: usualStorage };
}

const full = ({ used, allowed }: Storage, more: number): Refusal =>
  new Refusal('tooLarge', {
    detail: `The project holds ${bytesWords(used)} of files and may hold ${bytesWords(allowed)}: ${bytesWords(more)} more do not fit. An administrator of the installation can allow more. Nothing was stored.`,
  });

/** Refuses what would not fit, before it is read. */
export async function refuseFull(db: Db, projectId: number, more: number): Promise<void> {
  const has = await storageOf(db, projectId);
  if (has.used + more > has.allowed) throw full(has, more);
}

/**
 * Counts what a writing stores; refused where it does not fit any more. Belongs to the entry logged last, and is done while the end of the
 * ledger is locked, so that nobody waits for the count alone.
 */
export function takeStorage(w: Writing, more: number): void {
  const { projectId } = w.actor;
  w.withSeq(async () => {
    await w.tx.insert(storage).ignore().values({ projectId, used: 0, allowed: usualStorage });
    const [done] = await w.tx
      .update(storage)
      .set({ used: sql`${storage.used} + ${more}` })
      .where(and(eq(storage.projectId, projectId), sql`${storage.used} + ${more} <= ${storage.allowed}`));
    if (done.affectedRows === 1) return;
    const [has] = await w.tx.select().from(storage).where(eq(storage.projectId, projectId));
    throw full(has, more);
  });
}

/** Allows a project so many bytes of files; what is there stays, also where it is more. */
export async function allowStorage(db: Db, login: string, slug: string, allowed: number, now: () => Date): Promise<Storage> {
  const [project] = await db.select({ id: projects.id }).from(projects).where(eq(projects.slug, slug));
  if (!project) throw new Refusal('notFound');
  const before = await storageOf(db, project.id);
  await write(db, installation(login, now), async (w) => {
    await w.tx.insert(storage).values({ projectId: project.id, used: 0, allowed }).onDuplicateKeyUpdate({ set: { allowed } });
    const entry = { action: 'storage allowed', kind: 'project', key: slug, before: { bytes: before.allowed }, after: { bytes: allowed } };
    w.log(entry);
    w.logIn(project.id, entry);
  });
  return storageOf(db, project.id);
}
