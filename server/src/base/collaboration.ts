import type { Attachment, Comment, PresentPerson, RecordHead, Revision } from '@contract/base';
import { mentionsIn, plainText } from '@core/base';
import { and, asc, desc, eq, gt, inArray, isNull, lt, ne } from 'drizzle-orm';
import { account } from './accounted';
import { storeBlob } from './blobs';
import { takeStorage } from './storage';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { ownRules } from './fields';
import { changeRecord, findRecord, lockRecord, recordRows, refuseRetired, refuseStale, type StoredRecord } from './records';
import { needReasonOfChange } from './review';
import type { SignedIn } from './passwords';
import { cleanHtml } from './rich-text';
import { presentHash, shownSignature, signaturesOf } from './signing';
import { attachments, comments, externalIds, followers, people, presence, revisions } from './tables';
import { tracesAt } from './traces';
import type { Upload } from './uploads';
import { write, type Actor, type Writing } from './writing';

export const commentRows = account({
  name: 'comments',
  table: comments,
  id: comments.id,
  project: comments.projectId,
  columns: [
    ['recordId', comments.recordId],
    ['parentId', comments.parentId],
    ['field', comments.field],
    ['passage', comments.passage],
    ['html', comments.html],
    ['by', comments.by],
    ['at', comments.at],
    ['resolvedBy', comments.resolvedBy],
  ],
});

export const attachmentRows = account({
  name: 'attachments',
  table: attachments,
  id: attachments.id,
  project: attachments.projectId,
  columns: [
    ['recordId', attachments.recordId],
    ['name', attachments.name],
    ['mime', attachments.mime],
    ['bytes', attachments.bytes],
    ['sha256', attachments.sha256],
    ['by', attachments.by],
    ['at', attachments.at],
    ['removedAt', attachments.removedAt],
  ],
});

export async function needAnyRecord(db: Db | Tx, projectId: number, key: string): Promise<StoredRecord> {
  const record = await findRecord(db, projectId, key);
  if (!record) throw new Refusal('notFound', { detail: `There is no record ${key}.` });
  return record;
}

export function recordHead(row: StoredRecord): RecordHead {
  const { key, kind, title, state, revision, own, createdBy, createdAt, updatedBy, updatedAt, retiredAt } = row;
  return { key, kind, title, state, revision, own: { ...own } as RecordHead['own'], createdBy, createdAt, updatedBy, updatedAt, retiredAt };
}

/** A record of any kind, now or as of a ledger number: what its newest snapshot up to there said. */
export async function getRecord(db: Db, projectId: number, personId: number, key: string, asOf: number | undefined) {
  const record = await needAnyRecord(db, projectId, key);
  const snapshots = await db
    .select()
    .from(revisions)
    .where(and(eq(revisions.recordId, record.id), ...(asOf === undefined ? [] : [lt(revisions.seq, asOf + 1)])))
    .orderBy(desc(revisions.seq))
    .limit(1);
  const [then] = snapshots;
  if (asOf !== undefined && !then) throw new Refusal('notFound', { detail: `${key} was not there at entry ${asOf}.` });
  const head = recordHead(record);
  const signed = await signaturesOf(db, [record.id]);
  const ids = await db.select().from(externalIds).where(eq(externalIds.recordId, record.id)).orderBy(asc(externalIds.system));
  const [follows] = await db
    .select({ recordId: followers.recordId })
    .from(followers)
    .where(and(eq(followers.recordId, record.id), eq(followers.personId, personId)));
  return {
    record:
      asOf === undefined
        ? head
        : {
            ...head,
            revision: then.revision,
            state: then.state,
            updatedBy: then.by,
            updatedAt: then.at,
            title: String(then.snapshot['title'] ?? head.title),
          },
    snapshot: then ? then.snapshot : null,
    traces: await tracesAt(db, [record.id], asOf),
    signatures: (asOf === undefined ? signed : signed.filter((s) => s.at <= then.at || s.revision < then.revision)).map(shownSignature),
    hash: asOf === undefined ? ((await presentHash(db, record))?.hash ?? null) : (then.hash ?? null),
    externalIds: ids.map(({ system, externalId }) => ({ system, id: externalId })),
    following: follows !== undefined,
  };
}

