import { createHash, randomBytes } from 'node:crypto';
import { deflateRawSync } from 'node:zlib';
import { eq, sql } from 'drizzle-orm';
import { Zip, ZipDeflate, ZipPassThrough } from 'fflate';
import { blobs, incomingParts, sha256Of, type Db } from '../base';

const partSize = 1 << 20;
const unixFile = 0o644 << 16;

/** Is it compressed already, whatever is done? */
const packed = (name: string): boolean => /\.(png|jpe?g|pdf|zip|gz|webp)$/i.test(name);

/** A file that is pushed whole, compressed by Node itself: a stream of its own for each of thousands costs more than all else. */
class DeflatedWhole extends ZipPassThrough {
  override compression = 8;

  protected override process(chunk: Uint8Array, final: boolean): void {
    this.ondata(null, deflateRawSync(chunk), final);
  }
}

/**
 * Writes a ZIP while it is made, part by part into the database: what it needs of memory does not grow with what is in it. Names are
 * UTF-8 and marked as made on Unix. Keeps the sum of every file.
 */
export class PackWriter {
  readonly sums = new Map<string, string>();
  private readonly id = `pack-${randomBytes(20).toString('base64url')}`.slice(0, 32);
  private readonly hash = createHash('sha256');
  private held: Uint8Array[] = [];
  private heldBytes = 0;
  private total = 0;
  private failure: Error | undefined;
  private readonly zip = new Zip((error, data) => {
    if (error) this.failure = error;
    else {
      this.held.push(data);
      this.heldBytes += data.length;
    }
  });

  constructor(
    private readonly db: Db,
    private readonly mtime: Date,
  ) {}

  /** Adds a file that is at hand whole: a small one in one go, since there are thousands of them. */
  async add(name: string, content: Buffer | string): Promise<void> {
    const bytes = Buffer.from(content);
    if (packed(name) || bytes.length > partSize) return this.addStream(name, [bytes]);
    this.begin(new DeflatedWhole(name)).push(bytes, true);
    this.sums.set(name, sha256Of(bytes));
    await this.store(partSize);
  }

  private begin<F extends ZipPassThrough | ZipDeflate>(file: F): F {
    if (this.sums.has(file.filename)) throw new Error(`${file.filename} stands in the pack already`);
    file.mtime = this.mtime;
    file.os = 3;
    file.attrs = unixFile;
    this.zip.add(file);
    return file;
  }

  /** Adds a file as its parts come. */
  async addStream(name: string, parts: AsyncIterable<Buffer | string> | Iterable<Buffer | string>): Promise<void> {
    const file = this.begin(packed(name) ? new ZipPassThrough(name) : new ZipDeflate(name, { level: 6 }));
    const hash = createHash('sha256');
    for await (const part of parts) {
      const bytes = Buffer.from(part);
      hash.update(bytes);
      for (let at = 0; at < bytes.length; at += partSize) {
        file.push(bytes.subarray(at, at + partSize));
        await this.store(partSize);
      }
    }
    file.push(new Uint8Array(0), true);
    this.sums.set(name, hash.digest('hex'));
    await this.store(partSize);
  }

  private async store(least: number): Promise<void> {
    if (this.failure) throw this.failure;
    if (this.heldBytes < least || !this.heldBytes) return;
    const bytes = Buffer.concat(this.held);
    this.held = [];
    this.heldBytes = 0;
    this.hash.update(bytes);
    for (let at = 0; at < bytes.length; at += partSize) {
      const part = bytes.subarray(at, at + partSize);
      await this.db.insert(incomingParts).values({ id: this.id, at: this.total, bytes: part });
      this.total += part.length;
    }
  }

  /** Ends the archive and keeps it under its hash. */
  async finish(): Promise<{ readonly bytes: number; readonly sha256: string }> {
    this.zip.end();
    await this.store(1);
    const sha256 = this.hash.digest('hex');
    await this.db.execute(
      sql`insert ignore into ${blobs} (sha256, part, bytes) select ${sha256}, row_number() over (order by at_byte) - 1, bytes from ${incomingParts} where id = ${this.id}`,
    );
    await this.drop();
    return { bytes: this.total, sha256 };
  }

  /** Forgets what was written so far. */
  async drop(): Promise<void> {
    await this.db.delete(incomingParts).where(eq(incomingParts.id, this.id));
  }
}
