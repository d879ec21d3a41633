import type { FastifyRequest } from 'fastify';
import { Refusal } from './errors';

export interface Upload {
  readonly name: string;
  readonly mime: string;
  readonly bytes: Buffer;
  /** Plain fields that came before it. */
  readonly fields?: Readonly<Record<string, string>>;
}

/**
 * The files of a multipart request, one after the other. A file over the limit ends the request with `tooLarge` as
 * soon as the limit is passed; what came before is with the caller, who stores nothing until all have come.
 */
export async function* uploads(
  request: FastifyRequest,
  limits: { readonly fileSize: number; readonly files: number; readonly total: number },
): AsyncGenerator<Upload> {
  try {
    yield* partsOf(request, limits);
  } catch (error) {
    // Limits of the reader have codes of their own; what is left is a body that is cut off or no multipart at all.
    const { code } = error as { code?: string };
    if (error instanceof Refusal || code?.startsWith('FST_')) throw error;
    throw new Refusal('invalid', { detail: `The upload cannot be read: ${(error as Error).message.slice(0, 200)}. Nothing was stored.` });
  }
}

async function* partsOf(
  request: FastifyRequest,
  limits: { readonly fileSize: number; readonly files: number; readonly total: number },
): AsyncGenerator<Upload> {
  if (!request.isMultipart()) throw new Refusal('invalid', { detail: 'The upload must be multipart/form-data.' });
  const declared = Number(request.headers['content-length'] ?? 0);
  const allowed = limits.total + (1 << 20);
  if (declared > allowed)
    throw new Refusal('tooLarge', {
      detail: `The upload has ${mib(declared)}; at most ${mib(limits.total)} at a time are taken here. Nothing was stored.`,
    });
  let any = false;
  let total = 0;
  const fields: Record<string, string> = {};
  for await (const part of request.parts({ limits: { fileSize: limits.fileSize, files: limits.files, fields: 10, fieldSize: 4000 } })) {
    if (part.type === 'field') {
      fields[part.fieldname] = String(part.value);
      continue;
    }
    const chunks: Buffer[] = [];
    for await (const chunk of part.file) {
      chunks.push(chunk as Buffer);
      total += (chunk as Buffer).length;
      if (total > limits.total)
        throw new Refusal('tooLarge', { detail: `The files are larger than ${mib(limits.total)} together. Nothing was stored.` });
    }
    if (part.file.truncated)
      throw new Refusal('tooLarge', { detail: `${part.filename} is larger than ${mib(limits.fileSize)}. Nothing was stored.` });
    any = true;
    yield { name: safeName(part.filename), mime: part.mimetype, bytes: Buffer.concat(chunks), fields };
  }
  if (!any) throw new Refusal('invalid', { detail: 'The upload holds no file.' });
}

const mib = (bytes: number): string => `${Math.ceil(bytes / (1 << 20))} MiB`;

/** A file name without folders and control characters, as it is shown and put into packs. */
export function safeName(name: string): string {
  const last = name.split(/[\\/]/).pop() ?? '';
  return (
    last
      .replace(/[\u0000-\u001f\u007f<>:"|?*]/g, '_')
      .replace(/^\.+/, '')
      .slice(0, 200) || 'file'
  );
}
