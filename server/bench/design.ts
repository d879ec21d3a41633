import {
  bestWithin,
  combine,
  countPaths,
  expandRound,
  fewestCases,
  fewestPaths,
  graphOf,
  randomFrom,
  type CaseReach,
  type Factor,
  type FlowNode,
} from '@core/design';
import { best, row } from './timing';

/** A flow of 500 nodes and 900 edges: a chain with branches forward, and every tenth of them a loop back. */
function flows(): void {
  const random = randomFrom(11);
  const n = 500;
  const nodes = Array.from({ length: n }, (_, i): FlowNode => ({
    id: `n${i}`,
    kind: i === 0 ? 'start' : i === n - 1 ? 'end' : 'action',
    text: '',
  }));
  const pairs = new Set<string>();
  for (let i = 0; i < n - 1; i++) pairs.add(`${i} ${i + 1}`);
  while (pairs.size < 900) {
    const a = 1 + (random() % (n - 2));
    const back = pairs.size % 10 === 0;
    const b = back ? Math.max(1, a - 1 - (random() % 12)) : Math.min(n - 1, a + 2 + (random() % 20));
    pairs.add(`${a} ${b}`);
  }
  const edges = [...pairs].map((pair) => {
    const [a, b] = pair.split(' ');
    return { from: `n${a}`, to: `n${b}`, label: '' };
  });
  const g = graphOf({ title: '', variables: [], nodes, edges });
  let paths = 0;
  const fewest = best(3, () => (paths = fewestPaths(g, 'edges').paths.length));
  row(`fewest paths over all edges, 500 nodes, 900 edges, loops (${paths} paths)`, `${fewest.toFixed(0)} ms`, 'target: under 200 ms');
  let digits = 0;
  const counted = best(3, () => (digits = countPaths(g, 1).toString().length));
  row(`the count of all its paths, each loop once more at most (${digits} digits)`, `${counted.toFixed(0)} ms`, 'target: under 50 ms');
}

const factors = (...spec: readonly (readonly [number, number])[]): Factor[] =>
  spec.flatMap(([values, n], s) =>
    Array.from({ length: n }, (_, i) => ({ name: `f${s}_${i}`, values: Array.from({ length: values }, (_v, v) => v) })),
  );

function pairs(): void {
  for (const [name, all, most] of [
    ['3^4', factors([3, 4]), 9],
    ['3^13', factors([3, 13]), 18],
    ['2^100', factors([2, 100]), 14],
    ['4^15 3^17 2^29', factors([4, 15], [3, 17], [2, 29]), 37],
    ['4^1 3^39 2^35', factors([4, 1], [3, 39], [2, 35]), 27],
    ['10^20', factors([10, 20]), 210],
  ] as const) {
    let rows = 0;
    const time = best(1, () => (rows = combine(all, 2).rows.length));
    row(`pairwise rows of ${name}`, `${rows} (${time.toFixed(0)} ms)`, `target: at most ${most}, under 3 s`);
  }
}

function rounds(): void {
  const cases = Array.from({ length: 1000 }, (_, i) => ({
    key: `C-${i}`,
    revision: 1,
    approved: i % 20 > 0,
    plannedMinutes: 5 + (i % 7),
    rows: Array.from({ length: 5 }, (_r, r) => ({ name: String(r + 1), row: {} })),
  }));
  const passed = cases
    .slice(0, 200)
    .map((c, i) => ({ key: `RUN-${i}`, caseKey: c.key, caseRevision: 1, row: '1', configuration: 'rig 1' }));
  let runs = 0;
  const time = best(5, () => {
    const round = expandRound(cases, ['rig 1', 'rig 2', 'rig 3', 'rig 4'], ['a', 'b', 'c'], { passed });
    runs = round.runs.length + round.leftOut.length;
  });
  row(`expansion of a round of ${runs} runs`, `${time.toFixed(0)} ms`, 'target: under 300 ms');
}

/** 5,000 cases over 200,000 points: each hits a stretch of its own and some points anywhere. */
function selection(): void {
  const random = randomFrom(5);
  const points = 200_000;
  const words = points / 32;
  const cases = Array.from({ length: 5000 }, (_, i): CaseReach => {
    const hits = new Uint32Array(words);
    const from = random() % points;
    for (let p = 0; p < 400; p++) hits[((from + p) % points) >>> 5] |= 1 << ((from + p) & 31);
    for (let p = 0; p < 200; p++) {
      const any = random() % points;
      hits[any >>> 5] |= 1 << (any & 31);
    }
    return { key: `C-${i}`, verifies: [], hits, minutes: 3 + (i % 10) };
  });
  const lost = new Uint32Array(words).fill(0x11111111);
  let text = '';
  const fewest = best(1, () => {
    const found = fewestCases(lost, cases);
    text = `${found.cases.length} cases, at least ${found.bound}`;
  });
  row(`fewest of 5,000 cases that restore 50,000 of 200,000 points (${text})`, `${fewest.toFixed(0)} ms`, 'target: under 2 s');
  const within = best(1, () => {
    const found = bestWithin(lost, cases, 600);
    text = `${found.covered} points, at most ${found.bound}`;
  });
  row(`the best of them within 600 minutes (${text})`, `${within.toFixed(0)} ms`, 'target: under 2 s');
}

/** The designing engine: flows, pairwise rows, rounds, selection. */
export function designing(): void {
  flows();
  pairs();
  rounds();
  selection();
}
