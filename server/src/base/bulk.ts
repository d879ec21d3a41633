import type { Bulk, BulkAct, BulkItem, Selection } from '@contract/base';
import { canonicalJson, type Json, type Role, type VersionedKind } from '@core/base';
import { and, asc, desc, eq, gt, inArray, isNotNull, lt, sql } from 'drizzle-orm';
import type { Db, Tx } from './database';
import { sha256Of } from './digest';
import { Refusal, refusalWords } from './errors';
import { refuseReason, refuseRoles, rolesFor, signed } from './bulk-rights';
import { addJobIn, asJob, type JobProgress, type StoredJob } from './jobs';
import { whereOf } from './list';
import type { ListSource } from './list-filter';
import type { SignedIn } from './passwords';
import type { StoredRecord } from './records';
import { proveSigner } from './signing';
import { people, records } from './tables';
import { bulkActs, bulkItems, jobs } from './work-tables';
import { write, type Actor, type Writing } from './writing';

/** Beyond so many records an act is a job. */
const atOnce = 500;
const inBatch = 100;
const shownItems = 200;
const mostRecords = 20_000;

/** With what an act is done to each record. */
export interface BulkHow {
  readonly reason: string;
  /** Who signs, where the act is a signature; the signer's roles were judged before. */
  readonly signer: SignedIn | undefined;
  /** It takes back what another act did. */
  readonly takesBack?: true;
}

/** What an act did to one record: in words, and the act that takes it back. */
export interface BulkDone {
  readonly words: string;
  readonly undo: BulkAct | null;
}

/** How the acts on records of one kind are done; a room tells it for its kind. */
export interface BulkKind {
  readonly kind: VersionedKind;
  list(tx: Db | Tx, projectId: number, selection: Selection): ListSource | Promise<ListSource>;
  /** Does the act to a record, inside the transaction; refuses as the single act would. */
  act(w: Writing, record: StoredRecord, act: BulkAct, how: BulkHow): Promise<BulkDone>;
  /**
   * What an act would do to thousands, by the function that the act itself uses, without doing it: for acts that can be foreseen so. The words of
   * each record that it changes; a record without words is refused with `else`.
   */
  foresee?(
    tx: Db | Tx,
    projectId: number,
    act: BulkAct,
  ): Promise<{ readonly words: ReadonlyMap<number, string>; readonly else: string } | undefined>;
}

const kinds = new Map<VersionedKind, BulkKind>();
export const bulkKind = (kind: BulkKind): void => void kinds.set(kind.kind, kind);

/** How records of a kind are asked for, whatever room they belong to. */
export function listSourceOf(tx: Db | Tx, projectId: number, kind: 'requirement' | 'case'): ListSource | Promise<ListSource> {
  const found = kinds.get(kind);
  if (!found) throw new Refusal('notFound', { detail: `There is no list of the kind ${kind}.` });
  return found.list(tx, projectId, { kind, keys: [] });
}

/** Refuses an act that a kind does not know. */
export const noSuchAct = (kind: VersionedKind, act: BulkAct): Refusal =>
  new Refusal('invalid', { fields: [{ path: 'act', text: `“${act.act}” is not done to a ${kind}.` }] });

function needKind(kind: VersionedKind): BulkKind {
  const found = kinds.get(kind);
  if (!found) throw new Refusal('invalid', { fields: [{ path: 'selection.kind', text: `Nothing is done to many ${kind}s at once.` }] });
  return found;
}

type Chosen = Pick<StoredRecord, 'id' | 'key' | 'title' | 'revision' | 'state'>;

