import { factsOf, historyLine, numberedRows, type DocumentOptions, type SpecificationDocument } from '@core/specify';
import type { Content } from 'pdfmake/interfaces';
import { blocksOfText, legible, paperPage, pictureSize, printPdf, type RichBlock, type RichRun } from '../base';

const [ink, cord] = ['#18222E', '#0D5B66'];

const runsOf = (runs: readonly RichRun[]) =>
  runs.map(({ text, marks }) => ({
    text: legible(text),
    bold: marks.has('bold'),
    italics: marks.has('italic'),
    ...(marks.has('underline') ? { decoration: 'underline' as const } : marks.has('strike') ? { decoration: 'lineThrough' as const } : {}),
    ...(marks.has('code') ? { font: 'Code' } : {}),
    ...(marks.has('sub') || marks.has('sup') ? { fontSize: 7 } : {}),
  }));

function bodyOf(blocks: readonly RichBlock[], pictures: ReadonlyMap<string, Buffer>): Content[] {
  const out: Content[] = [];
  for (let i = 0; i < blocks.length; i++) {
    const block = blocks[i];
    if (block.kind === 'row') {
      const rows: RichBlock[] = [];
      while (blocks[i]?.kind === 'row') rows.push(blocks[i++]);
      i--;
      const width = Math.max(...rows.map(({ cells = [] }) => cells.length));
      const body = rows.map(({ cells = [] }) => Array.from({ length: width }, (_, c) => ({ text: runsOf(cells[c] ?? []) })));
      out.push({ table: { widths: Array<string>(width).fill('*'), body }, margin: [0, 2, 0, 6] });
      continue;
    }
    const mark = block.kind === 'item' ? (block.number === undefined ? '• ' : `${block.number}. `) : '';
    const indent = block.kind === 'item' ? 10 + 12 * block.depth : block.kind === 'quote' ? 16 : 0;
    if (block.runs.length) out.push({ text: [mark, ...runsOf(block.runs)], margin: [indent, 0, 0, 4] });
    for (const { sha256, alt } of block.pictures) {
      const bytes = pictures.get(sha256);
      const size = bytes && pictureSize(bytes);
      if (bytes && size && (size.kind === 'png' || size.kind === 'jpg'))
        out.push({
          image: `data:image/${size.kind === 'jpg' ? 'jpeg' : 'png'};base64,${bytes.toString('base64')}`,
          width: Math.min(480, size.width * 0.75),
          margin: [0, 2, 0, 6],
        });
      else out.push({ text: legible(alt ? `[${alt}]` : '[picture]'), italics: true });
    }
  }
  return out;
}

/** The document on paper: numbered headings, requirements with their key, facts in small type, page numbers. */
export function documentPdf(
  { title, project, at, note = '', rows }: SpecificationDocument,
  options: DocumentOptions,
  pictures: ReadonlyMap<string, Buffer>,
): Promise<Uint8Array> {
  const content: Content[] = [
    { text: legible(title), fontSize: 20, bold: true, margin: [0, 0, 0, 4] },
    { text: legible(`${project}, ${at.slice(0, 10)}`), style: 'small', margin: [0, 0, 0, note ? 4 : 18] },
    ...(note ? [{ text: legible(note), style: 'small', margin: [0, 0, 0, 18] as [number, number, number, number] }] : []),
  ];
  for (const { row, depth, number } of numberedRows(rows)) {
    const { kind, title: name } = row.content;
    const size = Math.max(10, 15 - 1.5 * depth);
    if (kind === 'heading') content.push({ text: legible(`${number} ${name}`), fontSize: size, bold: true, margin: [0, 12, 0, 4] });
    else if (kind === 'requirement')
      content.push({
        text: [
          { text: `${row.key}  `, color: cord, font: 'Sans' },
          { text: legible(name), bold: true },
        ],
        fontSize: 10.5,
        margin: [0, 9, 0, 2],
      });
    content.push(...bodyOf(blocksOfText(row.content), pictures));
    for (const [label, value] of factsOf(row, options))
      content.push({
        columns: [
          { text: label, width: 110, style: 'small' },
          { text: legible(value), style: 'small', color: ink },
        ],
        margin: [0, 0, 0, 1],
      });
    if (options.history && kind === 'requirement')
      content.push(...row.history.map((line): Content => ({ text: legible(historyLine(line)), style: 'small', italics: true })));
  }
  return printPdf({ ...paperPage(title, new Date(at)), content });
}
