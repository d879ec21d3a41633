import { isKey, type Role } from '@core/base';
import {
  caseFaults,
  caseFormat,
  laidOutTexts,
  saidCase,
  textsOf,
  caseDetailsOf,
  saidCaseDetails,
  type CaseContent,
  type CaseStep,
} from '@core/design';
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
  readWritten,
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
import { noteDepends } from './depends';
import { putInFolder } from './folders';
import { partOfKind } from './kinds';
import { caseContent, caseDetailRows, caseHash, caseRows, caseWithTraces, wholeCase, type StoredCase } from './store';
import { caseDetails, cases } from './tables';

const searchable = (content: CaseContent): string =>
  [
    content.objective,
    content.preconditions,
    ...textsOf(content).map(({ text }) => text),
    ...(content.tags ?? []),
    ...(content.script ? [content.script] : []),
  ].join(' ');

const contentColumns = ({ objective, preconditions, steps, plannedMinutes, rows }: CaseContent) => ({
  objective,
  preconditions,
  steps,
  plannedMinutes,
  rows: rows ?? null,
});

/** A content as it is kept: layouts cleaned and their words read from them, nothing that says nothing. */
export async function readCase(actor: Pick<Actor, 'parse'>, content: CaseContent): Promise<CaseContent> {
  const steps: CaseStep[] = [];
  for (const { layout, ...step } of content.steps) {
    if (!layout?.action && !layout?.expected) {
      steps.push(step);
      continue;
    }
    const action = await readWritten(actor, { text: step.action, html: layout.action || undefined });
    const expected = await readWritten(actor, { text: step.expected, html: layout.expected || undefined });
    steps.push({
      ...step,
      action: action.text,
      expected: expected.text,
      layout: { ...(action.html ? { action: action.html } : {}), ...(expected.html ? { expected: expected.html } : {}) },
    });
  }
  const texts: Record<string, string> = {};
  const layouts: Record<string, string> = {};
  for (const name of laidOutTexts) {
    const written = content.layout?.[name];
    if (!written) continue;
    const { text, html } = await readWritten(actor, { text: content[name] ?? '', html: written });
    texts[name] = text;
    if (html) layouts[name] = html;
  }
  return saidCase({ ...content, ...texts, steps, layout: layouts });
}

/** Writes what a case has beside its steps: where it has something, and where it had. Belongs to the entry logged before. */
async function putDetails(w: Writing, id: number, content: CaseContent, had: boolean): Promise<void> {
  if (!had && !Object.keys(saidCaseDetails(content)).length) return;
  const values = caseDetailsOf(content);
  await w.tx
    .insert(caseDetails)
    .values({ id, projectId: w.actor.projectId, ...values })
    .onDuplicateKeyUpdate({ set: values });
  w.wrote(caseDetailRows, id);
}

export interface NewCase {
  readonly key?: string | undefined;
  readonly content: CaseContent;
  readonly verifies: readonly string[];
  readonly folder?: string | null | undefined;
}

export async function addCase(db: Db, actor: Actor, input: NewCase): Promise<string> {
  const content = await readCase(actor, input.content);
  return write(db, actor, (w) => addCaseIn(w, { ...input, content }));
}

/** Writes a case, as `readCase` leaves it, within a transaction; answers its key. */
export async function addCaseIn(w: Writing, input: NewCase, own: StoredRecord['own'] = {}): Promise<string> {
  const { projectId } = w.actor;
  const { content } = input;
  needTitle(content);
  const given = input.key?.trim();
  if (given !== undefined && !isKey(given))
    throw new Refusal('invalid', {
      fields: [{ path: 'key', text: 'A key is capitals, a hyphen and a number of at most nine digits, as in C-018.' }],
    });
  const key = given ?? (await freeKey(w, 'C'));
  await checkCalls(w.tx, projectId, key, content);
  await partOfKind(w.tx, projectId, content.kind);
  const id = await insertRecord(w, { kind: 'case', key, title: content.title, words: searchable(content), state: 'draft', own });
  if (given) await noteKeys(w, [given]);
  await w.tx.insert(cases).values({ id, projectId, everApproved: false, ...contentColumns(content) });
  await noteCalls(w, id, content);
  await noteDepends(w, id, key, content.dependsOn ?? []);
  w.log({ action: 'case written', kind: 'case', key, after: { revision: 1, ...content }, touches: { results: [id] } });
  w.snapshot({ recordId: id, revision: 1, state: 'draft', snapshot: { ...content, ...(Object.keys(own).length ? { own } : {}) } });
  w.wrote(recordRows, id);
  w.wrote(caseRows, id);
  await putDetails(w, id, content, false);
  const ends = [];
  for (const requirement of new Set(input.verifies)) ends.push((await needRequirement(w.tx, projectId, requirement)).record);
  const from = { id, kind: 'case' as const, key, title: content.title, revision: 1, state: 'draft' };
  await insertTraces(
    w,
    'verifies',
    ends.map((to) => [from, to] as const),
  );
  if (input.folder) await putInFolder(w, [{ id, key }], input.folder);
  return key;
}

