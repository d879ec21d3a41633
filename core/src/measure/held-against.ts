import { bitsFor, hasBit, setBit, type Bits } from './bits';
import type { DecisionVectors, FileMeasurement } from './file-measurement';
import { metrics, rangeOf, type Metric, type PointTable } from './point';

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
  const { table, places } = pickPoints(file.table, (i) => (lines.has(file.table.line[i]) ? undefined : file.table.line[i]));
  return {
    ...file,
    table,
    bits: picked(file.bits, places),
    counts: Float64Array.from(places, (i) => file.counts[i]),
    vectors: file.vectors.filter((vector) => !lines.has(vector.line)),
  };
}

/** What a measurement hit, without how often. */
export interface FileHits {
  readonly table: PointTable;
  readonly bits: Bits;
  readonly vectors: readonly DecisionVectors[];
}

/** A function whose text is the same as when it was measured: its lines then (both inclusive), and its first line now. */
export interface MovedUnit {
  readonly name: string;
  readonly from: number;
  readonly to: number;
  readonly now: number;
}

/**
 * What was hit in some functions, at the lines where these stand now; whatever lies outside them is left out. A point of a function's entry
 * belongs to it by its name, since a writer may put it on the line before.
 */
export function movedHits({ table, bits, vectors }: FileHits, units: readonly MovedUnit[]): FileHits {
  const byName = new Map(units.map((unit) => [unit.name, unit]));
  const around = (line: number): MovedUnit | undefined => units.find(({ from, to }) => line >= from && line <= to);
  const moved = (line: number, unit: MovedUnit | undefined): number | undefined => unit && Math.max(0, line + unit.now - unit.from);
  const { table: now, places } = pickPoints(table, (i, metric) => {
    const line = table.line[i];
    return moved(line, (metric === 'function' ? byName.get(table.names[table.b[i]]) : undefined) ?? around(line));
  });
  return {
    table: now,
    bits: picked(bits, places),
    vectors: vectors
      .flatMap((vector) => {
        const line = moved(vector.line, around(vector.line));
        return line === undefined ? [] : [{ ...vector, line }];
      })
      .sort((x, y) => x.line - y.line || x.place - y.place),
  };
}

/** A function of which a measurement says what cannot be told from the source. */
export interface DoubtfulFunction {
  readonly name: string;
  readonly line: number;
  /** The source has no such function where it is said to stand; or it was entered, and none of its lines ran. */
  readonly why: 'notInSource' | 'enteredWithoutLines';
}

/**
 * Functions in doubt: those that the reader of sources finds neither by name nor around their line, and those that were entered though none of
 * their lines ran. Macros and generated code are honest reasons. A name that a compiler made of a function's own holds that.
 */
export function doubtfulFunctions(
  { table, bits }: FileHits,
  units: readonly { readonly name: string; readonly start: number; readonly end: number }[],
): DoubtfulFunction[] {
  const found: DoubtfulFunction[] = [];
  const [from, to] = rangeOf(table, 'function');
  const [firstLine, behind] = rangeOf(table, 'line');
  for (let i = from; i < to; i++) {
    const name = table.names[table.b[i]];
    const line = table.line[i];
    const unit =
      units.find((u) => u.name === name) ??
      units.find(({ start, end }) => line >= start && line <= end) ??
      units.find((u) => name.includes(u.name));
    if (!unit) {
      found.push({ name, line, why: 'notInSource' });
      continue;
    }
    if (!hasBit(bits, i)) continue;
    let [lines, ran] = [0, false];
    for (let p = firstLine; p < behind && !ran; p++) {
      if (table.line[p] < unit.start || table.line[p] > unit.end) continue;
      lines++;
      ran = hasBit(bits, p);
    }
    if (lines > 0 && !ran) found.push({ name, line, why: 'enteredWithoutLines' });
  }
  return found;
}

/** A measurement without what is in doubt: unknown functions are left out, and an entry that no line bears out was none. */
export function withoutDoubtful(file: FileMeasurement, doubtful: readonly DoubtfulFunction[]): FileMeasurement {
  const of = (why: DoubtfulFunction['why']): Set<string> => new Set(doubtful.filter((d) => d.why === why).map(({ name }) => name));
  const [unknown, entered] = [of('notInSource'), of('enteredWithoutLines')];
  const nameOf = (i: number): string => file.table.names[file.table.b[i]];
  const { table, places } = pickPoints(file.table, (i, metric) =>
    metric === 'function' && unknown.has(nameOf(i)) ? undefined : file.table.line[i],
  );
  const refuted = (i: number): boolean => i < rangeOf(file.table, 'function')[1] && entered.has(nameOf(i));
  const bits = bitsFor(places.length);
  places.forEach((i, at) => {
    if (hasBit(file.bits, i) && !refuted(i)) setBit(bits, at);
  });
  return { ...file, table, bits, counts: Float64Array.from(places, (i) => (refuted(i) ? 0 : file.counts[i])) };
}

/** The points that `lineOf` gives a line, at that line and in the order that a table has; and where each stood before. */
export function pickPoints(
  table: PointTable,
  lineOf: (point: number, metric: Metric) => number | undefined,
): { readonly table: PointTable; readonly places: readonly number[] } {
  const kept: { readonly place: number; readonly line: number }[] = [];
  const starts = new Uint32Array(metrics.length + 1);
  metrics.forEach((metric, m) => {
    const [from, to] = rangeOf(table, metric);
    const own: typeof kept = [];
    for (let place = from; place < to; place++) {
      const line = lineOf(place, metric);
      if (line !== undefined) own.push({ place, line });
    }
    own.sort((x, y) => x.line - y.line || table.a[x.place] - table.a[y.place] || table.b[x.place] - table.b[y.place]);
    kept.push(...own);
    starts[m + 1] = kept.length;
  });
  const places = kept.map(({ place }) => place);
  const column = (of: Uint32Array): Uint32Array => Uint32Array.from(places, (i) => of[i]);
  const line = Uint32Array.from(kept, (point) => point.line);
  return { table: { starts, line, a: column(table.a), b: column(table.b), names: table.names }, places };
}

export function picked(bits: Bits, places: readonly number[]): Bits {
  const found = bitsFor(places.length);
  places.forEach((i, to) => {
    if (hasBit(bits, i)) setBit(found, to);
  });
  return found;
}
