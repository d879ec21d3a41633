import { bitsFor, countBits, hasBit, orAll, setBit, type Bits } from './bits';
import { PointCollector } from './collector';
import type { DecisionVectors, FileMeasurement } from './file-measurement';
import { decodeVector, independenceOf, type VectorCode } from './mcdc';
import { decisionsOf, metrics, placeOf, rangeOf, sameTable, sizeOf, type Decision, type Metric, type PointTable } from './point';

/** Hit and found of one metric. */
export interface Ratio {
  readonly hit: number;
  readonly found: number;
}
export type Totals = Readonly<Record<Metric, Ratio>>;

/** Per cent with one decimal, rounded down, so that 100 means all; 100 where there is nothing to hit. */
export function percent({ hit, found }: Ratio): number {
  return found === 0 ? 100 : Math.floor((hit * 1000) / found) / 10;
}

/** Per cent as people are shown it: of nothing there is no figure. */
export const shareOf = (ratio: Ratio): string => (ratio.found ? `${percent(ratio)} %` : '–');

/** A value for each metric, in their order. */
export function perMetric<T>(value: (metric: Metric) => T): Record<Metric, T> {
  return Object.fromEntries(metrics.map((metric) => [metric, value(metric)])) as Record<Metric, T>;
}

/** Totals of a file as the compiler's own tools count them. */
export function fileTotals({ table, bits }: Pick<FileMeasurement, 'table' | 'bits'>): Totals {
  return perMetric((metric) => {
    const [from, to] = rangeOf(table, metric);
    return { hit: countBits(bits, from, to), found: to - from };
  });
}

export function addTotals(a: Totals, b: Totals): Totals {
  return perMetric((metric) => ({ hit: a[metric].hit + b[metric].hit, found: a[metric].found + b[metric].found }));
}
export const noTotals: Totals = perMetric(() => ({ hit: 0, found: 0 }));

/** The points that stand in any of several tables, and where each table's points went; no places where all are one table. */
export function unionTables(tables: readonly PointTable[]): { readonly table: PointTable; readonly places?: readonly Uint32Array[] } {
  const [first, ...others] = tables;
  if (others.every((other) => sameTable(first, other))) return { table: first };
  const collector = new PointCollector();
  for (const table of tables)
    for (const metric of metrics) {
      const [from, to] = rangeOf(table, metric);
      for (let i = from; i < to; i++)
        if (metric === 'function') collector.addFunction(table.names[table.b[i]], table.line[i], 0);
        else collector.add(metric, table.line[i], table.a[i], table.b[i], 0);
    }
  const { table } = collector.finish('');
  const nameAt = new Map(table.names.map((name, i) => [name, i]));
  const functionAt = new Map(Array.from({ length: rangeOf(table, 'function')[1] }, (_, i) => [table.b[i], i]));
  const places = tables.map((old) => {
    const moved = new Uint32Array(sizeOf(old));
    for (const metric of metrics) {
      const [from, to] = rangeOf(old, metric);
      for (let i = from; i < to; i++)
        moved[i] =
          (metric === 'function'
            ? functionAt.get(nameAt.get(old.names[old.b[i]]) ?? -1)
            : placeOf(table, metric, old.line[i], old.a[i], old.b[i])) ?? 0;
    }
    return moved;
  });
  return { table, places };
}

/**
 * How much of the same points two measurements of a file speak, from 0 to 1: the share of the smaller one's branches that the other has too, of lines where
 * one has no branches. Two tools, or two builds of the program, cut it into other points: little is then in common, and merging would count both.
 */
export function pointsInCommon(x: PointTable, y: PointTable): number {
  const sizes = (metric: Metric): [number, number] => {
    const [x0, x1] = rangeOf(x, metric);
    const [y0, y1] = rangeOf(y, metric);
    return [x1 - x0, y1 - y0];
  };
  const metric = Math.min(...sizes('branch')) > 0 ? 'branch' : 'line';
  const [nx, ny] = sizes(metric);
  const [small, large] = nx <= ny ? [x, y] : [y, x];
  const [from, to] = rangeOf(small, metric);
  if (from === to) return 1;
  let common = 0;
  for (let i = from; i < to; i++) if (placeOf(large, metric, small.line[i], small.a[i], small.b[i]) !== undefined) common++;
  return common / (to - from);
}

