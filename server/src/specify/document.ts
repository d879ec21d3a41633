import {
  documentHtml,
  documentMarkdown,
  inReadingOrder,
  type DocumentRow,
  type RequirementContent,
  type SpecificationDocument,
} from '@core/specify';
import { compareKeys, groupBy } from '@core/base';
import { and, asc, eq, inArray, isNull } from 'drizzle-orm';
import {
  ownWords,
  picturesIn,
  allRows,
  listFields,
  needRecord,
  projects,
  records,
  Refusal,
  revisions,
  traces,
  wholeBlob,
  type Db,
  type StoredRecord,
  type Tx,
} from '../base';
import { documentDocx } from './document-docx';
import { documentPdf } from './document-pdf';
import { wholeRequirements } from './exports';
import { contentOf, needSpecification, requirementList } from './store';

export const documentFormats = ['docx', 'pdf', 'html', 'md'] as const;
export type DocumentFormat = (typeof documentFormats)[number];
/** What a document is of: a specification, a branch of it, or what a list's question finds, in its order. */
export type DocumentPart =
  | { readonly specification: string; readonly under?: string | undefined }
  | { readonly filter?: string | undefined; readonly sort?: string | undefined };
export interface DocumentHow {
  readonly format: DocumentFormat;
  readonly traces: boolean;
  readonly history: boolean;
  readonly at: Date;
}

const types: Readonly<Record<DocumentFormat, string>> = {
  docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
  pdf: 'application/pdf',
  html: 'text/html; charset=utf-8',
  md: 'text/markdown; charset=utf-8',
};
/** More rows than this are no document that anybody opens. */
const mostRows = 10_000;

/** A document as a file. */
export interface WrittenDocument {
  readonly type: string;
  readonly name: string;
  readonly body: Buffer | string;
}

/** Refuses what is too long to be a document. */
export function refuseLong(rows: readonly unknown[]): void {
  if (rows.length > mostRows)
    throw new Refusal('tooLarge', { detail: `It has ${rows.length} rows; a document has at most ${mostRows}: take a part of it.` });
}

/** Requirements as a document to be read outside. */
export async function requirementsDocument(db: Db, projectId: number, part: DocumentPart, how: DocumentHow): Promise<WrittenDocument> {
  const { title, rows } = await db.transaction(async (tx) => {
    const { title, chosen } = 'specification' in part ? await branchOf(tx, projectId, part) : await foundBy(tx, projectId, part);
    refuseLong(chosen);
    return { title, rows: await documentRows(tx, projectId, chosen, how.history) };
  });
  return writeDocument(db, projectId, { title, rows }, how, 'specification' in part ? (part.under ?? part.specification) : 'requirements');
}

/** Writes a document with its pictures, as the format that was asked for. */
export async function writeDocument(
  db: Db,
  projectId: number,
  given: Pick<SpecificationDocument, 'title' | 'note' | 'rows'>,
  { format, traces: withTraces, history, at }: DocumentHow,
  fileName: string,
): Promise<WrittenDocument> {
  const [{ name: project }] = await db.select({ name: projects.name }).from(projects).where(eq(projects.id, projectId));
  const hashes = [...new Set(given.rows.flatMap(({ content }) => picturesIn(content.html)))];
  const pictures = new Map<string, Buffer>();
  if (format !== 'md') for (const hash of hashes) pictures.set(hash, await wholeBlob(db, hash));
  const document: SpecificationDocument = { ...given, project, at: at.toISOString() };
  const options = { traces: withTraces, history };
  const name = `${fileName}.${format}`;
  switch (format) {
    case 'md':
      return { type: types.md, name, body: [...documentMarkdown(document, options)].join('') };
    case 'html': {
      const inline = new Map([...pictures].map(([hash, bytes]) => [hash, `data:${kindOf(bytes)};base64,${bytes.toString('base64')}`]));
      return { type: types.html, name, body: [...documentHtml(document, options, inline)].join('') };
    }
    case 'docx':
      return { type: types.docx, name, body: await documentDocx(document, options, pictures) };
    case 'pdf':
      return { type: types.pdf, name, body: Buffer.from(await documentPdf(document, options, pictures)) };
  }
}

/** What a picture is, by its first bytes. */
export const kindOf = (bytes: Buffer): 'image/png' | 'image/jpeg' | 'image/gif' | 'image/webp' =>
  bytes[0] === 0x89 ? 'image/png' : bytes[0] === 0xff ? 'image/jpeg' : bytes[0] === 0x47 ? 'image/gif' : 'image/webp';

