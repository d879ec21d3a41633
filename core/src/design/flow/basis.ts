import { shortestWay } from './criteria';
import type { Graph, Path } from './flow';

/**
 * How many linearly independent ways lead through a flow: v(G) = e - n + 2 for one end (McCabe 1976; NIST SP 500-235, recalled), each further end
 * adding one, as if all ends led to a last node.
 */
export function cyclomaticNumber(g: Graph): number {
  return g.from.length - g.size + g.ends.length + 1;
}

/**
 * A basis set of paths: v(G) of them, none a sum of others. Every node has one edge that is gone along by default, the first on a shortest way to an
 * end; there is the path of defaults, and for every other edge one that goes the shortest way to it, along it, and on by default. The flow is
 * one without findings: from everywhere an end is reached.
 */
export function basisPaths(g: Graph): Path[] {
  const ends = new Set(g.ends);
  const onward = Array.from({ length: g.size }, (_, n) => shortestWay(g, n, ends) ?? []);
  const path = (before: readonly number[], from: number): number[] => [...before, ...onward[from]];
  // In the order of their distance from the start: a path goes to its own edge along nearer ones only, so each brings a new edge.
  const paths: Path[] = [path([], g.start)];
  for (let node = 0; node < g.size; node++) {
    const toNode = shortestWay(g, g.start, new Set([node]));
    for (const e of g.out[node]) if (e !== onward[node][0]) paths.push(path([...(toNode ?? []), e], g.to[e]));
  }
  return paths;
}
