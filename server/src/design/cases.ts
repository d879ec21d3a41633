import type { CaseDetail, CaseSummary } from '@contract/design';
import { groupBy, isKey, keyNumber, nextKey, type Role } from '@core/base';
import { caseFaults, placeholdersIn, plainContent, suspectEnds, textsOf, type CaseContent } from '@core/design';
import { and, asc, eq, inArray, isNull, like } from 'drizzle-orm';
import { asTrace, insertTrace, lookUpRecords, Refusal, traceEnds, traces, tracesAt, write, type Actor, type Db, type Tx } from '../base';
import { checkStateChange, needRequirement, requirements } from '../specify';
import { checkCalls, frozenCase, needApprovedCalls } from './calls';
import { cases } from './tables';

lookUpRecords('case', (db, projectId, keys) =>
  db
    .select({ key: cases.key, title: cases.title, revision: cases.revision })
    .from(cases)
    .where(and(eq(cases.projectId, projectId), inArray(cases.key, [...keys]))),
);

export type StoredCase = typeof cases.$inferSelect;

export function caseContent(row: StoredCase): CaseContent {
  const { title, objective, preconditions, steps, plannedMinutes, rows } = row;
  return { title, objective, preconditions, steps, plannedMinutes, ...(rows?.length ? { rows } : {}) };
}

export async function needCase(db: Db | Tx, projectId: number, key: string): Promise<StoredCase> {
  const [row] = await db
    .select()
    .from(cases)
    .where(and(eq(cases.projectId, projectId), eq(cases.key, key)));
  if (!row) throw new Refusal('notFound', { detail: `There is no case ${key}.` });
  return row;
}

export async function listCases(db: Db, projectId: number): Promise<CaseSummary[]> {
  const rows = await db.select().from(cases).where(eq(cases.projectId, projectId)).orderBy(asc(cases.key));
  const stored = await db
    .select()
    .from(traces)
    .where(and(eq(traces.projectId, projectId), eq(traces.kind, 'verifies'), isNull(traces.removedAt)));
  const revisionOf = new Map(
    (
      await db
        .select({ key: requirements.key, revision: requirements.revision })
        .from(requirements)
        .where(eq(requirements.projectId, projectId))
    ).map((r) => [r.key, r.revision]),
  );
  const byCase = groupBy(stored, (trace) => trace.fromKey);
  return rows.map((row) => {
    const mine = byCase.get(row.key) ?? [];
    const { key, title, revision, state, steps, rows: dataRows, plannedMinutes, updatedBy, updatedAt } = row;
    const suspect = mine.some(
      (trace) => suspectEnds({ ...trace, from: trace.fromKey, to: trace.toKey }, revision, revisionOf.get(trace.toKey) ?? 0).length > 0,
    );
    return {
      key,
      title,
      revision,
      state,
      steps: steps.length,
      rows: dataRows?.length ?? 0,
      names: [...new Set(textsOf(row).flatMap(({ text }) => placeholdersIn(text)))],
      plannedMinutes,
      verifies: mine.map((t) => t.toKey).sort(),
      suspect,
      updatedBy,
      updatedAt,
    };
  });
}

/** A case with its traces; the run room adds its runs. */
export async function caseWithTraces(db: Db | Tx, projectId: number, key: string): Promise<Omit<CaseDetail, 'runs'>> {
  const row = await needCase(db, projectId, key);
  const stored = await tracesAt(db, projectId, key);
  const ends = await traceEnds(db, projectId, stored);
  const { revision, state, updatedBy, updatedAt } = row;
  return {
    ...plainContent(caseContent(row)),
    key,
    revision,
    state,
    updatedBy,
    updatedAt,
    verifies: stored.map((t) => asTrace(t, ends)),
  };
}

function checkContent(content: CaseContent): void {
  if (!content.title.trim()) throw new Refusal('invalid', { fields: [{ path: 'title', text: 'Give it a title.' }] });
}

