import type { RequirementDetail, Specification } from '@contract/specify';
import { canonicalJson, isKey, type Role } from '@core/base';
import { approvalFaults, detailsOf, requirementFormat, saidDetails, type RequirementContent, type RequirementDetails } from '@core/specify';
import { policiesOf } from '@core/prove';
import { and, asc, count, eq, inArray, isNull, sql } from 'drizzle-orm';
import {
  account,
  approveRecord,
  changeRecord,
  changeReviewState,
  freeKey,
  insertRecord,
  insertTraces,
  lockRecord,
  missingOwn,
  needTitle,
  noteKeys,
  paragraphs,
  readWritten,
  profileOf,
  proveApprover,
  needReasonOfChange,
  recordRows,
  records,
  Refusal,
  refuseRetired,
  refuseStale,
  traces,
  write,
  type Actor,
  type Approval,
  type Db,
  type Reviewed,
  type SignedIn,
  type StoredRecord,
  type Writing,
} from '../base';
import {
  contentOf,
  needRequirement,
  lockSpecification,
  detailRows,
  requirementDetail,
  requirementHash,
  requirementRows,
  siblingsOf,
  wholeRequirement,
  type StoredRequirement,
} from './store';
import { requirementDetails, requirements, specifications } from './tables';

export const specificationRows = account({
  name: 'specifications',
  table: specifications,
  id: specifications.id,
  project: specifications.projectId,
  columns: [['prefix', specifications.prefix]],
});

export async function listSpecifications(db: Db, projectId: number): Promise<Specification[]> {
  const counts = db
    .select({ id: requirements.specificationId, n: count().as('n') })
    .from(requirements)
    .where(and(eq(requirements.projectId, projectId), eq(requirements.kind, 'requirement')))
    .groupBy(requirements.specificationId)
    .as('counts');
  return db
    .select({
      key: records.key,
      title: records.title,
      prefix: specifications.prefix,
      requirements: sql<number>`ifnull(${counts.n}, 0)`.mapWith(Number),
    })
    .from(specifications)
    .innerJoin(records, eq(records.id, specifications.id))
    .leftJoin(counts, eq(counts.id, specifications.id))
    .where(eq(specifications.projectId, projectId))
    .orderBy(asc(specifications.id))
    .limit(500);
}

export function addSpecification(db: Db, actor: Actor, input: { key: string; title: string; prefix: string }): Promise<Specification> {
  return write(db, actor, async (w) => {
    const { key, title, prefix } = input;
    const id = await insertRecord(w, { kind: 'specification', key, title, words: prefix, state: 'open' });
    await w.tx.insert(specifications).values({ id, projectId: actor.projectId, prefix });
    w.log({ action: 'specification begun', kind: 'specification', key, after: input });
    w.snapshot({ recordId: id, revision: 1, state: 'open', snapshot: { title, prefix } });
    w.wrote(recordRows, id);
    w.wrote(specificationRows, id);
    return { ...input, requirements: 0 };
  });
}

export interface NewRequirement {
  readonly specification: string;
  readonly under: string | null;
  readonly after?: string | undefined;
  readonly key?: string | undefined;
  readonly parent: string | null;
  readonly content: RequirementContent;
}

export function searchable({ text, rationale, ...more }: RequirementContent): string {
  const { criteria, source, tags } = detailsOf(more);
  return [text, rationale, source, ...criteria, ...tags].filter((words, i) => i < 2 || words).join(' ');
}

/** What a requirement says beside its details. */
function withoutDetails(content: RequirementContent): Omit<RequirementContent, keyof RequirementDetails> {
  const { criteria: _, source: __, risk: ___, priority: ____, tags: _____, ...rest } = content;
  return rest;
}

/** The columns of a requirement's own table that its content fills. */
export function contentColumns(content: RequirementContent) {
  const { title: _, ...columns } = withoutDetails(content);
  return { ...columns, html: content.html ?? paragraphs(content.text) };
}

/** A content as it is kept: without details that say nothing. */
export const asKept = (content: RequirementContent): RequirementContent => ({ ...withoutDetails(content), ...saidDetails(content) });

/** Writes what requirements have beside their texts: of those that have something, and of those that had. */
export async function putDetails(w: Writing, contents: ReadonlyMap<number, RequirementContent>, had: ReadonlySet<number> = new Set()) {
  const rows = [...contents].flatMap(([id, content]) =>
    had.has(id) || Object.keys(saidDetails(content)).length ? [{ id, projectId: w.actor.projectId, ...detailsOf(content) }] : [],
  );
  for (let at = 0; at < rows.length; at += 500)
    await w.tx
      .insert(requirementDetails)
      .values(rows.slice(at, at + 500))
      .onDuplicateKeyUpdate({
        set: {
          criteria: sql`values(criteria)`,
          source: sql`values(source)`,
          risk: sql`values(risk)`,
          priority: sql`values(priority)`,
          tags: sql`values(tags)`,
        },
      });
  w.wrote(detailRows, ...rows.map(({ id }) => id));
}