interface Chosen {
  readonly key: string;
  readonly under: string | null;
  readonly record: StoredRecord;
  readonly parents: readonly string[];
  readonly content: RequirementContent;
}

async function wholeOf(tx: Tx, projectId: number, specificationId: number | undefined): Promise<Chosen[]> {
  return (await wholeRequirements(tx, projectId, specificationId))
    .filter(({ record }) => record.retiredAt === null)
    .map(({ record, row, details, under, parents }) => ({
      key: record.key,
      under,
      record,
      parents,
      content: contentOf({ record, row, details }),
    }));
}

async function branchOf(
  tx: Tx,
  projectId: number,
  { specification: key, under }: { readonly specification: string; readonly under?: string | undefined },
): Promise<{ title: string; chosen: Chosen[] }> {
  const specification = await needSpecification(tx, projectId, key);
  const all = inReadingOrder(await wholeOf(tx, projectId, specification.id));
  if (under === undefined) return { title: specification.record.title, chosen: all };
  const top = await needRecord(tx, projectId, 'requirement', under);
  const within = new Set([top.key]);
  const branch = all.filter((row) => row.key === top.key || (row.under !== null && within.has(row.under) && within.add(row.key)));
  return {
    title: `${specification.record.title}: ${top.title}`,
    chosen: branch.map((row) => (row.key === top.key ? { ...row, under: null } : row)),
  };
}

/** What a list's question finds, in its order, each for itself. */
async function foundBy(
  tx: Tx,
  projectId: number,
  { filter, sort }: { readonly filter?: string | undefined; readonly sort?: string | undefined },
): Promise<{ title: string; chosen: Chosen[] }> {
  const byId = new Map((await wholeOf(tx, projectId, undefined)).map((row) => [row.record.id, row]));
  const query = { ...(filter ? { filter } : {}), ...(sort ? { sort } : {}) };
  const chosen: Chosen[] = [];
  const load = (_: Db | Tx, ids: readonly number[]) => Promise.resolve(ids.map((id) => ({ id })));
  for await (const { id } of allRows(tx as Db, projectId, requirementList(projectId, undefined), query, load)) {
    const row = byId.get(id);
    if (row) chosen.push({ ...row, under: null });
  }
  return { title: 'Requirements', chosen };
}

async function documentRows(tx: Tx, projectId: number, chosen: readonly Chosen[], history: boolean): Promise<DocumentRow[]> {
  const names = new Map((await listFields(tx, projectId)).map((field) => [String(field.id), field.name]));
  const below = groupBy(await endsOf(tx, projectId), (t) => t.to);
  const ids = chosen.map(({ record }) => record.id);
  const past = history ? await historyOf(tx, ids) : new Map<number, DocumentRow['history']>();
  const keysOf = (id: number, kind: string): string[] =>
    (below.get(id) ?? []).flatMap((t) => (t.kind === kind ? [t.key] : [])).sort(compareKeys);
  return chosen.map(({ record, content, parents, under }) => ({
    key: record.key,
    under,
    content,
    state: record.state,
    revision: record.revision,
    own: Object.fromEntries(
      Object.entries(record.own).flatMap(([id, value]) =>
        names.has(id) && value !== null ? [[names.get(id) ?? '', ownWords(value)]] : [],
      ),
    ),
    parents,
    children: keysOf(record.id, 'parent'),
    cases: keysOf(record.id, 'verifies'),
    history: past.get(record.id) ?? [],
  }));
}

const endsOf = (tx: Tx, projectId: number) =>
  tx
    .select({ kind: traces.kind, to: traces.toId, key: records.key })
    .from(traces)
    .innerJoin(records, eq(records.id, traces.fromId))
    .where(and(eq(traces.projectId, projectId), inArray(traces.kind, ['parent', 'verifies']), isNull(traces.removedAt)));

async function historyOf(tx: Tx, ids: readonly number[]): Promise<Map<number, DocumentRow['history']>> {
  const rows: { id: number; revision: number; state: string; by: string; at: string; reason: string }[] = [];
  for (let at = 0; at < ids.length; at += 500)
    rows.push(
      ...(await tx
        .select({
          id: revisions.recordId,
          revision: revisions.revision,
          state: revisions.state,
          by: revisions.by,
          at: revisions.at,
          reason: revisions.reason,
        })
        .from(revisions)
        .where(inArray(revisions.recordId, ids.slice(at, at + 500)))
        .orderBy(asc(revisions.seq))),
    );
  return groupBy(
    rows,
    (row) => row.id,
    ({ id: _, ...line }) => line,
  );
}
