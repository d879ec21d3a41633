import type { Folder } from '@contract/design';
import { groupBy } from '@core/base';
import { and, asc, eq, inArray, isNull, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  account,
  changeRecord,
  freeKey,
  insertRecord,
  lockRecord,
  needRecord,
  projectKey,
  recordRows,
  records,
  recordsByKey,
  Refusal,
  refuseRetired,
  refuseStale,
  write,
  type Actor,
  type Db,
  type StoredRecord,
  type Tx,
  type Writing,
} from '../base';
import { casePlaces, cases, folders } from './tables';

const folderRows = account({
  name: 'folders',
  table: folders,
  id: folders.id,
  project: folders.projectId,
  columns: [
    ['underId', folders.underId],
    ['position', folders.position],
    ['description', folders.description],
  ],
});
const placeRows = account({
  name: 'case_places',
  table: casePlaces,
  id: casePlaces.id,
  project: casePlaces.projectId,
  columns: [['folderId', casePlaces.folderId]],
});

const mostFolders = 2000;
/** Folders stand in each other so deep at most. */
const deepest = 20;

const underRecord = alias(records, 'folder_under');
interface Counts {
  readonly cases: number;
  readonly approved: number;
  readonly neverRun: number;
  readonly minutes: number;
}
const none: Counts = { cases: 0, approved: 0, neverRun: 0, minutes: 0 };
const plus = (a: Counts, b: Counts): Counts => ({
  cases: a.cases + b.cases,
  approved: a.approved + b.approved,
  neverRun: a.neverRun + b.neverRun,
  minutes: a.minutes + b.minutes,
});

/** What stands in each folder itself; under null what stands in none. */
async function countsOf(db: Db | Tx, projectId: number): Promise<Map<number | null, Counts>> {
  const [rows] = (await db.execute(sql`
    select p.folder_id as folder, count(*) as n, sum(r.state = 'approved') as approved, sum(c.planned_minutes) as minutes,
      sum(not exists (select 1 from runs u where u.case_id = c.id and u.finished_at is not null)) as never_run
    from ${cases} c join ${records} r on r.id = c.id left join ${casePlaces} p on p.id = c.id
    where c.project_id = ${projectId} and r.retired_at is null group by p.folder_id`)) as unknown as [
    { folder: number | null; n: number; approved: number; minutes: number; never_run: number }[],
  ];
  return new Map(
    rows.map(({ folder, n, approved, minutes, never_run: neverRun }) => [
      folder === null ? null : Number(folder),
      { cases: Number(n), approved: Number(approved), neverRun: Number(neverRun), minutes: Number(minutes) },
    ]),
  );
}

/** All folders in reading order, with what is in each and below it. */
export async function listFolders(db: Db | Tx, projectId: number): Promise<{ folders: Folder[]; unfiled: Counts }> {
  const rows = await db
    .select({ record: records, row: folders, under: underRecord.key })
    .from(folders)
    .innerJoin(records, eq(records.id, folders.id))
    .leftJoin(underRecord, eq(underRecord.id, folders.underId))
    .where(and(eq(folders.projectId, projectId), isNull(records.retiredAt)))
    .orderBy(asc(folders.position), asc(folders.id))
    .limit(mostFolders);
  const counts = await countsOf(db, projectId);
  const below = groupBy(rows, ({ row }) => row.underId);
  const ordered: Folder[] = [];
  const walk = (id: number | null, depth: number): Counts => {
    let sum = counts.get(id) ?? none;
    if (id === null) sum = none;
    for (const { record, row, under } of below.get(id) ?? []) {
      const at = ordered.length;
      const shown = {
        key: record.key,
        title: record.title,
        description: row.description,
        under,
        position: row.position,
        revision: record.revision,
      };
      ordered.push({ ...shown, ...none });
      const inside = depth < deepest ? walk(record.id, depth + 1) : none;
      ordered[at] = { ...shown, ...inside };
      sum = plus(sum, inside);
    }
    return sum;
  };
  walk(null, 0);
  return { folders: ordered, unfiled: counts.get(null) ?? none };
}

const oneFolder = async (db: Db, projectId: number, key: string): Promise<Folder> => {
  const found = (await listFolders(db, projectId)).folders.find((folder) => folder.key === key);
  if (!found) throw new Refusal('notFound', { detail: `There is no folder ${key}.` });
  return found;
};

/** Folders of a project are placed one writer after the other: all of them hold the same row. */
const orderFolders = (w: Writing): Promise<StoredRecord> => lockRecord(w, 'project', projectKey);

