import { statfs } from 'node:fs/promises';

/** So little is left: told before it is full. */
const leastBytes = 2 * 1024 ** 3;
const leastShare = 0.05;
const lookEvery = 30_000;

/** What is left of the disk on which the database stands, in bytes; undefined where nobody said which folder that is. */
export interface DiskSpace {
  readonly free: number;
  readonly size: number;
}

/** Is so little left that people must be told? */
export const nearlyFull = ({ free, size }: DiskSpace): boolean => free < Math.min(leastBytes, size / 2) || free < size * leastShare;

let last: { readonly at: number; readonly space: DiskSpace | undefined } | undefined;

/** Looks at the disk of the folder that `CORD_DATA_FOLDER` names, no oftener than twice a minute. */
export async function diskSpace(folder = process.env['CORD_DATA_FOLDER'], now = Date.now()): Promise<DiskSpace | undefined> {
  if (!folder) return undefined;
  if (last && now - last.at < lookEvery) return last.space;
  const space = await statfs(folder).then(
    ({ bavail, blocks, bsize }) => ({ free: bavail * bsize, size: blocks * bsize }),
    () => undefined,
  );
  last = { at: now, space };
  return space;
}

/** The bytes that are left where they are nearly none; null where there are enough, or nobody can say. */
export async function diskLow(): Promise<number | null> {
  const space = await diskSpace();
  return space && nearlyFull(space) ? space.free : null;
}
