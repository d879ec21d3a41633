import {
  caseFacts,
  caseHtml,
  caseTexts,
  rowColumns,
  stepCells,
  writeCaseFile,
  type CaseDocument,
  type CaseDocumentOptions,
  type FiledCase,
} from '@core/design';
import { groupBy } from '@core/base';
import { and, eq, inArray, isNull } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import type { Content } from 'pdfmake/interfaces';
import { allRows, legible, paperPage, printPdf, projects, records, Refusal, traces, type Db } from '../base';
import { foldersBelow, listFolders } from './folders';
import { caseContent, caseList, casesById, needCases } from './store';
import { casePlaces } from './tables';

export const caseDocumentFormats = ['docx', 'pdf', 'html', 'json'] as const;
export type CaseDocumentFormat = (typeof caseDocumentFormats)[number];
/** What a document is of: cases by their keys, a folder with all below it, or what a list's question finds. */
export interface CaseDocumentPart {
  readonly cases?: readonly string[] | undefined;
  readonly folder?: string | undefined;
  readonly filter?: string | undefined;
}

const types: Readonly<Record<CaseDocumentFormat, string>> = {
  docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
  pdf: 'application/pdf',
  html: 'text/html; charset=utf-8',
  json: 'application/json; charset=utf-8',
};
/** More cases than these are no document that anybody opens; as JSON they are a file. */
const most: Readonly<Record<CaseDocumentFormat, number>> = { docx: 2000, pdf: 2000, html: 10_000, json: 50_000 };

const requirementRecord = alias(records, 'requirement_record');

async function idsOf(
  db: Db,
  projectId: number,
  { cases: keys, folder, filter }: CaseDocumentPart,
): Promise<{ ids: number[]; title: string }> {
  if (keys?.length)
    return { ids: (await needCases(db, projectId, keys)).map((c) => c.record.id), title: keys.length === 1 ? keys[0] : 'Cases' };
  if (folder !== undefined) {
    const inside = await foldersBelow(db, projectId, folder);
    const [{ title }] = await db.select({ title: records.title }).from(records).where(eq(records.id, inside[0]));
    const rows = await db
      .select({ id: casePlaces.id })
      .from(casePlaces)
      .innerJoin(records, eq(records.id, casePlaces.id))
      .where(and(inArray(casePlaces.folderId, inside), isNull(records.retiredAt)))
      .orderBy(records.keyPrefix, records.keyNumber);
    return { ids: rows.map(({ id }) => id), title };
  }
  const ids: number[] = [];
  for await (const { id } of allRows(db, projectId, caseList(projectId), { filter, sort: 'key' }, async (_, found) =>
    found.map((id) => ({ id })),
  ))
    ids.push(id);
  return { ids, title: 'Verification cases' };
}

/** The paths of all folders by their keys: `Brake / Cold`. */
async function folderPaths(db: Db, projectId: number): Promise<Map<string, string>> {
  const paths = new Map<string, string>();
  for (const { key, title, under } of (await listFolders(db, projectId)).folders)
    paths.set(key, under === null ? title : `${paths.get(under) ?? ''} / ${title}`);
  return paths;
}

async function filedCases(db: Db, projectId: number, ids: readonly number[]): Promise<FiledCase[]> {
  const found = await casesById(db, ids);
  const paths = await folderPaths(db, projectId);
  const folderRecord = alias(records, 'folder_record');
  const places = new Map<number, string>();
  const verifies = new Map<number, string[]>();
  for (let at = 0; at < ids.length; at += 1000) {
    const part = ids.slice(at, at + 1000);
    for (const { id, key } of await db
      .select({ id: casePlaces.id, key: folderRecord.key })
      .from(casePlaces)
      .innerJoin(folderRecord, eq(folderRecord.id, casePlaces.folderId))
      .where(inArray(casePlaces.id, part)))
      places.set(id, key);
    const traced = await db
      .select({ from: traces.fromId, to: requirementRecord.key })
      .from(traces)
      .innerJoin(requirementRecord, eq(requirementRecord.id, traces.toId))
      .where(and(inArray(traces.fromId, part), eq(traces.kind, 'verifies'), isNull(traces.removedAt)));
    for (const [from, list] of groupBy(traced, (t) => t.from)) verifies.set(from, list.map((t) => t.to).sort());
  }
  return ids.flatMap((id) => {
    const stored = found.get(id);
    if (!stored) return [];
    const { record } = stored;
    return {
      key: record.key,
      revision: record.revision,
      state: record.state,
      folder: paths.get(places.get(id) ?? '') ?? '',
      verifies: verifies.get(id) ?? [],
      content: caseContent(stored),
    };
  });
}