/** The records that a selection means, in the order of their keys. Keys that mean nothing are refused by name. */
async function chosen(tx: Db | Tx, projectId: number, selection: Selection): Promise<Chosen[]> {
  const source = await needKind(selection.kind).list(tx, projectId, selection);
  if (selection.keys === undefined && selection.filter === undefined)
    throw new Refusal('invalid', { fields: [{ path: 'selection', text: 'Name the records, or the filter that finds them.' }] });
  const where = await whereOf(tx, projectId, source, selection.filter);
  const byKey = selection.keys && inArray(records.key, selection.keys.length ? [...new Set(selection.keys)] : ['']);
  const [rows] = (await tx.execute(
    sql`select ${records.id} as id, ${records.key} as k, ${records.title} as title, ${records.revision} as revision, ${records.state} as state ${source.from} where ${and(where, byKey)} order by ${records.keyPrefix}, ${records.keyNumber} limit ${mostRecords + 1}`,
  )) as unknown as [{ id: number; k: string; title: string; revision: number; state: string }[]];
  if (rows.length > mostRecords) throw new Refusal('tooLarge', { detail: `At most ${mostRecords} records at once.` });
  const found = rows.map(({ k, id, revision, ...row }) => ({ ...row, id: Number(id), revision: Number(revision), key: k }));
  if (selection.keys && found.length < new Set(selection.keys).size) {
    const known = new Set(found.map(({ key }) => key));
    const strange = selection.keys.filter((key) => !known.has(key));
    throw new Refusal('notFound', { detail: `There is no ${selection.kind} ${strange.slice(0, 10).join(', ')}.` });
  }
  return found;
}

/** Names what was shown: the act, and each record at its revision and in its state. */
const digestOf = (act: BulkAct, list: readonly Chosen[]): string =>
  sha256Of(canonicalJson([act as unknown as Json, ...list.map(({ id, revision, state }): Json => [id, revision, state])]));

async function lockChosen(
  w: Writing,
  { id, key, revision, state }: Pick<Chosen, 'id' | 'revision' | 'state'> & { key?: string },
): Promise<StoredRecord> {
  const [row] = await w.tx.select().from(records).where(eq(records.id, id)).for('update');
  if (!row) throw new Refusal('notFound', { detail: `There is no ${key ?? 'such record'}.` });
  if (row.revision !== revision || row.state !== state)
    throw new Refusal('conflict', { detail: `It changed in between, by ${row.updatedBy}: it is ${row.state}, revision ${row.revision}.` });
  return row;
}

/** Thrown to take a trial back. */
class TakenBack extends Error {}

/**
 * What an act would do to each record: it is done, in batches, and each batch is taken back. So the preview cannot say anything else than
 * what the act does.
 */
export async function previewBulk(
  db: Db,
  actor: Actor,
  roles: readonly Role[],
  { selection, act, reason }: { selection: Selection; act: BulkAct; reason: string },
): Promise<{ total: number; changed: number; refused: number; items: BulkItem[]; digest: string }> {
  refuseRoles(roles, act);
  const list = await chosen(db, actor.projectId, selection);
  const kind = needKind(selection.kind);
  const [self] = await db.select().from(people).where(eq(people.login, actor.login));
  // The reason may be given after the preview was seen: rules that ask for one are not what it is looked at for.
  const how: BulkHow = { reason: reason.trim() || 'To be given with the act.', signer: signed.includes(act.act) ? self : undefined };
  const { operation: _, ...trial } = actor;
  const items: BulkItem[] = [];
  // Of thousands, doing it and taking it back would keep everybody waiting.
  const foreseen = list.length > atOnce ? await kind.foresee?.(db, actor.projectId, act) : undefined;
  if (foreseen)
    for (const { id, key, title, revision, state } of list) {
      const words = state === 'retired' ? undefined : foreseen.words.get(id);
      const item = { key, title, revision, state };
      items.push(words === undefined ? { ...item, outcome: 'refused', words: foreseen.else } : { ...item, outcome: 'done', words });
    }
  for (let at = foreseen ? list.length : 0; at < list.length; at += inBatch) {
    const part: BulkItem[] = [];
    await write(db, trial, async (w) => {
      part.length = 0;
      for (const item of list.slice(at, at + inBatch)) {
        const tried = await w.attempt(async () => kind.act(w, await lockChosen(w, item), act, how));
        const { key, title, revision, state } = item;
        part.push(
          'refusal' in tried
            ? { key, title, revision, state, outcome: 'refused', words: refusalWords(tried.refusal) }
            : { key, title, revision, state, outcome: 'done', words: tried.value.words },
        );
      }
      throw new TakenBack();
    }).catch((error: unknown) => {
      if (!(error instanceof TakenBack)) throw error;
    });
    items.push(...part);
  }
  const refused = items.filter((item) => item.outcome === 'refused');
  const changed = items.filter((item) => item.outcome === 'done');
  return {
    total: list.length,
    changed: changed.length,
    refused: refused.length,
    items: [...refused.slice(0, shownItems), ...changed.slice(0, shownItems)],
    digest: digestOf(act, list),
  };
}

