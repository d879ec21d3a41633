import { coverageOfPaths, shortestWay, targetsOf, usefulNodes, type FlowCriterion } from './criteria';
import type { Graph, Path } from './flow';
import { Inputs, InputSpace } from './guard';
import { componentsOf } from './loops';
import { coverWays } from './min-flow';

export interface PathSet {
  readonly paths: readonly Path[];
  /** No set can have fewer. */
  readonly lowerBound: number;
  /** Is it proved that no set has fewer? */
  readonly minimal: boolean;
  /** Targets (as `targetsOf` tells them) that no path with possible inputs was found for. */
  readonly infeasible: readonly (readonly number[])[];
}

/**
 * The fewest paths that cover every node or every edge. Loops are gone through once more wherever that saves a path, so what is left is
 * a minimum flow with lower bounds on the graph of its components, which has no circles; the number is proved minimal by the flow itself
 * (for nodes without loops it is the largest set of nodes of which none reaches another: Dilworth 1950). Where guards make one of
 * these paths impossible, paths with possible inputs are searched instead, and the number is a bound.
 */
export function fewestPaths(g: Graph, criterion: 'nodes' | 'edges'): PathSet {
  const plain = plainPaths(g, criterion);
  const space = new InputSpace(
    g.flow.variables,
    g.flow.edges.map((edge) => edge.guard),
  );
  if (plain.every((path) => inputsOf(g, path, space))) return { paths: plain, lowerBound: plain.length, minimal: true, infeasible: [] };
  const { paths, infeasible } = feasiblePaths(g, criterion, space, plain);
  // Targets that no inputs reach ask for no path: without them the bound is not the flow's own.
  const lowerBound = infeasible.length ? Math.min(paths.length, 1) : plain.length;
  return { paths, lowerBound, minimal: paths.length === lowerBound, infeasible };
}

/** The inputs with which a path is taken; undefined where its guards contradict each other. */
export function inputsOf(g: Graph, path: Path, space: InputSpace): Inputs | undefined {
  let inputs: Inputs | undefined = Inputs.all(space);
  for (const e of path) {
    inputs = inputs?.with(g.flow.edges[e].guard);
    if (!inputs) return undefined;
  }
  return inputs;
}

function plainPaths(g: Graph, criterion: 'nodes' | 'edges'): Path[] {
  const components = componentsOf(g);
  const componentOf = new Map(components.flatMap((component, c) => component.nodes.map((n) => [n, c] as const)));
  const of = (n: number): number => componentOf.get(n) ?? 0;
  const useful = usefulNodes(g);
  const between = g.from.flatMap((_, e) => (of(g.from[e]) !== of(g.to[e]) && useful.has(g.from[e]) && useful.has(g.to[e]) ? [e] : []));
  const ways = coverWays({
    size: components.length,
    source: of(g.start),
    sinks: g.ends.map(of),
    edges: between.map((e) => ({ from: of(g.from[e]), to: of(g.to[e]), least: criterion === 'edges' ? 1 : 0 })),
    leastAt: (c) => (useful.has(components[c].nodes[0]) ? 1 : 0),
  });
  const toured = new Set<number>();
  return ways.map((way) => {
    const path: number[] = [];
    let node = g.start;
    for (const step of [...way.map((i) => between[i]), -1]) {
      const component = components[of(node)];
      const leave = step < 0 ? new Set(g.ends.filter((n) => component.nodes.includes(n))) : new Set([g.from[step]]);
      const inside = new Set(component.nodes);
      if (component.head >= 0 && !toured.has(of(node))) path.push(...tour(g, inside, node, criterion));
      toured.add(of(node));
      const here = path.length ? g.to[path[path.length - 1]] : node;
      path.push(...(shortestWay(within(g, inside), here, leave) ?? []));
      if (step >= 0) {
        path.push(step);
        node = g.to[step];
      }
    }
    return path;
  });
}

/** The graph with only the edges between these nodes. */
function within(g: Graph, inside: ReadonlySet<number>): Graph {
  const own = (list: readonly number[]): number[] => list.filter((e) => inside.has(g.from[e]) && inside.has(g.to[e]));
  return {
    ...g,
    out: g.out.map((list, n) => (inside.has(n) ? own(list) : [])),
    into: g.into.map((list, n) => (inside.has(n) ? own(list) : [])),
  };
}

/** A walk through all edges, or all nodes, of a component, from one node; it may finish anywhere. */
function tour(g: Graph, inside: ReadonlySet<number>, from: number, criterion: 'nodes' | 'edges'): number[] {
  const own = within(g, inside);
  const walk: number[] = [];
  const left = new Set(criterion === 'edges' ? [...inside].flatMap((n) => own.out[n]) : [...inside].filter((n) => n !== from));
  let node = from;
  const go = (e: number): void => {
    walk.push(e);
    node = g.to[e];
    left.delete(criterion === 'edges' ? e : node);
  };
  while (left.size) {
    const fresh = own.out[node].find((e) => left.has(criterion === 'edges' ? e : g.to[e]));
    if (fresh !== undefined) {
      go(fresh);
      continue;
    }
    const wanted = criterion === 'edges' ? new Set([...left].map((e) => g.from[e])) : left;
    const way = shortestWay(own, node, wanted);
    if (!way) break;
    way.forEach(go);
  }
  return walk;
}

