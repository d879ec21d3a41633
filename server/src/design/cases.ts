import { isKey, recordFormat, type Role } from '@core/base';
import { caseFaults, textsOf, type CaseContent } from '@core/design';
import { eq } from 'drizzle-orm';
import {
  carryTraces,
  changeRecord,
  confirmWithApproval,
  freeKey,
  insertRecord,
  insertTraces,
  lockRecord,
  missingOwn,
  noteKeys,
  proveSigner,
  putSignature,
  recordRows,
  Refusal,
  refuseStale,
  write,
  type Actor,
  type Db,
  type Writing,
} from '../base';
import { needRequirement, ownWorkAllowed, refuseOwnApproval, tracedTo, type Approval } from '../specify';
import { checkCalls, frozenCase, needApprovedCalls, noteCalls } from './calls';
import { caseContent, caseHash, caseRows, caseWithTraces, type StoredCase } from './store';
import { cases } from './tables';

function needTitle(content: CaseContent): void {
  if (!content.title.trim()) throw new Refusal('invalid', { fields: [{ path: 'title', text: 'Give it a title.' }] });
}

const searchable = (content: CaseContent): string =>
  [content.objective, content.preconditions, ...textsOf(content).map(({ text }) => text)].join(' ');

const contentColumns = ({ objective, preconditions, steps, plannedMinutes, rows }: CaseContent) => ({
  objective,
  preconditions,
  steps,
  plannedMinutes,
  rows: rows ?? null,
});