/** Does to many records what the preview showed; each that is refused stays as it is, and is named. */
export async function doBulk(
  db: Db,
  actor: Actor,
  roles: readonly Role[],
  input: { selection: Selection; act: BulkAct; reason: string; digest: string; password: string },
): Promise<Bulk> {
  const { selection, act, reason } = input;
  refuseRoles(roles, act);
  refuseReason(act, reason);
  needKind(selection.kind);
  const list = await chosen(db, actor.projectId, selection);
  if (!list.length) throw new Refusal('invalid', { fields: [{ path: 'selection', text: 'Nothing is chosen.' }] });
  if (digestOf(act, list) !== input.digest)
    throw new Refusal('conflict', { detail: 'What is chosen changed since it was shown: look at the preview again.' });
  const signer = signed.includes(act.act) ? await proveSigner(db, actor, input.password) : undefined;
  return begin(
    db,
    actor,
    selection.kind,
    act,
    reason,
    signer,
    list.map(({ id, revision, state }) => ({ recordId: id, revision, state, undo: null })),
  );
}

type NewItem = Pick<typeof bulkItems.$inferInsert, 'recordId' | 'revision' | 'state' | 'undo'>;

/** Stores an act with its records, and does it: at once in one transaction, or as a job. */
async function begin(
  db: Db,
  actor: Actor,
  kind: VersionedKind,
  act: BulkAct,
  reason: string,
  signer: SignedIn | undefined,
  list: readonly NewItem[],
  undoes?: number,
): Promise<Bulk> {
  const id = await write(db, actor, async (w) => {
    const [made] = await w.tx
      .insert(bulkActs)
      .values({ projectId: actor.projectId, act, reason, by: actor.login, at: w.at })
      .$returningId();
    for (let at = 0; at < list.length; at += 1000)
      await w.tx
        .insert(bulkItems)
        .values(list.slice(at, at + 1000).map((item, i) => ({ bulkId: made.id, position: at + i, outcome: 'open' as const, ...item })));
    if (undoes !== undefined) await w.tx.update(bulkActs).set({ undoneBy: made.id }).where(eq(bulkActs.id, undoes));
    w.log({
      action: undoes === undefined ? 'many records changed' : 'change of many records taken back',
      kind,
      key: `${list.length} records`,
      after: { bulk: made.id, act, reason, ...(undoes === undefined ? {} : { undoes }) },
    });
    if (list.length > atOnce) {
      const jobId = await addJobIn(w, 'bulk', String(made.id));
      await w.tx.update(bulkActs).set({ jobId }).where(eq(bulkActs.id, made.id));
    } else await workOff(w, made.id, kind, { reason, signer }, list.length);
    return made.id;
  });
  return getBulk(db, actor.projectId, id);
}

