/*
 * Rows that cover all pairs of values of k factors, without constraints. First greedy, row by row (the way of AETG, Cohen et al. 1997,
 * recalled); then a row is taken out and what it alone covered is won back by changing single values of others, with a memory of the last
 * changes (tabu search for covering arrays, Nurmela 2004, recalled), as long as that succeeds. Both are ended by counted work, never by
 * a clock, so that the same seed gives the same rows everywhere.
 */

/** A pair of values is a place in a square matrix over all values of all factors. */
class Pairs {
  readonly first: number[] = [];
  readonly factorOf: number[] = [];
  readonly width: number;
  /** How many rows hold each pair, both ways round. */
  readonly count: Uint16Array;
  readonly total: number;

  constructor(readonly sizes: readonly number[]) {
    sizes.forEach((size, f) => {
      this.first.push(this.factorOf.length);
      for (let v = 0; v < size; v++) this.factorOf.push(f);
    });
    this.width = this.factorOf.length;
    this.count = new Uint16Array(this.width * this.width);
    const all = sizes.reduce((a, b) => a + b, 0);
    this.total = (all * all - sizes.reduce((sum, s) => sum + s * s, 0)) / 2;
  }

  /** Adds a row (`by` 1) or takes it out (-1); answers how many pairs appeared or went. */
  put(row: Int32Array, by: 1 | -1): number {
    const { count, width } = this;
    let changed = 0;
    for (let f = 1; f < row.length; f++)
      for (let g = 0; g < f; g++) {
        const at = row[f] * width + row[g];
        const n = (count[at] += by);
        count[row[g] * width + row[f]] = n;
        if (n === (by === 1 ? 1 : 0)) changed++;
      }
    return changed;
  }
}

/** Rows of value ids, row by row, each the best of several candidates. */
function greedy(pairs: Pairs, random: () => number, most: number): Int32Array[] | undefined {
  const { sizes, first, width, count } = pairs;
  const k = sizes.length;
  const rows: Int32Array[] = [];
  let left = pairs.total;
  /** How many pairs of each value are still missing. */
  const missing = Int32Array.from({ length: width }, (_, v) => pairs.total && width - sizes[pairs.factorOf[v]]);
  const candidates = k > 80 ? 15 : 30;
  const order = Int32Array.from({ length: k }, (_, f) => f);
  while (left > 0) {
    if (rows.length + 1 >= most) return undefined;
    let best = new Int32Array(k);
    let bestGain = -1;
    for (let c = 0; c < candidates; c++) {
      const row = new Int32Array(k).fill(-1);
      // The value with most missing pairs first, ties by chance; then the other factors in any order.
      let start = 0;
      let startValue = -1;
      let ties = 0;
      for (let v = 0; v < width; v++) {
        if (missing[v] > startValue) [start, startValue, ties] = [v, missing[v], 1];
        else if (missing[v] === startValue && random() % ++ties === 0) start = v;
      }
      row[pairs.factorOf[start]] = start;
      for (let i = k - 1; i > 0; i--) {
        const j = random() % (i + 1);
        const swap = order[i];
        order[i] = order[j];
        order[j] = swap;
      }
      let gain = 0;
      for (let i = 0; i < k; i++) {
        const f = order[i];
        if (row[f] >= 0) continue;
        let value = first[f];
        let most = -1;
        let equal = 0;
        for (let v = first[f]; v < first[f] + sizes[f]; v++) {
          let n = 0;
          for (let g = 0; g < k; g++) if (row[g] >= 0 && count[v * width + row[g]] === 0) n++;
          // Among equals the value that has most left to do.
          const score = n * 4096 + missing[v];
          if (score > most) [value, most, equal] = [v, score, 1];
          else if (score === most && random() % ++equal === 0) value = v;
        }
        gain += Math.floor(most / 4096);
        row[f] = value;
      }
      if (gain > bestGain) [best, bestGain] = [row, gain];
    }
    for (let f = 1; f < k; f++)
      for (let g = 0; g < f; g++)
        if (count[best[f] * width + best[g]] === 0) {
          missing[best[f]]--;
          missing[best[g]]--;
        }
    left -= pairs.put(best, 1);
    rows.push(best);
  }
  return rows;
}

/** Numbers that are in, with one at random in one step. */
class Bag {
  readonly items: number[] = [];
  private readonly at = new Map<number, number>();
  add(item: number): void {
    if (this.at.has(item)) return;
    this.at.set(item, this.items.length);
    this.items.push(item);
  }
  delete(item: number): void {
    const i = this.at.get(item);
    if (i === undefined) return;
    const last = this.items.pop() as number;
    this.at.delete(item);
    if (last !== item) {
      this.items[i] = last;
      this.at.set(last, i);
    }
  }
}

