import { wordDifference } from '@core/base';
import type { BaselineChange } from '@core/specify';
import type { Content } from 'pdfmake/interfaces';
import { legible, paperPage, printPdf } from '../base';

export interface ChangesDocument {
  readonly title: string;
  readonly changes: readonly BaselineChange[];
  readonly words: Readonly<Record<BaselineChange['what'], string>>;
  readonly at: Date;
}

/** A document in which what changed is marked as insertions and deletions: a word processor shows, accepts and refuses them as its own. */
export async function changesDocument({ title, changes, words, at }: ChangesDocument): Promise<Buffer> {
  // Not read at each start: a node is to be back soon.
  const { DeletedTextRun, Document, HeadingLevel, InsertedTextRun, Packer, Paragraph, TextRun } = await import('docx');
  let id = 1;
  const date = at.toISOString();
  const author = 'Cord Proof';
  const marked = (before: string, after: string) =>
    wordDifference(before, after).map(({ kind, text }) => {
      if (kind === 'added') return new InsertedTextRun({ text, id: id++, author, date });
      if (kind === 'removed') return new DeletedTextRun({ text, id: id++, author, date });
      return new TextRun(text);
    });
  const children = [
    new Paragraph({ text: title, heading: HeadingLevel.TITLE }),
    ...(changes.length ? [] : [new Paragraph('Nothing is different.')]),
    ...changes.flatMap(({ key, title: of, what, revisions: [was, is], differences }) => [
      new Paragraph({ text: `${key} ${of}`, heading: HeadingLevel.HEADING_2 }),
      new Paragraph({
        children: [
          new TextRun({
            text: `${words[what]}${was !== null && is !== null && was !== is ? `, revision ${was} to ${is}` : ''}`,
            italics: true,
          }),
        ],
      }),
      ...differences.map(
        ({ name, before, after }) =>
          new Paragraph({ children: [new TextRun({ text: `${name}: `, bold: true }), ...marked(before, after)] }),
      ),
    ]),
  ];
  return Packer.toBuffer(new Document({ creator: author, title, sections: [{ children }] }));
}

/** The same on paper: what is new underlined, what is gone struck out. */
export function changesPdf({ title, changes, words, at }: ChangesDocument): Promise<Uint8Array> {
  const marked = (before: string, after: string) =>
    wordDifference(before, after).map(({ kind, text }) => ({
      text: legible(text),
      ...(kind === 'added' ? { decoration: 'underline' as const, color: '#0D5B66' } : {}),
      ...(kind === 'removed' ? { decoration: 'lineThrough' as const, color: '#AE3226' } : {}),
    }));
  const content: Content[] = [
    { text: legible(title), fontSize: 18, bold: true, margin: [0, 0, 0, 4] },
    { text: at.toISOString().slice(0, 10), style: 'small', margin: [0, 0, 0, 12] },
    ...(changes.length ? [] : [{ text: 'Nothing is different.' }]),
    ...changes.flatMap(({ key, title: of, what, revisions: [was, is], differences }): Content[] => [
      {
        text: [
          { text: `${key}  `, color: '#0D5B66', font: 'Sans' },
          { text: legible(of), bold: true },
        ],
        margin: [0, 9, 0, 1],
      },
      { text: `${words[what]}${was !== null && is !== null && was !== is ? `, revision ${was} to ${is}` : ''}`, style: 'small' },
      ...differences.map(({ name, before, after }): Content => ({
        text: [{ text: `${legible(name)}: `, bold: true }, ...marked(before, after)],
        margin: [0, 1, 0, 2],
      })),
    ]),
  ];
  return printPdf({ ...paperPage(title, at), content });
}
