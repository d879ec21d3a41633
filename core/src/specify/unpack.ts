import { Unzip, UnzipInflate } from 'fflate';

/** How an archive came out of its packing. */
export type Unpacked = 'whole' | 'tooMuch' | 'broken';

const step = 1 << 14;

/**
 * Unpacks a ZIP archive as it comes, and no more of it than `most` bytes: what would unpack to far more than it can mean is stopped on the way.
 * `take` says for each file who receives its parts; files that nobody takes stay packed.
 */
export class Unpacking {
  private readonly unzip: Unzip;
  private total = 0;
  private broken = false;

  constructor(
    private readonly most: number,
    take: (name: string) => ((part: Uint8Array) => void) | undefined,
  ) {
    this.unzip = new Unzip((file) => {
      const receive = take(file.name);
      if (!receive) return;
      // An error that is thrown here is taken for one of the archive.
      file.ondata = (error, part) => {
        this.broken ||= error !== null;
        this.total += part?.length ?? 0;
        if (part && this.total <= this.most) receive(part);
      };
      file.start();
    });
    this.unzip.register(UnzipInflate);
  }

  /** Takes the next bytes of the archive. */
  push(bytes: Uint8Array, last: boolean): void {
    for (let at = 0; at < bytes.length && this.sound; at += step)
      this.unzip.push(bytes.subarray(at, at + step), last && at + step >= bytes.length);
  }

  /** Is it worth going on? */
  get sound(): boolean {
    return this.total <= this.most && !this.broken;
  }

  get outcome(): Unpacked {
    return this.total > this.most ? 'tooMuch' : this.broken ? 'broken' : 'whole';
  }
}

/** Unpacks an archive that is there whole; see `Unpacking`. */
export function unpack(bytes: Uint8Array, most: number, take: (name: string) => ((part: Uint8Array) => void) | undefined): Unpacked {
  const unpacking = new Unpacking(most, take);
  unpacking.push(bytes, true);
  return unpacking.outcome;
}
