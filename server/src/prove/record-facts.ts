import { groupBy } from '@core/base';
import type { Approval, CordCase, CordRequirement } from '@core/prove';
import type { RequirementState } from '@core/specify';
import { and, eq, isNull, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { decisions, records, revisions, signatures, statementOfMany, type Db, type Tx } from '../base';
import { caseCalls, cases } from '../design';
import { requirements } from '../specify';

const requirementRows = statementOfMany(requirements.id, (db, where) =>
  db
    .select({
      id: records.id,
      key: records.key,
      title: records.title,
      revision: records.revision,
      state: records.state,
      author: records.authoredBy,
      level: requirements.level,
      method: requirements.method,
      topLevel: requirements.topLevel,
      derived: requirements.derived,
      rationale: sql<number>`trim(${requirements.rationale}) <> ''`.mapWith(Boolean),
      notInCode: requirements.notInCode,
      why: sql<number>`trim(${requirements.notInCodeRationale}) <> ''`.mapWith(Boolean),
    })
    .from(requirements)
    .innerJoin(records, eq(records.id, requirements.id))
    .where(
      and(eq(requirements.projectId, sql.placeholder('projectId')), eq(requirements.kind, 'requirement'), isNull(records.retiredAt), where),
    ),
);

/** Requirements as they are judged: of those asked for, what is in use. */
export async function requirementFacts(
  tx: Db | Tx,
  projectId: number,
  ids: readonly number[] | 'all',
  faulty: ReadonlySet<number>,
): Promise<(CordRequirement & { id: number })[]> {
  const approving = approvalsOf(tx, projectId, 'requirement', ids, faulty);
  const reading = requirementRows(tx, ids, { projectId });
  const [approvals, rows] = await Promise.all([approving, reading]);
  // Each by its name: of thousands, what is copied as a rest takes as long as the reading.
  return rows.map((row) => ({
    id: row.id,
    key: row.key,
    title: row.title,
    revision: row.revision,
    author: row.author,
    level: row.level,
    method: row.method,
    topLevel: row.topLevel,
    derived: row.derived,
    notInCode: row.notInCode,
    state: row.state as RequirementState,
    approvals: approvals.get(row.id) ?? [],
    hasRationale: row.rationale,
    notInCodeRationale: row.why,
  }));
}

const ofKind = () => and(eq(records.projectId, sql.placeholder('projectId')), eq(records.kind, sql.placeholder('kind')));
const approvalRows = statementOfMany(records.id, (db, where) =>
  db
    .select({ id: records.id, login: signatures.login, hash: signatures.hash, retained: revisions.hash })
    .from(records)
    .innerJoin(
      signatures,
      and(eq(signatures.recordId, records.id), eq(signatures.meaning, 'approved'), eq(signatures.revision, records.revision)),
    )
    .leftJoin(
      revisions,
      and(eq(revisions.recordId, records.id), eq(revisions.revision, records.revision), eq(revisions.hash, signatures.hash)),
    )
    .where(and(ofKind(), where)),
);
const decisionRows = statementOfMany(records.id, (db, where) =>
  db
    .select({ id: records.id, login: decisions.login })
    .from(records)
    .innerJoin(
      decisions,
      and(eq(decisions.recordId, records.id), eq(decisions.choice, 'approved'), eq(decisions.revision, records.revision)),
    )
    .where(and(ofKind(), where)),
);

/** Approvals of the present revisions: signatures on their hash, and what was approved before approvals were signatures. */
async function approvalsOf(
  tx: Db | Tx,
  projectId: number,
  kind: 'requirement' | 'case',
  ids: readonly number[] | 'all',
  faulty: ReadonlySet<number>,
): Promise<Map<number, Approval[]>> {
  const [signed, before] = await Promise.all([approvalRows(tx, ids, { projectId, kind }), decisionRows(tx, ids, { projectId, kind })]);
  return groupBy(
    [
      ...signed.map(({ id, login, hash, retained }) => ({ id, login, matches: retained === hash && !faulty.has(id) })),
      ...before.map(({ id, login }) => ({ id, login, matches: !faulty.has(id) })),
    ],
    ({ id }) => id,
    ({ login, matches }): Approval => ({ login, matches }),
  );
}

const called = alias(records, 'called');
const approvedOnce = sql<number>`exists (select 1 from ${revisions} where ${revisions.recordId} = ${caseCalls.calledId} and ${revisions.revision} = ${caseCalls.calledRevision} and ${revisions.state} = 'approved')`;
const unapprovedCalls = statementOfMany(caseCalls.caseId, (db, where) =>
  db
    .select({ caseId: caseCalls.caseId, key: called.key, revision: caseCalls.calledRevision })
    .from(caseCalls)
    .innerJoin(called, eq(called.id, caseCalls.calledId))
    .where(and(eq(called.projectId, sql.placeholder('projectId')), sql`not ${approvedOnce}`, where)),
);
const caseRows = statementOfMany(cases.id, (db, where) =>
  db
    .select({
      id: records.id,
      key: records.key,
      revision: records.revision,
      state: records.state,
      author: records.authoredBy,
      rows: cases.rows,
    })
    .from(cases)
    .innerJoin(records, eq(records.id, cases.id))
    .where(and(eq(cases.projectId, sql.placeholder('projectId')), where)),
);

/** Cases as they are judged. */
export async function caseFacts(
  tx: Db | Tx,
  projectId: number,
  ids: readonly number[] | 'all',
  faulty: ReadonlySet<number>,
): Promise<(CordCase & { id: number })[]> {
  const approving = approvalsOf(tx, projectId, 'case', ids, faulty);
  const [approvals, unapproved, rows] = await Promise.all([
    approving,
    unapprovedCalls(tx, ids, { projectId }),
    caseRows(tx, ids, { projectId }),
  ]);
  const calls = groupBy(
    unapproved,
    (c) => c.caseId,
    (c) => `${c.key} revision ${c.revision}`,
  );
  return rows.map((row) => ({
    id: row.id,
    key: row.key,
    revision: row.revision,
    author: row.author,
    approved: row.state === 'approved',
    approvals: approvals.get(row.id) ?? [],
    unapprovedCalls: calls.get(row.id) ?? [],
    ...(row.rows?.length ? { rows: row.rows.map((r) => r.name) } : {}),
  }));
}
