import type { Requirement, RequirementDetail, Revision, TraceRow } from '@contract/specify';
import type { RequirementContent } from '@core/specify';
import { and, desc, eq, inArray } from 'drizzle-orm';
import { asTrace, lookUpRecords, Refusal, revisions, traceEnds, tracesAt, type Db, type StoredTrace, type Tx } from '../base';
import { requirements } from './tables';

lookUpRecords('requirement', (db, projectId, keys) =>
  db
    .select({ key: requirements.key, title: requirements.title, revision: requirements.revision })
    .from(requirements)
    .where(and(eq(requirements.projectId, projectId), inArray(requirements.key, [...keys]))),
);

export type StoredRequirement = typeof requirements.$inferSelect;

export function contentOf(row: StoredRequirement): RequirementContent {
  const { kind, title, text, rationale, level, method, topLevel, derived, notInCode, notInCodeRationale } = row;
  return { kind, title, text, rationale, level, method, topLevel, derived, notInCode, notInCodeRationale };
}

export function asRequirement(row: StoredRequirement): Requirement {
  const { key, specification, under, position, revision, state, updatedBy, updatedAt } = row;
  return { ...contentOf(row), key, specification, under, position, revision, state, updatedBy, updatedAt };
}

export async function needRequirement(db: Db | Tx, projectId: number, key: string): Promise<StoredRequirement> {
  const [row] = await db
    .select()
    .from(requirements)
    .where(and(eq(requirements.projectId, projectId), eq(requirements.key, key)));
  if (!row) throw new Refusal('notFound', { detail: `There is no requirement ${key}.` });
  return row;
}

export async function requirementDetail(db: Db | Tx, projectId: number, key: string): Promise<RequirementDetail> {
  const row = await needRequirement(db, projectId, key);
  const stored = await tracesAt(db, projectId, key);
  const ends = await traceEnds(db, projectId, stored);
  const pick = (keep: (t: StoredTrace) => boolean): TraceRow[] => stored.filter(keep).map((t) => asTrace(t, ends));
  return {
    ...asRequirement(row),
    parents: pick((t) => t.kind === 'parent' && t.fromKey === key),
    children: pick((t) => t.kind === 'parent' && t.toKey === key),
    cases: pick((t) => t.kind === 'verifies'),
  };
}

export async function recordHistory(db: Db | Tx, kind: string, recordId: number): Promise<Revision[]> {
  return db
    .select({ revision: revisions.revision, by: revisions.by, at: revisions.at, snapshot: revisions.snapshot })
    .from(revisions)
    .where(and(eq(revisions.kind, kind), eq(revisions.recordId, recordId)))
    .orderBy(desc(revisions.revision));
}