/** What code names a requirement's key before the requirement is there: from now on it is traced to it. */
export async function adoptCode(w: Writing, ids: ReadonlyMap<string, number>): Promise<void> {
  const keys = [...ids.keys()];
  for (let at = 0; at < keys.length; at += 1000)
    await w.tx.execute(
      sql`update code_traces t join ${records} r on r.project_id = t.project_id and r.record_key = t.requirement_key set t.requirement_id = r.id where t.project_id = ${w.actor.projectId} and t.requirement_id is null and ${inArray(sql`t.requirement_key`, keys.slice(at, at + 1000))}`,
    );
}

export async function addRequirement(db: Db, actor: Actor, input: NewRequirement): Promise<RequirementDetail> {
  const content = asKept(await readWritten(actor, input.content));
  const key = await write(db, actor, async (w) => (await addRequirementIn(w, { ...input, content })).key);
  return requirementDetail(db, actor.projectId, key);
}

/** A position behind a sibling, between it and the next; at the end without one. */
function placeAfter(siblings: readonly { readonly key: string; readonly position: number }[], after: string | undefined): number {
  const at = after === undefined ? siblings.length - 1 : siblings.findIndex(({ key }) => key === after);
  if (after !== undefined && at < 0) throw new Refusal('invalid', { fields: [{ path: 'after', text: `${after} does not stand there.` }] });
  const [before, next] = [siblings.at(at)?.position ?? 0, siblings[at + 1]?.position];
  if (at < 0) return 1;
  return next === undefined ? before + 1 : (before + next) / 2;
}

/** Writes a requirement within a transaction. */
export async function addRequirementIn(
  w: Writing,
  input: NewRequirement,
  own: StoredRecord['own'] = {},
): Promise<{ readonly id: number; readonly key: string }> {
  const { projectId } = w.actor;
  needTitle(input.content);
  const given = input.key?.trim();
  if (given !== undefined && !isKey(given))
    throw new Refusal('invalid', {
      fields: [{ path: 'key', text: 'A key is capitals, a hyphen and a number of at most nine digits, as in BRK-007.' }],
    });
  // Its row orders those who write into one specification: positions cannot tie.
  const specification = await lockSpecification(w, input.specification);
  const key = given ?? (await freeKey(w, specification.prefix));
  const under = input.under === null ? null : (await needRequirement(w.tx, projectId, input.under)).record.id;
  const siblings = await siblingsOf(w.tx, specification.id, under);
  const position = placeAfter(siblings, input.after);
  const id = await insertRecord(w, {
    kind: 'requirement',
    key,
    title: input.content.title,
    words: searchable(input.content),
    state: 'draft',
    own,
  });
  if (given) await noteKeys(w, [given]);
  await w.tx.insert(requirements).values({
    id,
    projectId,
    specificationId: specification.id,
    underId: under,
    position,
    ...contentColumns(input.content),
  });
  await adoptCode(w, new Map([[key, id]]));
  w.log({
    action: 'requirement written',
    kind: 'requirement',
    key,
    after: { revision: 1, ...input.content },
    touches: { texts: [id], requirements: [id] },
  });
  w.snapshot({ recordId: id, revision: 1, state: 'draft', snapshot: { ...input.content, ...(Object.keys(own).length ? { own } : {}) } });
  w.wrote(recordRows, id);
  w.wrote(requirementRows, id);
  await putDetails(w, new Map([[id, input.content]]));
  if (input.parent !== null) {
    const parent = await needRequirement(w.tx, projectId, input.parent);
    await insertTraces(w, 'parent', [
      [{ id, kind: 'requirement', key, title: input.content.title, revision: 1, state: 'draft' }, parent.record],
    ]);
  }
  return { id, key };
}

async function lockRequirement(w: Writing, key: string, basedOn: number): Promise<StoredRequirement> {
  const record = await lockRecord(w, 'requirement', key);
  await refuseStale(record, basedOn, () => requirementDetail(w.tx, w.actor.projectId, record.key));
  return wholeRequirement(w.tx, record);
}

/** Saves a new revision. A revision saved by somebody else in between is a conflict, answered with the stored version. */
export async function saveRequirement(
  db: Db,
  actor: Actor,
  key: string,
  basedOn: number,
  content: RequirementContent,
  reason = '',
): Promise<RequirementDetail> {
  const written = asKept(await readWritten(actor, content));
  await write(db, actor, async (w) => reviseRequirement(w, await lockRequirement(w, key, basedOn), written, reason));
  return requirementDetail(db, actor.projectId, key);
}

