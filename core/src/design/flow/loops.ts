import type { Graph, Path } from './flow';

/**
 * The loops of a flow, one inside the other. A component is a set of nodes that reach each other; its head is the node at which it is
 * first entered, the edges back into the head are its back edges, and without these it falls into inner components.
 */
export interface Component {
  readonly nodes: readonly number[];
  /** -1 for a node alone, which is no loop. */
  readonly head: number;
  readonly back: readonly number[];
  /** In the order in which they can be met. */
  readonly inner: readonly Component[];
}

/** The components of the graph, in the order in which they can be met. Strongly connected ones are found after Tarjan 1972. */
export function componentsOf(g: Graph): Component[] {
  return split(
    g,
    Array.from({ length: g.size }, (_, i) => i),
    new Set(),
  );
}

function split(g: Graph, nodes: readonly number[], removed: ReadonlySet<number>): Component[] {
  const inside = new Set(nodes);
  const [index, low]: [Map<number, number>, Map<number, number>] = [new Map(), new Map()];
  const stack: number[] = [];
  const onStack = new Set<number>();
  const found: number[][] = [];
  // Without recursion: a flow may be a chain of thousands.
  const visit = (root: number): void => {
    const work: { node: number; edge: number }[] = [{ node: root, edge: 0 }];
    while (work.length) {
      const frame = work[work.length - 1];
      const { node } = frame;
      if (frame.edge === 0) {
        index.set(node, index.size);
        low.set(node, index.get(node) ?? 0);
        stack.push(node);
        onStack.add(node);
      }
      let next: number | undefined;
      while (frame.edge < g.out[node].length && next === undefined) {
        const e = g.out[node][frame.edge++];
        const to = g.to[e];
        if (removed.has(e) || !inside.has(to)) continue;
        if (!index.has(to)) next = to;
        else if (onStack.has(to)) low.set(node, Math.min(low.get(node) ?? 0, index.get(to) ?? 0));
      }
      if (next !== undefined) {
        work.push({ node: next, edge: 0 });
        continue;
      }
      if (frame.edge === 0) frame.edge = 1;
      work.pop();
      const parent = work.at(-1)?.node;
      if (parent !== undefined) low.set(parent, Math.min(low.get(parent) ?? 0, low.get(node) ?? 0));
      if (low.get(node) !== index.get(node)) continue;
      const component: number[] = [];
      for (let top = stack.pop(); top !== undefined; top = stack.pop()) {
        onStack.delete(top);
        component.push(top);
        if (top === node) break;
      }
      found.push(component);
    }
  };
  // The start first, so that the head of a loop is where it is entered.
  for (const node of inside.has(g.start) ? [g.start, ...nodes] : nodes) if (!index.has(node)) visit(node);
  return found.reverse().map((component): Component => {
    const members = new Set(component);
    const own = (e: number): boolean => members.has(g.from[e]) && members.has(g.to[e]) && !removed.has(e);
    if (component.length === 1 && !g.out[component[0]].some(own)) return { nodes: component, head: -1, back: [], inner: [] };
    const entered = component.filter((n) => n === g.start || g.into[n].some((e) => !own(e) && !removed.has(e)));
    const pool = entered.length ? entered : component;
    const head = pool.reduce((a, b) => ((index.get(b) ?? 0) < (index.get(a) ?? 0) ? b : a));
    const back = g.into[head].filter(own);
    return { nodes: component, head, back, inner: split(g, component, new Set([...removed, ...back])) };
  });
}

/** Sums over ways: how many come in at a node, how many go out along an edge. */
type Flowing = Map<number, bigint>;
const add = (sums: Flowing, at: number, n: bigint): void => void (n > 0n && sums.set(at, (sums.get(at) ?? 0n) + n));

/**
 * How many paths lead from the start to an end, where each time a loop is entered its head is come back to at most `k` times. Counted
 * without listing them, exactly: loops inside loops are worked out once for one way in, and added up.
 */
