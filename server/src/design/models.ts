import type { ModelDetail } from '@contract/design';
import type { Role } from '@core/base';
import { modelFindings, modelKinds, type ModelContent, type ModelKind } from '@core/design';
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
  needReasonOfChange,
  needTitle,
  proveApprover,
  recordRows,
  Refusal,
  refuseRetired,
  refuseStale,
  write,
  type Actor,
  type Approval,
  type Db,
  type Reviewed,
  type Writing,
} from '../base';
import { needRequirement, ownWorkAllowed, tracedTo } from '../specify';
import { modelContent, modelDetail, modelHash, modelRows, wholeModel, type StoredModel } from './model-store';
import { models } from './tables';

const prefixes: Readonly<Record<ModelKind, string>> = { flow: 'F', parameters: 'P', decisionTable: 'DT', stateTable: 'ST' };

/** The words of a model, for the search. */
function searchable(content: ModelContent): string {
  const { description, kind, body } = content;
  const words =
    kind === 'flow'
      ? [...body.nodes.flatMap((n) => [n.text, n.expected ?? '']), ...body.edges.map((e) => e.label), ...body.variables.map((v) => v.name)]
      : kind === 'parameters'
        ? [...body.parameters.flatMap((p) => [p.name, ...p.classes.map((c) => c.name)]), body.constraints]
        : kind === 'decisionTable'
          ? [...body.conditions.map((c) => c.name), ...body.rules.flatMap((r) => [r.name, ...r.actions])]
          : [...body.states, ...body.events, ...body.transitions.map((t) => t.output ?? '')];
  return [description, ...words].filter(Boolean).join(' ');
}

export function addModel(db: Db, actor: Actor, input: { content: ModelContent; requirements: readonly string[] }): Promise<ModelDetail> {
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    const { content } = input;
    needTitle(content);
    const key = await freeKey(w, prefixes[content.kind]);
    const id = await insertRecord(w, { kind: content.kind, key, title: content.title, words: searchable(content), state: 'draft' });
    await w.tx.insert(models).values({ id, projectId, everApproved: false, description: content.description, body: content.body });
    w.log({ action: 'model begun', kind: content.kind, key, after: { revision: 1, ...content } });
    w.snapshot({ recordId: id, revision: 1, state: 'draft', snapshot: content });
    w.wrote(recordRows, id);
    w.wrote(modelRows, id);
    const from = { id, kind: content.kind, key, title: content.title, revision: 1, state: 'draft' };
    const ends = [];
    for (const requirement of new Set(input.requirements)) ends.push((await needRequirement(w.tx, projectId, requirement)).record);
    await insertTraces(
      w,
      'models',
      ends.map((to) => [from, to] as const),
    );
    return key;
  }).then((key) => modelDetail(db, actor.projectId, key));
}

/** A model locked: whoever changes it, or makes cases of it, comes one after the other, and reads nothing of before. */
export async function lockModel(w: Writing, key: string, basedOn: number): Promise<StoredModel> {
  const record = await lockRecord(w, modelKinds, key);
  await refuseStale(record, basedOn, () => modelDetail(w.tx, w.actor.projectId, record.key));
  return wholeModel(w.tx, record);
}

/** Saves a new revision; of what is approved, for a reason. Until it was first approved its traces go along with its author's edits. */
export async function saveModel(
  db: Db,
  actor: Actor,
  key: string,
  { basedOn, content, reason }: { basedOn: number; content: ModelContent; reason: string },
): Promise<ModelDetail> {
  needTitle(content);
  await write(db, actor, async (w) => {
    const stored = await lockModel(w, key, basedOn);
    const { record, row } = stored;
    refuseRetired(record);
    if (record.kind !== content.kind)
      throw new Refusal('invalid', { fields: [{ path: 'content.kind', text: `${key} is of another kind.` }] });
    const before = modelContent(stored);
    if (JSON.stringify(before) === JSON.stringify(content)) return;
    await needReasonOfChange(w, record, reason);
    const revision = record.revision + 1;
    await changeRecord(w, record, { title: content.title, words: searchable(content), revision, state: 'draft' });
    await w.tx.update(models).set({ description: content.description, body: content.body }).where(eq(models.id, record.id));
    w.log({
      action: 'model revised',
      kind: record.kind,
      key: record.key,
      before: { revision: record.revision, ...before },
      after: { revision, ...content, ...(reason ? { reason } : {}) },
    });
    w.snapshot({ recordId: record.id, revision, state: 'draft', snapshot: { ...content, own: record.own }, reason });
    w.wrote(recordRows, record.id);
    w.wrote(modelRows, record.id);
    if (!row.everApproved) await carryTraces(w, record.id, 'models', record.revision, revision);
  });
  return modelDetail(db, actor.projectId, key);
}

export const reviewedModel = (w: Writing, stored: StoredModel): Reviewed => ({
  record: stored.record,
  content: modelContent(stored),
  format: 5,
  refuseIncomplete: async (state) => {
    const { record } = stored;
    const missing = await missingOwn(w.tx, w.actor.projectId, record.kind, record.own, state, '');
    const faults = modelFindings(modelContent(stored)).flatMap(({ severity, text }) => (severity === 'error' ? [text] : []));
    const said = [...faults.slice(0, 10), ...missing.map((name) => `It has no ${name}.`)];
    if (said.length) throw new Refusal('stateForbids', { detail: said.join(' ') });
  },
});

export async function setModelState(db: Db, actor: Actor, key: string, basedOn: number, state: 'draft' | 'review'): Promise<ModelDetail> {
  await write(db, actor, async (w) => changeReviewState(w, reviewedModel(w, await lockModel(w, key, basedOn)), state));
  return modelDetail(db, actor.projectId, key);
}

export async function approveModel(db: Db, actor: Actor, roles: readonly Role[], key: string, input: Approval): Promise<ModelDetail> {
  const signer = await proveApprover(db, actor, roles, input.password);
  await write(db, actor, async (w) => {
    const stored = await lockModel(w, key, input.basedOn);
    const { id } = stored.record;
    await approveRecord(w, signer, reviewedModel(w, stored), {
      hash: modelHash(stored),
      seen: input.hash,
      reason: input.reason,
      ownAllowed: async () => {
        const modelled = await tracedTo(w.tx, 'models', [id]);
        return ownWorkAllowed(
          w.tx,
          w.actor.projectId,
          modelled.map((r) => r.id),
        );
      },
    });
    await w.tx.update(models).set({ everApproved: true }).where(eq(models.id, id));
    w.wrote(modelRows, id);
  });
  return modelDetail(db, actor.projectId, key);
}
