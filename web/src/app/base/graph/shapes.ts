/** A node of a drawn model. */
export interface ShapeNode {
  readonly id: string;
  readonly label: string;
  /** Round ends, a box, a box with a bar for what is looked at, or a hexagon for a decision. */
  readonly shape: 'round' | 'box' | 'check' | 'decision';
  /** What is read of it. */
  readonly title: string;
  readonly tone?: 'broken' | 'missing' | undefined;
}
/** An edge of a drawn model; its place in the list is its name. */
export interface ShapeEdge {
  readonly from: string;
  readonly to: string;
  readonly label: string;
  readonly tone?: 'broken' | 'missing' | undefined;
}

const letterWidth = 6.7;
const lineHeight = 16;
const widest = 164;

/** The words of a box in lines that fit it: at most three, the rest cut off. */
export function linesOf(text: string, width = widest): string[] {
  const most = Math.floor(width / letterWidth);
  const lines: string[] = [];
  for (const word of text.split(/\s+/).filter(Boolean)) {
    const last = lines.at(-1);
    if (last !== undefined && last.length + 1 + word.length <= most) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  const cut = lines.map((line) => (line.length > most ? `${line.slice(0, most - 1)}…` : line));
  return cut.length > 3 ? [...cut.slice(0, 2), `${cut[2].slice(0, most - 1)}…`] : cut;
}

export interface Shaped {
  readonly lines: readonly string[];
  readonly width: number;
  readonly height: number;
}

/** How large a node is for its words. */
export function sizeOf({ label, shape }: Pick<ShapeNode, 'label' | 'shape'>): Shaped {
  const lines = linesOf(label || '…', shape === 'decision' ? widest - 24 : widest);
  const longest = Math.max(...lines.map((line) => line.length));
  const room = shape === 'decision' ? 44 : shape === 'round' ? 36 : 28;
  return { lines, width: Math.max(72, Math.round(longest * letterWidth + room)), height: lines.length * lineHeight + 20 };
}

export const labelSize = (label: string): { width: number; height: number } => ({
  width: Math.min(140, Math.round(label.length * 6.2) + 8),
  height: 16,
});
export const shortLabel = (label: string): string => (label.length > 22 ? `${label.slice(0, 21)}…` : label);

/** The outline of a node as the path of an SVG, its top left corner at 0, 0. */
export function outlineOf(shape: ShapeNode['shape'], width: number, height: number): string {
  if (shape === 'decision') {
    const side = 12;
    return `M${side} 0H${width - side}L${width} ${height / 2}L${width - side} ${height}H${side}L0 ${height / 2}Z`;
  }
  const r = shape === 'round' ? height / 2 : 8;
  return `M${r} 0H${width - r}A${r} ${r} 0 0 1 ${width} ${r}V${height - r}A${r} ${r} 0 0 1 ${width - r} ${height}H${r}A${r} ${r} 0 0 1 0 ${height - r}V${r}A${r} ${r} 0 0 1 ${r} 0Z`;
}