export function addCase(db: Db, actor: Actor, input: { key?: string; content: CaseContent; verifies: readonly string[] }): Promise<string> {
  needTitle(input.content);
  return write(db, actor, async (w) => {
    const given = input.key?.trim();
    if (given !== undefined && !isKey(given))
      throw new Refusal('invalid', {
        fields: [{ path: 'key', text: 'A key is capitals, a hyphen and a number of at most nine digits, as in C-018.' }],
      });
    const key = given ?? (await freeKey(w, 'C'));
    await checkCalls(w.tx, actor.projectId, key, input.content);
    const { content } = input;
    const id = await insertRecord(w, { kind: 'case', key, title: content.title, words: searchable(content), state: 'draft' });
    if (given) await noteKeys(w, [given]);
    await w.tx.insert(cases).values({ id, projectId: actor.projectId, everApproved: false, ...contentColumns(content) });
    await noteCalls(w, id, content);
    w.log({ action: 'case written', kind: 'case', key, after: { revision: 1, ...content }, touches: { results: [id] } });
    w.snapshot({ recordId: id, revision: 1, state: 'draft', snapshot: content });
    w.wrote(recordRows, id);
    w.wrote(caseRows, id);
    const ends = [];
    for (const requirement of new Set(input.verifies)) ends.push((await needRequirement(w.tx, actor.projectId, requirement)).record);
    const from = { id, kind: 'case' as const, key, title: content.title, revision: 1, state: 'draft' };
    await insertTraces(
      w,
      'verifies',
      ends.map((to) => [from, to] as const),
    );
    return key;
  });
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
export function saveCase(db: Db, actor: Actor, key: string, basedOn: number, content: CaseContent): Promise<void> {
  needTitle(content);
  return write(db, actor, async (w) => {
    const stored = await lockCase(w, key, basedOn);
    const { record, row } = stored;
    if (record.retiredAt !== null) throw new Refusal('stateForbids', { detail: `${key} is retired: bring it back first.` });
    await checkCalls(w.tx, actor.projectId, record.key, content);
    const before = caseContent(stored);
    if (JSON.stringify(before) === JSON.stringify(content)) return;
    const revision = record.revision + 1;
    await changeRecord(w, record, { title: content.title, words: searchable(content), revision, state: 'draft' });
    await w.tx.update(cases).set(contentColumns(content)).where(eq(cases.id, record.id));
    await noteCalls(w, record.id, content);
    w.log({
      action: 'case revised',
      kind: 'case',
      key: record.key,
      before: { revision: record.revision, ...before },
      after: { revision, ...content },
      touches: { texts: [record.id], results: [record.id] },
    });
    w.snapshot({ recordId: record.id, revision, state: 'draft', snapshot: { ...content, own: record.own } });
    w.wrote(recordRows, record.id);
    w.wrote(caseRows, record.id);
    if (!row.everApproved) await carryTraces(w, record.id, 'verifies', record.revision, revision);
  });
}

async function refuseIncomplete(w: Writing, { record, row }: StoredCase, state: string): Promise<void> {
  const content = caseContent({ record, row });
  const missing = await missingOwn(w.tx, w.actor.projectId, 'case', record.own, state, '');
  const faults = [...caseFaults(content), ...missing.map((name) => `It has no ${name}.`)];
  if (faults.length) throw new Refusal('stateForbids', { detail: faults.join(' ') });
  // What a run would freeze must stand, for every row.
  for (const dataRow of row.rows?.length ? row.rows : [undefined]) await frozenCase(w.tx, w.actor.projectId, record.key, content, dataRow);
}

/** Asks for review, or takes back to draft. */
export function setCaseState(db: Db, actor: Actor, key: string, basedOn: number, state: 'draft' | 'review'): Promise<void> {
  return write(db, actor, async (w) => {
    const stored = await lockCase(w, key, basedOn);
    const { record } = stored;
    if (record.retiredAt !== null) throw new Refusal('stateForbids', { detail: `${key} is retired: bring it back first.` });
    if (state === 'review') await refuseIncomplete(w, stored, state);
    if (record.state === state) return;
    await changeRecord(w, record, { state });
    w.log({
      action: state === 'review' ? 'review asked for' : 'sent back to draft',
      kind: 'case',
      key: record.key,
      before: { revision: record.revision, state: record.state },
      after: { revision: record.revision, state },
      touches: { texts: [record.id] },
    });
    w.snapshot({ recordId: record.id, revision: record.revision, state, snapshot: { ...caseContent(stored), own: record.own } });
    w.wrote(recordRows, record.id);
  });
}

/** Approves a revision that is in review: a signature on the hash that the signer saw. */
export async function approveCase(db: Db, actor: Actor, roles: readonly Role[], key: string, input: Approval): Promise<void> {
  if (!roles.includes('reviewer')) throw new Refusal('forbidden', { detail: 'Only a reviewer approves.' });
  const signer = await proveSigner(db, actor, input.password);
  await write(db, actor, async (w) => {
    const stored = await lockCase(w, key, input.basedOn);
    const { record } = stored;
    if (record.state === 'approved')
      throw new Refusal('alreadySigned', { detail: `${key} revision ${record.revision} is approved already.` });
    if (record.state !== 'review')
      throw new Refusal('stateForbids', { detail: `${key} is not in review: its author asks for that first.` });
    await refuseIncomplete(w, stored, 'approved');
    await needApprovedCalls(w.tx, actor.projectId, caseContent(stored));
    const hash = caseHash(stored);
    if (hash !== input.hash)
      throw new Refusal('recordChanged', { detail: 'It changed since you opened it: read it again before you sign.' });
    const verified = await tracedTo(w.tx, 'verifies', [record.id]);
    const ownAllowed = await ownWorkAllowed(
      w.tx,
      actor.projectId,
      verified.map((r) => r.id),
    );
    refuseOwnApproval(actor.login, record.authoredBy, ownAllowed);
    await changeRecord(w, record, { state: 'approved' });
    await w.tx.update(cases).set({ everApproved: true }).where(eq(cases.id, record.id));
    w.log({
      action: 'case approved',
      kind: 'case',
      key: record.key,
      before: { revision: record.revision, state: record.state },
      after: { revision: record.revision, state: 'approved', printedName: signer.printedName, hash, reason: input.reason },
      touches: { texts: [record.id] },
    });
    w.snapshot({
      recordId: record.id,
      revision: record.revision,
      state: 'approved',
      snapshot: { ...caseContent(stored), own: record.own },
      hash,
    });
    w.wrote(recordRows, record.id);
    w.wrote(caseRows, record.id);
    await putSignature(w, signer, {
      recordId: record.id,
      revision: record.revision,
      meaning: 'approved',
      format: recordFormat,
      hash,
      reason: input.reason,
    });
    await confirmWithApproval(w, record);
  });
}
