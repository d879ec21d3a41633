import ELK, { type ElkNode } from 'elkjs/lib/elk-api';

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

/** Lays a graph out in layers along its edges. Edges whose ends are not among the nodes are left out. */
export async function layOut(
  nodes: readonly GraphNode[],
  edges: readonly GraphEdge[],
  direction: 'RIGHT' | 'DOWN' = 'RIGHT',
): Promise<LaidOut> {
  const known = new Set(nodes.map(({ id }) => id));
  const drawn = edges.filter(({ from, to }) => known.has(from) && known.has(to));
  const laid: ElkNode = await engine().layout({
    id: '$root',
    layoutOptions: {
      'elk.algorithm': 'layered',
      'elk.direction': direction,
      ...(direction === 'DOWN' ? { 'elk.edgeLabels.placement': 'CENTER', 'elk.layered.nodePlacement.strategy': 'NETWORK_SIMPLEX' } : {}),
      'elk.edgeRouting': 'ORTHOGONAL',
      'elk.layered.spacing.nodeNodeBetweenLayers': '46',
      'elk.spacing.nodeNode': '14',
      'elk.layered.considerModelOrder.strategy': 'NODES_AND_EDGES',
    },
    children: nodes.map(({ id, width, height }) => ({ id, width, height })),
    edges: drawn.map(({ from, to, label = '', labelSize }, i) => ({
      id: `e${i}`,
      sources: [from],
      targets: [to],
      ...(labelSize ? { labels: [{ text: label, ...labelSize }] } : {}),
    })),
  });
  const places = new Map((laid.children ?? []).map(({ id, x = 0, y = 0 }) => [id, { x, y }]));
  const lines = (laid.edges ?? []).map(({ sections = [], labels = [] }, i) => ({
    edge: drawn[i],
    ...(labels[0] ? { label: { x: labels[0].x ?? 0, y: labels[0].y ?? 0 } } : {}),
    points: sections.flatMap(({ startPoint, bendPoints = [], endPoint }) => [startPoint, ...bendPoints, endPoint]),
  }));
  return { width: laid.width ?? 0, height: laid.height ?? 0, places, lines };
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
