import { coverageOfPaths, targetsOf, type FlowCriterion } from './criteria';
import { bestAddition, fewestPaths, inputsOf, type PathSet } from './fewest';
import type { Flow, Graph, Path } from './flow';
import { guardWords, Inputs, InputSpace } from './guard';
import { countPaths, listPaths } from './loops';

export const reachCriteria = ['nodes', 'edges', 'edgePairs', 'primePaths', 'loops'] as const;
/** What paths are to reach: every node, every outcome, every two in a row, prime paths, or every path with so many rounds of its loops. */
export type ReachCriterion = (typeof reachCriteria)[number];

/** A way that the guards along it forbid, with the first guard that contradicts those before it. */
export interface ForbiddenWay {
  /** The edges up to the one that cannot be taken. */
  readonly path: Path;
  readonly guard: string;
}

/** Paths that reach what a criterion asks for. */
export interface Reach {
  readonly criterion: ReachCriterion;
  readonly paths: readonly Path[];
  /** No set can have fewer. */
  readonly lowerBound: number;
  readonly minimal: boolean;
  /** How much of the criterion is reached, of what can be. */
  readonly covered: number;
  readonly of: number;
  /** Ways that guards forbid: of targets that nothing reaches, or of paths that were listed. */
  readonly forbidden: readonly ForbiddenWay[];
  /** Were all looked at, or was the work cut off? */
  readonly complete: boolean;
}

/** More paths than these are not listed. */
export const mostPaths = 2000;
const mostForbidden = 50;

export const spaceOf = (g: Graph): InputSpace =>
  new InputSpace(
    g.flow.variables,
    g.flow.edges.map((edge) => edge.guard),
  );

/** Where a path becomes impossible; undefined where some inputs take it. */
export function forbiddenBy(g: Graph, path: Path, space: InputSpace = spaceOf(g)): ForbiddenWay | undefined {
  let inputs: Inputs | undefined = Inputs.all(space);
  for (const [i, e] of path.entries()) {
    const { guard } = g.flow.edges[e];
    inputs = inputs.with(guard);
    if (!inputs) return { path: path.slice(0, i + 1), guard: guardWords(guard ?? []) };
  }
  return undefined;
}

/**
 * Paths for a criterion, as few as can be found, with what is known of how few there can be. Nodes, outcomes and pairs of edges are a minimum flow
 * (proved, where no guard forbids one of its paths); prime paths are chosen greedily; loops lists all.
 */
export function reachFor(g: Graph, criterion: ReachCriterion, k: number): Reach {
  const space = spaceOf(g);
  if (criterion === 'loops') return allPaths(g, k, space);
  if (criterion === 'nodes' || criterion === 'edges') return fromSet(g, criterion, fewestPaths(g, criterion), space);
  if (criterion === 'edgePairs') {
    const plain = pairPaths(g);
    if (plain.every((path) => inputsOf(g, path, space)))
      return fromSet(g, criterion, { paths: plain, lowerBound: plain.length, minimal: true, infeasible: [] }, space);
  }
  return greedy(g, criterion, space);
}

function fromSet(g: Graph, criterion: FlowCriterion, { paths, lowerBound, minimal, infeasible }: PathSet, space: InputSpace): Reach {
  const { covered, of } = coverageOfPaths(g, paths, criterion);
  return {
    criterion,
    paths,
    lowerBound,
    minimal,
    covered,
    of: of - infeasible.length,
    forbidden: blocked(g, infeasible, criterion, space),
    complete: true,
  };
}

/** For targets that nothing reaches: the shortest way there, up to the guard that forbids it. */
function blocked(g: Graph, targets: readonly (readonly number[])[], criterion: FlowCriterion, space: InputSpace): ForbiddenWay[] {
  return targets.slice(0, mostForbidden).flatMap((target) => {
    const goal = criterion === 'nodes' ? target[0] : g.from[target[0]];
    const way = wayTo(g, goal);
    return way ? (forbiddenBy(g, criterion === 'nodes' ? way : [...way, ...target], space) ?? []) : [];
  });
}

function wayTo(g: Graph, goal: number): number[] | undefined {
  const came = new Map<number, number>([[g.start, -1]]);
  for (const node of came.keys()) {
    if (node === goal) {
      const way: number[] = [];
      for (let at = node, e = came.get(at) ?? -1; e >= 0; at = g.from[e], e = came.get(at) ?? -1) way.unshift(e);
      return way;
    }
    for (const e of g.out[node]) if (!came.has(g.to[e])) came.set(g.to[e], e);
  }
  return undefined;
}

/** Every two edges one after the other are the edges of the line graph: the fewest paths over those, taken back to the flow. */
function pairPaths(g: Graph): Path[] {
  const edges = g.flow.edges.length;
  // Node 0 is before everything; node e + 1 is the edge e.
  const pairs: [number, number][] = [
    ...g.out[g.start].map((e): [number, number] => [0, e + 1]),
    ...g.flow.edges.flatMap((_, e) => g.out[g.to[e]].map((next): [number, number] => [e + 1, next + 1])),
  ];
  const out: number[][] = Array.from({ length: edges + 1 }, () => []);
  const into: number[][] = Array.from({ length: edges + 1 }, () => []);
  pairs.forEach(([from, to], i) => {
    out[from].push(i);
    into[to].push(i);
  });
  const ends = new Set(g.ends);
  const flow: Flow = { title: '', variables: [], nodes: [], edges: pairs.map(() => ({ from: '', to: '', label: '' })) };
  const line: Graph = {
    flow,
    size: edges + 1,
    from: pairs.map(([from]) => from),
    to: pairs.map(([, to]) => to),
    out,
    into,
    start: 0,
    ends: g.flow.edges.flatMap((_, e) => (ends.has(g.to[e]) ? [e + 1] : [])),
  };
  return fewestPaths(line, 'edges').paths.map((path) => path.map((i) => line.to[i] - 1));
}

/** More paths than these are not added one by one. */
const mostAdded = 300;

function greedy(g: Graph, criterion: FlowCriterion, space: InputSpace): Reach {
  const paths: Path[] = [];
  let next = bestAddition(g, paths, criterion);
  while (next && paths.length < mostAdded) {
    paths.push(next.path);
    next = bestAddition(g, paths, criterion);
  }
  const { covered, of, missing } = coverageOfPaths(g, paths, criterion);
  const complete = !next && targetsOf(g, criterion).complete;
  // Each edge lies on a pair and on a prime path: as many paths at least as the outcomes need.
  const lowerBound = Math.min(paths.length, fewestPaths(g, 'edges').lowerBound);
  return {
    criterion,
    paths,
    lowerBound,
    minimal: complete && paths.length === lowerBound,
    covered,
    of: next ? of : of - missing.length,
    forbidden: next ? [] : blocked(g, missing, criterion, space),
    complete,
  };
}

function allPaths(g: Graph, k: number, space: InputSpace): Reach {
  const { paths, complete } = listPaths(g, k, mostPaths);
  const forbidden: ForbiddenWay[] = [];
  const possible = paths.filter((path) => {
    const way = forbiddenBy(g, path, space);
    if (way) forbidden.push(way);
    return !way;
  });
  const of = possible.length;
  return {
    criterion: 'loops',
    paths: possible,
    lowerBound: of,
    minimal: complete,
    covered: of,
    of,
    forbidden: forbidden.slice(0, mostForbidden),
    complete,
  };
}

/** How many paths there are with so many rounds of each loop, in digits; guards are not asked. */
export const pathCount = (g: Graph, k: number): string => countPaths(g, k).toString();
