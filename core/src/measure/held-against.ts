import { bitsFor, hasBit, setBit } from './bits';
import type { FileMeasurement } from './file-measurement';
import { metrics, rangeOf, sizeOf, type PointTable } from './point';

/** What a measurement says of a source, held against the source's own text. */
export interface HeldAgainst {
  /** The measurement without the points that stand where no code is. */
  readonly file: FileMeasurement;
  /** The last line that it speaks of where that is past the end of the source: it is of another text. */
  readonly pastEnd: number | undefined;
  /** Lines without code that it has points on; they do not count. */
  readonly idle: readonly number[];
}

/**
 * Holds a measurement against the text that it is said to be of: points past its end make it another text's; points on blank lines and inside
 * comments are left out. Points of functions without a line stay.
 */
export function heldAgainst(file: FileMeasurement, source: { readonly lines: number; readonly hasCode: Uint8Array }): HeldAgainst {
  const { table } = file;
  let pastEnd: number | undefined;
  const idle = new Set<number>();
  for (let i = 0; i < table.line.length; i++) {
    const line = table.line[i];
    if (line > source.lines) pastEnd = Math.max(pastEnd ?? 0, line);
    else if (line > 0 && !source.hasCode[line]) idle.add(line);
  }
  if (!idle.size || pastEnd !== undefined) return { file, pastEnd, idle: [] };
  return { file: withoutLines(file, idle), pastEnd, idle: [...idle].sort((a, b) => a - b) };
}

function withoutLines(file: FileMeasurement, lines: ReadonlySet<number>): FileMeasurement {
  const { table, bits, counts, vectors } = file;
  const keep: number[] = [];
  const starts = new Uint32Array(metrics.length + 1);
  metrics.forEach((metric, m) => {
    const [from, to] = rangeOf(table, metric);
    for (let i = from; i < to; i++) if (!lines.has(table.line[i])) keep.push(i);
    starts[m + 1] = keep.length;
  });
  const pick = (column: Uint32Array): Uint32Array => Uint32Array.from(keep, (i) => column[i]);
  const retained: PointTable = { starts, line: pick(table.line), a: pick(table.a), b: pick(table.b), names: table.names };
  const moved = bitsFor(sizeOf(retained));
  keep.forEach((i, to) => {
    if (hasBit(bits, i)) setBit(moved, to);
  });
  return {
    ...file,
    table: retained,
    bits: moved,
    counts: Float64Array.from(keep, (i) => counts[i]),
    vectors: vectors.filter((vector) => !lines.has(vector.line)),
  };
}
