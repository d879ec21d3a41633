import type { OwnValue } from '@contract/base';
import { compareKeys, groupBy } from '@core/base';
import { inReadingOrder, requirementCells, requirementColumns, writeReqif, type ReqifDocument } from '@core/specify';
import { and, asc, eq, isNull } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { strToU8, zipSync } from 'fflate';
import { picturesIn, listFields, needFileOf, profileOf, records, traces, wholeBlob, type Db, type Tx } from '../base';
import { keptExchange } from './exchange';
import { contentOf, needSpecification } from './store';
import { requirementDetails, requirements } from './tables';

/** Requirements with all that belongs to them, by place: of a specification, or of the project. */
export async function wholeRequirements(tx: Db | Tx, projectId: number, specificationId: number | undefined) {
  const under = alias(records, 'under_record');
  const specification = alias(records, 'specification_record');
  const rows = await tx
    .select({ record: records, row: requirements, details: requirementDetails, specification: specification.key, under: under.key })
    .from(requirements)
    .innerJoin(records, eq(records.id, requirements.id))
    .innerJoin(specification, eq(specification.id, requirements.specificationId))
    .leftJoin(under, eq(under.id, requirements.underId))
    .leftJoin(requirementDetails, eq(requirementDetails.id, requirements.id))
    .where(
      and(
        eq(requirements.projectId, projectId),
        ...(specificationId === undefined ? [] : [eq(requirements.specificationId, specificationId)]),
      ),
    )
    .orderBy(asc(requirements.position));
  const parents = groupBy(
    await tx
      .select({ from: traces.fromId, to: records.key })
      .from(traces)
      .innerJoin(records, eq(records.id, traces.toId))
      .where(and(eq(traces.projectId, projectId), eq(traces.kind, 'parent'), isNull(traces.removedAt))),
    (t) => t.from,
    (t) => t.to,
  );
  return rows.map((r) => ({ ...r, parents: [...(parents.get(r.record.id) ?? [])].sort(compareKeys) }));
}

const cellOf = (value: OwnValue | undefined): string | number =>
  value === undefined || value === null
    ? ''
    : Array.isArray(value)
      ? value.join('; ')
      : typeof value === 'boolean'
        ? value
          ? 'yes'
          : 'no'
        : value;

/** The requirements of a specification (or of all) as a table; imported again it changes nothing. */
export async function importableTable(
  db: Db,
  projectId: number,
  specification: string | undefined,
): Promise<{ readonly columns: string[]; readonly lines: (string | number | null)[][] }> {
  const specificationId = specification ? (await needSpecification(db, projectId, specification)).id : undefined;
  const rows = await wholeRequirements(db, projectId, specificationId);
  const fields = (await listFields(db, projectId)).filter((field) => field.kind === 'requirement' && !field.retired);
  return {
    columns: [...requirementColumns, ...fields.map((field) => field.name)],
    lines: rows
      .sort((a, b) => compareKeys(a.record.key, b.record.key))
      .map(({ record, row, details, under, parents }) => [
        ...requirementCells({
          key: record.key,
          under,
          content: contentOf({ record, row, details }),
          parents,
          state: record.state,
          revision: record.revision,
        }),
        ...fields.map((field) => cellOf(record.own[String(field.id)])),
      ]),
  };
}

/** A specification as ReqIF, written while it is read: what comes back is recognised by its identifiers. */
export async function exportReqif(db: Db, projectId: number, key: string): Promise<Generator<string>> {
  return writeReqif(await reqifOf(db, projectId, key));
}

async function reqifOf(db: Db, projectId: number, key: string): Promise<ReqifDocument> {
  const { record, id } = await needSpecification(db, projectId, key);
  const { levels } = await profileOf(db, projectId);
  const rows = await wholeRequirements(db, projectId, id);
  return {
    title: record.title,
    key: record.key,
    createdAt: record.updatedAt,
    levels,
    kept: await keptExchange(db, id),
    rows: inReadingOrder(
      rows.map(({ record: r, row, details, under, parents }) => ({
        key: r.key,
        under,
        content: contentOf({ record: r, row, details }),
        state: r.state,
        revision: r.revision,
        updatedAt: r.updatedAt,
        parents,
      })),
    ),
  };
}

const endings: Readonly<Record<string, string>> = { 'image/png': 'png', 'image/jpeg': 'jpg', 'image/gif': 'gif', 'image/webp': 'webp' };

/** The same as an archive with the pictures of its texts. */
export async function exportReqifz(db: Db, projectId: number, key: string): Promise<Uint8Array> {
  const document = await reqifOf(db, projectId, key);
  const hashes = new Set(document.rows.flatMap(({ content }) => picturesIn(content.html)));
  const pictures = new Map<string, { name: string; mime: string }>();
  const files: Record<string, Uint8Array> = {};
  for (const hash of hashes) {
    const { mime } = await needFileOf(db, projectId, hash);
    const name = `pictures/${hash}.${endings[mime] ?? 'bin'}`;
    pictures.set(hash, { name, mime });
    files[name] = await wholeBlob(db, hash);
  }
  files[`${key}.reqif`] = strToU8([...writeReqif({ ...document, pictures })].join(''));
  return zipSync(files);
}
