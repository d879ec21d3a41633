import { Unzip, UnzipInflate } from 'fflate';

/** How an archive came out of its packing. */
export type Unpacked = 'whole' | 'tooMuch' | 'broken';

const step = 1 << 14;

/**
 * Unpacks a ZIP archive, and no more of it than `most` bytes: what would unpack to far more than it can mean is stopped on the way. `take` says
 * for each file who receives its parts; files that nobody takes stay packed.
 */
export function unpack(bytes: Uint8Array, most: number, take: (name: string) => ((part: Uint8Array) => void) | undefined): Unpacked {
  let total = 0;
  let broken = false;
  const unzip = new Unzip((file) => {
    const receive = take(file.name);
    if (!receive) return;
    // An error that is thrown here is taken for one of the archive.
    file.ondata = (error, part) => {
      broken ||= error !== null;
      total += part?.length ?? 0;
      if (part && total <= most) receive(part);
    };
    file.start();
  });
  unzip.register(UnzipInflate);
  for (let at = 0; at < bytes.length && total <= most && !broken; at += step)
    unzip.push(bytes.subarray(at, at + step), at + step >= bytes.length);
  return total > most ? 'tooMuch' : broken ? 'broken' : 'whole';
}