/** How many steps a search for one path with possible inputs may take. */
const stepLimit = 20_000;

function feasiblePaths(
  g: Graph,
  criterion: FlowCriterion,
  space: InputSpace,
  plain: readonly Path[],
): { paths: Path[]; infeasible: (readonly number[])[] } {
  const key = (target: readonly number[]): string => target.join(',');
  const { list } = targetsOf(g, criterion);
  const paths: Path[] = plain.filter((path) => inputsOf(g, path, space));
  const left = new Map(coverageOfPaths(g, paths, criterion).missing.map((target) => [key(target), target]));
  const infeasible: (readonly number[])[] = [];
  while (left.size) {
    const [id, target] = left.entries().next().value as [string, readonly number[]];
    const path = searchPath(g, space, criterion, target[0], left);
    if (!path) {
      infeasible.push(target);
      left.delete(id);
      continue;
    }
    paths.push(path);
    const missing = new Set(coverageOfPaths(g, paths, criterion).missing.map(key));
    for (const known of [...left.keys()]) if (!missing.has(known)) left.delete(known);
  }
  return { paths: withoutIdle(g, paths, criterion, list.length - infeasible.length), infeasible };
}

/** Paths that add nothing any more, once later ones are there, are taken out. */
function withoutIdle(g: Graph, paths: readonly Path[], criterion: FlowCriterion, wanted: number): Path[] {
  let retained = [...paths];
  for (const path of paths) {
    const without = retained.filter((other) => other !== path);
    if (coverageOfPaths(g, without, criterion).covered >= wanted) retained = without;
  }
  return retained;
}

/** A path with possible inputs through one target, which goes by way of others that are still missing where it can. */
function searchPath(
  g: Graph,
  space: InputSpace,
  criterion: FlowCriterion,
  target: number,
  left: ReadonlyMap<string, unknown>,
): Path | undefined {
  const ends = new Set(g.ends);
  const wants = (e: number): boolean => left.has(String(criterion === 'nodes' ? g.to[e] : e));
  const hits = (e: number): boolean => (criterion === 'nodes' ? g.to[e] === target : e === target);
  interface Step {
    readonly node: number;
    readonly inputs: Inputs;
    readonly path: readonly number[];
    readonly done: boolean;
  }
  const first: Step = { node: g.start, inputs: Inputs.all(space), path: [], done: criterion === 'nodes' && g.start === target };
  const seen = new Set<string>();
  // Depth first, what is missing first; a state met before with the same inputs leads nowhere new.
  const stack: Step[] = [first];
  for (let steps = 0; stack.length && steps < stepLimit; steps++) {
    const { node, inputs, path, done } = stack.pop() as Step;
    if (done && ends.has(node)) return path;
    const id = `${node} ${done} ${inputs.id}`;
    if (seen.has(id)) continue;
    seen.add(id);
    const next = g.out[node].flatMap((e): Step[] => {
      const narrowed = inputs.with(g.flow.edges[e].guard);
      return narrowed ? [{ node: g.to[e], inputs: narrowed, path: [...path, e], done: done || hits(e) }] : [];
    });
    const value = (step: Step): number => {
      const e = step.path[step.path.length - 1];
      return (hits(e) ? 2 : 0) + (wants(e) && !path.includes(e) ? 1 : 0);
    };
    stack.push(...next.sort((a, b) => value(a) - value(b)));
  }
  return undefined;
}

/** The shortest path with possible inputs that would add most to a set: most of what is missing, then fewest steps. */
export function bestAddition(
  g: Graph,
  paths: readonly Path[],
  criterion: FlowCriterion,
): { readonly path: Path; readonly adds: number } | undefined {
  const { covered, missing } = coverageOfPaths(g, paths, criterion);
  const space = new InputSpace(
    g.flow.variables,
    g.flow.edges.map((edge) => edge.guard),
  );
  const ends = new Set(g.ends);
  let best: { path: Path; adds: number } | undefined;
  const tried = new Set<string>();
  for (const target of missing.slice(0, 200)) {
    const [into, through] = criterion === 'nodes' ? [target[0], []] : [g.from[target[0]], target];
    const before = shortestWay(g, g.start, new Set([into]));
    const after = shortestWay(g, through.length ? g.to[through[through.length - 1]] : into, ends);
    if (!before || !after) continue;
    let path: Path = [...before, ...through, ...after];
    if (!inputsOf(g, path, space)) {
      const other = criterion === 'nodes' || criterion === 'edges' ? searchPath(g, space, criterion, target[0], new Map()) : undefined;
      if (!other) continue;
      path = other;
    }
    if (tried.has(path.join())) continue;
    tried.add(path.join());
    const adds = coverageOfPaths(g, [...paths, path], criterion).covered - covered;
    if (adds > (best?.adds ?? 0) || (adds === best?.adds && path.length < best.path.length)) best = { path, adds };
  }
  return best;
}
