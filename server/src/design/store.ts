import type { CaseDetail, CaseSummary } from '@contract/design';
import { groupBy, textHash } from '@core/base';
import { caseText2, placeholdersIn, plainContent, textsOf, type CaseContent } from '@core/design';
import type { RequirementState } from '@core/specify';
import { and, eq, inArray, sql } from 'drizzle-orm';
import {
  account,
  needRecord,
  plainKey,
  recordFields,
  records,
  recordsByKey,
  Refusal,
  shownSignature,
  signaturesOf,
  tracesAt,
  type Db,
  type ListSource,
  type StoredRecord,
  type Tx,
} from '../base';
import { cases } from './tables';

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

/** A case whole: its record and what its kind has. */
export interface StoredCase {
  readonly record: StoredRecord;
  readonly row: typeof cases.$inferSelect;
}

export function caseContent({ record, row }: StoredCase): CaseContent {
  const { objective, preconditions, steps, plannedMinutes, rows } = row;
  return { title: record.title, objective, preconditions, steps, plannedMinutes, ...(rows?.length ? { rows } : {}) };
}

/** What an approval of the present revision is bound to. */
export const caseHash = (stored: StoredCase): string => textHash(caseText2(stored.record.key, stored.record.revision, caseContent(stored)));

export async function needCase(db: Db | Tx, projectId: number, key: string): Promise<StoredCase> {
  const record = await needRecord(db, projectId, 'case', key);
  const [row] = await db.select().from(cases).where(eq(cases.id, record.id));
  return { record, row };
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
    for (const { record, row } of await db
      .select({ record: records, row: cases })
      .from(cases)
      .innerJoin(records, eq(records.id, cases.id))
      .where(inArray(cases.id, ids.slice(at, at + 500))))
      found.set(record.id, { record, row });
  return found;
}

/** Cases as lists show them, by their ids. */
export async function caseSummaries(db: Db | Tx, ids: readonly number[]): Promise<(CaseSummary & { id: number })[]> {
  const found = await casesById(db, ids);
  const traced = groupBy(
    (await tracesAt(db, ids)).filter((t) => t.kind === 'verifies'),
    (t) => t.from,
  );
  return [...found.values()].map((stored) => {
    const { record, row } = stored;
    const mine = traced.get(record.key) ?? [];
    return {
      id: record.id,
      key: record.key,
      title: record.title,
      revision: record.revision,
      state: record.state as RequirementState,
      steps: row.steps.length,
      rows: row.rows?.length ?? 0,
      names: [...new Set(textsOf(row).flatMap(({ text }) => placeholdersIn(text)))],
      plannedMinutes: row.plannedMinutes,
      verifies: mine.map((t) => t.to).sort(),
      suspect: mine.some((t) => t.suspect.length > 0),
      own: { ...record.own } as CaseSummary['own'],
      updatedBy: record.updatedBy,
      updatedAt: record.updatedAt,
    };
  });
}

/** How cases are asked for in lists. */
export function caseList(projectId: number): ListSource {
  return {
    from: sql`from ${records} join ${cases} on ${cases.id} = ${records.id}`,
    fields: {
      ...recordFields,
      plannedMinutes: { value: cases.plannedMinutes, type: 'number' },
      approvedOnce: { value: cases.everApproved, type: 'yesNo' },
      verifies: {
        value: sql`(select count(*) from traces t where t.from_id = ${records.id} and t.kind = 'verifies' and t.removed_at is null)`,
        type: 'number',
      },
      suspect: {
        value: sql`exists (select 1 from traces t join ${records} r2 on r2.id = t.to_id where t.from_id = ${records.id} and t.kind = 'verifies' and t.removed_at is null and (t.from_revision < ${records.revision} or t.to_revision < r2.revision))`,
        type: 'yesNo',
      },
      runs: { value: sql`(select count(*) from runs u where u.case_id = ${records.id})`, type: 'number' },
    },
    projectId,
    words: records.words,
    where: and(eq(records.projectId, projectId), eq(records.kind, 'case')) as ListSource['where'],
    sort: 'key',
  };
}

/** A case with its traces; the run room adds its runs. */
export async function caseWithTraces(db: Db | Tx, projectId: number, key: string): Promise<Omit<CaseDetail, 'runs'> & { id: number }> {
  const stored = await needCase(db, projectId, key);
  const { record } = stored;
  const traces = await tracesAt(db, [record.id]);
  const signed = await signaturesOf(db, [record.id]);
  return {
    ...plainContent(caseContent(stored)),
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
    verifies: traces.filter((t) => t.kind === 'verifies' && t.from === record.key),
    traces,
  };
}
