import { createHash } from 'node:crypto';
import { Readable } from 'node:stream';
import { and, asc, eq } from 'drizzle-orm';
import type { Db, Tx } from './database';
import { sha256Of } from './digest';
import { Refusal } from './errors';
import { blobs } from './tables';

const partSize = 1 << 20;

/** Stores bytes under their SHA-256; the same bytes twice are stored once. */
export async function storeBlob(tx: Tx | Db, bytes: Buffer): Promise<string> {
  const sha256 = sha256Of(bytes);
  const [known] = await tx
    .select({ part: blobs.part })
    .from(blobs)
    .where(and(eq(blobs.sha256, sha256), eq(blobs.part, 0)));
  if (known) return sha256;
  for (let part = 0, at = 0; at < bytes.length || part === 0; part++, at += partSize)
    await tx
      .insert(blobs)
      .ignore()
      .values({ sha256, part, bytes: bytes.subarray(at, at + partSize) });
  return sha256;
}

/** The parts of a stored file in order. */
export async function* readBlob(db: Db | Tx, sha256: string): AsyncGenerator<Buffer> {
  const parts = await db.select({ part: blobs.part }).from(blobs).where(eq(blobs.sha256, sha256)).orderBy(asc(blobs.part));
  for (const { part } of parts) {
    const [row] = await db
      .select({ bytes: blobs.bytes })
      .from(blobs)
      .where(and(eq(blobs.sha256, sha256), eq(blobs.part, part)));
    if (row) yield row.bytes;
  }
}

/** Do the stored bytes still have the hash under which they are kept? */
export async function blobFits(db: Db | Tx, sha256: string): Promise<boolean> {
  const hash = createHash('sha256');
  for await (const part of readBlob(db, sha256)) hash.update(part);
  return hash.digest('hex') === sha256;
}

const changed = (sha256: string): Refusal =>
  new Refusal('recordChanged', {
    detail: `The stored bytes are not those with the hash ${sha256} any more: they were changed behind the record.`,
  });

/** A stored file, whole; refused where its bytes are not what their hash says. */
export async function wholeBlob(db: Db | Tx, sha256: string): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of readBlob(db, sha256)) parts.push(part);
  const bytes = Buffer.concat(parts);
  if (sha256Of(bytes) !== sha256) throw changed(sha256);
  return bytes;
}

/** A stored file as a stream, after its bytes were held against their hash. */
export async function blobStream(db: Db, sha256: string): Promise<Readable> {
  if (!(await blobFits(db, sha256))) throw changed(sha256);
  return Readable.from(readBlob(db, sha256));
}