export async function recordHistory(db: Db | Tx, recordId: number, before?: number, limit = 100): Promise<Revision[]> {
  const rows = await db
    .select()
    .from(revisions)
    .where(and(eq(revisions.recordId, recordId), ...(before === undefined ? [] : [lt(revisions.seq, before)])))
    .orderBy(desc(revisions.seq))
    .limit(limit);
  return rows.map(({ revision, state, seq, by, at, reason, hash, snapshot }) => ({ revision, state, seq, by, at, reason, hash, snapshot }));
}

/** Gives values to own fields: a change of the record like any other, with the same snapshot and entry. */
export function setOwnFields(
  db: Db,
  actor: Actor,
  key: string,
  basedOn: number,
  change: RecordHead['own'],
  reason: string,
): Promise<RecordHead> {
  return write(db, actor, async (w) => {
    const record = await lockAnyRecord(w, key);
    // What is asked of problem reports is written by whoever works at them.
    if (record.kind !== 'problem') w.needRole('author');
    await refuseStale(record, basedOn, async () => recordHead(record));
    await needReasonOfChange(w, record, reason);
    return setOwnIn(w, record, change, reason);
  });
}

async function lockAnyRecord(w: Writing, key: string): Promise<StoredRecord> {
  const found = await needAnyRecord(w.tx, w.actor.projectId, key);
  return lockRecord(w, found.kind, key);
}

/** The same for a record that is locked already. */
export async function setOwnIn(w: Writing, record: StoredRecord, change: RecordHead['own'], reason = ''): Promise<RecordHead> {
  const { login } = w.actor;
  refuseRetired(record);
  const own = await (await ownRules(w, record.kind))(record.own, change);
  const [last] = await recordHistory(w.tx, record.id, undefined, 1);
  const revision = record.revision + 1;
  const state = record.state === 'approved' || record.state === 'review' ? 'draft' : record.state;
  await changeRecord(w, record, { own, revision, state });
  w.log({
    action: 'fields set',
    kind: record.kind,
    key: record.key,
    before: { revision: record.revision, own: record.own },
    after: { revision, own, ...(reason ? { reason } : {}) },
    touches: { texts: [record.id] },
  });
  w.snapshot({ recordId: record.id, revision, state, snapshot: { ...last?.snapshot, own }, reason });
  w.wrote(recordRows, record.id);
  return recordHead({ ...record, own, revision, state, updatedBy: login, updatedAt: w.at });
}

/** Takes a record out of use, or brings it back. It stays readable, with all that was said of it. */
export function retireRecord(db: Db, actor: Actor, key: string, retired: boolean, reason: string): Promise<RecordHead> {
  return write(db, actor, async (w) => retireIn(w, await lockAnyRecord(w, key), retired, reason));
}

/** The kinds of record that are taken out of use and brought back; the others end in their own ways. */
const retirable: ReadonlySet<string> = new Set(['requirement', 'case', 'group', 'flow', 'parameters', 'decisionTable', 'stateTable']);

/** The same for a record that is locked already. */
export async function retireIn(w: Writing, record: StoredRecord, retired: boolean, reason: string): Promise<RecordHead> {
  if (!retirable.has(record.kind)) throw new Refusal('stateForbids', { detail: `A ${record.kind} is not retired.` });
  if ((record.retiredAt !== null) === retired) return recordHead(record);
  const state = retired ? 'retired' : record.kind === 'group' ? 'open' : 'draft';
  await changeRecord(w, record, { retiredAt: retired ? w.at : null, state });
  const [last] = await recordHistory(w.tx, record.id, undefined, 1);
  w.log({
    action: retired ? `${record.kind} retired` : `${record.kind} brought back`,
    kind: record.kind,
    key: record.key,
    before: { state: record.state },
    after: { state, reason },
    touches: { texts: [record.id] },
  });
  w.snapshot({ recordId: record.id, revision: record.revision, state, snapshot: last?.snapshot ?? {}, reason });
  w.wrote(recordRows, record.id);
  return recordHead({ ...record, state, retiredAt: retired ? w.at : null, updatedBy: w.actor.login, updatedAt: w.at });
}

const asComment = (row: typeof comments.$inferSelect): Comment => {
  const { id, parentId, field, passage, html, text, by, at, resolvedBy, resolvedAt } = row;
  return { id, parent: parentId, field, passage, html, text, by, at, resolvedBy, resolvedAt };
};

