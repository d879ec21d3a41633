import { reachable, type Graph, type Path } from './flow';

export const flowCriteria = ['nodes', 'edges', 'edgePairs', 'primePaths'] as const;
/** Every node; every edge, and so every outcome of a decision; every two edges one after the other; prime paths. */
export type FlowCriterion = (typeof flowCriteria)[number];

export interface Targets {
  /** Each as the places of its edges; a node is the list with its place alone. */
  readonly list: readonly (readonly number[])[];
  /** Were all found, or is the list cut off at the limit? */
  readonly complete: boolean;
}

const primeLimit = 20_000;

/** What a set of paths has to cover. */
export function targetsOf(g: Graph, criterion: FlowCriterion): Targets {
  if (criterion === 'nodes') return { list: Array.from({ length: g.size }, (_, i) => [i]), complete: true };
  if (criterion === 'edges') return { list: g.from.map((_, e) => [e]), complete: true };
  if (criterion === 'edgePairs') return { list: g.from.flatMap((_, e) => g.out[g.to[e]].map((next) => [e, next])), complete: true };
  return primePaths(g);
}

/**
 * Prime paths (Ammann & Offutt, Introduction to Software Testing, recalled): paths on which no node comes twice but perhaps the first as
 * the last, and which are part of no longer such path.
 */
export function primePaths(g: Graph, limit = primeLimit): Targets {
  const simple: number[][] = [];
  let complete = true;
  let open: number[][] = [];
  const extendable = (path: number[]): number[][] => {
    const first = g.from[path[0]];
    const seen = new Set(path.map((e) => g.to[e]));
    if (g.to[path[path.length - 1]] === first) return [];
    return g.out[g.to[path[path.length - 1]]].filter((e) => !seen.has(g.to[e]) || g.to[e] === first).map((e) => [...path, e]);
  };
  open = g.from.map((_, e) => [e]);
  while (open.length) {
    const next: number[][] = [];
    for (const path of open) {
      const longer = extendable(path);
      if (!longer.length) simple.push(path);
      else next.push(...longer);
    }
    if (next.length + simple.length > limit * 4) {
      complete = false;
      break;
    }
    open = next;
  }
  // No longer at the end; at the front neither, if no edge into the first node could be put before.
  const primes = simple.filter((path) => {
    const first = g.from[path[0]];
    const last = g.to[path[path.length - 1]];
    if (last === first) return true;
    const seen = new Set([first, ...path.map((e) => g.to[e])]);
    return !g.into[first].some((e) => !seen.has(g.from[e]) || g.from[e] === last);
  });
  const alone = Array.from({ length: g.size }, (_, i) => i).filter((i) => !g.out[i].length && !g.into[i].length);
  return { list: [...primes, ...alone.map(() => [])].slice(0, limit), complete: complete && primes.length <= limit };
}

export interface FlowCoverage {
  readonly covered: number;
  readonly of: number;
  /** What is missing, as `targetsOf` tells it. */
  readonly missing: readonly (readonly number[])[];
}

/** How much of a criterion a set of paths covers. 100 % of nothing is all. */
export const coverageOfPaths = (g: Graph, paths: readonly Path[], criterion: FlowCriterion): FlowCoverage =>
  coverageOf(g, paths, { criterion, list: targetsOf(g, criterion).list });

export interface FlowShare extends Omit<FlowCoverage, 'missing'> {
  readonly criterion: FlowCriterion;
  /** Were all targets found? Else there are more than `of`. */
  readonly complete: boolean;
}

/** How much of each criterion a set of paths covers. */
export function sharesOfPaths(g: Graph, paths: readonly Path[]): FlowShare[] {
  return flowCriteria.map((criterion) => {
    const { list, complete } = targetsOf(g, criterion);
    const { covered, of } = coverageOf(g, paths, { criterion, list });
    return { criterion, covered, of, complete };
  });
}

function coverageOf(
  g: Graph,
  paths: readonly Path[],
  { criterion, list }: { readonly criterion: FlowCriterion; readonly list: Targets['list'] },
): FlowCoverage {
  if (criterion === 'nodes') {
    const seen = new Set(paths.flatMap((path) => (path.length ? [g.from[path[0]], ...path.map((e) => g.to[e])] : [])));
    const missing = list.filter(([node]) => !seen.has(node));
    return { covered: list.length - missing.length, of: list.length, missing };
  }
  const texts = paths.map((path) => `,${path.join(',')},`);
  const missing = list.filter((target) => !texts.some((text) => text.includes(`,${target.join(',')},`)));
  return { covered: list.length - missing.length, of: list.length, missing };
}

/** The shortest way along edges from one node to another, as edges; undefined where there is none. */
export function shortestWay(g: Graph, from: number, to: ReadonlySet<number>): number[] | undefined {
  const came = new Map<number, number>([[from, -1]]);
  for (const node of came.keys()) {
    if (to.has(node)) {
      const way: number[] = [];
      for (let at = node, e = came.get(at) ?? -1; e >= 0; at = g.from[e], e = came.get(at) ?? -1) way.unshift(e);
      return way;
    }
    for (const e of g.out[node]) if (!came.has(g.to[e])) came.set(g.to[e], e);
  }
  return undefined;
}

/** Nodes that lie on some way from the start to an end. */
export function usefulNodes(g: Graph): Set<number> {
  const [forward, backward] = [reachable(g, [g.start]), reachable(g, g.ends, 'backward')];
  return new Set([...forward].filter((n) => backward.has(n)));
}
