import type { Requirement, RequirementDetail } from '@contract/specify';
import { compareKeys, groupBy, textHash } from '@core/base';
import { requirementText, saidDetails, type RequirementContent, type RequirementState } from '@core/specify';
import { and, asc, eq, isNull, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  isNone,
  shownColumns,
  statement,
  type Ids,
  account,
  lockRecord,
  mentionedIn,
  needRecord,
  paragraphs,
  recordFields,
  records,
  Refusal,
  shownSignature,
  signaturesOf,
  traces,
  tracesAt,
  type Db,
  type ListSource,
  type StoredRecord,
  type Tx,
  type Writing,
} from '../base';
import { boundaryCounts, requirementDetails, requirements, specifications } from './tables';
import { dismissalsOf } from './wording';

export const requirementRows = account({
  name: 'requirements',
  table: requirements,
  id: requirements.id,
  project: requirements.projectId,
  columns: [
    ['specificationId', requirements.specificationId],
    ['underId', requirements.underId],
    ['position', requirements.position],
    ['kind', requirements.kind],
    ['html', requirements.html],
    ['text', requirements.text],
    ['rationale', requirements.rationale],
    ['level', requirements.level],
    ['method', requirements.method],
    ['topLevel', requirements.topLevel],
    ['derived', requirements.derived],
    ['notInCode', requirements.notInCode],
    ['notInCodeRationale', requirements.notInCodeRationale],
  ],
});

export const detailRows = account({
  name: 'requirement_details',
  table: requirementDetails,
  id: requirementDetails.id,
  project: requirementDetails.projectId,
  columns: [
    ['criteria', requirementDetails.criteria],
    ['source', requirementDetails.source],
    ['risk', requirementDetails.risk],
    ['priority', requirementDetails.priority],
    ['tags', requirementDetails.tags],
  ],
});

/** A requirement whole: its record and what its kind has. */
export interface StoredRequirement {
  readonly record: StoredRecord;
  readonly row: typeof requirements.$inferSelect;
  readonly details: typeof requirementDetails.$inferSelect | null;
}

export function contentOf({
  record,
  row,
  details,
}: Omit<StoredRequirement, 'record'> & { readonly record: Pick<StoredRecord, 'title'> }): RequirementContent {
  const { kind, text, rationale, level, method, topLevel, derived, notInCode, notInCodeRationale } = row;
  const laidOut = row.html !== paragraphs(text) ? { html: row.html } : {};
  const plain = { kind, title: record.title, text, ...laidOut, rationale, level, method, topLevel, derived, notInCode, notInCodeRationale };
  return { ...plain, ...saidDetails(details ?? {}) };
}

/** What an approval of the present revision is bound to. */
export const requirementHash = (stored: StoredRequirement): string =>
  textHash(requirementText(stored.record.key, stored.record.revision, contentOf(stored)));

export async function needRequirement(db: Db | Tx, projectId: number, key: string): Promise<StoredRequirement> {
  return wholeRequirement(db, await needRecord(db, projectId, 'requirement', key));
}

/** What belongs to a requirement's record. */
export async function wholeRequirement(db: Db | Tx, record: StoredRecord): Promise<StoredRequirement> {
  const [{ row, details }] = await db
    .select({ row: requirements, details: requirementDetails })
    .from(requirements)
    .leftJoin(requirementDetails, eq(requirementDetails.id, requirements.id))
    .where(eq(requirements.id, record.id));
  return { record, row, details };
}

const specificationRecord = alias(records, 'specification_record');
const underRecord = alias(records, 'under_record');

/** What lists show of the records, the requirements' own columns, and what stands beside them. */
const shownRows = statement((db) =>
  db
    .select({
      record: shownColumns,
      row: requirements,
      details: requirementDetails,
      specification: specificationRecord.key,
      under: underRecord.key,
    })
    .from(requirements)
    .innerJoin(records, eq(records.id, requirements.id))
    .leftJoin(requirementDetails, eq(requirementDetails.id, requirements.id))
    .innerJoin(specificationRecord, eq(specificationRecord.id, requirements.specificationId))
    .leftJoin(underRecord, eq(underRecord.id, requirements.underId))
    .where(sql`${requirements.id} in (${sql.placeholder('ids')})`),
);

const parentRows = statement((db) =>
  db
    .select({ from: traces.fromId, to: records.key })
    .from(traces)
    .innerJoin(records, eq(records.id, traces.toId))
    .where(and(sql`${traces.fromId} in (${sql.placeholder('ids')})`, eq(traces.kind, 'parent'), isNull(traces.removedAt))),
);

/** Requirements as lists and details show them, by their ids. */
export async function requirementsById(db: Db | Tx, ids: Ids): Promise<(Requirement & { id: number })[]> {
  if (isNone(ids)) return [];
  const [rows, above] = await Promise.all([shownRows(db, { ids }), parentRows(db, { ids })]);
  const parents = groupBy(
    above,
    (t) => t.from,
    (t) => t.to,
  );
  return rows.map(({ record, row, details, specification, under }) => ({
    derivedFrom: [...(parents.get(record.id) ?? [])].sort(compareKeys),
    ...contentOf({ record, row, details }),
    id: record.id,
    key: record.key,
    specification,
    under,
    position: row.position,
    revision: record.revision,
    state: record.state as RequirementState,
    own: { ...record.own } as Requirement['own'],
    updatedBy: record.updatedBy,
    updatedAt: record.updatedAt,
  }));
}