/** Does the act to the next open records of it. */
async function workOff(w: Writing, bulkId: number, kind: VersionedKind, how: BulkHow, count: number): Promise<number> {
  const [{ act }] = await w.tx.select({ act: bulkActs.act }).from(bulkActs).where(eq(bulkActs.id, bulkId));
  const open = await w.tx
    .select()
    .from(bulkItems)
    .where(and(eq(bulkItems.bulkId, bulkId), eq(bulkItems.outcome, 'open')))
    .orderBy(asc(bulkItems.position))
    .limit(count);
  const tried: { item: typeof bulkItems.$inferSelect; outcome: 'done' | 'refused'; words: string; undo: BulkAct | null }[] = [];
  for (const item of open) {
    // An undo does to each record what takes back what was done to it.
    const own = item.undo ?? act;
    const result = await w.attempt(async () =>
      needKind(kind).act(
        w,
        await lockChosen(w, { id: item.recordId, revision: item.revision, state: item.state }),
        own,
        item.undo ? { ...how, takesBack: true } : how,
      ),
    );
    if ('refusal' in result) tried.push({ item, outcome: 'refused', words: refusalWords(result.refusal), undo: item.undo });
    else tried.push({ item, outcome: 'done', words: result.value.words.slice(0, 500), undo: result.value.undo });
  }
  for (let at = 0; at < tried.length; at += 500) await noteOutcomes(w, tried.slice(at, at + 500));
  return open.length;
}

/** What became of some records, with how they stand now, in one statement. */
async function noteOutcomes(
  w: Writing,
  tried: readonly { item: typeof bulkItems.$inferSelect; outcome: 'done' | 'refused'; words: string; undo: BulkAct | null }[],
): Promise<void> {
  const after = new Map(
    (
      await w.tx
        .select({ id: records.id, revision: records.revision, state: records.state })
        .from(records)
        .where(
          inArray(
            records.id,
            tried.map(({ item }) => item.recordId),
          ),
        )
    ).map((row) => [row.id, row]),
  );
  await w.tx
    .insert(bulkItems)
    .values(
      tried.map(({ item, outcome, words, undo }) => ({
        ...item,
        outcome,
        words,
        undo,
        ...(outcome === 'done' ? { afterRevision: after.get(item.recordId)?.revision, afterState: after.get(item.recordId)?.state } : {}),
      })),
    )
    .onDuplicateKeyUpdate({
      set: {
        outcome: sql`values(outcome)`,
        words: sql`values(words)`,
        undo: sql`values(${sql.identifier('undo')})`,
        afterRevision: sql`values(after_revision)`,
        afterState: sql`values(after_state)`,
      },
    });
}

/** The job of an act on many records: batch by batch, each a transaction; killed, it goes on behind the last that was committed. */
export async function workBulkJob(db: Db, job: StoredJob, progress: JobProgress): Promise<undefined> {
  const [bulk] = await db
    .select()
    .from(bulkActs)
    .where(eq(bulkActs.id, Number(job.build)));
  const [{ total, kind }] = await db
    .select({ total: sql<number>`count(*)`.mapWith(Number), kind: sql<VersionedKind>`min(${records.kind})` })
    .from(bulkItems)
    .innerJoin(records, eq(records.id, bulkItems.recordId))
    .where(eq(bulkItems.bulkId, bulk.id));
  const [signer] = await db.select().from(people).where(eq(people.login, bulk.by));
  const how: BulkHow = { reason: bulk.reason, signer: signed.includes(bulk.act.act) ? signer : undefined };
  for (;;) {
    const [{ open }] = await db
      .select({ open: sql<number>`count(*)`.mapWith(Number) })
      .from(bulkItems)
      .where(and(eq(bulkItems.bulkId, bulk.id), eq(bulkItems.outcome, 'open')));
    await progress.report((total - open) / total, `${total - open} of ${total} records`);
    if (!open) return undefined;
    const actor: Actor = { login: bulk.by, projectId: bulk.projectId, now: () => new Date() };
    await write(db, actor, async (w) => {
      // Rights are those of the moment, not of the asking.
      w.needRole(...rolesFor[bulk.act.act]);
      await workOff(w, bulk.id, kind, how, inBatch);
    });
  }
}