async function siblings(w: Writing, underId: number | null) {
  return w.tx
    .select({ id: folders.id, key: records.key, title: records.title, position: folders.position })
    .from(folders)
    .innerJoin(records, eq(records.id, folders.id))
    .where(
      and(
        eq(folders.projectId, w.actor.projectId),
        underId === null ? isNull(folders.underId) : eq(folders.underId, underId),
        isNull(records.retiredAt),
      ),
    )
    .orderBy(asc(folders.position), asc(folders.id));
}

function refuseSameName(title: string, others: readonly { readonly title: string }[]): void {
  if (others.some((other) => other.title.toLowerCase() === title.toLowerCase()))
    throw new Refusal('exists', {
      detail: `There is a folder “${title}” there already.`,
      fields: [{ path: 'title', text: 'There is one of this name here already.' }],
    });
}

function refuseTooDeep(above: readonly number[]): void {
  if (above.length >= deepest)
    throw new Refusal('invalid', { fields: [{ path: 'under', text: `Folders stand in each other ${deepest} deep at most.` }] });
}

export interface NewFolder {
  readonly title: string;
  readonly description: string;
  readonly under: string | null;
}

export async function addFolder(db: Db, actor: Actor, input: NewFolder): Promise<Folder> {
  const key = await write(db, actor, async (w) => {
    await orderFolders(w);
    return (await addFolderIn(w, input)).key;
  });
  return oneFolder(db, actor.projectId, key);
}

/** Makes a folder where the folders are held already. */
async function addFolderIn(w: Writing, { title, description, under }: NewFolder): Promise<{ id: number; key: string }> {
  const { projectId } = w.actor;
  const underId = under === null ? null : (await needFolder(w, under)).id;
  if (underId !== null) refuseTooDeep(await aboveOf(w, underId));
  const [{ n }] = await w.tx
    .select({ n: sql<number>`count(*)`.mapWith(Number) })
    .from(folders)
    .where(eq(folders.projectId, projectId));
  if (n >= mostFolders) throw new Refusal('tooLarge', { detail: `At most ${mostFolders} folders.` });
  const there = await siblings(w, underId);
  refuseSameName(title, there);
  const key = await freeKey(w, 'FLD');
  const id = await insertRecord(w, { kind: 'folder', key, title, words: description, state: 'open' });
  await w.tx.insert(folders).values({ id, projectId, underId, position: (there.at(-1)?.position ?? 0) + 1, description });
  w.log({ action: 'folder made', kind: 'folder', key, after: { title, description, under } });
  w.snapshot({ recordId: id, revision: 1, state: 'open', snapshot: { title, description, under } });
  w.wrote(recordRows, id);
  w.wrote(folderRows, id);
  return { id, key };
}

async function needFolder(w: Writing, key: string): Promise<StoredRecord> {
  const record = await needRecord(w.tx, w.actor.projectId, 'folder', key);
  refuseRetired(record);
  return record;
}

/** The ids above a folder, nearest first, itself at the beginning. */
async function aboveOf(w: Writing, id: number): Promise<number[]> {
  const above = [id];
  for (let at: number | null = id; at !== null && above.length <= deepest + 1;) {
    const [row]: { underId: number | null }[] = await w.tx.select({ underId: folders.underId }).from(folders).where(eq(folders.id, at));
    at = row?.underId ?? null;
    if (at !== null) above.push(at);
  }
  return above;
}

export interface FolderChange extends NewFolder {
  readonly basedOn: number;
  readonly after?: string | null | undefined;
}

/** Renames, describes or moves a folder. */
export async function saveFolder(db: Db, actor: Actor, key: string, input: FolderChange): Promise<Folder> {
  await write(db, actor, async (w) => {
    await orderFolders(w);
    const record = await lockRecord(w, 'folder', key);
    refuseRetired(record);
    await refuseStale(record, input.basedOn, async () => ({ key: record.key, title: record.title, revision: record.revision }));
    const [row] = await w.tx.select().from(folders).where(eq(folders.id, record.id));
    const underId = input.under === null ? null : (await needFolder(w, input.under)).id;
    if (underId !== null) {
      const above = await aboveOf(w, underId);
      if (above.includes(record.id)) throw new Refusal('stateForbids', { detail: `${key} cannot stand in itself.` });
      refuseTooDeep(above);
    }
    const there = (await siblings(w, underId)).filter(({ id }) => id !== record.id);
    refuseSameName(input.title, there);
    let position = underId === row.underId ? row.position : (there.at(-1)?.position ?? 0) + 1;
    if (input.after !== undefined) {
      const at = input.after === null ? -1 : there.findIndex((other) => other.key === input.after);
      if (input.after !== null && at < 0) throw new Refusal('notFound', { detail: `There is no folder ${input.after} there.` });
      const [before, behind] = [there[at]?.position, there[at + 1]?.position];
      position = before === undefined ? (behind ?? 2) - 1 : behind === undefined ? before + 1 : (before + behind) / 2;
    }
    const revision = record.revision + 1;
    await changeRecord(w, record, { title: input.title, words: input.description, revision });
    await w.tx.update(folders).set({ underId, position, description: input.description }).where(eq(folders.id, record.id));
    w.log({
      action: 'folder changed',
      kind: 'folder',
      key: record.key,
      before: { title: record.title, description: row.description },
      after: { title: input.title, description: input.description, under: input.under },
    });
    w.snapshot({
      recordId: record.id,
      revision,
      state: record.state,
      snapshot: { title: input.title, description: input.description, under: input.under },
    });
    w.wrote(recordRows, record.id);
    w.wrote(folderRows, record.id);
  });
  return oneFolder(db, actor.projectId, key);
}