/** Cases as a document to be read outside, or as a file that is read back to the same cases. */
export async function casesDocument(
  db: Db,
  projectId: number,
  part: CaseDocumentPart,
  { format, traces: withTraces, at }: { readonly format: CaseDocumentFormat; readonly traces: boolean; readonly at: Date },
): Promise<{ type: string; name: string; body: Buffer | string }> {
  const { ids, title } = await idsOf(db, projectId, part);
  if (ids.length > most[format])
    throw new Refusal('tooLarge', {
      detail: `These are ${ids.length} cases; as ${format.toUpperCase()} at most ${most[format]}: take a part of them.`,
    });
  const cases = await filedCases(db, projectId, ids);
  const [{ name: project }] = await db.select({ name: projects.name }).from(projects).where(eq(projects.id, projectId));
  const document: CaseDocument = { title, project, at: at.toISOString(), cases };
  const options = { traces: withTraces };
  const name = `${part.folder ?? (part.cases?.length === 1 ? part.cases[0] : 'cases')}.${format}`;
  const type = types[format];
  switch (format) {
    case 'json':
      return { type, name, body: writeCaseFile(withTraces ? cases : cases.map((c) => ({ ...c, verifies: [] }))) };
    case 'html':
      return { type, name, body: [...caseHtml(document, options)].join('') };
    case 'docx':
      return { type, name, body: await docxOf(document, options) };
    case 'pdf':
      return { type, name, body: Buffer.from(await printPdf({ ...paperPage(title, at), content: paperOf(document, options) })) };
  }
}

const [cord, second] = ['#0D5B66', '#5B6673'];

function paperOf({ title, project, at, cases }: CaseDocument, options: CaseDocumentOptions): Content[] {
  const text = (words: string): string => legible(words);
  const out: Content[] = [
    { text: text(title), fontSize: 20, bold: true },
    { text: text(`${project}, ${at.slice(0, 10)}`), color: second, margin: [0, 2, 0, 10] },
  ];
  for (const one of cases) {
    const { key, content } = one;
    out.push({ text: [{ text: `${key} `, color: cord }, text(content.title)], fontSize: 13, bold: true, margin: [0, 12, 0, 4] });
    const facts = [...caseFacts(one, options), ...caseTexts(content)];
    if (facts.length)
      out.push({
        table: { widths: [80, '*'], body: facts.map(([label, value]) => [{ text: label, color: second }, text(value)]) },
        layout: 'noBorders',
        fontSize: 9,
      });
    const steps = content.steps.map((step, i) => [String(i + 1), ...stepCells(step).map(text)]);
    if (steps.length)
      out.push({
        table: {
          headerRows: 1,
          widths: [24, '*', '*'],
          body: [['', 'Action', 'Expected result'].map((words) => ({ text: words, color: second })), ...steps],
        },
        layout: 'lightHorizontalLines',
        fontSize: 9,
        margin: [0, 6, 0, 0],
      });
    const columns = rowColumns(content).slice(0, 8);
    if (content.rows?.length)
      out.push({
        table: {
          headerRows: 1,
          widths: ['auto', ...columns.map(() => '*')],
          body: [
            ['Data row', ...columns].map((words) => ({ text: text(words), color: second })),
            ...content.rows.map((row) => [text(row.name), ...columns.map((column) => text(row.values[column] ?? ''))]),
          ],
        },
        layout: 'lightHorizontalLines',
        fontSize: 8,
        margin: [0, 6, 0, 0],
      });
  }
  return out;
}

async function docxOf({ title, project, at, cases }: CaseDocument, options: CaseDocumentOptions): Promise<Buffer> {
  // Not read at each start: a node is to be back soon.
  const { Document, HeadingLevel, Packer, Paragraph, Table, TableCell, TableRow, TextRun, WidthType } = await import('docx');
  const paragraphs = (words: string, bold = false) =>
    words.split('\n').map((line) => new Paragraph({ children: [new TextRun({ text: line, size: 19, bold })] }));
  const table = (rows: readonly (readonly string[])[], widths: readonly number[], headed: boolean) =>
    new Table({
      width: { size: 100, type: WidthType.PERCENTAGE },
      rows: rows.map(
        (cells, i) =>
          new TableRow({
            tableHeader: headed && i === 0,
            children: cells.map(
              (cell, c) =>
                new TableCell({
                  width: { size: widths[c] ?? 10, type: WidthType.PERCENTAGE },
                  children: paragraphs(cell, headed && i === 0),
                }),
            ),
          }),
      ),
    });
  const children: (InstanceType<typeof Paragraph> | InstanceType<typeof Table>)[] = [
    new Paragraph({ text: title, heading: HeadingLevel.TITLE }),
    new Paragraph({ children: [new TextRun({ text: `${project}, ${at.slice(0, 10)}`, color: '5B6673' })] }),
  ];
  for (const one of cases) {
    const { key, content } = one;
    children.push(
      new Paragraph({
        heading: HeadingLevel.HEADING_1,
        children: [new TextRun({ text: `${key} `, color: '0D5B66' }), new TextRun(content.title)],
      }),
    );
    const facts = [...caseFacts(one, options), ...caseTexts(content)];
    if (facts.length) children.push(table(facts, [22, 78], false), new Paragraph(''));
    if (content.steps.length)
      children.push(
        table(
          [['', 'Action', 'Expected result'], ...content.steps.map((step, i) => [String(i + 1), ...stepCells(step)])],
          [6, 47, 47],
          true,
        ),
        new Paragraph(''),
      );
    const columns = rowColumns(content);
    if (content.rows?.length) {
      const width = Math.floor(80 / Math.max(1, columns.length));
      children.push(
        table(
          [['Data row', ...columns], ...content.rows.map((row) => [row.name, ...columns.map((c) => row.values[c] ?? '')])],
          [20, ...columns.map(() => width)],
          true,
        ),
        new Paragraph(''),
      );
    }
  }
  return Packer.toBuffer(new Document({ creator: 'Cord Proof', title, sections: [{ children }] }));
}
