import ELK from 'elkjs/lib/elk-api';
import type { Packed } from './packed';

/** A node of a graph as it is to be drawn. */
export interface GraphNode {
  readonly id: string;
  readonly width: number;
  readonly height: number;
}
export interface GraphEdge {
  readonly from: string;
  readonly to: string;
  readonly label?: string;
  /** Where the label is to have a place of its own: its size. */
  readonly labelSize?: { readonly width: number; readonly height: number };
}
interface Point {
  readonly x: number;
  readonly y: number;
}
/** Where everything stands, in CSS pixels from the top left corner. */
export interface LaidOut {
  readonly width: number;
  readonly height: number;
  readonly places: ReadonlyMap<string, Point>;
  readonly lines: readonly { readonly edge: GraphEdge; readonly points: readonly Point[]; readonly label?: Point }[];
}

let elk: InstanceType<typeof ELK> | undefined;

/** The engine in its worker: made when the first graph is to be laid out. */
const engine = (): InstanceType<typeof ELK> =>
  (elk ??= new ELK({ workerFactory: () => new Worker(new URL('./elk.worker', import.meta.url), { type: 'module' }) }));

/** More nodes than this are a large picture: laid out by quicker ways of the engine, which give up a little evenness (500 take a second or two instead of ten). */
export const largePicture = 120;
const quick = {
  'elk.layered.nodePlacement.strategy': 'BRANDES_KOEPF',
  'elk.layered.layering.strategy': 'LONGEST_PATH',
  'elk.layered.thoroughness': '1',
};

/** Reads the engine, and has it compiled over a chain of boxes, before the first picture is asked for: a large one is then drawn that much sooner. */
export function prepareLayout(): void {
  if (elk) return;
  const chain = Array.from({ length: largePicture + 1 }, (_, i) => ({ id: String(i), width: 80, height: 36 }));
  const links = chain.slice(2).flatMap(({ id }, i) => [
    { from: String(i), to: id },
    { from: String(i + 1), to: id },
  ]);
  void layOut(chain, links, 'DOWN').catch(() => undefined);
}

/** Lays a graph out in layers along its edges. Edges whose ends are not among the nodes are left out. */
export async function layOut(
  nodes: readonly GraphNode[],
  edges: readonly GraphEdge[],
  direction: 'RIGHT' | 'DOWN' = 'RIGHT',
): Promise<LaidOut> {
  const many = nodes.length > largePicture;
  const known = new Set(nodes.map(({ id }) => id));
  const drawn = edges.filter(({ from, to }) => known.has(from) && known.has(to));
  const laid = (await engine().layout({
    id: '$root',
    layoutOptions: {
      'elk.algorithm': 'layered',
      'elk.direction': direction,
      ...(direction === 'DOWN' ? { 'elk.edgeLabels.placement': 'CENTER', 'elk.layered.nodePlacement.strategy': 'NETWORK_SIMPLEX' } : {}),
      'elk.edgeRouting': 'ORTHOGONAL',
      'elk.layered.spacing.nodeNodeBetweenLayers': '46',
      'elk.spacing.nodeNode': '14',
      'elk.layered.considerModelOrder.strategy': 'NODES_AND_EDGES',
      ...(many ? quick : {}),
    },
    children: nodes.map(({ id, width, height }) => ({ id, width, height })),
    edges: drawn.map(({ from, to, label = '', labelSize }, i) => ({
      id: `e${i}`,
      sources: [from],
      targets: [to],
      ...(labelSize && !many ? { labels: [{ text: label, ...labelSize }] } : {}),
    })),
    // What comes back is what our worker made of it.
  })) as unknown as Packed;
  const at = (numbers: Float64Array, i: number): Point => ({ x: numbers[2 * i], y: numbers[2 * i + 1] });
  const places = new Map(nodes.map(({ id }, i) => [id, at(laid.nodes, i)]));
  let begun = 0;
  const lines = drawn.map((edge, i) => {
    const points = Array.from({ length: laid.counts[i] }, (_, n) => at(laid.points, begun + n));
    begun += points.length;
    // Where labels have no place of their own they stand where their line begins.
    const own = at(laid.labels, i);
    const label = Number.isNaN(own.x) ? (many ? points.at(0) : undefined) : own;
    return { edge, points, ...(label ? { label } : {}) };
  });
  return { width: laid.width, height: laid.height, places, lines };
}

/** A line with rounded corners through points, as the path of an SVG. */
export function pathOf(points: readonly Point[], radius = 6): string {
  if (points.length < 2) return '';
  const parts = [`M${points[0].x} ${points[0].y}`];
  for (let i = 1; i < points.length - 1; i++) {
    const [before, at, after] = [points[i - 1], points[i], points[i + 1]];
    const toward = (to: Point): Point => {
      const length = Math.hypot(to.x - at.x, to.y - at.y) || 1;
      const step = Math.min(radius, length / 2);
      return { x: at.x + ((to.x - at.x) / length) * step, y: at.y + ((to.y - at.y) / length) * step };
    };
    const [enter, leave] = [toward(before), toward(after)];
    parts.push(`L${enter.x} ${enter.y}Q${at.x} ${at.y} ${leave.x} ${leave.y}`);
  }
  const end = points[points.length - 1];
  return `${parts.join('')}L${end.x} ${end.y}`;
}

/** A rectangle of a picture, in its own units. */
export interface Extent {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
}
export const meets = (a: Extent, b: Extent): boolean => a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom;
/** Around the points of a line, and what is written beside it. */
const extentOf = (points: readonly { readonly x: number; readonly y: number }[]): Extent => {
  const [xs, ys] = [points.map(({ x }) => x), points.map(({ y }) => y)];
  return { left: Math.min(...xs) - 1, top: Math.min(...ys) - 1, right: Math.max(...xs) + 140, bottom: Math.max(...ys) + 16 };
};

/** A line where it was laid out: its points, what it lies in, and where its words begin. */
export const courseOf = ({ points, label }: LaidOut['lines'][number], at: number) => ({
  at,
  points,
  extent: extentOf(points),
  x: (label?.x ?? 0) + 2,
  y: (label?.y ?? 0) + 12,
});
export type Course = ReturnType<typeof courseOf>;
