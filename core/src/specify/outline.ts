import { usualWording, type WordingLists } from './wording';

/** A line of an outline before it is written: what it is, how deep it stands, and its words. */
export interface OutlineRow {
  readonly kind: 'heading' | 'requirement' | 'note';
  /** 0 at the top; a row stands under the nearest one above it that is less deep. */
  readonly depth: number;
  readonly title: string;
  readonly text: string;
}

/** A block of a document in reading order, as whatever read it tells it. */
export interface DocumentBlock {
  /** 1 to 6 of a heading; 0 of a paragraph, an item of a list or a row of a table. */
  readonly level: number;
  readonly text: string;
}

const longestTitle = 90;
const longestHeading = 300;

/** A title for a text that has none: its first words, as far as a title goes. */
export function titleOf(text: string): string {
  const line = text
    .trim()
    .split(/\n|(?<=[.!?])\s/)[0]
    .replace(/[.:;]\s*$/, '');
  if (line.length <= longestTitle) return line;
  const begun = line.slice(0, longestTitle);
  const blank = begun.lastIndexOf(' ');
  return `${blank > 0 ? begun.slice(0, blank).trimEnd() : begun} …`;
}

/** A number in front of a heading, as documents print it: `3.2`, `A.1)`. Headings are numbered by their place here. */
const numbered = /^\s*(?:\d+(?:\.\d+)*|[A-Z](?:\.\d+)+)[.)]?\s+(?=\S)/;

/**
 * The tree that a document proposes: headings as it has them, sentences with a binding word as requirements, each of its own, and the rest
 * as notes. Nothing is left out; a person looks through it before it is written.
 */
export function outlineOf(blocks: readonly DocumentBlock[], { binding }: Pick<WordingLists, 'binding'> = usualWording): OutlineRow[] {
  const asks = new RegExp(
    `(?<![\\p{L}\\p{N}])(?:${binding.map((word) => word.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')).join('|')})(?![\\p{L}\\p{N}])`,
    'iu',
  );
  const rows: OutlineRow[] = [];
  let depth = 0;
  /** Levels of the headings that are open: a document may begin at its second level, or leave one out. */
  const open: number[] = [];
  for (const { level, text: given } of blocks) {
    const text = given.replace(/[ \t\u00a0]+/g, ' ').trim();
    if (!text) continue;
    if (level > 0) {
      while (open.length && open[open.length - 1] >= level) open.pop();
      const title = text.replace(numbered, '');
      const short = title.length <= longestHeading;
      rows.push({ kind: 'heading', depth: open.length, title: short ? title : titleOf(title), text: short ? '' : title });
      open.push(level);
      depth = open.length;
      continue;
    }
    const sentences = text.match(/[^.!?\n]+(?:[.!?](?=\S)[^.!?\n]*)*[.!?]*\s*/g) ?? [text];
    const asking = sentences.filter((sentence) => asks.test(sentence)).length;
    // One that asks keeps what explains it beside it; of several each is its own.
    const parts = asking > 1 ? sentences : [text];
    for (const part of parts) {
      const words = part.trim();
      if (words) rows.push({ kind: asks.test(words) ? 'requirement' : 'note', depth, title: titleOf(words), text: words });
    }
  }
  return rows;
}

/** The blocks of plain text: a line by itself without a full stop, numbered or followed by what is indented, is a heading. */
export function textBlocks(text: string): DocumentBlock[] {
  const lines = text.replace(/\r\n?/g, '\n').split('\n');
  const blocks: DocumentBlock[] = [];
  let open: string[] = [];
  const close = (): void => {
    if (open.length) blocks.push({ level: 0, text: open.join(' ') });
    open = [];
  };
  for (const line of lines) {
    const words = line.trim();
    const chapter = /^(\d+(?:\.\d+)*)\.?\s+\S/.exec(words);
    if (!words) close();
    else if (chapter && words.length <= longestTitle && !/[.;:,]$/.test(words) && !/\bshall\b/i.test(words)) {
      close();
      blocks.push({ level: Math.min(6, chapter[1].split('.').length), text: words });
    } else if (/^(?:[-*•–]|\d+[.)]|[a-z][.)])\s+/.test(words)) {
      close();
      open.push(words.replace(/^(?:[-*•–]|\d+[.)]|[a-z][.)])\s+/, ''));
    } else open.push(words);
  }
  close();
  return blocks;
}

