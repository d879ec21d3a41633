import { isKey, keyInText, keyNumber, keyPrefix, nextKey, type VersionedKind } from '@core/base';
import type { OwnValue } from '@contract/base';
import { and, eq, inArray, sql } from 'drizzle-orm';
import { account } from './accounted';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { insertMany } from './insert-many';
import { statementOfMany } from './statement';
import { keyCounters, records } from './tables';
import type { Writing } from './writing';

export type StoredRecord = typeof records.$inferSelect;

export const recordRows = account({
  name: 'records',
  table: records,
  id: records.id,
  project: records.projectId,
  columns: [
    ['kind', records.kind],
    ['key', records.key],
    ['title', records.title],
    ['state', records.state],
    ['revision', records.revision],
    ['own', records.own],
    ['createdBy', records.createdBy],
    ['createdAt', records.createdAt],
    ['authoredBy', records.authoredBy],
    ['retiredAt', records.retiredAt],
  ],
});

const keyRows = statementOfMany(records.id, (db, where) => db.select({ id: records.id, key: records.key }).from(records).where(where));

/** Keys of records by their ids. */
export const keysOfRecords = async (db: Db | Tx, ids: readonly number[]): Promise<Map<number, string>> =>
  new Map((await keyRows(db, ids, {})).map(({ id, key }) => [id, key]));

/** What lists show of every record. */
export const shownColumns = {
  id: records.id,
  key: records.key,
  title: records.title,
  revision: records.revision,
  state: records.state,
  own: records.own,
  updatedBy: records.updatedBy,
  updatedAt: records.updatedAt,
};

export interface NewRecord {
  readonly kind: VersionedKind;
  readonly key: string;
  readonly title: string;
  /** Plain text besides key and title, for the search. */
  readonly words: string;
  readonly state: string;
  readonly own?: Readonly<Record<string, OwnValue>>;
}

const searchLimit = 60_000;
const searchWords = (key: string, title: string, words: string): string => `${key} ${title} ${words}`.slice(0, searchLimit);

/** The row of a new record at revision 1; `createdBy` and its time are those of the writing. */
export function recordValues(w: Writing, { kind, key, title, words, state, own }: NewRecord): typeof records.$inferInsert {
  return {
    projectId: w.actor.projectId,
    kind,
    key,
    keyPrefix: keyPrefix(key),
    keyNumber: keyNumber(key),
    title,
    words: searchWords(key, title, words),
    state,
    revision: 1,
    own: own ?? {},
    createdBy: w.actor.login,
    createdAt: w.at,
    updatedBy: w.actor.login,
    updatedAt: w.at,
    authoredBy: w.actor.login,
  };
}

/** Makes a record and answers its id. A key that is in use, by whatever kind, is refused. */
export async function insertRecord(w: Writing, record: NewRecord): Promise<number> {
  const [made] = await w.tx.insert(records).values(recordValues(w, record)).$returningId();
  return made.id;
}

/** Makes many at once and answers their ids by key. */
export async function insertRecords(
  w: Writing,
  list: readonly NewRecord[],
  reached?: (count: number) => Promise<void>,
): Promise<Map<string, number>> {
  const ids = await insertMany(
    w.tx,
    records,
    list.map((record) => recordValues(w, record)),
    reached,
  );
  return new Map(list.map(({ key }, i) => [key, ids[i]]));
}

export interface RecordChange {
  readonly title?: string;
  readonly words?: string;
  readonly state?: string;
  readonly revision?: number;
  readonly own?: Readonly<Record<string, OwnValue>>;
  readonly retiredAt?: string | null;
}

/** Changes what the spine of a record says; its kind's own columns are the room's business. */
export async function changeRecord(w: Writing, record: Pick<StoredRecord, 'id' | 'key' | 'title'>, change: RecordChange): Promise<void> {
  const { words, ...rest } = change;
  await w.tx
    .update(records)
    .set({
      ...rest,
      ...(words === undefined ? {} : { words: searchWords(record.key, change.title ?? record.title, words) }),
      // A new revision is its author's; approving it, or sending it back, makes nobody its author.
      ...(change.revision === undefined ? {} : { authoredBy: w.actor.login }),
      updatedBy: w.actor.login,
      updatedAt: w.at,
    })
    .where(eq(records.id, record.id));
}

/** Key as people type it: outer blanks are none of it. */
export const plainKey = (key: string): string => key.trim();

export async function findRecord(db: Db | Tx, projectId: number, key: string): Promise<StoredRecord | undefined> {
  const [row] = await db
    .select()
    .from(records)
    .where(and(eq(records.projectId, projectId), eq(records.key, plainKey(key))));
  return row;
}