export async function lockCase(w: Writing, key: string, basedOn: number): Promise<StoredCase> {
  const record = await lockRecord(w, 'case', key);
  await refuseStale(record, basedOn, async () => {
    const { id: _, ...current } = await caseWithTraces(w.tx, w.actor.projectId, record.key);
    return current;
  });
  return wholeCase(w.tx, record);
}

/**
 * Saves a new revision. Until a case was first approved, its own author's edits carry its confirmed traces along: they
 * are still being designed together. Afterwards every revision makes them suspect.
 */
export async function saveCase(db: Db, actor: Actor, key: string, basedOn: number, content: CaseContent, reason = ''): Promise<void> {
  const read = await readCase(actor, content);
  return write(db, actor, async (w) => reviseCase(w, await lockCase(w, key, basedOn), read, reason));
}

/** Saves a new revision of a case that is locked; of one that is approved, for a reason. */
export async function reviseCase(w: Writing, stored: StoredCase, content: CaseContent, reason: string): Promise<void> {
  needTitle(content);
  const { record, row } = stored;
  const { projectId } = w.actor;
  refuseRetired(record);
  await checkCalls(w.tx, projectId, record.key, content);
  const before = caseContent(stored);
  const after = saidCase(content);
  if (JSON.stringify(saidCase(before)) === JSON.stringify(after)) return;
  await partOfKind(w.tx, projectId, after.kind);
  await needReasonOfChange(w, record, reason);
  const revision = record.revision + 1;
  await changeRecord(w, record, { title: after.title, words: searchable(after), revision, state: 'draft' });
  await w.tx.update(cases).set(contentColumns(after)).where(eq(cases.id, record.id));
  await noteCalls(w, record.id, after);
  if (JSON.stringify(before.dependsOn ?? []) !== JSON.stringify(after.dependsOn ?? []))
    await noteDepends(w, record.id, record.key, after.dependsOn ?? []);
  w.log({
    action: 'case revised',
    kind: 'case',
    key: record.key,
    before: { revision: record.revision, ...before },
    after: { revision, ...after, ...(reason ? { reason } : {}) },
    touches: { texts: [record.id], results: [record.id] },
  });
  w.snapshot({ recordId: record.id, revision, state: 'draft', snapshot: { ...after, own: record.own }, reason });
  w.wrote(recordRows, record.id);
  w.wrote(caseRows, record.id);
  await putDetails(w, record.id, after, stored.details !== null);
  if (!row.everApproved) await carryTraces(w, record.id, 'verifies', record.revision, revision);
}

async function refuseIncomplete(w: Writing, stored: StoredCase, state: string): Promise<void> {
  const { record, row } = stored;
  const content = caseContent(stored);
  const part = await partOfKind(w.tx, w.actor.projectId, content.kind);
  const missing = await missingOwn(w.tx, w.actor.projectId, 'case', record.own, state, '');
  const faults = [...caseFaults(content, part), ...missing.map((name) => `It has no ${name}.`)];
  if (faults.length) throw new Refusal('stateForbids', { detail: faults.join(' ') });
  // What a run would freeze must stand, for every row.
  for (const dataRow of row.rows?.length ? row.rows : [undefined]) await frozenCase(w.tx, w.actor.projectId, record.key, content, dataRow);
}

export const reviewedCase = (w: Writing, stored: StoredCase): Reviewed => ({
  record: stored.record,
  content: caseContent(stored),
  format: caseFormat(caseContent(stored)),
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
