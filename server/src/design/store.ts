import type { CaseDetail, CaseSummary } from '@contract/design';
import { groupBy, textHash } from '@core/base';
import { caseDetailNames, caseText, placeholdersIn, saidCaseDetails, suspectEnds, textsOf, type CaseContent } from '@core/design';
import type { RequirementState } from '@core/specify';
import { and, asc, eq, inArray, isNull, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  isNone,
  shownColumns,
  type Ids,
  account,
  needRecord,
  plainKey,
  recordFields,
  records,
  recordsByKey,
  Refusal,
  shownSignature,
  signaturesOf,
  statement,
  traces,
  tracesAt,
  type Db,
  type ListSource,
  type StoredRecord,
  type Tx,
} from '../base';
import { dismissalsOf, requirementsById } from '../specify';
import { caseDetails, casePlaces, cases } from './tables';

export const caseRows = account({
  name: 'cases',
  table: cases,
  id: cases.id,
  project: cases.projectId,
  columns: [
    ['everApproved', cases.everApproved],
    ['objective', cases.objective],
    ['preconditions', cases.preconditions],
    ['steps', cases.steps],
    ['plannedMinutes', cases.plannedMinutes],
    ['rows', cases.rows],
  ],
});
export const caseDetailRows = account({
  name: 'case_details',
  table: caseDetails,
  id: caseDetails.id,
  project: caseDetails.projectId,
  columns: caseDetailNames.map((name) => [name, caseDetails[name]] as const),
});

/** A case whole: its record and what its kind has. */
export interface StoredCase {
  readonly record: StoredRecord;
  readonly row: typeof cases.$inferSelect;
  readonly details: typeof caseDetails.$inferSelect | null;
}

export function caseContent({
  record,
  row,
  details,
}: Omit<StoredCase, 'record'> & { readonly record: { readonly title: string } }): CaseContent {
  const { objective, preconditions, steps, plannedMinutes, rows } = row;
  return {
    title: record.title,
    objective,
    preconditions,
    steps,
    plannedMinutes,
    ...(rows?.length ? { rows } : {}),
    ...saidCaseDetails(details ?? {}),
  };
}

/** What an approval of the present revision is bound to. */
export const caseHash = (stored: StoredCase): string => textHash(caseText(stored.record.key, stored.record.revision, caseContent(stored)));

/** What belongs to a case's record. */
export async function wholeCase(db: Db | Tx, record: StoredRecord): Promise<StoredCase> {
  const [{ row, details }] = await db
    .select({ row: cases, details: caseDetails })
    .from(cases)
    .leftJoin(caseDetails, eq(caseDetails.id, cases.id))
    .where(eq(cases.id, record.id));
  return { record, row, details };
}

export async function needCase(db: Db | Tx, projectId: number, key: string): Promise<StoredCase> {
  return wholeCase(db, await needRecord(db, projectId, 'case', key));
}

/** Several cases by their keys, in that order and each once; refused where one of them is none. */
export async function needCases(db: Db | Tx, projectId: number, keys: readonly string[]): Promise<StoredCase[]> {
  const named = await recordsByKey(db, projectId, [...new Set(keys.map(plainKey))]);
  const found = await casesById(
    db,
    [...named.values()].map(({ id }) => id),
  );
  const chosen = keys.map((key) => {
    const stored = found.get(named.get(plainKey(key))?.id ?? 0);
    if (!stored) throw new Refusal('notFound', { detail: `There is no case ${key}.` });
    return stored;
  });
  return [...new Set(chosen)];
}

/** Several cases by their ids. */
export async function casesById(db: Db | Tx, ids: readonly number[]): Promise<Map<number, StoredCase>> {
  const found = new Map<number, StoredCase>();
  for (let at = 0; at < ids.length; at += 500)
    for (const { record, row, details } of await db
      .select({ record: records, row: cases, details: caseDetails })
      .from(cases)
      .innerJoin(records, eq(records.id, cases.id))
      .leftJoin(caseDetails, eq(caseDetails.id, cases.id))
      .where(inArray(cases.id, ids.slice(at, at + 500))))
      found.set(record.id, { record, row, details });
  return found;
}

const folderRecord = alias(records, 'folder_record');

