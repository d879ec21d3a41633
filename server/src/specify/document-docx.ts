import { factsOf, historyLine, numberedRows, type DocumentOptions, type SpecificationDocument } from '@core/specify';
import type { IImageOptions, Paragraph as DocxParagraph, ParagraphChild, Table as DocxTable } from 'docx';
import { blocksOfText, pictureSize, type RichBlock, type RichRun } from '../base';

/** The document for word processors: headings as headings, layout as it is, facts as a table, pictures in their place. */
export async function documentDocx(
  { title, project, at, note = '', rows }: SpecificationDocument,
  options: DocumentOptions,
  pictures: ReadonlyMap<string, Buffer>,
): Promise<Buffer> {
  // Not read at each start: a node is to be back soon.
  const docx = await import('docx');
  const {
    BorderStyle,
    Document,
    ExternalHyperlink,
    HeadingLevel,
    ImageRun,
    Packer,
    Paragraph,
    Table,
    TableCell,
    TableRow,
    TextRun,
    WidthType,
  } = docx;
  const levels = [
    HeadingLevel.HEADING_1,
    HeadingLevel.HEADING_2,
    HeadingLevel.HEADING_3,
    HeadingLevel.HEADING_4,
    HeadingLevel.HEADING_5,
    HeadingLevel.HEADING_6,
  ];
  const run = ({ text, marks, link }: RichRun): ParagraphChild[] => {
    const made = text.split('\n').map(
      (line, i) =>
        new TextRun({
          text: line,
          ...(i ? { break: 1 } : {}),
          bold: marks.has('bold'),
          italics: marks.has('italic'),
          strike: marks.has('strike'),
          subScript: marks.has('sub'),
          superScript: marks.has('sup'),
          ...(marks.has('underline') ? { underline: {} } : {}),
          ...(marks.has('code') ? { font: 'Source Code Pro' } : {}),
        }),
    );
    return link ? [new ExternalHyperlink({ link, children: made })] : made;
  };
  const image = ({ sha256, alt }: RichBlock['pictures'][number]): ParagraphChild[] => {
    const data = pictures.get(sha256);
    const size = data && pictureSize(data);
    if (!data || !size) return [new TextRun({ text: alt ? `[${alt}]` : '[picture]', italics: true })];
    const scale = Math.min(1, 560 / size.width);
    const kind = size.kind as 'png' | 'jpg' | 'gif';
    const given: IImageOptions = {
      type: kind,
      data,
      transformation: { width: Math.round(size.width * scale), height: Math.round(size.height * scale) },
      altText: { name: alt || 'picture', title: alt, description: alt },
    };
    return [new ImageRun(given)];
  };
  const none = { style: BorderStyle.NONE, size: 0, color: 'auto' };
  const body = (blocks: readonly RichBlock[]): (DocxParagraph | DocxTable)[] => {
    const out: (DocxParagraph | DocxTable)[] = [];
    for (let i = 0; i < blocks.length; i++) {
      const block = blocks[i];
      if (block.kind === 'row') {
        const table: RichBlock[] = [];
        while (blocks[i]?.kind === 'row') table.push(blocks[i++]);
        i--;
        out.push(
          new Table({
            width: { size: 100, type: WidthType.PERCENTAGE },
            rows: table.map(
              ({ cells = [] }) =>
                new TableRow({
                  children: cells.map((cell) => new TableCell({ children: [new Paragraph({ children: cell.flatMap(run) })] })),
                }),
            ),
          }),
        );
        continue;
      }
      const children = [
        ...(block.number === undefined ? [] : [new TextRun(`${block.number}. `)]),
        ...block.runs.flatMap(run),
        ...block.pictures.flatMap(image),
      ];
      out.push(
        new Paragraph({
          children,
          ...(block.kind === 'item' && block.number === undefined ? { bullet: { level: Math.min(8, block.depth) } } : {}),
          ...(block.kind === 'quote' || block.number !== undefined ? { indent: { left: 360 * (1 + block.depth) } } : {}),
          spacing: { after: 80 },
        }),
      );
    }
    return out;
  };
  const facts = (lines: readonly (readonly [string, string])[]): DocxTable[] =>
    lines.length
      ? [
          new Table({
            width: { size: 100, type: WidthType.PERCENTAGE },
            borders: { top: none, bottom: none, left: none, right: none, insideHorizontal: none, insideVertical: none },
            rows: lines.map(
              ([label, value]) =>
                new TableRow({
                  children: [
                    new TableCell({
                      width: { size: 24, type: WidthType.PERCENTAGE },
                      children: [new Paragraph({ children: [new TextRun({ text: label, color: '5B6673', size: 18 })] })],
                    }),
                    new TableCell({
                      width: { size: 76, type: WidthType.PERCENTAGE },
                      children: value.split('\n').map((line) => new Paragraph({ children: [new TextRun({ text: line, size: 18 })] })),
                    }),
                  ],
                }),
            ),
          }),
        ]
      : [];
  const children: (DocxParagraph | DocxTable)[] = [
    new Paragraph({ text: title, heading: HeadingLevel.TITLE }),
    new Paragraph({ children: [new TextRun({ text: `${project}, ${at.slice(0, 10)}`, color: '5B6673' })] }),
    ...(note ? [new Paragraph({ children: [new TextRun({ text: note, color: '5B6673' })] })] : []),
  ];
  for (const { row, depth, number } of numberedRows(rows)) {
    const { kind, title: name } = row.content;
    const heading = levels[Math.min(levels.length - 1, depth)];
    if (kind === 'heading') children.push(new Paragraph({ text: `${number} ${name}`, heading }));
    else if (kind === 'requirement')
      children.push(new Paragraph({ heading, children: [new TextRun({ text: `${row.key} `, color: '0D5B66' }), new TextRun(name)] }));
    children.push(...body(blocksOfText(row.content)), ...facts(factsOf(row, options)));
    if (options.history && kind === 'requirement')
      children.push(
        ...row.history.map((line) => new Paragraph({ children: [new TextRun({ text: historyLine(line), italics: true, size: 18 })] })),
      );
  }
  return Packer.toBuffer(new Document({ creator: 'Cord Proof', title, sections: [{ children }] }));
}
