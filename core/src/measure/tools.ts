import type { Bits } from './bits';
import type { DecisionVectors } from './file-measurement';
import { picked, pickPoints } from './held-against';
import { metrics, rangeOf, type Metric, type PointTable } from './point';

/** What one tool says of one source file for one subject. */
export interface ToolHits {
  readonly tool: string;
  readonly table: PointTable;
  readonly bits: Bits;
  readonly vectors: readonly DecisionVectors[];
}

export interface Agreed<T extends ToolHits> {
  readonly hits: readonly T[];
  /** Points of these metrics by these tools are kept and not counted: another tool is the file's measure. */
  readonly setAside: readonly { readonly tool: string; readonly metric: Metric; readonly measure: string }[];
}

/**
 * Tools cut a file into points in their own ways: adding the points of two would count one place twice. For each metric one tool is the
 * file's measure, the one that measured most subjects (ties to the first by name); tools that see exactly the same points agree.
 */
export function agreeOnTools<T extends ToolHits>(hits: readonly T[]): Agreed<T> {
  const tools = [...new Set(hits.map((h) => h.tool))].sort();
  if (tools.length < 2) return { hits, setAside: [] };
  const setAside: { tool: string; metric: Metric; measure: string }[] = [];
  for (const metric of metrics) {
    const having = tools.map((tool) => ({ tool, own: hits.filter((h) => h.tool === tool && pointCount(h.table, metric) > 0) }));
    const measure = having.reduce((best, next) => (next.own.length > best.own.length ? next : best));
    for (const { tool, own } of having)
      if (tool !== measure.tool && own.some((h) => !samePoints(h.table, measure.own[0].table, metric)))
        setAside.push({ tool, metric, measure: measure.tool });
  }
  if (!setAside.length) return { hits, setAside };
  return {
    setAside,
    hits: hits.map((h) => {
      const without = setAside.filter((s) => s.tool === h.tool).map((s) => s.metric);
      return without.length ? { ...h, ...withoutMetrics(h, without) } : h;
    }),
  };
}

function pointCount(table: PointTable, metric: Metric): number {
  const [from, to] = rangeOf(table, metric);
  return to - from;
}

function samePoints(x: PointTable, y: PointTable, metric: Metric): boolean {
  if (x === y) return true;
  const [[x0, x1], [y0, y1]] = [rangeOf(x, metric), rangeOf(y, metric)];
  if (x1 - x0 !== y1 - y0) return false;
  for (let i = 0; i < x1 - x0; i++) {
    if (x.line[x0 + i] !== y.line[y0 + i]) return false;
    if (metric === 'function' ? x.names[x.b[x0 + i]] !== y.names[y.b[y0 + i]] : x.a[x0 + i] !== y.a[y0 + i] || x.b[x0 + i] !== y.b[y0 + i])
      return false;
  }
  return true;
}

function withoutMetrics({ table, bits, vectors }: ToolHits, without: readonly Metric[]): Omit<ToolHits, 'tool'> {
  const { table: now, places } = pickPoints(table, (i, metric) => (without.includes(metric) ? undefined : table.line[i]));
  return { table: now, bits: picked(bits, places), vectors: without.includes('mcdc') ? [] : vectors };
}