export function addCase(db: Db, actor: Actor, told: { key?: string; content: CaseContent; verifies: readonly string[] }): Promise<string> {
  checkContent(told.content);
  return write(db, actor, async (w) => {
    const used = await w.tx
      .select({ key: cases.key })
      .from(cases)
      .where(and(eq(cases.projectId, actor.projectId), like(cases.key, 'C-%')));
    const key =
      told.key ??
      nextKey(
        'C',
        used.reduce((greatest, c) => Math.max(greatest, keyNumber(c.key)), 0),
      );
    if (!isKey(key))
      throw new Refusal('invalid', { fields: [{ path: 'key', text: 'A key is capitals, a hyphen and a number, as in C-018.' }] });
    await checkCalls(w.tx, actor.projectId, key, told.content);
    const [made] = await w.tx
      .insert(cases)
      .values({
        projectId: actor.projectId,
        key,
        revision: 1,
        state: 'draft',
        everApproved: 0,
        ...told.content,
        rows: told.content.rows ?? null,
        updatedBy: actor.login,
        updatedAt: w.at,
      })
      .$returningId();
    await w.keep('case', made.id, 1, told.content);
    await w.log('case written', 'case', key, null, { revision: 1, ...told.content });
    for (const requirement of new Set(told.verifies))
      await insertTrace(w, 'verifies', { key, revision: 1 }, await needRequirement(w.tx, actor.projectId, requirement));
    return key;
  });
}

/**
 * Saves a new revision. Until a case was first approved, its own author's edits carry its confirmed traces along: they
 * are still being designed together. Afterwards every revision makes them suspect.
 */
export function saveCase(db: Db, actor: Actor, key: string, basedOn: number, content: CaseContent): Promise<void> {
  checkContent(content);
  return write(db, actor, async (w) => {
    const row = await needCase(w.tx, actor.projectId, key);
    if (row.revision !== basedOn)
      throw new Refusal('conflict', {
        detail: `${row.updatedBy} saved revision ${row.revision} in between.`,
        current: await caseWithTraces(w.tx, actor.projectId, key),
      });
    await checkCalls(w.tx, actor.projectId, key, content);
    const before = caseContent(row);
    if (JSON.stringify(before) === JSON.stringify(content)) return;
    const revision = row.revision + 1;
    await w.tx
      .update(cases)
      .set({ ...content, rows: content.rows ?? null, revision, state: 'draft', updatedBy: actor.login, updatedAt: w.at })
      .where(eq(cases.id, row.id));
    await w.keep('case', row.id, revision, content);
    if (!row.everApproved)
      await w.tx
        .update(traces)
        .set({ fromRevision: revision })
        .where(
          and(
            eq(traces.projectId, actor.projectId),
            eq(traces.kind, 'verifies'),
            eq(traces.fromKey, key),
            eq(traces.fromRevision, row.revision),
            isNull(traces.removedAt),
          ),
        );
    await w.log('case revised', 'case', key, { revision: row.revision, ...before }, { revision, ...content });
  });
}

export function setCaseState(
  db: Db,
  actor: Actor,
  roles: readonly Role[],
  key: string,
  basedOn: number,
  state: 'draft' | 'review' | 'approved',
): Promise<void> {
  checkStateChange(roles, state);
  return write(db, actor, async (w) => {
    const row = await needCase(w.tx, actor.projectId, key);
    if (row.revision !== basedOn)
      throw new Refusal('conflict', {
        detail: `${row.updatedBy} saved revision ${row.revision} in between: read it first.`,
        current: await caseWithTraces(w.tx, actor.projectId, key),
      });
    const faults = state === 'draft' ? [] : caseFaults(caseContent(row));
    if (faults.length) throw new Refusal('stateForbids', { detail: faults.join(' ') });
    if (row.state === state) return;
    if (state === 'approved') await needApprovedCalls(w.tx, actor.projectId, caseContent(row));
    // What a run would freeze must stand, for every row.
    if (state !== 'draft')
      for (const dataRow of row.rows?.length ? row.rows : [undefined])
        await frozenCase(w.tx, actor.projectId, key, caseContent(row), dataRow);
    await w.tx
      .update(cases)
      .set({ state, everApproved: state === 'approved' ? 1 : row.everApproved })
      .where(eq(cases.id, row.id));
    await w.log(
      state === 'approved' ? 'case approved' : state === 'review' ? 'review asked for' : 'sent back to draft',
      'case',
      key,
      { revision: row.revision, state: row.state },
      { revision: row.revision, state },
    );
  });
}
