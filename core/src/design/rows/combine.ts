import { keeps, type Constraint, type Row, type RowValue } from './parameter';
import { orthogonalRows, twoValuedRows } from './arrays';
import { pairRows } from './pairs';

/** A factor with the values that are combined. */
export interface Factor {
  readonly name: string;
  readonly values: readonly RowValue[];
}

export type Strength = 'eachChoice' | 'baseChoice' | 1 | 2 | 3 | 4 | 'all';

export interface CombinedRow {
  readonly row: Row;
  /** How many combinations it is the first to cover. */
  readonly adds: number;
  /** Some of them, in words, for people. */
  readonly covers: readonly string[];
  /** Given by hand, and kept. */
  readonly given: boolean;
}

export interface Combined {
  readonly rows: readonly CombinedRow[];
  readonly covered: number;
  readonly of: number;
  /** Combinations that the constraints forbid. */
  readonly impossible: number;
}

export interface CombineOptions {
  readonly constraints?: readonly Constraint[];
  /** Rows that are kept as they are; values that are missing are filled in. */
  readonly given?: readonly Row[];
  /** The same seed gives the same rows. */
  readonly seed?: number;
  /** For base choice: the usual value of each factor; the first where it is not told. */
  readonly base?: Row;
  /** How many times the greedy search begins anew, to keep the smallest result. */
  readonly tries?: number;
}

/** More rows than this are not written down. */
const rowLimit = 100_000;

/** A small generator of numbers from 0 to 2^32, the same for the same seed (mulberry32). */
export function randomFrom(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return (t ^ (t >>> 14)) >>> 0;
  };
}

/**
 * Rows that combine the values of factors: each choice (every value once), base choice (one value at a time off the usual ones), every
 * combination of 1 to 4 factors, or all (techniques after ISO/IEC/IEEE 29119-4, recalled). Constraints are kept by every row.
 */
export function combine(factors: readonly Factor[], strength: Strength, options: CombineOptions = {}): Combined {
  if (strength === 'all') return finish(factors, allRows(factors, options.constraints ?? []), Math.min(factors.length, 4), options);
  if (strength === 'baseChoice') return finish(factors, baseRows(factors, options), 1, options);
  const t = Math.min(strength === 'eachChoice' ? 1 : strength, factors.length);
  const free = !options.constraints?.length && !options.given?.length;
  if (free && t === 2) {
    const known = knownArray(factors);
    return finish(
      factors,
      known ??
        pairRows(
          factors.map((f) => f.values.length),
          randomFrom(options.seed ?? 1),
        ),
      t,
      options,
    );
  }
  let best: number[][] | undefined;
  const tries = options.tries ?? (t <= 2 ? triesFor(factors) : 1);
  for (let i = 0; i < tries; i++) {
    const rows = new Search(factors, t, options, (options.seed ?? 1) + i * 7919).run(best?.length ?? Infinity);
    if (rows && (!best || rows.length < best.length)) best = rows;
  }
  return finish(factors, best ?? [], t, options);
}

/** Fewer beginnings where each takes longer. */
function triesFor(factors: readonly Factor[]): number {
  const pairs = factors.reduce((sum, f, i) => sum + f.values.length * factors.slice(i + 1).reduce((s, g) => s + g.values.length, 0), 0);
  return pairs < 1000 ? 60 : pairs < 8000 ? 6 : 3;
}

/** Arrays that theory gives, where no search does better. */
function knownArray(factors: readonly Factor[]): number[][] | undefined {
  const sizes = factors.map((f) => f.values.length);
  const most = Math.max(...sizes);
  if (factors.length < 2 || most < 2) return undefined;
  if (most === 2) {
    const twos = sizes.flatMap((size, f) => (size === 2 ? [f] : []));
    return twos.length < 2 ? undefined : twoValuedRows(twos.length).map((row) => sizes.map((_, f) => row[twos.indexOf(f)] ?? 0));
  }
  // Each value at least as often as the two largest factors ask for: nothing smaller is possible.
  const sorted = [...sizes].sort((a, b) => b - a);
  const rows = orthogonalRows(factors.length, most);
  return rows && rows.length === sorted[0] * sorted[1] ? rows.map((row) => row.map((v, f) => v % sizes[f])) : undefined;
}