async function shownBulk(db: Db | Tx, projectId: number, where: ReturnType<typeof and>, limit: number): Promise<Bulk[]> {
  const rows = await db
    .select()
    .from(bulkActs)
    .leftJoin(jobs, eq(jobs.id, bulkActs.jobId))
    .where(and(eq(bulkActs.projectId, projectId), where))
    .orderBy(desc(bulkActs.id))
    .limit(limit);
  if (!rows.length) return [];
  const counts = await db
    .select({ id: bulkItems.bulkId, outcome: bulkItems.outcome, n: sql<number>`count(*)`.mapWith(Number) })
    .from(bulkItems)
    .where(
      inArray(
        bulkItems.bulkId,
        rows.map(({ bulk_acts: row }) => row.id),
      ),
    )
    .groupBy(bulkItems.bulkId, bulkItems.outcome);
  return rows.map(({ bulk_acts: row, jobs: job }) => {
    const mine = counts.filter((c) => c.id === row.id);
    const of = (outcome: string): number => mine.find((c) => c.outcome === outcome)?.n ?? 0;
    return {
      id: row.id,
      act: row.act,
      reason: row.reason,
      by: row.by,
      at: row.at,
      total: mine.reduce((sum, c) => sum + c.n, 0),
      done: of('done'),
      refused: of('refused'),
      undone: row.undoneBy !== null,
      job: job && asJob(job),
    };
  });
}

export const listBulk = (db: Db, projectId: number, before: number | undefined): Promise<Bulk[]> =>
  shownBulk(db, projectId, before === undefined ? undefined : lt(bulkActs.id, before), 50);

export async function getBulk(db: Db | Tx, projectId: number, id: number): Promise<Bulk> {
  const [bulk] = await shownBulk(db, projectId, eq(bulkActs.id, id), 1);
  if (!bulk) throw new Refusal('notFound');
  return bulk;
}

/** An act with a page of its records. */
export async function bulkWithItems(
  db: Db,
  projectId: number,
  id: number,
  after: number,
  outcome: BulkItem['outcome'] | undefined,
): Promise<Bulk & { items: BulkItem[]; next: number | null }> {
  const bulk = await getBulk(db, projectId, id);
  const rows = await db
    .select({ item: bulkItems, key: records.key, title: records.title })
    .from(bulkItems)
    .innerJoin(records, eq(records.id, bulkItems.recordId))
    .where(and(eq(bulkItems.bulkId, id), gt(bulkItems.position, after), ...(outcome ? [eq(bulkItems.outcome, outcome)] : [])))
    .orderBy(asc(bulkItems.position))
    .limit(shownItems + 1);
  const items = rows.slice(0, shownItems).map(({ item, key, title }) => ({
    key,
    title,
    revision: item.revision,
    state: item.state,
    outcome: item.outcome,
    words: item.words,
  }));
  return { ...bulk, items, next: rows.length > shownItems ? rows[shownItems - 1].item.position : null };
}

/** Takes an act back as one: each record that still is as the act left it gets what it had; the others are named. */
export async function undoBulk(db: Db, actor: Actor, roles: readonly Role[], id: number): Promise<Bulk> {
  const bulk = await getBulk(db, actor.projectId, id);
  if (bulk.undone) throw new Refusal('stateForbids', { detail: 'It is taken back already.' });
  if (bulk.job && (bulk.job.state === 'queued' || bulk.job.state === 'running'))
    throw new Refusal('stateForbids', { detail: 'It is still being done: cancel it first.' });
  if (bulk.act.act === 'withdraw' || bulk.act.act === 'bringBack')
    throw new Refusal('stateForbids', { detail: 'This was signed: do the opposite, which is signed as well.' });
  refuseRoles(roles, bulk.act);
  const rows = await db
    .select({ item: bulkItems, kind: records.kind })
    .from(bulkItems)
    .innerJoin(records, eq(records.id, bulkItems.recordId))
    .where(and(eq(bulkItems.bulkId, id), eq(bulkItems.outcome, 'done'), isNotNull(bulkItems.undo)))
    .orderBy(desc(bulkItems.position));
  if (!rows.length) throw new Refusal('stateForbids', { detail: 'Nothing of it can be taken back.' });
  const list = rows.map(({ item }) => ({
    recordId: item.recordId,
    revision: item.afterRevision ?? item.revision,
    state: item.afterState ?? item.state,
    undo: item.undo,
  }));
  return begin(db, actor, rows[0].kind, bulk.act, bulk.reason || 'taken back', undefined, list, id);
}