/** Rows whose depths go up by one at most, beginning at the top: what was pasted or moved may leave one out. */
export function settled(rows: readonly OutlineRow[]): OutlineRow[] {
  let last = -1;
  return rows.map((row) => {
    const depth = Math.max(0, Math.min(row.depth, last + 1));
    last = depth;
    return depth === row.depth ? row : { ...row, depth };
  });
}

/** Where the branch of a row ends: behind all that stands deeper. */
export function branchEnd(rows: readonly OutlineRow[], at: number): number {
  let end = at + 1;
  while (end < rows.length && rows[end].depth > rows[at].depth) end++;
  return end;
}

/** A row with all below it, a level deeper or less deep; where that leads nowhere, the rows as they are. */
export function shifted(rows: readonly OutlineRow[], at: number, by: 1 | -1): OutlineRow[] {
  const row = rows.at(at);
  if (!row || row.depth + by < 0 || (by > 0 && (at === 0 || rows[at - 1].depth < row.depth))) return [...rows];
  const end = branchEnd(rows, at);
  return settled(rows.map((other, i) => (i >= at && i < end ? { ...other, depth: other.depth + by } : other)));
}

/** A row with all below it before its neighbour above, or behind the one below. */
export function moved(rows: readonly OutlineRow[], at: number, by: 1 | -1): { readonly rows: OutlineRow[]; readonly at: number } {
  const end = branchEnd(rows, at);
  const branch = rows.slice(at, end);
  if (by > 0) {
    if (end >= rows.length || rows[end].depth < rows[at].depth) return { rows: [...rows], at };
    const behind = branchEnd(rows, end);
    return { rows: [...rows.slice(0, at), ...rows.slice(end, behind), ...branch, ...rows.slice(behind)], at: at + behind - end };
  }
  let before = at - 1;
  while (before >= 0 && rows[before].depth > rows[at].depth) before--;
  if (before < 0 || rows[before].depth < rows[at].depth) return { rows: [...rows], at };
  return { rows: [...rows.slice(0, before), ...branch, ...rows.slice(before, at), ...rows.slice(end)], at: before };
}

/** A row parted in two of the same kind, at a place in its words; what stood below it stands below the second. */
export function parted(rows: readonly OutlineRow[], at: number, offset: number): OutlineRow[] {
  const row = rows[at];
  const words = row.text || row.title;
  const [first, second] = [words.slice(0, offset).trim(), words.slice(offset).trim()];
  const made = (text: string): OutlineRow => (row.text ? { ...row, title: titleOf(text), text } : { ...row, title: text });
  return [...rows.slice(0, at), made(first), made(second), ...rows.slice(at + 1)];
}

/** A row joined with the one above it, which keeps its kind and place. */
export function joined(rows: readonly OutlineRow[], at: number): OutlineRow[] {
  if (at < 1) return [...rows];
  const [above, row] = [rows[at - 1], rows[at]];
  const text = [above.text || (row.text ? above.title : ''), row.text || (above.text ? row.title : '')].filter(Boolean).join(' ');
  const title = above.text || row.text ? above.title || titleOf(text) : [above.title, row.title].filter(Boolean).join(' ');
  return settled([...rows.slice(0, at - 1), { ...above, title, text }, ...rows.slice(at + 1)]);
}

/** What each row stands under, by its place among the rows; null at the top. */
export function placesOf(rows: readonly OutlineRow[]): (number | null)[] {
  const open: number[] = [];
  return settled(rows).map(({ depth }, i) => {
    open.length = depth;
    const under = depth ? open[depth - 1] : null;
    open[depth] = i;
    return under;
  });
}

/** What lacks before an outline can be written, by row (from 1). */
export function outlineFaults(rows: readonly OutlineRow[]): { readonly row: number; readonly text: string }[] {
  return rows.flatMap((row, i) => {
    if (!row.title.trim()) return [{ row: i + 1, text: 'It has no title.' }];
    if (row.title.length > 300) return [{ row: i + 1, text: 'A title has at most 300 letters.' }];
    return row.text.length > 20_000 ? [{ row: i + 1, text: 'A text has at most 20,000 letters.' }] : [];
  });
}
