import { isKey, type Role } from '@core/base';
import { caseFaults, textsOf, type CaseContent } from '@core/design';
import { eq } from 'drizzle-orm';
import {
  approveRecord,
  carryTraces,
  changeRecord,
  changeReviewState,
  freeKey,
  insertRecord,
  insertTraces,
  lockRecord,
  missingOwn,
  needTitle,
  noteKeys,
  proveApprover,
  recordRows,
  Refusal,
  needReasonOfChange,
  refuseRetired,
  refuseStale,
  write,
  type Actor,
  type Approval,
  type Db,
  type Reviewed,
  type SignedIn,
  type StoredRecord,
  type Writing,
} from '../base';
import { needRequirement, ownWorkAllowed, tracedTo } from '../specify';
import { checkCalls, frozenCase, needApprovedCalls, noteCalls } from './calls';
import { caseContent, caseHash, caseRows, caseWithTraces, type StoredCase } from './store';
import { cases } from './tables';

const searchable = (content: CaseContent): string =>
  [content.objective, content.preconditions, ...textsOf(content).map(({ text }) => text)].join(' ');

const contentColumns = ({ objective, preconditions, steps, plannedMinutes, rows }: CaseContent) => ({
  objective,
  preconditions,
  steps,
  plannedMinutes,
  rows: rows ?? null,
});

export interface NewCase {
  readonly key?: string | undefined;
  readonly content: CaseContent;
  readonly verifies: readonly string[];
}

export const addCase = (db: Db, actor: Actor, input: NewCase): Promise<string> => write(db, actor, (w) => addCaseIn(w, input));

/** Writes a case within a transaction; answers its key. */
export async function addCaseIn(w: Writing, input: NewCase, own: StoredRecord['own'] = {}): Promise<string> {
  const { projectId } = w.actor;
  needTitle(input.content);
  const given = input.key?.trim();
  if (given !== undefined && !isKey(given))
    throw new Refusal('invalid', {
      fields: [{ path: 'key', text: 'A key is capitals, a hyphen and a number of at most nine digits, as in C-018.' }],
    });
  const key = given ?? (await freeKey(w, 'C'));
  await checkCalls(w.tx, projectId, key, input.content);
  const { content } = input;
  const id = await insertRecord(w, { kind: 'case', key, title: content.title, words: searchable(content), state: 'draft', own });
  if (given) await noteKeys(w, [given]);
  await w.tx.insert(cases).values({ id, projectId, everApproved: false, ...contentColumns(content) });
  await noteCalls(w, id, content);
  w.log({ action: 'case written', kind: 'case', key, after: { revision: 1, ...content }, touches: { results: [id] } });
  w.snapshot({ recordId: id, revision: 1, state: 'draft', snapshot: { ...content, ...(Object.keys(own).length ? { own } : {}) } });
  w.wrote(recordRows, id);
  w.wrote(caseRows, id);
  const ends = [];
  for (const requirement of new Set(input.verifies)) ends.push((await needRequirement(w.tx, projectId, requirement)).record);
  const from = { id, kind: 'case' as const, key, title: content.title, revision: 1, state: 'draft' };
  await insertTraces(
    w,
    'verifies',
    ends.map((to) => [from, to] as const),
  );
  return key;
}

async function lockCase(w: Writing, key: string, basedOn: number): Promise<StoredCase> {
  const record = await lockRecord(w, 'case', key);
  await refuseStale(record, basedOn, async () => {
    const { id: _, ...current } = await caseWithTraces(w.tx, w.actor.projectId, record.key);
    return current;
  });
  const [row] = await w.tx.select().from(cases).where(eq(cases.id, record.id));
  return { record, row };
}

/**
 * Saves a new revision. Until a case was first approved, its own author's edits carry its confirmed traces along: they
 * are still being designed together. Afterwards every revision makes them suspect.
 */