/** The record of that kind and key; refuses with `notFound`. */
export async function needRecord(db: Db | Tx, projectId: number, kind: VersionedKind, key: string): Promise<StoredRecord> {
  const row = await findRecord(db, projectId, key);
  if (row?.kind !== kind) throw new Refusal('notFound', { detail: `There is no ${kind} ${key}.` });
  return row;
}

/** The same, locked until the transaction ends: two who change one record come one after the other. */
export async function lockRecord(w: Writing, kind: VersionedKind | readonly VersionedKind[], key: string): Promise<StoredRecord> {
  const kinds = typeof kind === 'string' ? [kind] : kind;
  const [row] = await w.tx
    .select()
    .from(records)
    .where(and(eq(records.projectId, w.actor.projectId), eq(records.key, plainKey(key))))
    .for('update');
  if (!row || !kinds.includes(row.kind))
    throw new Refusal('notFound', { detail: `There is no ${kinds.length > 1 ? 'such record' : kinds[0]} ${key}.` });
  return row;
}

/** Refuses a change to what was taken out of use. */
export function refuseRetired({ key, retiredAt }: Pick<StoredRecord, 'key' | 'retiredAt'>): void {
  if (retiredAt !== null) throw new Refusal('stateForbids', { detail: `${key} is retired: bring it back first.` });
}

/** Refuses a text without a title. */
export function needTitle({ title }: { readonly title: string }): void {
  if (!title.trim()) throw new Refusal('invalid', { fields: [{ path: 'title', text: 'Give it a title.' }] });
}

/** Refuses a change that rests on another revision than the present one, with what is stored now. */
export async function refuseStale(record: StoredRecord, basedOn: number, current: () => Promise<unknown>): Promise<void> {
  if (record.revision === basedOn) return;
  throw new Refusal('conflict', {
    detail: `${record.updatedBy} saved revision ${record.revision} in between.`,
    current: await current(),
  });
}

/** The next free key of a prefix. The counter is a row of its own: locked, it gives each number once. */
export async function freeKey(w: Writing, prefix: string): Promise<string> {
  const [key] = await freeKeys(w, prefix, 1);
  return key;
}

export async function freeKeys(w: Writing, prefix: string, count: number): Promise<string[]> {
  const { projectId } = w.actor;
  // One statement takes the row for itself: reading it first would let two hold it, and neither write.
  await w.tx
    .insert(keyCounters)
    .values({ projectId, prefix, last: count })
    .onDuplicateKeyUpdate({ set: { last: sql`${keyCounters.last} + ${count}` } });
  const [{ last }] = await w.tx
    .select({ last: keyCounters.last })
    .from(keyCounters)
    .where(and(eq(keyCounters.projectId, projectId), eq(keyCounters.prefix, prefix)))
    .for('update');
  return Array.from({ length: count }, (_, i) => nextKey(prefix, last - count + i));
}

/** Takes note of keys that people gave themselves, so that none of them is given out again. */
export async function noteKeys(w: Writing, keys: Iterable<string>): Promise<void> {
  const greatest = new Map<string, number>();
  for (const key of keys) if (isKey(key)) greatest.set(keyPrefix(key), Math.max(greatest.get(keyPrefix(key)) ?? 0, keyNumber(key)));
  for (const [prefix, last] of [...greatest].sort())
    await w.tx
      .insert(keyCounters)
      .values({ projectId: w.actor.projectId, prefix, last })
      .onDuplicateKeyUpdate({ set: { last: sql`greatest(${keyCounters.last}, ${last})` } });
}

/** Ids of records by their keys, of one project; keys that name nothing are left out. */
export async function recordsByKey(db: Db | Tx, projectId: number, keys: readonly string[]): Promise<Map<string, StoredRecord>> {
  const found = new Map<string, StoredRecord>();
  for (let at = 0; at < keys.length; at += 1000)
    for (const row of await db
      .select()
      .from(records)
      .where(and(eq(records.projectId, projectId), inArray(records.key, keys.slice(at, at + 1000)))))
      found.set(row.key, row);
  return found;
}

/** The records, but one, whose keys stand in some texts. */
export async function mentionedIn(
  db: Db | Tx,
  projectId: number,
  texts: readonly string[],
  but: string,
): Promise<{ kind: VersionedKind; key: string }[]> {
  const keys = [...new Set(texts.flatMap((text) => text.match(keyInText) ?? []))].filter((key) => key !== but);
  if (!keys.length) return [];
  return [...(await recordsByKey(db, projectId, keys.slice(0, 500))).values()].map(({ kind, key }) => ({ kind, key }));
}
