import type { Connection } from '@contract/prove';

interface DrawnNode {
  readonly key: string;
  readonly title: string;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  /** The record that all of it is about; how many more stand here undrawn. */
  readonly self: boolean;
  readonly more: boolean;
  readonly of: Connection | undefined;
}

export interface ConnectionsPicture {
  readonly width: number;
  readonly height: number;
  readonly nodes: readonly DrawnNode[];
  readonly lines: readonly { readonly path: string }[];
}

const columnWidth = 150;
const nodeWidth = 104;
const rowHeight = 30;
const mostInColumn = 7;

/** A small picture of what is connected: a column for each step away, lines along the ways; what is too much for a column is counted. */
export function drawConnections(key: string, connections: readonly Connection[]): ConnectionsPicture {
  const far = Math.max(...connections.map(({ distance }) => distance));
  const columns = Array.from({ length: far }, (_, i) => connections.filter(({ distance }) => distance === i + 1));
  const rows = Math.max(1, ...columns.map((column) => Math.min(column.length, mostInColumn + 1)));
  const height = rows * rowHeight;
  const places = new Map<string, { x: number; y: number }>();
  const nodes: DrawnNode[] = [];
  const put = (name: string, column: number, row: number, of: number, more: Partial<DrawnNode>): void => {
    const x = column * columnWidth;
    const y = (height - of * rowHeight) / 2 + row * rowHeight + 4;
    places.set(name, { x, y });
    nodes.push({ key: name, title: name, x, y, width: nodeWidth, self: false, more: false, of: undefined, ...more });
  };
  put(key, 0, 0, 1, { self: true });
  columns.forEach((column, i) => {
    // Along the order of what they hang on, so that lines cross as little as may be.
    const order = new Map(nodes.map((node, at) => [node.key, at]));
    const sorted = [...column].sort((a, b) => (order.get(a.from) ?? Infinity) - (order.get(b.from) ?? Infinity));
    const drawn = sorted.slice(0, mostInColumn);
    const rest = sorted.length - drawn.length;
    const count = drawn.length + (rest ? 1 : 0);
    drawn.forEach((c, row) => put(c.key, i + 1, row, count, { key: short(c), title: `${c.key} ${c.title}`, of: c }));
    if (rest) put(`${i + 1} and more`, i + 1, drawn.length, count, { key: `and ${rest} more`, more: true });
  });
  const lines = connections.flatMap((c) => {
    const [from, to] = [places.get(c.from), places.get(c.key)];
    if (!from || !to) return [];
    const [x1, y1, x2, y2] = [from.x + nodeWidth, from.y + 11, to.x, to.y + 11];
    const middle = (x1 + x2) / 2;
    return [{ path: `M${x1} ${y1}C${middle} ${y1} ${middle} ${y2} ${x2} ${y2}` }];
  });
  return { width: far * columnWidth + nodeWidth + 2, height: height + 8, nodes, lines };
}

/** What stands in a box: the key, of code the function. */
function short({ kind, key, title }: Connection): string {
  const text = kind === 'file' ? title : key;
  return text.length > 14 ? `${text.slice(0, 13)}…` : text;
}
