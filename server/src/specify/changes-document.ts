import { wordDifference } from '@core/base';
import type { BaselineChange } from '@core/specify';

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
