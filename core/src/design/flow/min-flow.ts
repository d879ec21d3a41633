/** A network without circles in which every way leads from the source to one of the sinks. */
export interface Network {
  readonly size: number;
  readonly source: number;
  readonly sinks: readonly number[];
  /** At least so many ways must go along an edge. */
  readonly edges: readonly { readonly from: number; readonly to: number; readonly least: number }[];
  /** At least so many ways must go through a node. */
  readonly leastAt: (node: number) => number;
}

/**
 * The fewest ways from the source to the sinks that keep all lower bounds, each as the places of its edges. A minimum flow with lower
 * bounds: first a flow that keeps them all, a way for each bound; then as much is taken back as the bounds allow, which is a maximum
 * flow against it (Dinic 1970). The result is minimal, since no more can be taken back.
 */
export function coverWays({ size, source, sinks, edges, leastAt }: Network): number[][] {
  // Each node is split, so that a bound on it is one on an edge: in 2n, out 2n + 1; then the source and the sink of all.
  const [start, finish] = [2 * size, 2 * size + 1];
  const arcs: { from: number; to: number; least: number; flow: number }[] = [
    ...edges.map(({ from, to, least }) => ({ from: 2 * from + 1, to: 2 * to, least, flow: 0 })),
    ...Array.from({ length: size }, (_, n) => ({ from: 2 * n, to: 2 * n + 1, least: leastAt(n), flow: 0 })),
    { from: start, to: 2 * source, least: 0, flow: 0 },
    ...sinks.map((n) => ({ from: 2 * n + 1, to: finish, least: 0, flow: 0 })),
  ];
  const vertices = 2 * size + 2;
  const out: number[][] = Array.from({ length: vertices }, () => []);
  const into: number[][] = Array.from({ length: vertices }, () => []);
  arcs.forEach(({ from, to }, a) => {
    out[from].push(a);
    into[to].push(a);
  });
  // Any way to a vertex, and on from it: one search from the source and one from the sink give all of them.
  const came = spanning(
    vertices,
    start,
    (v) => out[v],
    (a) => arcs[a].to,
  );
  const goes = spanning(
    vertices,
    finish,
    (v) => into[v],
    (a) => arcs[a].from,
  );
  arcs.forEach((arc) => {
    while (arc.flow < arc.least) {
      arc.flow++;
      for (let v = arc.from; v !== start; v = arcs[came[v]].from) arcs[came[v]].flow++;
      for (let v = arc.to; v !== finish; v = arcs[goes[v]].to) arcs[goes[v]].flow++;
    }
  });
  takeBack(vertices, start, finish, arcs);
  return waysOf(start, finish, out, arcs, edges.length);
}

function spanning(vertices: number, from: number, next: (v: number) => readonly number[], end: (arc: number) => number): Int32Array {
  const by = new Int32Array(vertices).fill(-1);
  const queue = [from];
  const seen = new Uint8Array(vertices);
  seen[from] = 1;
  for (const v of queue)
    for (const a of next(v)) {
      const w = end(a);
      if (seen[w]) continue;
      seen[w] = 1;
      by[w] = a;
      queue.push(w);
    }
  return by;
}

/** Takes back as many ways as the bounds allow: the greatest flow from the sink to the source against the arcs. */
function takeBack(
  vertices: number,
  start: number,
  finish: number,
  arcs: readonly { from: number; to: number; least: number; flow: number }[],
): void {
  // Residual arcs: against an arc, what it has above its bound; along it, without limit.
  const head: number[][] = Array.from({ length: vertices }, () => []);
  const to = new Int32Array(arcs.length * 2);
  const room = new Float64Array(arcs.length * 2);
  arcs.forEach((arc, a) => {
    to[2 * a] = arc.from;
    room[2 * a] = arc.flow - arc.least;
    head[arc.to].push(2 * a);
    to[2 * a + 1] = arc.to;
    room[2 * a + 1] = Infinity;
    head[arc.from].push(2 * a + 1);
  });
  const level = new Int32Array(vertices);
  const next = new Int32Array(vertices);
  const push = (): number => {
    // One way at a time, without recursion: a flow may be a chain of thousands.
    const way: number[] = [];
    let v = finish;
    while (v !== start) {
      let moved = false;
      for (; next[v] < head[v].length; next[v]++) {
        const r = head[v][next[v]];
        if (room[r] > 0 && level[to[r]] === level[v] + 1) {
          way.push(r);
          v = to[r];
          moved = true;
          break;
        }
      }
      if (moved) continue;
      const back = way.pop();
      if (back === undefined) return 0;
      v = to[back ^ 1];
      next[v]++;
    }
    const most = Math.min(...way.map((r) => room[r]));
    for (const r of way) {
      room[r] -= most;
      room[r ^ 1] += most;
    }
    return most;
  };
  for (;;) {
    level.fill(-1);
    level[finish] = 0;
    const queue = [finish];
    for (const v of queue)
      for (const r of head[v])
        if (room[r] > 0 && level[to[r]] < 0) {
          level[to[r]] = level[v] + 1;
          queue.push(to[r]);
        }
    if (level[start] < 0) break;
    next.fill(0);
    while (push() > 0);
  }
  arcs.forEach((arc, a) => (arc.flow = arc.least + room[2 * a]));
}

function waysOf(
  start: number,
  finish: number,
  out: readonly (readonly number[])[],
  arcs: readonly { from: number; to: number; flow: number }[],
  edgeCount: number,
): number[][] {
  const left = arcs.map((arc) => arc.flow);
  const ways: number[][] = [];
  for (;;) {
    const way: number[] = [];
    let v = start;
    while (v !== finish) {
      const a = out[v].find((arc) => left[arc] > 0);
      if (a === undefined) return ways;
      left[a]--;
      if (a < edgeCount) way.push(a);
      v = arcs[a].to;
    }
    ways.push(way);
  }
}