/** Retires a folder in which nothing stands. */
export function removeFolder(db: Db, actor: Actor, key: string): Promise<void> {
  return write(db, actor, async (w) => {
    await orderFolders(w);
    const record = await lockRecord(w, 'folder', key);
    refuseRetired(record);
    const [inside] = await w.tx.select({ id: casePlaces.id }).from(casePlaces).where(eq(casePlaces.folderId, record.id)).limit(1);
    if (inside || (await siblings(w, record.id)).length)
      throw new Refusal('stateForbids', { detail: `${key} is not empty: move what stands in it first.` });
    await changeRecord(w, record, { retiredAt: w.at, state: 'retired' });
    w.log({ action: 'folder retired', kind: 'folder', key: record.key, before: { title: record.title } });
    w.snapshot({ recordId: record.id, revision: record.revision, state: 'retired', snapshot: { title: record.title } });
    w.wrote(recordRows, record.id);
  });
}

/** Puts cases into a folder, or out of all. */
export async function putInFolder(
  w: Writing,
  chosen: readonly { readonly id: number; readonly key: string }[],
  folder: string | null,
): Promise<void> {
  const target = folder === null ? null : await needFolder(w, folder);
  // Held, so that it is not retired while something is put into it.
  if (target) await lockRecord(w, 'folder', target.key);
  const rows = chosen.map(({ id }) => ({ id, projectId: w.actor.projectId, folderId: target?.id ?? null }));
  for (let at = 0; at < rows.length; at += 500)
    await w.tx
      .insert(casePlaces)
      .values(rows.slice(at, at + 500))
      .onDuplicateKeyUpdate({ set: { folderId: target?.id ?? null } });
  w.log({
    action: chosen.length === 1 ? 'case filed' : `${chosen.length} cases filed`,
    kind: 'case',
    key: chosen.length === 1 ? chosen[0].key : `${chosen[0].key} … ${chosen[chosen.length - 1].key}`,
    after: { folder, cases: chosen.slice(0, 200).map(({ key }) => key) },
  });
  w.wrote(placeRows, ...rows.map(({ id }) => id));
}

export function fileCases(db: Db, actor: Actor, keys: readonly string[], folder: string | null): Promise<number> {
  return write(db, actor, async (w) => {
    const known = await recordsByKey(w.tx, actor.projectId, keys);
    const chosen = [...new Set(keys)].map((key) => {
      const record = known.get(key);
      if (record?.kind !== 'case') throw new Refusal('notFound', { detail: `There is no case ${key}.` });
      return record;
    });
    await putInFolder(w, chosen, folder);
    return chosen.length;
  });
}

/** The folder of a path like `Brake / Cold`, made where it is not there yet. The folders are held. */
export async function folderOfPath(w: Writing, path: string): Promise<string | null> {
  const names = path
    .split('/')
    .map((name) => name.trim())
    .filter(Boolean)
    .slice(0, deepest);
  if (!names.length) return null;
  await orderFolders(w);
  const way: { id: number; key: string }[] = [];
  for (const title of names) {
    const above = way.at(-1);
    const known = (await siblings(w, above?.id ?? null)).find((f) => f.title.toLowerCase() === title.toLowerCase());
    way.push(known ?? (await addFolderIn(w, { title: title.slice(0, 300), description: '', under: above?.key ?? null })));
  }
  return way.at(-1)?.key ?? null;
}

/** The ids of a folder and all below it. */
export async function foldersBelow(db: Db | Tx, projectId: number, key: string): Promise<number[]> {
  const top = await needRecord(db, projectId, 'folder', key);
  const found = [top.id];
  for (let open = [top.id]; open.length;) {
    const rows = await db.select({ id: folders.id }).from(folders).where(inArray(folders.underId, open));
    open = rows.map(({ id }) => id).filter((id) => !found.includes(id));
    found.push(...open);
  }
  return found;
}
