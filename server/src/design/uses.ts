import type { CaseUses } from '@contract/design';
import { rowMismatches, readConstraints } from '@core/design';
import { asc, eq, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { needRecord, records, Refusal, write, type Actor, type Db, type StoredRecord, type Tx } from '../base';
import { lockCase, reviseCase } from './cases';
import { isModelKind, modelContent, wholeModel } from './model-store';
import { caseContent, needCase, type StoredCase } from './store';
import { caseCalls, caseDepends, caseOrigins, groupMembers } from './tables';

const other = alias(records, 'other_record');

/** Where a case is used, what it was made of, and how long it took. */
export async function caseUses(db: Db | Tx, projectId: number, key: string): Promise<CaseUses> {
  const stored = await needCase(db, projectId, key);
  const { id, revision } = stored.record;
  const callers = await db
    .select({ key: other.key, title: other.title, state: other.state, revision: caseCalls.calledRevision })
    .from(caseCalls)
    .innerJoin(other, eq(other.id, caseCalls.caseId))
    .where(eq(caseCalls.calledId, id))
    .orderBy(asc(other.keyPrefix), asc(other.keyNumber))
    .limit(500);
  const dependents = await db
    .select({ key: other.key, title: other.title })
    .from(caseDepends)
    .innerJoin(other, eq(other.id, caseDepends.caseId))
    .where(eq(caseDepends.onId, id))
    .orderBy(asc(other.keyPrefix), asc(other.keyNumber))
    .limit(500);
  const groups = await db
    .select({ key: other.key, title: other.title })
    .from(groupMembers)
    .innerJoin(other, eq(other.id, groupMembers.groupId))
    .where(eq(groupMembers.caseId, id))
    .orderBy(asc(other.id))
    .limit(200);
  // Runs belong to a room behind this one: their tables are asked by name.
  const [rounds] = (await db.execute(sql`
    select r.record_key as k, r.title as title, b.record_key as build, count(*) as n
    from runs u join records r on r.id = u.round_id join records b on b.id = u.build_id
    where u.case_id = ${id} group by u.round_id, r.record_key, r.title, b.record_key order by u.round_id desc limit 100`)) as unknown as [
    { k: string; title: string; build: string; n: number }[],
  ];
  const [[took]] = (await db.execute(sql`
    select count(*) as n, max(m) as m from (
      select median(u.seconds) over () as m from runs u
      where u.case_id = ${id} and u.finished_at is not null and u.seconds > 0) t`)) as unknown as [{ n: number; m: number | null }[]];
  return {
    callers: callers.map((caller) => ({ ...caller, newer: caller.revision < revision })),
    dependents,
    groups,
    rounds: rounds.map(({ k, n, ...round }) => ({ key: k, ...round, runs: Number(n) })),
    madeOf: await madeFrom(db, stored),
    took: took && Number(took.n) > 0 && took.m !== null ? { median: Number((Number(took.m) / 60).toFixed(1)), runs: Number(took.n) } : null,
  };
}

/** Of what a case was made, and what is otherwise there now. */
async function madeFrom(db: Db | Tx, stored: StoredCase): Promise<CaseUses['madeOf']> {
  const [found] = await db
    .select({ origin: caseOrigins, source: records })
    .from(caseOrigins)
    .innerJoin(records, eq(records.id, caseOrigins.sourceId))
    .where(eq(caseOrigins.id, stored.record.id));
  if (!found) return null;
  const { origin, source } = found;
  const differs = source.revision > origin.sourceRevision ? await differences(db, stored, source) : [];
  return { key: source.key, kind: source.kind, title: source.title, revision: origin.sourceRevision, now: source.revision, differs };
}

async function differences(db: Db | Tx, stored: StoredCase, source: StoredRecord): Promise<string[]> {
  if (!isModelKind(source.kind)) return ['Its text was revised since.'];
  const content = modelContent(await wholeModel(db, source));
  if (content.kind !== 'parameters') return ['It was revised since: make its cases anew to see what is otherwise.'];
  const { parameters, constraints } = content.body;
  return rowMismatches(parameters, readConstraints(constraints, parameters).constraints, stored.row.rows ?? []).slice(0, 20);
}

/** Lets callers call the present revision of a case: a revision of each, all or none. */
export async function takeCalled(
  db: Db,
  actor: Actor,
  key: string,
  { revision, callers, reason }: { revision: number; callers: readonly string[]; reason: string },
): Promise<CaseUses> {
  const { projectId } = actor;
  await write(db, actor, async (w) => {
    const called = await needRecord(w.tx, projectId, 'case', key);
    if (called.revision !== revision)
      throw new Refusal('recordChanged', { detail: `${key} is at revision ${called.revision} now: look at it first.` });
    for (const caller of new Set(callers)) {
      const { record } = await needCase(w.tx, projectId, caller);
      const stored = await lockCase(w, caller, record.revision);
      const content = caseContent(stored);
      if (!content.steps.some((step) => step.call?.key === called.key && step.call.revision < revision))
        throw new Refusal('stateForbids', { detail: `${caller} calls no older revision of ${key}.` });
      const steps = content.steps.map((step) => (step.call?.key === called.key ? { ...step, call: { ...step.call, revision } } : step));
      await reviseCase(w, stored, { ...content, steps }, reason || `Takes revision ${revision} of ${key}.`);
    }
  });
  return caseUses(db, projectId, key);
}
