import { documentHtml, documentMarkdown, inReadingOrder, type DocumentRow, type SpecificationDocument } from '@core/specify';
import { compareKeys, groupBy } from '@core/base';
import { and, asc, eq, inArray, isNull } from 'drizzle-orm';
import { listFields, needRecord, projects, records, Refusal, revisions, traces, wholeBlob, type Db, type Tx } from '../base';
import { documentDocx } from './document-docx';
import { documentPdf } from './document-pdf';
import { wholeRequirements } from './exports';
import { contentOf, needSpecification } from './store';

export const documentFormats = ['docx', 'pdf', 'html', 'md'] as const;
export type DocumentFormat = (typeof documentFormats)[number];
export interface DocumentQuestion {
  readonly format: DocumentFormat;
  /** Only what stands below this one, with it. */
  readonly under?: string | undefined;
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

/** A specification, or a branch of it, as a document to be read outside. */
export async function specificationDocument(
  db: Db,
  projectId: number,
  key: string,
  { format, under, traces: withTraces, history, at }: DocumentQuestion,
): Promise<{ type: string; name: string; body: Buffer | string }> {
  const { document, pictures } = await db.transaction(async (tx) => {
    const found = await rowsOf(tx, projectId, key, under, { history });
    const [{ name }] = await tx.select({ name: projects.name }).from(projects).where(eq(projects.id, projectId));
    const hashes = [
      ...new Set(found.rows.flatMap(({ content }) => [...(content.html ?? '').matchAll(/files\/([0-9a-f]{64})/g)].map(([, hash]) => hash))),
    ];
    const images = new Map<string, Buffer>();
    if (format !== 'md') for (const hash of hashes) images.set(hash, await wholeBlob(tx, hash));
    const made: SpecificationDocument = { title: found.title, project: name, at: at.toISOString(), rows: found.rows };
    return { document: made, pictures: images };
  });
  const options = { traces: withTraces, history };
  const name = `${under ?? key}.${format}`;
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

async function rowsOf(
  tx: Tx,
  projectId: number,
  key: string,
  under: string | undefined,
  { history }: { readonly history: boolean },
): Promise<{ title: string; rows: DocumentRow[] }> {
  const specification = await needSpecification(tx, projectId, key);
  const names = new Map((await listFields(tx, projectId)).map((field) => [String(field.id), field.name]));
  const all = inReadingOrder(
    (await wholeRequirements(tx, projectId, specification.id))
      .filter(({ record }) => record.retiredAt === null)
      .map(({ record, row, details, under: above, parents }) => ({
        key: record.key,
        under: above,
        record,
        parents,
        content: contentOf({ record, row, details }),
      })),
  );
  let chosen = all;
  let title = specification.record.title;
  if (under !== undefined) {
    const top = await needRecord(tx, projectId, 'requirement', under);
    const within = new Set([top.key]);
    chosen = all.filter((row) => row.key === top.key || (row.under !== null && within.has(row.under) && within.add(row.key)));
    title = `${specification.record.title}: ${top.title}`;
  }
  if (chosen.length > mostRows)
    throw new Refusal('tooLarge', { detail: `It has ${chosen.length} rows; a document has at most ${mostRows}: take a branch of it.` });
  const ids = chosen.map(({ record }) => record.id);
  const below = groupBy(await endsOf(tx, projectId), (t) => t.to);
  const past = history ? await historyOf(tx, ids) : new Map<number, DocumentRow['history']>();
  const keysOf = (id: number, kind: string): string[] =>
    (below.get(id) ?? []).flatMap((t) => (t.kind === kind ? [t.key] : [])).sort(compareKeys);
  return {
    title,
    rows: chosen.map(({ record, content, parents, under: above }, i) => ({
      key: record.key,
      under: i === 0 && under !== undefined ? null : above,
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
    })),
  };
}

const ownWords = (value: unknown): string =>
  Array.isArray(value) ? value.join(', ') : value === true ? 'yes' : value === false ? 'no' : String(value);

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
