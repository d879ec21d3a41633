import type { ModelDetail, ModelSummary } from '@contract/design';
import { groupBy, textHash } from '@core/base';
import { modelKinds, modelText, type ModelContent, type ModelKind } from '@core/design';
import type { RequirementState } from '@core/specify';
import { and, asc, eq, inArray, sql } from 'drizzle-orm';
import {
  among,
  type Ids,
  account,
  findRecord,
  recordFields,
  records,
  Refusal,
  shownSignature,
  signaturesOf,
  tracesAt,
  type Db,
  type ListSource,
  type StoredRecord,
  type Tx,
} from '../base';
import { caseOrigins, models } from './tables';

export const modelRows = account({
  name: 'models',
  table: models,
  id: models.id,
  project: models.projectId,
  columns: [
    ['everApproved', models.everApproved],
    ['description', models.description],
    ['body', models.body],
  ],
});
export const originRows = account({
  name: 'case_origins',
  table: caseOrigins,
  id: caseOrigins.id,
  project: caseOrigins.projectId,
  columns: [
    ['sourceId', caseOrigins.sourceId],
    ['sourceRevision', caseOrigins.sourceRevision],
    ['identityHash', caseOrigins.identityHash],
    ['fingerprint', caseOrigins.fingerprint],
    ['caseRevision', caseOrigins.caseRevision],
  ],
});

/** A model whole: its record and what its kind has. */
export interface StoredModel {
  readonly record: StoredRecord;
  readonly row: typeof models.$inferSelect;
}

export const isModelKind = (kind: string): kind is ModelKind => (modelKinds as readonly string[]).includes(kind);

export const modelContent = ({ record, row }: StoredModel): ModelContent =>
  ({ kind: record.kind, title: record.title, description: row.description, body: row.body }) as ModelContent;

/** What an approval of the present revision is bound to. */
export const modelHash = (stored: StoredModel): string =>
  textHash(modelText(stored.record.key, stored.record.revision, modelContent(stored)));

export async function needModel(db: Db | Tx, projectId: number, key: string): Promise<StoredModel> {
  const record = await findRecord(db, projectId, key);
  if (!record || !isModelKind(record.kind)) throw new Refusal('notFound', { detail: `There is no model ${key}.` });
  return wholeModel(db, record);
}

export async function wholeModel(db: Db | Tx, record: StoredRecord): Promise<StoredModel> {
  const [row] = await db.select().from(models).where(eq(models.id, record.id));
  return { record, row };
}

function sizeWords({ kind, body }: ModelContent): string {
  const of = (n: number, one: string): string => `${n} ${one}${n === 1 ? '' : 's'}`;
  switch (kind) {
    case 'flow':
      return `${of(body.nodes.length, 'node')}, ${of(body.edges.length, 'edge')}`;
    case 'parameters':
      return `${of(body.parameters.length, 'parameter')}, ${of(
        body.parameters.reduce((n, p) => n + p.classes.length, 0),
        'class',
      ).replace(/classs$/, 'classes')}`;
    case 'decisionTable':
      return `${of(body.conditions.length, 'condition')}, ${of(body.rules.length, 'rule')}`;
    case 'stateTable':
      return `${of(body.states.length, 'state')}, ${of(body.transitions.length, 'transition')}`;
  }
}

/** Models as lists show them, by their ids. */
export async function modelSummaries(db: Db | Tx, ids: Ids): Promise<(ModelSummary & { id: number })[]> {
  const rows = await db
    .select({ record: records, row: models })
    .from(models)
    .innerJoin(records, eq(records.id, models.id))
    .where(among(models.id, ids));
  const traced = groupBy(
    (await tracesAt(db, ids)).filter((t) => t.kind === 'models'),
    (t) => t.from,
  );
  const counts = new Map(
    (
      await db
        .select({ id: caseOrigins.sourceId, n: sql<number>`count(*)`.mapWith(Number) })
        .from(caseOrigins)
        .where(among(caseOrigins.sourceId, ids))
        .groupBy(caseOrigins.sourceId)
    ).map(({ id, n }) => [id, n]),
  );
  return rows.map((stored) => {
    const { record } = stored;
    const mine = traced.get(record.key) ?? [];
    return {
      id: record.id,
      key: record.key,
      kind: record.kind as ModelKind,
      title: record.title,
      revision: record.revision,
      state: record.state as RequirementState,
      requirements: mine.map((t) => t.to).sort(),
      suspect: mine.some((t) => t.suspect.length > 0),
      cases: counts.get(record.id) ?? 0,
      size: sizeWords(modelContent(stored)),
      own: { ...record.own } as ModelSummary['own'],
      updatedBy: record.updatedBy,
      updatedAt: record.updatedAt,
    };
  });
}

/** How models are asked for in lists. */
export function modelList(projectId: number): ListSource {
  return {
    from: sql`from ${records} left join ${models} on ${models.id} = ${records.id}`,
    fields: {
      ...recordFields,
      kind: { value: records.kind, type: 'text' },
      requirements: {
        value: sql`(select count(*) from traces t where t.from_id = ${records.id} and t.kind = 'models' and t.removed_at is null)`,
        type: 'number',
      },
      suspect: {
        value: sql`exists (select 1 from traces t join ${records} r2 on r2.id = t.to_id where t.from_id = ${records.id} and t.kind = 'models' and t.removed_at is null and (t.from_revision < ${records.revision} or t.to_revision < r2.revision))`,
        type: 'yesNo',
      },
      cases: { value: sql`(select count(*) from ${caseOrigins} co where co.source_id = ${records.id})`, type: 'number' },
    },
    projectId,
    words: records.words,
    where: and(eq(records.projectId, projectId), inArray(records.kind, [...modelKinds])) as ListSource['where'],
    sort: 'key',
  };
}

/** The cases that were made of a record, oldest first. */
export async function madeOf(db: Db | Tx, sourceIds: readonly number[]) {
  if (!sourceIds.length) return [];
  return db
    .select({ origin: caseOrigins, record: records })
    .from(caseOrigins)
    .innerJoin(records, eq(records.id, caseOrigins.id))
    .where(inArray(caseOrigins.sourceId, [...sourceIds]))
    .orderBy(asc(caseOrigins.id));
}

export async function modelDetail(db: Db | Tx, projectId: number, key: string): Promise<ModelDetail> {
  const stored = await needModel(db, projectId, key);
  const { record } = stored;
  const traces = await tracesAt(db, [record.id]);
  const signed = await signaturesOf(db, [record.id]);
  return {
    key: record.key,
    kind: record.kind as ModelKind,
    title: record.title,
    content: modelContent(stored),
    revision: record.revision,
    state: record.state as RequirementState,
    own: { ...record.own } as ModelDetail['own'],
    updatedBy: record.updatedBy,
    updatedAt: record.updatedAt,
    author: record.authoredBy,
    hash: modelHash(stored),
    signatures: signed.map(shownSignature),
    models: traces.filter((t) => t.kind === 'models' && t.from === record.key),
    made: (await madeOf(db, [record.id])).map(({ origin, record: made }) => ({
      key: made.key,
      title: made.title,
      state: made.state,
      identity: origin.identity,
      fingerprint: origin.fingerprint,
      modelRevision: origin.sourceRevision,
      edited: made.revision > origin.caseRevision,
      retired: made.retiredAt !== null,
    })),
  };
}
