/** A row of a table, as far as its place in a tree is read from it. */
export interface TreeLine {
  readonly row: number;
  readonly key: string;
  /** Its number in the table: `1.2.3`. */
  readonly numbering: string;
  /** How deep it stands: a number from 0 or 1 on, or the blanks before its words (two, or a tab, for each step). */
  readonly depth: string;
}

/** What a row stands under, by its key, or what is wrong with what the table says of it. */
export type TreePlace = { readonly under: string | null } | { readonly fault: string };

const numbered = /^\d+(?:\.\d+)*$/;

/** Places by numbers: `1.2.3` stands under `1.2`. Rows without a number keep no place. */
export function placesByNumbering(lines: readonly TreeLine[]): Map<number, TreePlace> {
  const keys = new Map<string, string>();
  const numbers = lines.map(({ numbering }) => numbering.trim().replace(/\.$/, ''));
  const places = new Map<number, TreePlace>();
  for (const [i, { row, key }] of lines.entries()) {
    const number = numbers[i];
    if (!numbered.test(number)) continue;
    if (keys.has(number)) places.set(row, { fault: `The number ${number} stands already at ${keys.get(number)}.` });
    else keys.set(number, key);
  }
  for (const [i, { row }] of lines.entries()) {
    const number = numbers[i];
    if (places.has(row)) continue;
    if (number && !numbered.test(number)) {
      places.set(row, { fault: `“${number}” is no number of a place, as in 1.2.3.` });
      continue;
    }
    const above = number.includes('.') ? number.slice(0, number.lastIndexOf('.')) : '';
    const under = above ? keys.get(above) : null;
    places.set(row, under === undefined ? { fault: `No row has the number ${above}, under which ${number} would stand.` } : { under });
  }
  return places;
}

/** How deep a cell says that its row stands. */
function depthOf(cell: string): number {
  const said = /^\s*(\d{1,2})\s*$/.exec(cell);
  if (said) return Number(said[1]);
  const blanks = /^[ \t]*/.exec(cell)?.[0] ?? '';
  return [...blanks].reduce((sum, blank) => sum + (blank === '\t' ? 2 : 1), 0) / 2;
}

/** Places by depth: each row stands under the nearest one before it that is less deep. */
export function placesByDepth(lines: readonly TreeLine[]): Map<number, TreePlace> {
  const open: { depth: number; key: string }[] = [];
  const places = new Map<number, TreePlace>();
  for (const { row, key, depth: cell } of lines) {
    const depth = depthOf(cell);
    while (open.length && open[open.length - 1].depth >= depth) open.pop();
    places.set(row, { under: open.at(-1)?.key ?? null });
    open.push({ depth, key });
  }
  return places;
}