/** Saves a new revision of a requirement that is locked; of one that is approved, for a reason. */
export async function reviseRequirement(w: Writing, stored: StoredRequirement, content: RequirementContent, reason: string): Promise<void> {
  needTitle(content);
  const { record } = stored;
  const before = contentOf(stored);
  if (canonicalJson({ ...before }) === canonicalJson({ ...content })) return;
  refuseRetired(record);
  await needReasonOfChange(w, record, reason);
  const revision = record.revision + 1;
  await changeRecord(w, record, { title: content.title, words: searchable(content), revision, state: 'draft' });
  await w.tx.update(requirements).set(contentColumns(content)).where(eq(requirements.id, record.id));
  w.log({
    action: 'requirement revised',
    kind: 'requirement',
    key: record.key,
    before: { revision: record.revision, ...before },
    after: { revision, ...content, ...(reason ? { reason } : {}) },
    touches: { texts: [record.id] },
  });
  w.snapshot({ recordId: record.id, revision, state: 'draft', snapshot: { ...content, own: record.own }, reason });
  w.wrote(recordRows, record.id);
  w.wrote(requirementRows, record.id);
  await putDetails(w, new Map([[record.id, content]]), new Set(stored.details ? [record.id] : []));
}

async function refuseIncomplete(w: Writing, stored: StoredRequirement, state: string): Promise<void> {
  const content = contentOf(stored);
  const missing = await missingOwn(w.tx, w.actor.projectId, 'requirement', stored.record.own, state, content.level);
  const faults = [...approvalFaults(content), ...missing.map((name) => `It has no ${name}.`)];
  if (faults.length) throw new Refusal('stateForbids', { detail: faults.join(' ') });
}

export const reviewedRequirement = (w: Writing, stored: StoredRequirement): Reviewed => ({
  record: stored.record,
  content: contentOf(stored),
  format: requirementFormat(contentOf(stored)),
  refuseIncomplete: (state) => refuseIncomplete(w, stored, state),
});

/** Asks for review, or takes back to draft. */
export async function setRequirementState(
  db: Db,
  actor: Actor,
  key: string,
  basedOn: number,
  state: 'draft' | 'review',
): Promise<RequirementDetail> {
  await write(db, actor, async (w) => changeReviewState(w, reviewedRequirement(w, await lockRequirement(w, key, basedOn)), state));
  return requirementDetail(db, actor.projectId, key);
}

/** Approves a revision that is in review: a signature on the hash that the signer saw. */
export async function approveRequirement(
  db: Db,
  actor: Actor,
  roles: readonly Role[],
  key: string,
  input: Approval,
): Promise<RequirementDetail> {
  const signer = await proveApprover(db, actor, roles, input.password);
  await write(db, actor, async (w) => {
    const stored = await lockRequirement(w, key, input.basedOn);
    await approveRequirementIn(w, signer, stored, input);
  });
  return requirementDetail(db, actor.projectId, key);
}

/** Approves a requirement that is locked, where its hash is the one that was seen. */
export const approveRequirementIn = (
  w: Writing,
  signer: SignedIn,
  stored: StoredRequirement,
  { hash, reason }: Pick<Approval, 'hash' | 'reason'>,
): Promise<void> =>
  approveRecord(w, signer, reviewedRequirement(w, stored), {
    hash: requirementHash(stored),
    seen: hash,
    reason,
    ownAllowed: () => ownWorkAllowed(w.tx, w.actor.projectId, [stored.record.id]),
  });

/** Do the levels at these records allow their author to confirm a trace alone? */
export async function ownWorkAllowed(tx: Parameters<typeof profileOf>[0], projectId: number, ids: readonly number[]): Promise<boolean> {
  const { ownApprovalAt } = policiesOf(await profileOf(tx, projectId));
  if (!ownApprovalAt.length) return false;
  const rows = await tx
    .select({ level: requirements.level })
    .from(requirements)
    .where(inArray(requirements.id, [...ids]));
  return rows.length > 0 && rows.every(({ level }) => ownApprovalAt.includes(level));
}

/** The requirements that records of a kind are traced to, by the kind of trace; taken-back ones left out. */
export async function tracedTo(
  tx: Parameters<typeof profileOf>[0],
  kind: string,
  fromIds: readonly number[],
): Promise<({ from: number } & Pick<StoredRecord, 'id' | 'kind' | 'key' | 'title' | 'revision' | 'state'>)[]> {
  if (!fromIds.length) return [];
  return tx
    .select({
      from: traces.fromId,
      id: records.id,
      kind: records.kind,
      key: records.key,
      title: records.title,
      revision: records.revision,
      state: records.state,
    })
    .from(traces)
    .innerJoin(records, eq(records.id, traces.toId))
    .where(and(eq(traces.kind, kind), isNull(traces.removedAt), inArray(traces.fromId, [...fromIds])))
    .orderBy(asc(records.keyPrefix), asc(records.keyNumber));
}
