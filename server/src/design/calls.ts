import { callableOf, expandCase, freezeCase, revisionId, type CallableCase, type CaseContent, type CaseRow } from '@core/design';
import { and, eq } from 'drizzle-orm';
import { records, recordsByKey, Refusal, revisions, type Db, type Tx, type Writing } from '../base';
import { caseCalls, cases } from './tables';

/** More called cases than this are not followed. */
const calledLimit = 200;

/** The revisions that a case calls, and those that these call, as they were kept. */
async function calledBy(db: Db | Tx, projectId: number, content: CaseContent): Promise<Map<string, CallableCase>> {
  const found = new Map<string, CallableCase>();
  const open: Pick<CaseContent, 'steps'>[] = [content];
  for (const { steps } of open)
    for (const { call } of steps) {
      if (!call || found.size >= calledLimit || found.has(revisionId(call.key, call.revision))) continue;
      const [row] = await db
        .select({ snapshot: revisions.snapshot })
        .from(records)
        .innerJoin(revisions, and(eq(revisions.recordId, records.id), eq(revisions.revision, call.revision)))
        .where(and(eq(records.projectId, projectId), eq(records.key, call.key), eq(records.kind, 'case')))
        .limit(1);
      const called = (row?.snapshot as unknown as CaseContent | undefined) ?? (await presentCase(db, projectId, call));
      if (!called) continue;
      found.set(revisionId(call.key, call.revision), callableOf(call.key, called));
      open.push(called);
    }
  return found;
}

/** A case at its present revision, from its own row: what a transaction has just written has no snapshot before it ends. */
async function presentCase(
  db: Db | Tx,
  projectId: number,
  { key, revision }: { readonly key: string; readonly revision: number },
): Promise<Pick<CaseContent, 'preconditions' | 'steps'> | undefined> {
  const [row] = await db
    .select({ preconditions: cases.preconditions, steps: cases.steps })
    .from(cases)
    .innerJoin(records, eq(records.id, cases.id))
    .where(and(eq(records.projectId, projectId), eq(records.key, key), eq(records.revision, revision)));
  return row;
}

/** Refuses calls that lead round in a circle, the circle named, and calls of what does not exist. */
export async function checkCalls(db: Db | Tx, projectId: number, key: string, content: CaseContent): Promise<void> {
  if (!content.steps.some((step) => step.call)) return;
  const { findings } = expandCase(key, new Map([...(await calledBy(db, projectId, content)), [key, callableOf(key, content)]]));
  const faults = findings.filter((finding) => !finding.text.startsWith('Nothing fills'));
  if (faults.length)
    throw new Refusal('invalid', {
      detail: faults.map((f) => f.text).join(' '),
      fields: faults.map((f) => ({ path: 'steps', text: `${f.cell ?? ''}: ${f.text}` })),
    });
}

/** Notes which revisions a case calls, so that what rests on them is found. */
export async function noteCalls(w: Writing, caseId: number, { steps }: CaseContent): Promise<void> {
  await w.tx.delete(caseCalls).where(eq(caseCalls.caseId, caseId));
  const calls = steps.flatMap(({ call }) => call ?? []);
  if (!calls.length) return;
  const known = await recordsByKey(w.tx, w.actor.projectId, [...new Set(calls.map((call) => call.key))]);
  const rows = calls.flatMap(({ key, revision }) => {
    const called = known.get(key);
    return called ? [{ caseId, calledId: called.id, calledRevision: revision }] : [];
  });
  if (rows.length) await w.tx.insert(caseCalls).ignore().values(rows);
}

/** Refuses an approval while a case that it calls, at its present revision, is not approved itself. */
export async function needApprovedCalls(db: Db | Tx, projectId: number, { steps }: CaseContent): Promise<void> {
  const calls = steps.flatMap(({ call }) => call ?? []);
  const known = await recordsByKey(db, projectId, [...new Set(calls.map((call) => call.key))]);
  for (const { key, revision } of calls) {
    const called = known.get(key);
    if (called?.revision === revision && called.state !== 'approved')
      throw new Refusal('stateForbids', { detail: `${key} revision ${revision}, which it calls, is not approved.` });
  }
}

/** The case as a run of this row freezes it. What nothing fills is told, not run. */
export async function frozenCase(
  db: Db | Tx,
  projectId: number,
  key: string,
  content: CaseContent,
  row: CaseRow | undefined,
): Promise<CaseContent> {
  const { content: frozen, findings } = freezeCase(key, content, row, await calledBy(db, projectId, content));
  if (findings.length) throw new Refusal('stateForbids', { detail: `${key} cannot be run. ${findings.map((f) => f.text).join(' ')}` });
  return frozen;
}
