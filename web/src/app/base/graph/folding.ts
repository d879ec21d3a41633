import { groupBy } from '@core/base';

/** A record, or a function, in a picture of what is connected. */
export interface PictureNode {
  readonly id: string;
  readonly label: string;
  readonly title: string;
  /** How it stands, where that is to be seen. */
  readonly tone?: 'suspect' | 'broken' | 'waiting' | 'sound';
}
export interface PictureEdge {
  readonly from: string;
  readonly to: string;
  readonly words: string;
}

/** What of a graph is shown: the root, and what is next to anything that is unfolded. */
export interface Folded {
  readonly shown: readonly PictureNode[];
  readonly edges: readonly PictureEdge[];
  /** How many neighbours of a node are not shown. */
  readonly hidden: ReadonlyMap<string, number>;
  readonly distance: ReadonlyMap<string, number>;
}

/** Folds a graph: reached from the root over unfolded nodes only, near first. */
export function foldGraph(
  nodes: readonly PictureNode[],
  edges: readonly PictureEdge[],
  root: string,
  unfolded: ReadonlySet<string>,
): Folded {
  const byId = new Map(nodes.map((node) => [node.id, node]));
  const next = groupBy(
    edges.flatMap(({ from, to }) => [
      [from, to],
      [to, from],
    ]),
    ([from]) => from,
    ([, to]) => to,
  );
  const distance = new Map([[root, 0]]);
  for (const [id, far] of distance)
    if (unfolded.has(id)) for (const other of next.get(id) ?? []) if (byId.has(other) && !distance.has(other)) distance.set(other, far + 1);
  const hidden = new Map<string, number>();
  for (const id of distance.keys()) {
    const count = new Set((next.get(id) ?? []).filter((other) => byId.has(other) && !distance.has(other))).size;
    if (count) hidden.set(id, count);
  }
  return {
    shown: [...distance.keys()].flatMap((id) => byId.get(id) ?? []),
    edges: edges.filter(({ from, to }) => distance.has(from) && distance.has(to)),
    hidden,
    distance,
  };
}

/** What is unfolded at first: the root, and then near first as long as not too much is shown. */
export function firstUnfolded(nodes: readonly PictureNode[], edges: readonly PictureEdge[], root: string, most: number): Set<string> {
  let unfolded = new Set([root]);
  for (;;) {
    const { shown, hidden, distance } = foldGraph(nodes, edges, root, unfolded);
    const next = [...hidden.entries()]
      .filter(([, count]) => shown.length + count <= most)
      .sort(([a], [b]) => (distance.get(a) ?? 0) - (distance.get(b) ?? 0))
      .at(0);
    if (!next) return unfolded;
    unfolded = new Set([...unfolded, next[0]]);
  }
}
