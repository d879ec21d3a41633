import { Parser } from 'htmlparser2';

/** Some words of one look. */
export interface RichRun {
  readonly text: string;
  readonly marks: ReadonlySet<'bold' | 'italic' | 'underline' | 'strike' | 'sub' | 'sup' | 'code'>;
  readonly link?: string;
}
/** A picture by its hash. */
export interface RichPicture {
  readonly sha256: string;
  readonly alt: string;
}
/** A block of a text as paper shows it: a paragraph, an item of a list, a row of a table. */
export interface RichBlock {
  readonly kind: 'paragraph' | 'heading' | 'item' | 'code' | 'quote' | 'row';
  /** Of an item: how deep its list stands, and its number where it has one. */
  readonly depth: number;
  readonly number?: number;
  readonly runs: readonly RichRun[];
  /** Of a row: its cells. */
  readonly cells?: readonly (readonly RichRun[])[];
  readonly pictures: readonly RichPicture[];
}

type Mark = RichRun['marks'] extends ReadonlySet<infer M> ? M : never;
const marksOf: Readonly<Record<string, Mark>> = {
  strong: 'bold',
  b: 'bold',
  th: 'bold',
  em: 'italic',
  i: 'italic',
  u: 'underline',
  s: 'strike',
  sub: 'sub',
  sup: 'sup',
  code: 'code',
  pre: 'code',
};
const blocks: Readonly<Record<string, RichBlock['kind']>> = {
  p: 'paragraph',
  li: 'item',
  pre: 'code',
  blockquote: 'quote',
  h3: 'heading',
  h4: 'heading',
  tr: 'row',
};

interface Open {
  readonly kind: RichBlock['kind'];
  readonly depth: number;
  readonly number?: number;
  runs: RichRun[];
  readonly cells: RichRun[][];
  readonly pictures: RichPicture[];
}

/** The blocks of clean HTML, one after the other: what writers of documents need of it. */
export function richBlocks(html: string): RichBlock[] {
  const found: RichBlock[] = [];
  const marks: Mark[] = [];
  const lists: { ordered: boolean; count: number }[] = [];
  let link: string | undefined;
  let open: Open | undefined;
  const close = (): void => {
    if (open && (open.runs.some(({ text }) => text.trim() !== '') || open.cells.length || open.pictures.length)) {
      const { kind, depth, number, runs, cells, pictures } = open;
      found.push({ kind, depth, ...(number === undefined ? {} : { number }), runs, ...(cells.length ? { cells } : {}), pictures });
    }
    open = undefined;
  };
  const begin = (kind: RichBlock['kind']): Open => {
    close();
    const list = lists.at(-1);
    const number = kind === 'item' && list?.ordered ? ++list.count : undefined;
    open = { kind, depth: Math.max(0, lists.length - 1), ...(number === undefined ? {} : { number }), runs: [], cells: [], pictures: [] };
    return open;
  };
  const parser = new Parser({
    onopentag(name, attributes) {
      if (name === 'ul' || name === 'ol') lists.push({ ordered: name === 'ol', count: 0 });
      const mark = marksOf[name];
      if (mark) marks.push(mark);
      // A paragraph inside of an item or a cell is that item's, and a row's cells are the row's.
      const inside = open?.kind === 'item' || open?.kind === 'row' || open?.kind === 'quote';
      if (blocks[name] && !(name === 'p' && inside)) begin(blocks[name]);
      if ((name === 'td' || name === 'th') && open) {
        open.runs = [];
        open.cells.push(open.runs);
      } else if (name === 'br') (open ?? begin('paragraph')).runs.push({ text: '\n', marks: new Set() });
      else if (name === 'a') link = attributes['href'];
      else if (name === 'img') {
        const sha256 = /^files\/([0-9a-f]{64})$/.exec(attributes['src'] ?? '')?.[1];
        if (sha256) (open ?? begin('paragraph')).pictures.push({ sha256, alt: attributes['alt'] ?? '' });
      }
    },
    ontext(text) {
      if (!open && text.trim() === '') return;
      (open ?? begin('paragraph')).runs.push({ text, marks: new Set(marks), ...(link ? { link } : {}) });
    },
    onclosetag(name) {
      const mark = marksOf[name];
      if (mark) marks.splice(marks.lastIndexOf(mark), 1);
      if (name === 'ul' || name === 'ol') lists.pop();
      else if (name === 'a') link = undefined;
      if (blocks[name] && !(name === 'p' && (open?.kind === 'item' || open?.kind === 'row' || open?.kind === 'quote'))) close();
    },
  });
  parser.end(html);
  close();
  return found;
}

/** A text as blocks: its own layout, or a paragraph a line. */
export const blocksOfText = ({ text, html }: { readonly text: string; readonly html?: string | undefined }): RichBlock[] =>
  html
    ? richBlocks(html)
    : text
        .split('\n')
        .filter((line) => line.trim() !== '')
        .map((line) => ({ kind: 'paragraph', depth: 0, runs: [{ text: line, marks: new Set() }], pictures: [] }));
