import type { ElkNode } from 'elkjs/lib/elk-api';

/** Where everything of a graph stands, as numbers: nodes and edges in the order in which they were told. */
export interface Packed {
  readonly width: number;
  readonly height: number;
  /** Two numbers a node. */
  readonly nodes: Float64Array;
  /** How many points each edge has. */
  readonly counts: Uint32Array;
  /** The points of all edges one after the other, two numbers each. */
  readonly points: Float64Array;
  /** Two numbers an edge: where its label stands; not a number where it has none. */
  readonly labels: Float64Array;
}

/** What was laid out, packed, with the buffers that can go to another thread without being copied. */
export function packed({ width = 0, height = 0, children = [], edges = [] }: ElkNode): { places: Packed; buffers: ArrayBuffer[] } {
  const courses = edges.map(({ sections = [] }) =>
    sections.flatMap(({ startPoint, bendPoints = [], endPoint }) => [startPoint, ...bendPoints, endPoint]),
  );
  const nodes = Float64Array.from(children.flatMap(({ x = 0, y = 0 }) => [x, y]));
  const counts = Uint32Array.from(courses.map(({ length }) => length));
  const points = Float64Array.from(courses.flat().flatMap(({ x, y }) => [x, y]));
  const labels = Float64Array.from(edges.flatMap(({ labels: [label] = [] }) => (label ? [label.x ?? 0, label.y ?? 0] : [NaN, NaN])));
  return { places: { width, height, nodes, counts, points, labels }, buffers: [nodes.buffer, counts.buffer, points.buffer, labels.buffer] };
}
