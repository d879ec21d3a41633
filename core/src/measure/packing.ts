import { bitsFor, hasBit, type Bits } from './bits';
import type { DecisionVectors, FileMeasurement } from './file-measurement';
import { metrics, sizeOf, type PointTable } from './point';

/** Bytes that grow: whole numbers in 7-bit groups, the lowest first; to 2^53. */
class ByteWriter {
  private bytes = new Uint8Array(1024);
  private size = 0;

  number(value: number): void {
    let rest = value;
    while (rest >= 128) {
      this.byte((rest % 128) | 128);
      rest = Math.floor(rest / 128);
    }
    this.byte(rest);
  }

  text(value: string): void {
    const bytes = new TextEncoder().encode(value);
    this.number(bytes.length);
    this.raw(bytes);
  }

  raw(bytes: Uint8Array): void {
    while (this.size + bytes.length > this.bytes.length) this.grow();
    this.bytes.set(bytes, this.size);
    this.size += bytes.length;
  }

  finish(): Uint8Array {
    return this.bytes.slice(0, this.size);
  }

  private byte(value: number): void {
    if (this.size === this.bytes.length) this.grow();
    this.bytes[this.size++] = value;
  }

  private grow(): void {
    const larger = new Uint8Array(this.bytes.length * 2);
    larger.set(this.bytes);
    this.bytes = larger;
  }
}

class ByteReader {
  private at = 0;
  constructor(private readonly bytes: Uint8Array) {}

  number(): number {
    let value = 0;
    let scale = 1;
    for (;;) {
      const byte = this.bytes[this.at++];
      if (byte === undefined) throw new Error('a stored measurement ends too early');
      value += (byte & 127) * scale;
      if (byte < 128) return value;
      scale *= 128;
    }
  }

  text(): string {
    return new TextDecoder().decode(this.raw(this.number()));
  }

  raw(size: number): Uint8Array {
    return this.bytes.subarray(this.at, (this.at += size));
  }

  get done(): boolean {
    return this.at >= this.bytes.length;
  }
}

/** Points as bytes: a byte or two each, since most stand right behind the one before. Stored once for all measurements of them. */
export function packTable(table: PointTable): Uint8Array {
  const w = new ByteWriter();
  for (let m = 0; m < metrics.length; m++) {
    w.number(table.starts[m + 1] - table.starts[m]);
    let line = 0;
    for (let i = table.starts[m]; i < table.starts[m + 1]; i++) {
      w.number(table.line[i] - line);
      line = table.line[i];
      if (metrics[m] === 'line') continue;
      w.number(table.a[i]);
      w.number(table.b[i]);
    }
  }
  w.number(table.names.length);
  for (const name of table.names) w.text(name);
  return w.finish();
}

/** Throws (programmer error) on bytes that `packTable` did not write. */
export function unpackTable(bytes: Uint8Array): PointTable {
  const r = new ByteReader(bytes);
  const starts = new Uint32Array(metrics.length + 1);
  const [line, a, b]: [number[], number[], number[]] = [[], [], []];
  for (let m = 0; m < metrics.length; m++) {
    const size = r.number();
    starts[m + 1] = starts[m] + size;
    let at = 0;
    for (let i = 0; i < size; i++) {
      line.push((at += r.number()));
      a.push(metrics[m] === 'line' ? 0 : r.number());
      b.push(metrics[m] === 'line' ? 0 : r.number());
    }
  }
  const names = Array.from({ length: r.number() }, () => r.text());
  return { starts, line: Uint32Array.from(line), a: Uint32Array.from(a), b: Uint32Array.from(b), names };
}

function writeBits(w: ByteWriter, size: number, bits: Bits): void {
  const packed = new Uint8Array((size + 7) >>> 3);
  for (let i = 0; i < packed.length; i++) packed[i] = bits[i >>> 2] >>> ((i & 3) * 8);
  w.raw(packed);
}

function readBits(r: ByteReader, size: number): Bits {
  const packed = r.raw((size + 7) >>> 3);
  const bits = bitsFor(size);
  for (let i = 0; i < packed.length; i++) bits[i >>> 2] |= packed[i] << ((i & 3) * 8);
  return bits;
}

function writeVectors(w: ByteWriter, vectors: readonly DecisionVectors[]): void {
  w.number(vectors.length);
  for (const { line, place, codes } of vectors) {
    w.number(line);
    w.number(place);
    w.number(codes.length);
    let before = 0;
    for (const code of codes) {
      w.number(code - before);
      before = code;
    }
  }
}

function readVectors(r: ByteReader): DecisionVectors[] {
  return Array.from({ length: r.number() }, () => {
    const [line, place, length] = [r.number(), r.number(), r.number()];
    let code = 0;
    return { line, place, codes: Array.from({ length }, () => (code += r.number())) };
  });
}

/**
 * A measurement as bytes: one bit a point, then how often for each that was hit (mostly one byte), then vectors. So
 * a file that a case hardly touches takes an eighth of a byte a point.
 */
export function packHits({ table, bits, counts, vectors }: FileMeasurement): Uint8Array {
  const w = new ByteWriter();
  const size = sizeOf(table);
  writeBits(w, size, bits);
  for (let i = 0; i < size; i++) if (hasBit(bits, i)) w.number(counts[i]);
  writeVectors(w, vectors);
  return w.finish();
}

/** Throws (programmer error) on bytes that `packHits` did not write for this table. */
export function unpackHits(path: string, table: PointTable, bytes: Uint8Array): FileMeasurement {
  const r = new ByteReader(bytes);
  const size = sizeOf(table);
  const bits = readBits(r, size);
  const counts = new Float64Array(size);
  for (let i = 0; i < size; i++) if (hasBit(bits, i)) counts[i] = r.number();
  const vectors = readVectors(r);
  return { path, table, bits, counts, vectors };
}

/** What a measurement hit as bytes: one bit a point, then vectors. How often is in the raw file, which is kept. */
export function packBits({ table, bits, vectors }: Pick<FileMeasurement, 'table' | 'bits' | 'vectors'>): Uint8Array {
  const w = new ByteWriter();
  writeBits(w, sizeOf(table), bits);
  writeVectors(w, vectors);
  return w.finish();
}

/** Throws (programmer error) on bytes that `packBits` did not write for this table. */
export function unpackBits(table: PointTable, bytes: Uint8Array): Pick<FileMeasurement, 'bits' | 'vectors'> {
  const r = new ByteReader(bytes);
  return { bits: readBits(r, sizeOf(table)), vectors: readVectors(r) };
}

/** One file of a stored measurement: which table its bits are over, by hash. */
export interface StoredFile {
  readonly path: string;
  readonly table: string;
  readonly hits: Uint8Array;
}

export function packFiles(files: readonly StoredFile[]): Uint8Array {
  const w = new ByteWriter();
  for (const { path, table, hits } of files) {
    w.text(path);
    w.text(table);
    w.number(hits.length);
    w.raw(hits);
  }
  return w.finish();
}

export function unpackFiles(bytes: Uint8Array): StoredFile[] {
  const r = new ByteReader(bytes);
  const files: StoredFile[] = [];
  while (!r.done) files.push({ path: r.text(), table: r.text(), hits: r.raw(r.number()) });
  return files;
}
