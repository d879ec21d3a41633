/**
 * What can be measured, in the order in which a file's points stand:
 * function (entry), line (statement), branch (outcome of a decision or condition, as the compiler counts them), condition
 * (one outcome of one condition shown to matter by itself), mcdc (independence of one condition of a decision), call.
 */
export const metrics = ['function', 'line', 'branch', 'condition', 'mcdc', 'call'] as const;
export type Metric = (typeof metrics)[number];

/**
 * The measurable points of one source file, sorted: by metric, then line, then `a`, then `b`. A point is named by its
 * place in this order. Its identity within a build is metric, line, `a` and `b`, and for a function its name.
 *
 * | metric | a | b |
 * |---|---|---|
 * | function | 0 | its place in `names` |
 * | line | 0 | 0 |
 * | branch | block, or the column of its condition | which outcome |
 * | condition | the decision: its column or number on the line | condition x 2, + 1 for true |
 * | mcdc | the decision, as above | condition |
 * | call | block | which call |
 */
export interface PointTable {
  /** Where each metric's points begin, in the order of `metrics`, and behind the last one their number. */
  readonly starts: Uint32Array;
  readonly line: Uint32Array;
  readonly a: Uint32Array;
  readonly b: Uint32Array;
  /** Names of the functions, sorted. */
  readonly names: readonly string[];
}

/** A table without a point. */
export const emptyTable: PointTable = {
  starts: new Uint32Array(metrics.length + 1),
  line: new Uint32Array(0),
  a: new Uint32Array(0),
  b: new Uint32Array(0),
  names: [],
};

export const sizeOf = (table: PointTable): number => table.line.length;
export const rangeOf = (table: PointTable, metric: Metric): readonly [number, number] => {
  const m = metrics.indexOf(metric);
  return [table.starts[m], table.starts[m + 1]];
};
export function metricOf(table: PointTable, point: number): Metric {
  let m = 0;
  while (table.starts[m + 1] <= point) m++;
  return metrics[m];
}

/** The first point of a metric that stands on `line` or after it. */
export function lowerBound(table: PointTable, metric: Metric, line: number): number {
  let [low, high] = rangeOf(table, metric);
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (table.line[middle] < line) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** What a person reads of a point beside its line: a function's name, a branch's block and outcome, a decision's condition. */
export function detailOf(table: PointTable, point: number): string {
  const metric = metricOf(table, point);
  if (metric === 'line') return '';
  const [a, b] = [table.a[point], table.b[point]];
  if (metric === 'function') return table.names[b];
  if (metric === 'condition') return `${a}:${(b >>> 1) + 1} ${b & 1 ? 'true' : 'false'}`;
  return metric === 'mcdc' ? `${a}:${b + 1}` : `${a}:${b}`;
}

/** A decision: its conditions' points stand side by side. */
export interface Decision {
  readonly line: number;
  /** Its column, or its number on the line, whichever the source of the measurement gives. */
  readonly place: number;
  /** The mcdc point of its first condition. */
  readonly first: number;
  readonly conditions: number;
}

export function decisionsOf(table: PointTable, from = rangeOf(table, 'mcdc')[0], to = rangeOf(table, 'mcdc')[1]): Decision[] {
  const found: Decision[] = [];
  for (let i = from; i < to;) {
    let end = i + 1;
    while (end < to && table.line[end] === table.line[i] && table.a[end] === table.a[i]) end++;
    found.push({ line: table.line[i], place: table.a[i], first: i, conditions: end - i });
    i = end;
  }
  return found;
}

/** Are two tables the same points? */
export function sameTable(x: PointTable, y: PointTable): boolean {
  if (x === y) return true;
  const same = (p: Uint32Array, q: Uint32Array): boolean => p.length === q.length && p.every((value, i) => value === q[i]);
  return (
    same(x.starts, y.starts) &&
    same(x.line, y.line) &&
    same(x.a, y.a) &&
    same(x.b, y.b) &&
    x.names.length === y.names.length &&
    x.names.every((name, i) => name === y.names[i])
  );
}

/** The place of the point with this identity; undefined where the table has none. */
export function placeOf(table: PointTable, metric: Metric, line: number, a: number, b: number): number | undefined {
  const end = rangeOf(table, metric)[1];
  for (let i = lowerBound(table, metric, line); i < end && table.line[i] === line; i++) if (table.a[i] === a && table.b[i] === b) return i;
  return undefined;
}