export async function listComments(db: Db, projectId: number, key: string, after: number): Promise<Comment[]> {
  const record = await needAnyRecord(db, projectId, key);
  const rows = await db
    .select()
    .from(comments)
    .where(and(eq(comments.recordId, record.id), gt(comments.id, after)))
    .orderBy(asc(comments.id))
    .limit(200);
  return rows.map(asComment);
}

export function addComment(
  db: Db,
  actor: Actor,
  person: SignedIn,
  key: string,
  input: { html: string; parent: number | null; field: string; passage: string },
): Promise<Comment> {
  return write(db, actor, async (w) => {
    const record = await needAnyRecord(w.tx, actor.projectId, key);
    const html = await cleanHtml(actor, input.html);
    const text = plainText(html);
    if (!text) throw new Refusal('invalid', { fields: [{ path: 'html', text: 'Say something.' }] });
    if (input.parent !== null) await needComment(w, record.id, input.parent);
    const row = {
      projectId: actor.projectId,
      recordId: record.id,
      parentId: input.parent,
      field: input.field,
      passage: input.passage,
      html,
      text,
      by: actor.login,
      at: w.at,
    };
    const [made] = await w.tx.insert(comments).values(row).$returningId();
    w.log({
      action: input.parent === null ? 'commented' : 'answered',
      kind: record.kind,
      key: record.key,
      after: { comment: made.id, text },
    });
    w.wrote(commentRows, made.id);
    const mentioned = mentionsIn(text);
    const following = mentioned.length ? await w.tx.select({ id: people.id }).from(people).where(inArray(people.login, mentioned)) : [];
    for (const personId of new Set([...(person.id ? [person.id] : []), ...following.map(({ id }) => id)]))
      await w.tx.insert(followers).ignore().values({ recordId: record.id, personId });
    return asComment({ ...row, id: made.id, resolvedBy: null, resolvedAt: null });
  });
}

async function needComment(w: Writing, recordId: number, id: number): Promise<typeof comments.$inferSelect> {
  const [row] = await w.tx
    .select()
    .from(comments)
    .where(and(eq(comments.id, id), eq(comments.recordId, recordId)));
  if (!row) throw new Refusal('notFound', { detail: 'There is no such comment here.' });
  return row;
}

export function resolveComment(db: Db, actor: Actor, key: string, id: number, resolved: boolean): Promise<Comment> {
  return write(db, actor, async (w) => {
    const record = await needAnyRecord(w.tx, actor.projectId, key);
    const row = await needComment(w, record.id, id);
    const after = { resolvedBy: resolved ? actor.login : null, resolvedAt: resolved ? w.at : null };
    await w.tx.update(comments).set(after).where(eq(comments.id, id));
    w.log({ action: resolved ? 'comment resolved' : 'comment opened again', kind: record.kind, key: record.key, after: { comment: id } });
    w.wrote(commentRows, id);
    return asComment({ ...row, ...after });
  });
}

const asAttachment = ({ id, name, mime, bytes, sha256, by, at }: typeof attachments.$inferSelect): Attachment => ({
  id,
  name,
  mime,
  bytes,
  sha256,
  by,
  at,
});

export async function listAttachments(db: Db | Tx, projectId: number, key: string): Promise<Attachment[]> {
  const record = await needAnyRecord(db, projectId, key);
  const rows = await db
    .select()
    .from(attachments)
    .where(and(eq(attachments.recordId, record.id), isNull(attachments.removedAt)))
    .orderBy(asc(attachments.id))
    .limit(500);
  return rows.map(asAttachment);
}

export function addAttachments(db: Db, actor: Actor, key: string, files: readonly Upload[]): Promise<Attachment[]> {
  return write(db, actor, async (w) => {
    const record = await needAnyRecord(w.tx, actor.projectId, key);
    for (const { name, mime, bytes } of files) {
      const sha256 = await storeBlob(w.tx, bytes);
      const [made] = await w.tx
        .insert(attachments)
        .values({
          projectId: actor.projectId,
          recordId: record.id,
          name,
          mime: mime.slice(0, 120),
          bytes: bytes.length,
          sha256,
          by: actor.login,
          at: w.at,
        })
        .$returningId();
      w.log({ action: 'file added', kind: record.kind, key: record.key, after: { name, bytes: bytes.length, sha256 } });
      takeStorage(w, bytes.length);
      w.wrote(attachmentRows, made.id);
    }
    return listAttachments(w.tx, actor.projectId, key);
  });
}