export function saveCase(db: Db, actor: Actor, key: string, basedOn: number, content: CaseContent, reason = ''): Promise<void> {
  return write(db, actor, async (w) => reviseCase(w, await lockCase(w, key, basedOn), content, reason));
}

/** Saves a new revision of a case that is locked; of one that is approved, for a reason. */
export async function reviseCase(w: Writing, stored: StoredCase, content: CaseContent, reason: string): Promise<void> {
  needTitle(content);
  const { record, row } = stored;
  refuseRetired(record);
  await checkCalls(w.tx, w.actor.projectId, record.key, content);
  const before = caseContent(stored);
  if (JSON.stringify(before) === JSON.stringify(content)) return;
  await needReasonOfChange(w, record, reason);
  const revision = record.revision + 1;
  await changeRecord(w, record, { title: content.title, words: searchable(content), revision, state: 'draft' });
  await w.tx.update(cases).set(contentColumns(content)).where(eq(cases.id, record.id));
  await noteCalls(w, record.id, content);
  w.log({
    action: 'case revised',
    kind: 'case',
    key: record.key,
    before: { revision: record.revision, ...before },
    after: { revision, ...content, ...(reason ? { reason } : {}) },
    touches: { texts: [record.id], results: [record.id] },
  });
  w.snapshot({ recordId: record.id, revision, state: 'draft', snapshot: { ...content, own: record.own }, reason });
  w.wrote(recordRows, record.id);
  w.wrote(caseRows, record.id);
  if (!row.everApproved) await carryTraces(w, record.id, 'verifies', record.revision, revision);
}

async function refuseIncomplete(w: Writing, { record, row }: StoredCase, state: string): Promise<void> {
  const content = caseContent({ record, row });
  const missing = await missingOwn(w.tx, w.actor.projectId, 'case', record.own, state, '');
  const faults = [...caseFaults(content), ...missing.map((name) => `It has no ${name}.`)];
  if (faults.length) throw new Refusal('stateForbids', { detail: faults.join(' ') });
  // What a run would freeze must stand, for every row.
  for (const dataRow of row.rows?.length ? row.rows : [undefined]) await frozenCase(w.tx, w.actor.projectId, record.key, content, dataRow);
}

export const reviewedCase = (w: Writing, stored: StoredCase): Reviewed => ({
  record: stored.record,
  content: caseContent(stored),
  refuseIncomplete: async (state) => {
    await refuseIncomplete(w, stored, state);
    if (state === 'approved') await needApprovedCalls(w.tx, w.actor.projectId, caseContent(stored));
  },
});

/** Asks for review, or takes back to draft. */
export function setCaseState(db: Db, actor: Actor, key: string, basedOn: number, state: 'draft' | 'review'): Promise<void> {
  return write(db, actor, async (w) => changeReviewState(w, reviewedCase(w, await lockCase(w, key, basedOn)), state));
}

/** Approves a revision that is in review: a signature on the hash that the signer saw. */
export async function approveCase(db: Db, actor: Actor, roles: readonly Role[], key: string, input: Approval): Promise<void> {
  const signer = await proveApprover(db, actor, roles, input.password);
  await write(db, actor, async (w) => approveCaseIn(w, signer, await lockCase(w, key, input.basedOn), input));
}

/** Approves a case that is locked, where its hash is the one that was seen. */
export async function approveCaseIn(
  w: Writing,
  signer: SignedIn,
  stored: StoredCase,
  { hash, reason }: Pick<Approval, 'hash' | 'reason'>,
): Promise<void> {
  const { id } = stored.record;
  await approveRecord(w, signer, reviewedCase(w, stored), {
    hash: caseHash(stored),
    seen: hash,
    reason,
    ownAllowed: async () => {
      const verified = await tracedTo(w.tx, 'verifies', [id]);
      return ownWorkAllowed(
        w.tx,
        w.actor.projectId,
        verified.map((r) => r.id),
      );
    },
  });
  await w.tx.update(cases).set({ everApproved: true }).where(eq(cases.id, id));
  w.wrote(caseRows, id);
}