export function countPaths(g: Graph, k: number): bigint {
  const units = new Map<Component, Flowing>();
  /** Ways along each edge that leaves a loop or leads back to its head, without going back, for so many ways in at each node. */
  const through = ({ inner, back }: Component, inflow: Flowing): Flowing => {
    const waiting: Flowing = new Map(inflow);
    const out: Flowing = new Map();
    const members = new Set(inner.flatMap((c) => c.nodes));
    for (const component of inner) {
      const mine: Flowing = new Map(component.nodes.flatMap((n) => (waiting.has(n) ? [[n, waiting.get(n) ?? 0n] as const] : [])));
      if (!mine.size) continue;
      for (const [e, n] of leaving(component, mine)) {
        if (members.has(g.to[e]) && !back.includes(e)) add(waiting, g.to[e], n);
        else add(out, e, n);
      }
    }
    return out;
  };
  const leaving = (component: Component, inflow: Flowing): Flowing => {
    if (component.head < 0) {
      const [node, n] = [component.nodes[0], inflow.get(component.nodes[0]) ?? 0n];
      return new Map(g.out[node].map((e) => [e, n]));
    }
    const back = new Set(component.back);
    const first = through(component, inflow);
    let again = 0n;
    for (const [e, n] of first) if (back.has(e)) again += n;
    const out: Flowing = new Map([...first].filter(([e]) => !back.has(e)));
    if (again > 0n && k > 0) {
      let unit = units.get(component);
      if (!unit) units.set(component, (unit = through(component, new Map([[component.head, 1n]]))));
      let round = 0n;
      for (const [e, n] of unit) if (back.has(e)) round += n;
      let heads = 0n;
      for (let i = 0, power = 1n; i < k; i++, power *= round) heads += power;
      for (const [e, n] of unit) if (!back.has(e)) add(out, e, n * again * heads);
    }
    return out;
  };
  const ends = new Set(g.ends);
  let total = 0n;
  // An end has no way out: what comes in at one is a path.
  const incoming: Flowing = new Map();
  const components = componentsOf(g);
  const waiting: Flowing = new Map([[g.start, 1n]]);
  for (const component of components) {
    const mine: Flowing = new Map(component.nodes.flatMap((n) => (waiting.has(n) ? [[n, waiting.get(n) ?? 0n] as const] : [])));
    for (const [n, ways] of mine) if (ends.has(n)) add(incoming, n, ways);
    for (const [e, n] of leaving(component, mine)) add(waiting, g.to[e], n);
  }
  for (const n of incoming.values()) total += n;
  return total;
}

export interface Listing {
  readonly paths: readonly Path[];
  /** Are these all there are, or was the list cut off at the limit? */
  readonly complete: boolean;
}

/** The paths that `countPaths` counts, at most `limit` of them. */
export function listPaths(g: Graph, k: number, limit = 10_000): Listing {
  const parents: { component: Component; depth: number }[][] = Array.from({ length: g.size }, () => []);
  const place = (components: readonly Component[], depth: number): void => {
    for (const component of components) {
      if (component.head < 0) continue;
      for (const n of component.nodes) parents[n].push({ component, depth });
      place(component.inner, depth + 1);
    }
  };
  place(componentsOf(g), 0);
  const headed = new Map<number, Component>();
  for (const list of parents) for (const { component } of list) for (const e of component.back) headed.set(e, component);
  const ends = new Set(g.ends);
  const paths: Path[] = [];
  let complete = true;
  const stack: { node: number; path: readonly number[]; rounds: ReadonlyMap<Component, number> }[] = [
    { node: g.start, path: [], rounds: new Map() },
  ];
  for (let top = stack.pop(); top; top = stack.pop()) {
    if (ends.has(top.node)) {
      if (paths.length === limit) {
        complete = false;
        break;
      }
      paths.push(top.path);
      continue;
    }
    for (const e of [...g.out[top.node]].reverse()) {
      const loop = headed.get(e);
      // Loops that this edge leaves are forgotten; going back to a head leaves the loops inside.
      const retained = new Set(parents[g.to[e]].map((p) => p.component).filter((c) => c.nodes.includes(top.node)));
      if (loop)
        for (const { component } of parents[g.to[e]])
          if (component !== loop && loop.nodes.length > component.nodes.length) retained.delete(component);
      const rounds = new Map([...top.rounds].filter(([component]) => retained.has(component)));
      if (loop) {
        const taken = (rounds.get(loop) ?? 0) + 1;
        if (taken > k) continue;
        rounds.set(loop, taken);
      }
      stack.push({ node: g.to[e], path: [...top.path, e], rounds });
    }
  }
  return { paths, complete };
}