/** Bits that were set in another table's order. */
export function moveBits(bits: Bits, places: Uint32Array, size: number): Bits {
  const moved = bitsFor(size);
  for (let i = 0; i < places.length; i++) if (hasBit(bits, i)) setBit(moved, places[i]);
  return moved;
}

/** Vectors of several measurements of a file, decision by decision. */
export function mergeVectors(parts: readonly (readonly DecisionVectors[])[]): DecisionVectors[] {
  const merged = new Map<string, { line: number; place: number; codes: Set<VectorCode> }>();
  for (const part of parts)
    for (const { line, place, codes } of part) {
      const id = `${line}:${place}`;
      const known = merged.get(id) ?? { line, place, codes: new Set<VectorCode>() };
      merged.set(id, known);
      for (const code of codes) known.codes.add(code);
    }
  return [...merged.values()]
    .map(({ line, place, codes }) => ({ line, place, codes: [...codes].sort((x, y) => x - y) }))
    .sort((x, y) => x.line - y.line || x.place - y.place);
}

/**
 * Sets the mcdc points in [from, to) that are shown by what was merged: by vectors, which may show together what none does alone (MC/DC
 * is not additive), or by outcomes of conditions, where a condition is independent once both of its outcomes were shown to decide.
 */
export function markIndependence(
  table: PointTable,
  bits: Bits,
  vectors: readonly DecisionVectors[],
  [from, to]: readonly [number, number] = rangeOf(table, 'mcdc'),
): void {
  const outcomes = rangeOf(table, 'condition');
  if (from >= to || (!vectors.length && outcomes[0] === outcomes[1])) return;
  const executed = new Map(vectors.map((v) => [`${v.line}:${v.place}`, v.codes]));
  for (const decision of decisionsOf(table, from, to)) {
    const codes = executed.get(`${decision.line}:${decision.place}`);
    const shown = codes
      ? independenceOf(codes.map((code) => decodeVector(code, decision.conditions)))
      : bothOutcomes(table, bits, decision);
    for (let i = 0; i < decision.conditions; i++) if ((shown >>> i) & 1) setBit(bits, decision.first + i);
  }
}

function bothOutcomes(table: PointTable, bits: Bits, { line, place, conditions }: Decision): number {
  const first = placeOf(table, 'condition', line, place, 0);
  if (first === undefined) return 0;
  let shown = 0;
  for (let i = 0; i < conditions; i++) if (hasBit(bits, first + 2 * i) && hasBit(bits, first + 2 * i + 1)) shown |= 1 << i;
  return shown;
}

/** What a decision's independence rests on: executed vectors; outcomes of conditions; or flags alone, whose merging is a lower bound. */
export function evidenceOf(
  { table, vectors }: Pick<FileMeasurement, 'table' | 'vectors'>,
  { line, place }: Decision,
): 'vectors' | 'outcomes' | 'flagsOnly' {
  if (vectors.some((v) => v.line === line && v.place === place)) return 'vectors';
  return placeOf(table, 'condition', line, place, 0) === undefined ? 'flagsOnly' : 'outcomes';
}

/**
 * The sum of several measurements of the same file. A point is hit if any of them hit it; how often adds up (to 2^53);
 * vectors are joined, and independence is judged anew from them.
 */
export function mergeFile(path: string, parts: readonly FileMeasurement[]): FileMeasurement {
  if (!parts.length) return { ...new PointCollector().finish(path), path };
  const { table, places } = unionTables(parts.map((part) => part.table));
  const size = sizeOf(table);
  const bits = bitsFor(size);
  const counts = new Float64Array(size);
  parts.forEach((part, p) => {
    const moved = places?.[p];
    if (moved) for (let i = 0; i < moved.length; i++) counts[moved[i]] += part.counts[i];
    else for (let i = 0; i < size; i++) counts[i] += part.counts[i];
    orAll(bits, moved ? moveBits(part.bits, moved, size) : part.bits);
  });
  for (let i = 0; i < size; i++) if (counts[i] > Number.MAX_SAFE_INTEGER) counts[i] = Number.MAX_SAFE_INTEGER;
  const vectors = mergeVectors(parts.map((part) => part.vectors));
  markIndependence(table, bits, vectors);
  return { path, table, bits, counts, vectors };
}
