/** Where an arrow key leads: to the right, and down. */
export type Direction = readonly [right: number, down: number];

const arrows: Readonly<Partial<Record<string, Direction>>> = {
  ArrowRight: [1, 0],
  ArrowLeft: [-1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};
export const arrowOf = (key: string): Direction | undefined => arrows[key];

/** The nearest box in a direction: beside counts three times as far as ahead. `across` is where a box stands from left to right. */
export function nearestBox<B extends { readonly id: string; readonly x: number; readonly y: number }>(
  boxes: readonly B[],
  id: string,
  [right, down]: Direction,
  across: (box: B) => number = ({ x }) => x,
): string | undefined {
  const from = boxes.find((box) => box.id === id);
  if (!from) return undefined;
  const cost = (box: B): number => {
    const [dx, dy] = [across(box) - across(from), box.y - from.y];
    const along = right * dx + down * dy;
    return along <= 1 ? Infinity : along + 3 * Math.abs(right ? dy : dx);
  };
  return boxes.filter((box) => cost(box) < Infinity).sort((a, b) => cost(a) - cost(b))[0]?.id;
}

/** Puts the focus on a box of a picture, in sight. */
export function focusBox(host: HTMLElement, id: string): void {
  const box = host.querySelector<SVGElement>(`[data-id="${CSS.escape(id)}"]`);
  box?.focus();
  box?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
}
