import { bitsFor, setBit } from './bits';
import type { FileMeasurement } from './file-measurement';
import { metrics, type Metric, type PointTable } from './point';
import type { VectorCode } from './mcdc/vector';

/** Points of one metric as they come in, with their hits. Grows by doubling and is used again for the next file. */
class Column {
  size = 0;
  line = new Uint32Array(256);
  a = new Uint32Array(256);
  b = new Uint32Array(256);
  count = new Float64Array(256);
  /** Is every point behind the one before it? Then nothing is to be sorted or merged. */
  inOrder = true;

  add(line: number, a: number, b: number, count: number): void {
    const i = this.size;
    if (i === this.line.length) this.grow();
    if (i > 0 && this.inOrder) {
      const before = this.line[i - 1];
      this.inOrder = line > before || (line === before && (a > this.a[i - 1] || (a === this.a[i - 1] && b > this.b[i - 1])));
    }
    this.line[i] = line;
    this.a[i] = a;
    this.b[i] = b;
    this.count[i] = count;
    this.size = i + 1;
  }

  /** Sorts, and adds up the hits of a point that came several times. */
  settle(): void {
    if (this.inOrder) return;
    const { line, a, b, count } = this;
    const order = Uint32Array.from({ length: this.size }, (_, i) => i).sort((x, y) => line[x] - line[y] || a[x] - a[y] || b[x] - b[y]);
    const [lines, as, bs, counts] = [line.slice(0, this.size), a.slice(0, this.size), b.slice(0, this.size), count.slice(0, this.size)];
    let n = 0;
    for (const i of order) {
      if (n > 0 && line[n - 1] === lines[i] && a[n - 1] === as[i] && b[n - 1] === bs[i]) count[n - 1] += counts[i];
      else {
        line[n] = lines[i];
        a[n] = as[i];
        b[n] = bs[i];
        count[n++] = counts[i];
      }
    }
    this.size = n;
    this.inOrder = true;
  }

  clear(): void {
    this.size = 0;
    this.inOrder = true;
  }

  private grow(): void {
    const more = <T extends Uint32Array | Float64Array>(old: T, made: T): T => {
      made.set(old);
      return made;
    };
    const size = this.size * 2;
    this.line = more(this.line, new Uint32Array(size));
    this.a = more(this.a, new Uint32Array(size));
    this.b = more(this.b, new Uint32Array(size));
    this.count = more(this.count, new Float64Array(size));
  }
}

/** Gathers what a reader finds in one source file, in any order, and makes a measurement of it. Used again file after file. */
export class PointCollector {
  private readonly columns = metrics.map(() => new Column());
  private readonly lines = this.columns[metrics.indexOf('line')];
  private readonly branches = this.columns[metrics.indexOf('branch')];
  private functions = new Map<string, { line: number; count: number }>();
  private executed = new Map<string, { line: number; place: number; codes: Set<VectorCode> }>();

  addLine(line: number, count: number): void {
    this.lines.add(line, 0, 0, count);
  }

  addBranch(line: number, block: number, outcome: number, count: number): void {
    this.branches.add(line, block, outcome, count);
  }

  add(metric: Metric, line: number, a: number, b: number, count: number): void {
    this.columns[metrics.indexOf(metric)].add(line, a, b, count);
  }

  /** A function stands once; where a writer names it again, its hits add up and its line is the later one that is known. */
  addFunction(name: string, line: number, count: number): void {
    const known = this.functions.get(name);
    this.functions.set(name, { line: line || (known?.line ?? 0), count: (known?.count ?? 0) + count });
  }

  knowsFunction(name: string): boolean {
    return this.functions.has(name);
  }

  /** A decision with the vectors that were executed; its conditions become mcdc points. `shown`: independence that the source itself tells. */
  addDecision(line: number, place: number, conditions: number, vectors: readonly VectorCode[], shown: readonly boolean[] = []): void {
    for (let i = 0; i < conditions; i++) this.add('mcdc', line, place, i, shown[i] ? 1 : 0);
    if (!vectors.length) return;
    const id = `${line}:${place}`;
    const known = this.executed.get(id) ?? { line, place, codes: new Set() };
    this.executed.set(id, known);
    for (const code of vectors) known.codes.add(code);
  }

  /** The measurement of what was gathered, and an empty collector. */
  finish(path: string): FileMeasurement {
    const names = [...this.functions.keys()].sort();
    const entries = this.columns[0];
    names.forEach((name, i) => {
      const f = this.functions.get(name);
      entries.add(f?.line ?? 0, 0, i, f?.count ?? 0);
    });
    const starts = new Uint32Array(metrics.length + 1);
    this.columns.forEach((column, m) => {
      column.settle();
      starts[m + 1] = starts[m] + column.size;
    });
    const size = starts[metrics.length];
    const table: PointTable = { starts, line: new Uint32Array(size), a: new Uint32Array(size), b: new Uint32Array(size), names };
    const counts = new Float64Array(size);
    const bits = bitsFor(size);
    this.columns.forEach((column, m) => {
      const at = starts[m];
      table.line.set(column.line.subarray(0, column.size), at);
      table.a.set(column.a.subarray(0, column.size), at);
      table.b.set(column.b.subarray(0, column.size), at);
      counts.set(column.count.subarray(0, column.size), at);
      for (let i = 0; i < column.size; i++) if (column.count[i] > 0) setBit(bits, at + i);
      column.clear();
    });
    const vectors = [...this.executed.values()].map(({ line, place, codes }) => ({
      line,
      place,
      codes: [...codes].sort((x, y) => x - y),
    }));
    this.functions = new Map();
    this.executed = new Map();
    return { path, table, bits, counts, vectors };
  }
}