/** How requirements are asked for in lists. */
export function requirementList(projectId: number, specificationId: number | undefined): ListSource {
  return {
    from: sql`from ${records} left join ${requirements} on ${requirements.id} = ${records.id} left join ${records} sr on sr.id = ${requirements.specificationId} left join ${requirementDetails} on ${requirementDetails.id} = ${requirements.id} left join ${boundaryCounts} on ${boundaryCounts.id} = ${requirements.id}`,
    fields: {
      ...recordFields,
      kind: { value: requirements.kind, type: 'text', plain: true },
      level: { value: requirements.level, type: 'text', plain: true, within: eq(requirements.projectId, projectId) },
      method: { value: requirements.method, type: 'text', plain: true },
      derived: { value: requirements.derived, type: 'yesNo', plain: true },
      topLevel: { value: requirements.topLevel, type: 'yesNo', plain: true },
      notInCode: { value: requirements.notInCode, type: 'yesNo', plain: true },
      source: { value: sql`ifnull(${requirementDetails.source}, '')`, type: 'text' },
      risk: { value: sql`ifnull(${requirementDetails.risk}, '')`, type: 'text' },
      priority: { value: sql`ifnull(${requirementDetails.priority}, '')`, type: 'text' },
      tags: { value: sql`ifnull(${requirementDetails.tags}, '[]')`, type: 'text', list: sql`${requirementDetails.tags}` },
      specification: { value: sql`sr.record_key`, type: 'text' },
      position: { value: requirements.position, type: 'number' },
      under: {
        value: sql`(select ur.record_key from ${records} ur where ur.id = ${requirements.underId})`,
        type: 'text',
      },
      boundaries: { value: sql`ifnull(${boundaryCounts.points}, 0)`, type: 'number' },
      openBoundaries: { value: sql`ifnull(${boundaryCounts.open}, 0)`, type: 'number' },
      'trace.parent': { value: tracesFrom('parent'), type: 'number' },
      'trace.cases': { value: tracesTo('verifies'), type: 'number' },
      'trace.problems': { value: tracesTo('foundAgainst'), type: 'number' },
    },
    projectId,
    words: records.words,
    where: and(
      eq(records.projectId, projectId),
      eq(records.kind, 'requirement'),
      ...(specificationId === undefined ? [] : [eq(requirements.specificationId, specificationId)]),
    ) as ListSource['where'],
    sort: 'key',
    kept: `requirements ${specificationId ?? ''}`,
  };
}

const tracesFrom = (kind: string) =>
  sql`(select count(*) from traces t where t.from_id = ${records.id} and t.kind = ${kind} and t.removed_at is null)`;
const tracesTo = (kind: string) =>
  sql`(select count(*) from traces t where t.to_id = ${records.id} and t.kind = ${kind} and t.removed_at is null)`;

export async function requirementDetail(db: Db | Tx, projectId: number, key: string): Promise<RequirementDetail> {
  const stored = await needRequirement(db, projectId, key);
  const { record } = stored;
  const [{ id: _, ...shown }] = await requirementsById(db, [record.id]);
  const all = await tracesAt(db, [record.id]);
  const signed = await signaturesOf(db, [record.id]);
  return {
    ...shown,
    parents: all.filter((t) => t.kind === 'parent' && t.from === record.key),
    children: all.filter((t) => t.kind === 'parent' && t.to === record.key),
    cases: all.filter((t) => t.kind === 'verifies'),
    traces: all,
    author: record.authoredBy,
    hash: requirementHash(stored),
    signatures: signed.map(shownSignature),
    dismissals: await dismissalsOf(db, record.id),
    mentions: await mentionedIn(db, projectId, [stored.row.text, stored.row.rationale], record.key),
  };
}

export async function needSpecification(
  db: Db | Tx,
  projectId: number,
  key: string,
): Promise<{ readonly record: StoredRecord; readonly id: number; readonly prefix: string }> {
  const record = await needRecord(db, projectId, 'specification', key);
  const [row] = await db.select().from(specifications).where(eq(specifications.id, record.id));
  if (!row) throw new Refusal('notFound', { detail: `There is no specification ${key}.` });
  return { record, id: row.id, prefix: row.prefix };
}

/** The same, its row locked: it orders those who write into one specification. */
export async function lockSpecification(w: Writing, key: string): ReturnType<typeof needSpecification> {
  return needSpecification(w.tx, w.actor.projectId, (await lockRecord(w, 'specification', key)).key);
}

/** Siblings in the tree, in their order. */
export function siblingsOf(db: Db | Tx, specificationId: number, underId: number | null) {
  return db
    .select({ id: requirements.id, key: records.key, position: requirements.position })
    .from(requirements)
    .innerJoin(records, eq(records.id, requirements.id))
    .where(
      and(
        eq(requirements.specificationId, specificationId),
        underId === null ? sql`${requirements.underId} is null` : eq(requirements.underId, underId),
      ),
    )
    .orderBy(asc(requirements.position), asc(requirements.id));
}

/** The keys of the requirements of a specification, headings and retired ones left out. */
export async function requirementsOf(tx: Db | Tx, projectId: number, specification: string): Promise<string[]> {
  const { id } = await needSpecification(tx, projectId, specification);
  const rows = await tx
    .select({ key: records.key })
    .from(requirements)
    .innerJoin(records, eq(records.id, requirements.id))
    .where(and(eq(requirements.specificationId, id), eq(requirements.kind, 'requirement'), isNull(records.retiredAt)))
    .orderBy(asc(records.keyPrefix), asc(records.keyNumber));
  return rows.map(({ key }) => key);
}