function allRows(factors: readonly Factor[], constraints: readonly Constraint[]): number[][] {
  const rows: number[][] = [];
  const walk = (row: number[]): void => {
    if (rows.length >= rowLimit || broken(factors, constraints, row)) return;
    if (row.length === factors.length) rows.push(row);
    else factors[row.length].values.forEach((_, v) => walk([...row, v]));
  };
  walk([]);
  return rows;
}

function baseRows(factors: readonly Factor[], { base = {}, constraints = [] }: CombineOptions): number[][] {
  const usual = factors.map((f) => Math.max(0, f.values.indexOf(base[f.name] ?? f.values[0])));
  const rows = [usual];
  factors.forEach((f, i) => f.values.forEach((_, v) => v !== usual[i] && rows.push(usual.map((u, j) => (i === j ? v : u)))));
  return rows.filter((row) => !broken(factors, constraints, row));
}

const asRow = (factors: readonly Factor[], row: readonly number[]): Record<string, RowValue | undefined> =>
  Object.fromEntries(factors.map((f, i) => [f.name, row[i] === undefined || row[i] < 0 ? undefined : f.values[row[i]]]));

function broken(factors: readonly Factor[], constraints: readonly Constraint[], row: readonly number[]): boolean {
  if (!constraints.length) return false;
  const values = asRow(factors, row);
  return constraints.some((c) => keeps(c, values) === false);
}

/** All sets of t factors. */
function subsets(n: number, t: number): number[][] {
  if (t === 0) return [[]];
  const found: number[][] = [];
  const walk = (chosen: number[], from: number): void => {
    if (chosen.length === t) found.push(chosen);
    else for (let i = from; i < n; i++) walk([...chosen, i], i + 1);
  };
  walk([], 0);
  return found;
}

/** Greedy, row by row: of several candidate rows, each built value by value from what is still missing most, the one that adds most. */
class Search {
  private readonly sets: number[][];
  /** For each factor, the sets that it is in. */
  private readonly setsOf: number[][];
  /** Where the combinations of a set begin, and the weight of each of its factors in the number of one. */
  private readonly base: number[] = [];
  private readonly covered: Uint8Array;
  private left = 0;
  private readonly random: () => number;
  private readonly constraints: readonly Constraint[];

  constructor(
    private readonly factors: readonly Factor[],
    t: number,
    private readonly options: CombineOptions,
    seed: number,
  ) {
    this.random = randomFrom(seed);
    this.constraints = options.constraints ?? [];
    this.sets = subsets(factors.length, t);
    this.setsOf = factors.map((_, f) => this.sets.flatMap((set, s) => (set.includes(f) ? [s] : [])));
    let size = 0;
    for (const set of this.sets) {
      this.base.push(size);
      size += set.reduce((n, f) => n * factors[f].values.length, 1);
    }
    this.covered = new Uint8Array(size);
    this.left = size;
    if (this.constraints.length) this.dropImpossible();
  }

  /** The rows; undefined as soon as there would be no fewer than `most`. */
  run(most: number): number[][] | undefined {
    const rows = (this.options.given ?? []).map((given) => {
      const partial = this.factors.map((f) => (given[f.name] === undefined ? -1 : f.values.indexOf(given[f.name])));
      return this.completed(partial) ?? partial.map((v) => Math.max(0, v));
    });
    for (const row of rows) this.mark(row);
    const candidates = this.factors.length > 40 ? 20 : 40;
    while (this.left > 0) {
      if (rows.length + 1 >= most) return undefined;
      let best: number[] | undefined;
      let bestGain = 0;
      for (let i = 0; i < candidates; i++) {
        const row = this.candidate();
        const gain = row ? this.gain(row) : 0;
        if (row && gain > bestGain) [best, bestGain] = [row, gain];
      }
      best ??= this.rowForOne();
      if (!best) break;
      this.mark(best);
      rows.push(best);
    }
    return rows;
  }

  private indexIn(s: number, row: readonly number[]): number {
    let at = 0;
    for (const f of this.sets[s]) {
      if (row[f] < 0) return -1;
      at = at * this.factors[f].values.length + row[f];
    }
    return this.base[s] + at;
  }

  private gain(row: readonly number[]): number {
    let n = 0;
    for (let s = 0; s < this.sets.length; s++) if (!this.covered[this.indexIn(s, row)]) n++;
    return n;
  }

  private mark(row: readonly number[]): void {
    for (let s = 0; s < this.sets.length; s++) {
      const at = this.indexIn(s, row);
      if (at >= 0 && !this.covered[at]) {
        this.covered[at] = 1;
        this.left--;
      }
    }
  }