/** Takes rows out one after the other while what is lost can be won back. `work` bounds the values looked at. */
function shrink(pairs: Pairs, rows: Int32Array[], random: () => number, work: number): Int32Array[] {
  const { width, count, sizes, factorOf } = pairs;
  const k = sizes.length;
  let best = rows.map((row) => row.slice());
  const current = rows.map((row) => row.slice());
  let budget = work;
  while (budget > 0 && current.length > 1) {
    // The row that alone covers least.
    let idle = 0;
    let fewest = Infinity;
    current.forEach((row, r) => {
      let own = 0;
      for (let f = 1; f < k; f++) for (let g = 0; g < f; g++) if (count[row[f] * width + row[g]] === 1) own++;
      if (own < fewest) [idle, fewest] = [r, own];
    });
    const open = new Bag();
    const out = current[idle];
    current.splice(idle, 1);
    pairs.put(out, -1);
    for (let f = 1; f < k; f++)
      for (let g = 0; g < f; g++)
        if (count[out[f] * width + out[g]] === 0) open.add(Math.max(out[f], out[g]) * width + Math.min(out[f], out[g]));
    const tabu = new Int32Array(current.length * width);
    let step = 0;
    while (open.items.length && budget > 0) {
      step++;
      const pair = open.items[random() % open.items.length];
      const [a, b] = [Math.floor(pair / width), pair % width];
      let bestRow = -1;
      let bestValue = -1;
      let bestDelta = Infinity;
      let ties = 0;
      for (let r = 0; r < current.length; r++) {
        const row = current[r];
        for (let way = 0; way < 2; way++) {
          // The row has one of the two values: the other is put beside it.
          const has = way === 0 ? a : b;
          const wants = way === 0 ? b : a;
          if (row[factorOf[has]] !== has) continue;
          const f = factorOf[wants];
          const wantsAt = wants * width;
          const oldAt = row[f] * width;
          let delta = 0;
          for (let g = 0; g < k; g++) {
            if (g === f) continue;
            const other = row[g];
            if (count[oldAt + other] === 1) delta++;
            if (count[wantsAt + other] === 0) delta--;
          }
          budget -= k + 8;
          if (tabu[r * width + wants] > step && open.items.length + delta > 0) continue;
          if (delta < bestDelta) [bestRow, bestValue, bestDelta, ties] = [r, wants, delta, 1];
          else if (delta === bestDelta && random() % ++ties === 0) [bestRow, bestValue] = [r, wants];
        }
      }
      if (bestRow < 0) {
        // No row has either value at hand: put both into any.
        bestRow = random() % current.length;
        change(bestRow, a);
        bestValue = b;
      }
      tabu[bestRow * width + current[bestRow][factorOf[bestValue]]] = step + 3 + (random() % 8);
      change(bestRow, bestValue);
    }
    if (open.items.length) break;
    best = current.map((row) => row.slice());

    function change(r: number, value: number): void {
      const row = current[r];
      const f = factorOf[value];
      const old = row[f];
      for (let g = 0; g < k; g++) {
        if (g === f) continue;
        const other = row[g];
        const lost = --count[old * width + other];
        count[other * width + old] = lost;
        if (lost === 0) open.add(Math.max(old, other) * width + Math.min(old, other));
        const won = ++count[value * width + other];
        count[other * width + value] = won;
        if (won === 1) open.delete(Math.max(value, other) * width + Math.min(value, other));
      }
      row[f] = value;
    }
  }
  return best;
}

/** The work that is spent on each beginning, in values looked at: about a second in all on a small machine. */
const greedyTries = 3;
const shrinkWork = 75_000_000;

/** Rows (values by their place in each factor) that cover all pairs of factors of these sizes. */
export function pairRows(sizes: readonly number[], random: () => number): number[][] {
  let best: Int32Array[] | undefined;
  const pairCount = new Pairs(sizes).total;
  const tries = pairCount < 2000 ? 20 : pairCount < 16_000 ? greedyTries : 1;
  let retained: Pairs | undefined;
  for (let i = 0; i < tries; i++) {
    const pairs = new Pairs(sizes);
    const rows = greedy(pairs, random, best?.length ?? Infinity);
    if (rows) [best, retained] = [rows, pairs];
  }
  if (!best || !retained) return [];
  const { first } = retained;
  return shrink(retained, best, random, shrinkWork).map((row) => Array.from(row, (value, f) => value - first[f]));
}