export function removeAttachment(db: Db, actor: Actor, key: string, id: number): Promise<void> {
  return write(db, actor, async (w) => {
    const record = await needAnyRecord(w.tx, actor.projectId, key);
    const mine = and(eq(attachments.id, id), eq(attachments.recordId, record.id), isNull(attachments.removedAt));
    const [file] = await w.tx.select().from(attachments).where(mine);
    if (!file) throw new Refusal('notFound', { detail: 'There is no such file here.' });
    await w.tx.update(attachments).set({ removedAt: w.at }).where(eq(attachments.id, id));
    w.log({ action: 'file taken off', kind: record.kind, key: record.key, before: { name: file.name, sha256: file.sha256 } });
    w.wrote(attachmentRows, id);
  });
}

export async function needAttachment(db: Db, projectId: number, id: number): Promise<typeof attachments.$inferSelect> {
  const [file] = await db
    .select()
    .from(attachments)
    .where(and(eq(attachments.projectId, projectId), eq(attachments.id, id)));
  if (!file) throw new Refusal('notFound');
  return file;
}

/** A picture at a record of the project, also one that was taken off since: texts of old revisions show it. */
/** A file of the project by the hash of its bytes: a picture or a file that stands in a text. */
export async function needFileOf(db: Db, projectId: number, sha256: string): Promise<typeof attachments.$inferSelect> {
  const [file] = await db
    .select()
    .from(attachments)
    .where(and(eq(attachments.projectId, projectId), eq(attachments.sha256, sha256)))
    .limit(1);
  if (!file) throw new Refusal('notFound');
  return file;
}

export async function setFollowing(
  db: Db,
  projectId: number,
  personId: number,
  key: string,
  follow: boolean,
): Promise<{ following: boolean }> {
  needPerson(personId);
  const { id: recordId } = await needAnyRecord(db, projectId, key);
  if (follow) await db.insert(followers).ignore().values({ recordId, personId });
  else await db.delete(followers).where(and(eq(followers.recordId, recordId), eq(followers.personId, personId)));
  return { following: follow };
}

/** Only people are told of changes, and are here: a program is not. */
function needPerson(personId: number): void {
  if (!personId) throw new Refusal('forbidden', { detail: 'Only a person can do this.' });
}

const presentFor = 30_000;

/** Says that somebody has a record open; half a minute without a word ends it, so that a browser that died is soon gone. */
export async function setPresence(
  db: Db,
  projectId: number,
  person: SignedIn,
  key: string,
  input: { field: string; here: boolean },
  now: Date,
): Promise<PresentPerson[]> {
  needPerson(person.id);
  const { id: recordId } = await needAnyRecord(db, projectId, key);
  const mine = and(eq(presence.recordId, recordId), eq(presence.personId, person.id));
  const until = new Date(now.getTime() + presentFor).toISOString();
  if (input.here)
    await db
      .insert(presence)
      .values({ recordId, personId: person.id, field: input.field, until })
      .onDuplicateKeyUpdate({ set: { field: input.field, until } });
  else await db.delete(presence).where(mine);
  return db
    .select({ login: people.login, printedName: people.printedName, field: presence.field })
    .from(presence)
    .innerJoin(people, eq(people.id, presence.personId))
    .where(and(eq(presence.recordId, recordId), gt(presence.until, now.toISOString()), ne(presence.personId, person.id)))
    .orderBy(asc(people.login))
    .limit(50);
}

export function setExternalId(db: Db, actor: Actor, key: string, system: string, id: string): Promise<{ system: string; id: string }[]> {
  return write(db, actor, async (w) => {
    const record = await needAnyRecord(w.tx, actor.projectId, key);
    const mine = and(eq(externalIds.recordId, record.id), eq(externalIds.system, system));
    const [before] = await w.tx.select().from(externalIds).where(mine);
    await w.tx.delete(externalIds).where(mine);
    if (id) await w.tx.insert(externalIds).values({ projectId: actor.projectId, system, externalId: id, recordId: record.id });
    w.log({ action: 'external identifier set', kind: record.kind, key: record.key, before: before?.externalId ?? null, after: id || null });
    const rows = await w.tx.select().from(externalIds).where(eq(externalIds.recordId, record.id)).orderBy(asc(externalIds.system));
    return rows.map((row) => ({ system: row.system, id: row.externalId }));
  });
}
