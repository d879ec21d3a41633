import { Unzip, UnzipInflate, type UnzipFile } from 'fflate';
import { Refusal } from '../base';

export interface ArchiveLimits {
  /** Greatest sum of unpacked bytes. */
  readonly bytes: number;
  readonly files: number;
}

export interface ArchivedFile {
  readonly path: string;
  readonly bytes: Buffer;
}

/** Is the path inside the archive's own tree? No absolute paths, drives or steps upwards. */
export function isInside(path: string): boolean {
  const parts = path.replaceAll('\\', '/').split('/');
  return !path.startsWith('/') && !/^[A-Za-z]:/.test(path) && !path.includes('\0') && !parts.includes('..');
}

/**
 * Unpacks a ZIP in memory, watching what comes out rather than believing what its directory says: a path that climbs out,
 * too many files or too many bytes end it at once. `keep` chooses the files that are unpacked at all.
 */
export function readArchive(bytes: Buffer, limits: ArchiveLimits, keep: (path: string) => boolean): ArchivedFile[] {
  if (bytes.length < 4 || bytes.readUInt32LE(0) !== 0x04034b50) throw new Refusal('unreadable', { detail: 'This is not a ZIP archive.' });
  const files: ArchivedFile[] = [];
  let total = 0;
  let seen = 0;
  let open = 0;
  const unzip = new Unzip((file: UnzipFile) => {
    if (!isInside(file.name))
      throw new Refusal('hostileArchive', { detail: `The archive has a path that leads out of it: ${file.name.slice(0, 100)}` });
    if (++seen > limits.files) throw new Refusal('hostileArchive', { detail: `The archive has more than ${limits.files} files.` });
    const path = file.name.replaceAll('\\', '/');
    if (path.endsWith('/') || !keep(path)) return;
    const parts: Uint8Array[] = [];
    open++;
    file.ondata = (error, data, final) => {
      // What is thrown below comes back here once more, as the error of the same file.
      if (error) throw error instanceof Refusal ? error : new Refusal('unreadable', { detail: `The archive is damaged at ${path}.` });
      total += data.length;
      if (total > limits.bytes)
        throw new Refusal('hostileArchive', { detail: `The archive unpacks to more than ${limits.bytes >> 20} MiB.` });
      parts.push(data);
      if (final) {
        open--;
        files.push({ path, bytes: Buffer.concat(parts) });
      }
    };
    file.start();
  });
  unzip.register(UnzipInflate);
  // In slices, so that a bomb is noticed long before it is unpacked.
  const slice = 16 * 1024;
  try {
    for (let at = 0; at < bytes.length; at += slice) unzip.push(bytes.subarray(at, at + slice), at + slice >= bytes.length);
  } catch (error) {
    if (error instanceof Refusal) throw error;
    throw new Refusal('unreadable', { detail: 'The archive is damaged.' });
  }
  if (open > 0) throw new Refusal('unreadable', { detail: 'The archive was cut off.' });
  return files;
}
