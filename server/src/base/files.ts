import type { FastifyReply } from 'fastify';
import { blobStream } from './blobs';
import type { Db } from './database';

/** Kinds that a browser may show in place; everything else is only ever downloaded. */
const shownInline = new Set(['image/png', 'image/jpeg', 'image/gif', 'image/webp', 'text/plain']);

/** Sends a stored file: pictures and plain text to be looked at, everything else to be kept. */
export async function sendFile(
  db: Db,
  reply: FastifyReply,
  { name, mime, bytes, sha256 }: { readonly name: string; readonly mime: string; readonly bytes: number; readonly sha256: string },
): Promise<FastifyReply> {
  const inline = shownInline.has(mime);
  reply.type(inline ? (mime === 'text/plain' ? 'text/plain; charset=utf-8' : mime) : 'application/octet-stream');
  reply
    .header('content-disposition', `${inline ? 'inline' : 'attachment'}; filename*=UTF-8''${encodeURIComponent(name)}`)
    .header('content-length', bytes)
    // Whatever it is, it runs nothing and reaches nothing.
    .header('content-security-policy', "default-src 'none'; sandbox");
  return reply.send(await blobStream(db, sha256));
}
