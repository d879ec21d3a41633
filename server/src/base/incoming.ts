import { randomBytes } from 'node:crypto';
import type { Incoming } from '@contract/base';
import type { Readable } from 'node:stream';
import { and, asc, eq, gt, inArray, lt, sql } from 'drizzle-orm';
import type { Db } from './database';
import { Refusal } from './errors';
import { refuseFull } from './storage';
import { incoming, incomingParts } from './work-tables';
import { safeName, type Upload } from './uploads';

/** Kept so long without another part. */
const keptHours = 24;
/** What one person may have coming at once. */
const filesAPerson = 50;
const bytesAPerson = 1 << 30;
const partSize = 1 << 20;

const shown = (row: typeof incoming.$inferSelect): Incoming => {
  const { id, name, bytes, received, until } = row;
  return { id, name, bytes, received, until };
};

const mine = (projectId: number, login: string, id: string) =>
  and(eq(incoming.id, id), eq(incoming.projectId, projectId), eq(incoming.login, login));

/** Announces a file that comes in parts. */
export async function beginIncoming(
  db: Db,
  projectId: number,
  login: string,
  file: { name: string; mime: string; bytes: number },
  now: Date,
): Promise<Incoming> {
  await tidyIncoming(db, now);
  await refuseFull(db, projectId, file.bytes);
  const [{ files, bytes }] = await db
    .select({ files: sql<number>`count(*)`.mapWith(Number), bytes: sql<number>`ifnull(sum(${incoming.bytes}), 0)`.mapWith(Number) })
    .from(incoming)
    .where(and(eq(incoming.projectId, projectId), eq(incoming.login, login)));
  if (files >= filesAPerson || bytes + file.bytes > bytesAPerson)
    throw new Refusal('tooMany', {
      detail: `At most ${filesAPerson} files of ${bytesAPerson >> 20} MiB together may be coming at once from one person.`,
    });
  const id = randomBytes(24).toString('base64url');
  const until = new Date(now.getTime() + keptHours * 3600_000).toISOString();
  const row = { id, projectId, login, ...file, name: safeName(file.name), received: 0, until };
  await db.insert(incoming).values(row);
  return shown(row);
}

async function needIncoming(db: Db, projectId: number, login: string, id: string): Promise<typeof incoming.$inferSelect> {
  const [row] = await db
    .select()
    .from(incoming)
    .where(mine(projectId, login, id));
  if (!row) throw new Refusal('notFound', { detail: 'No such file is coming: announce it again.' });
  return row;
}

export const getIncoming = async (db: Db, projectId: number, login: string, id: string): Promise<Incoming> =>
  shown(await needIncoming(db, projectId, login, id));

/**
 * Takes what comes from a byte on, and stores it as it arrives: what came before the connection went stays. Refused where it does not
 * begin where the file has come to, and where it is more than was announced.
 */
export async function takePart(db: Db, projectId: number, login: string, id: string, from: number, body: Readable): Promise<Incoming> {
  const row = await needIncoming(db, projectId, login, id);
  if (from !== row.received)
    throw new Refusal('conflict', { detail: `The next part begins at byte ${row.received}.`, current: shown(row) });
  let at = from;
  let held: Buffer[] = [];
  let size = 0;
  const store = async (): Promise<void> => {
    if (!size) return;
    const bytes = Buffer.concat(held);
    await db.transaction(async (tx) => {
      const [done] = await tx
        .update(incoming)
        .set({ received: at + bytes.length })
        .where(and(eq(incoming.id, id), eq(incoming.received, at)));
      // Somebody sends the same part at the same time: the other one was first.
      if (!done.affectedRows) throw new Refusal('conflict', { detail: 'Another request is sending this file.' });
      await tx.insert(incomingParts).values({ id, at, bytes });
    });
    at += bytes.length;
    held = [];
    size = 0;
  };
  try {
    for await (const chunk of body) {
      held.push(chunk as Buffer);
      size += (chunk as Buffer).length;
      if (at + size > row.bytes) throw new Refusal('tooLarge', { detail: `${row.name} was announced with ${row.bytes} bytes.` });
      if (size >= partSize) await store();
    }
  } catch (error) {
    if (error instanceof Refusal) throw error;
    // The connection went: what arrived is kept, and the sender asks how far it came.
    await store();
    throw error;
  }
  await store();
  return getIncoming(db, projectId, login, id);
}

/** A file that has come whole; refuses one that is not whole yet. */
export async function needArrived(db: Db, projectId: number, login: string, id: string): Promise<typeof incoming.$inferSelect> {
  const row = await needIncoming(db, projectId, login, id);
  if (row.received !== row.bytes)
    throw new Refusal('stateForbids', { detail: `${row.name} has come to byte ${row.received} of ${row.bytes}.` });
  return row;
}

/** The files that have come whole, as an upload has them; refuses those that are not whole yet. */
export async function arrivedFiles(db: Db, projectId: number, login: string, ids: readonly string[]): Promise<Upload[]> {
  const files: Upload[] = [];
  for (const id of ids) {
    const { name, mime } = await needArrived(db, projectId, login, id);
    const parts: Buffer[] = [];
    for (let at = -1; ;) {
      const [part] = await db
        .select()
        .from(incomingParts)
        .where(and(eq(incomingParts.id, id), gt(incomingParts.at, at)))
        .orderBy(asc(incomingParts.at))
        .limit(1);
      if (!part) break;
      parts.push(part.bytes);
      at = part.at;
    }
    files.push({ name, mime, bytes: Buffer.concat(parts) });
  }
  return files;
}

export async function dropIncoming(db: Db, projectId: number, login: string, ids: readonly string[]): Promise<void> {
  for (const id of ids) await needIncoming(db, projectId, login, id);
  await removeIncoming(db, ids);
}

async function removeIncoming(db: Db, ids: readonly string[]): Promise<void> {
  if (!ids.length) return;
  await db.delete(incomingParts).where(inArray(incomingParts.id, [...ids]));
  await db.delete(incoming).where(inArray(incoming.id, [...ids]));
}

async function tidyIncoming(db: Db, now: Date): Promise<void> {
  const old = await db.select({ id: incoming.id }).from(incoming).where(lt(incoming.until, now.toISOString())).limit(100);
  await removeIncoming(
    db,
    old.map(({ id }) => id),
  );
}