/** The folders in which cases stand, by the case's id. */
export async function placesOf(db: Db | Tx, ids: readonly number[]): Promise<Map<number, { key: string; title: string }>> {
  const found = new Map<number, { key: string; title: string }>();
  for (let at = 0; at < ids.length; at += 1000)
    for (const { id, key, title } of await db
      .select({ id: casePlaces.id, key: folderRecord.key, title: folderRecord.title })
      .from(casePlaces)
      .innerJoin(folderRecord, eq(folderRecord.id, casePlaces.folderId))
      .where(inArray(casePlaces.id, ids.slice(at, at + 1000))))
      found.set(id, { key, title });
  return found;
}

/** What a list shows of cases, in one question; of their steps no more than how many, unless there is something to fill in. */
const summaryRows = statement((db) =>
  db
    .select({
      ...shownColumns,
      plannedMinutes: cases.plannedMinutes,
      steps: sql<number>`json_length(${cases.steps})`.mapWith(Number),
      rows: sql<number>`ifnull(json_length(${cases.rows}), 0)`.mapWith(Number),
      preconditions: withNames(cases.preconditions),
      texts: withNames(cases.steps),
      kind: caseDetails.kind,
      priority: caseDetails.priority,
      tags: caseDetails.tags,
      folder: folderRecord.key,
    })
    .from(cases)
    .innerJoin(records, eq(records.id, cases.id))
    .leftJoin(caseDetails, eq(caseDetails.id, cases.id))
    .leftJoin(casePlaces, eq(casePlaces.id, cases.id))
    .leftJoin(folderRecord, eq(folderRecord.id, casePlaces.folderId))
    .where(sql`${cases.id} in (${sql.placeholder('ids')})`),
);
const withNames = (column: typeof cases.preconditions | typeof cases.steps) =>
  sql<string | null>`if(locate('{{', ${column}), ${column}, null)`;

const requirementRecord = alias(records, 'requirement_record');
const summaryTraces = statement((db) =>
  db
    .select({
      id: traces.fromId,
      from: records.key,
      to: requirementRecord.key,
      fromRevision: traces.fromRevision,
      toRevision: traces.toRevision,
      fromNow: records.revision,
      toNow: requirementRecord.revision,
    })
    .from(traces)
    .innerJoin(records, eq(records.id, traces.fromId))
    .innerJoin(requirementRecord, eq(requirementRecord.id, traces.toId))
    .where(and(sql`${traces.fromId} in (${sql.placeholder('ids')})`, eq(traces.kind, 'verifies'), isNull(traces.removedAt))),
);

/** Cases as lists show them, by their ids. */
export async function caseSummaries(db: Db | Tx, ids: Ids): Promise<(CaseSummary & { id: number })[]> {
  if (isNone(ids)) return [];
  const [rows, verifying] = await Promise.all([summaryRows(db, { ids }), summaryTraces(db, { ids })]);
  const traced = groupBy(verifying, (trace) => trace.id);
  return rows.map(({ preconditions, texts, tags, kind, priority, state, own, ...row }) => {
    const mine = traced.get(row.id) ?? [];
    const asked = { preconditions: preconditions ?? '', steps: texts === null ? [] : (JSON.parse(texts) as CaseContent['steps']) };
    return {
      ...row,
      state: state as RequirementState,
      names: [...new Set(textsOf(asked).flatMap(({ text }) => placeholdersIn(text)))],
      kind: kind ?? '',
      priority: priority ?? '',
      tags: [...(tags ?? [])],
      verifies: mine.map(({ to }) => to).sort(),
      suspect: mine.some((trace) => suspectEnds(trace, trace.fromNow, trace.toNow).length > 0),
      own: { ...own } as CaseSummary['own'],
    };
  });
}

/** Which cases verify requirements, in the order of their keys; retired ones left out. */
export async function verifyingPairs(
  tx: Db | Tx,
  requirementIds: readonly number[],
): Promise<{ readonly to: number; readonly id: number; readonly key: string }[]> {
  if (!requirementIds.length) return [];
  return tx
    .select({ to: traces.toId, id: records.id, key: records.key })
    .from(traces)
    .innerJoin(records, eq(records.id, traces.fromId))
    .where(and(inArray(traces.toId, [...requirementIds]), eq(traces.kind, 'verifies'), isNull(traces.removedAt), isNull(records.retiredAt)))
    .orderBy(asc(records.keyPrefix), asc(records.keyNumber));
}

/** The cases that verify requirements, by the requirement's id, in the order of their keys; retired ones left out. */
export async function casesVerifying(tx: Db | Tx, requirementIds: readonly number[]): Promise<Map<number, string[]>> {
  return groupBy(
    await verifyingPairs(tx, requirementIds),
    (row) => row.to,
    (row) => row.key,
  );
}