  /** Begins with a combination that is missing, then sets the other factors in any order, each to what adds most. */
  private candidate(): number[] | undefined {
    const row = new Array<number>(this.factors.length).fill(-1);
    this.plant(row, this.missing());
    const order = this.factors.map((_, f) => f).filter((f) => row[f] < 0);
    for (let i = order.length - 1; i > 0; i--) {
      const j = this.random() % (i + 1);
      [order[i], order[j]] = [order[j], order[i]];
    }
    for (const f of order) {
      let best: number[] = [];
      let bestGain = -1;
      for (let v = 0; v < this.factors[f].values.length; v++) {
        row[f] = v;
        if (this.constraints.length && broken(this.factors, this.constraints, row)) continue;
        let gain = 0;
        for (const s of this.setsOf[f]) {
          const at = this.indexIn(s, row);
          if (at >= 0 && !this.covered[at]) gain++;
        }
        if (gain > bestGain) [best, bestGain] = [[v], gain];
        else if (gain === bestGain) best.push(v);
      }
      row[f] = best.length ? best[this.random() % best.length] : -1;
    }
    return this.constraints.length || row.includes(-1) ? this.completed(row) : row;
  }

  /** A combination that is not covered yet, from a place chosen at random. */
  private missing(): number {
    const start = this.random() % this.covered.length;
    for (let i = 0; i < this.covered.length; i++) {
      const at = (start + i) % this.covered.length;
      if (!this.covered[at]) return at;
    }
    return -1;
  }

  private plant(row: number[], at: number): void {
    let s = 0;
    while (s + 1 < this.base.length && this.base[s + 1] <= at) s++;
    let rest = at - this.base[s];
    for (const f of [...this.sets[s]].reverse()) {
      row[f] = rest % this.factors[f].values.length;
      rest = Math.floor(rest / this.factors[f].values.length);
    }
  }

  private rowForOne(): number[] | undefined {
    const at = this.missing();
    if (at < 0) return undefined;
    const row = new Array<number>(this.factors.length).fill(-1);
    this.plant(row, at);
    return this.completed(row);
  }

  /** The same row with what is open filled in and, where constraints forbid it, set anew from behind; undefined where nothing fits. */
  private completed(partial: readonly number[]): number[] | undefined {
    const row = [...partial];
    const open = row.flatMap((v, f) => (v < 0 ? [f] : []));
    let steps = 0;
    const fill = (i: number): boolean => {
      if (broken(this.factors, this.constraints, row) || steps++ > 5000) return false;
      if (i === open.length) return true;
      const f = open[i];
      const size = this.factors[f].values.length;
      const from = this.random() % size;
      for (let n = 0; n < size; n++) {
        row[f] = (from + n) % size;
        if (fill(i + 1)) return true;
      }
      row[f] = -1;
      return false;
    };
    return fill(0) ? row : undefined;
  }

  private dropImpossible(): void {
    for (let at = 0; at < this.covered.length; at++) {
      const row = new Array<number>(this.factors.length).fill(-1);
      this.plant(row, at);
      if (this.completed(row)) continue;
      this.covered[at] = 1;
      this.left--;
    }
  }
}

/** Tells of each row what it adds, and counts what is covered of all that is possible. */
function finish(
  factors: readonly Factor[],
  rows: readonly (readonly number[])[],
  t: number,
  { given = [], constraints = [] }: CombineOptions,
): Combined {
  const sets = subsets(factors.length, Math.min(t, factors.length));
  const seen = new Set<string>();
  const described = rows.map((row, r): CombinedRow => {
    const fresh: string[] = [];
    let adds = 0;
    for (const set of sets) {
      const id = `${set.join()}:${set.map((f) => row[f]).join()}`;
      if (seen.has(id)) continue;
      seen.add(id);
      adds++;
      if (fresh.length < 6) fresh.push(set.map((f) => `${factors[f].name} = ${factors[f].values[row[f]]}`).join(', '));
    }
    // What was written by hand stays as it was written, also where it is none of the values that are combined.
    return { row: { ...(asRow(factors, row) as Row), ...given[r] }, adds, covers: fresh, given: r < given.length };
  });
  const of = sets.reduce((sum, set) => sum + set.reduce((n, f) => n * factors[f].values.length, 1), 0);
  const impossible = constraints.length ? of - seen.size : 0;
  return { rows: described, covered: seen.size, of: of - impossible, impossible };
}