/** How cases are asked for in lists. */
export function caseList(projectId: number): ListSource {
  return {
    // What few questions ask about is looked up where it is asked: a join would be paid by every count.
    from: sql`from ${records} left join ${cases} on ${cases.id} = ${records.id}`,
    fields: {
      ...recordFields,
      plannedMinutes: { value: cases.plannedMinutes, type: 'number', plain: true },
      approvedOnce: { value: cases.everApproved, type: 'yesNo', plain: true },
      kind: { value: detailOf('kind', "''"), type: 'text' },
      priority: { value: detailOf('priority', "''"), type: 'text' },
      tags: { value: detailOf('tags', "'[]'"), type: 'text', list: detailOf('tags', 'null') },
      folder: {
        value: sql`ifnull((select f.record_key from case_places cp join ${records} f on f.id = cp.folder_id where cp.id = ${records.id}), '')`,
        type: 'text',
      },
      verifies: {
        value: sql`(select count(*) from traces t where t.from_id = ${records.id} and t.kind = 'verifies' and t.removed_at is null)`,
        type: 'number',
      },
      requirement: verified(sql`r2.record_key`),
      level: verified(sql`(select q.level from requirements q where q.id = r2.id)`),
      suspect: {
        value: sql`exists (select 1 from traces t join ${records} r2 on r2.id = t.to_id where t.from_id = ${records.id} and t.kind = 'verifies' and t.removed_at is null and (t.from_revision < ${records.revision} or t.to_revision < r2.revision))`,
        type: 'yesNo',
      },
      runs: { value: sql`(select count(*) from runs u where u.case_id = ${records.id})`, type: 'number' },
      group: {
        value: sql`(select gr.record_key from group_members gm join ${records} gr on gr.id = gm.group_id where gm.case_id = ${records.id} limit 1)`,
        type: 'text',
        list: sql`(select json_arrayagg(gr.record_key) from group_members gm join ${records} gr on gr.id = gm.group_id where gm.case_id = ${records.id})`,
      },
      madeOf: {
        value: sql`(select o.record_key from case_origins co join ${records} o on o.id = co.source_id where co.id = ${records.id})`,
        type: 'text',
      },
    },
    projectId,
    words: records.words,
    where: and(eq(records.projectId, projectId), eq(records.kind, 'case')) as ListSource['where'],
    sort: 'key',
    kept: 'cases',
  };
}

/** What a case has beside its steps, or what stands for nothing. */
const detailOf = (column: string, nothing: string): ReturnType<typeof sql> =>
  sql`ifnull((select ${sql.raw(`d.${column}`)} from case_details d where d.id = ${records.id}), ${sql.raw(nothing)})`;

/** What the requirements that a case verifies say: any of them counts. */
const verified = (value: ReturnType<typeof sql>): ListSource['fields'][string] => ({
  value: sql`(select min(${value}) from traces t join ${records} r2 on r2.id = t.to_id where t.from_id = ${records.id} and t.kind = 'verifies' and t.removed_at is null)`,
  type: 'text',
  list: sql`(select json_arrayagg(${value}) from traces t join ${records} r2 on r2.id = t.to_id where t.from_id = ${records.id} and t.kind = 'verifies' and t.removed_at is null)`,
});

/** A case with its traces; the run room adds its runs. */
export async function caseWithTraces(db: Db | Tx, projectId: number, key: string): Promise<Omit<CaseDetail, 'runs'> & { id: number }> {
  const stored = await needCase(db, projectId, key);
  const { record } = stored;
  const traces = await tracesAt(db, [record.id]);
  const verifies = traces.filter((t) => t.kind === 'verifies' && t.from === record.key);
  const signed = await signaturesOf(db, [record.id]);
  const named = await recordsByKey(
    db,
    projectId,
    verifies.map((t) => t.to),
  );
  const verified = await requirementsById(
    db,
    [...named.values()].map(({ id }) => id),
  );
  return {
    ...caseContent(stored),
    id: record.id,
    key: record.key,
    revision: record.revision,
    state: record.state as RequirementState,
    own: { ...record.own } as CaseDetail['own'],
    updatedBy: record.updatedBy,
    updatedAt: record.updatedAt,
    author: record.authoredBy,
    hash: caseHash(stored),
    signatures: signed.map(shownSignature),
    folder: (await placesOf(db, [record.id])).get(record.id) ?? null,
    verifies,
    verified: verified.map(({ key: of, title, text, criteria = [] }) => ({ key: of, title, text, criteria: [...criteria] })),
    dismissals: await dismissalsOf(db, record.id),
    traces,
  };
}
