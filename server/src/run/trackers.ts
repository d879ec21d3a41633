import { createHmac, randomUUID, timingSafeEqual } from 'node:crypto';
import type { OutsideLink, Tracker, TrackerSettings } from '@contract/run';
import { wordOfStage, type Exchanged, type ExchangedField } from '@core/run';
import { and, count, desc, eq, inArray, isNull } from 'drizzle-orm';
import {
  ledgerHead,
  lockRecord,
  needRecord,
  projectKey,
  projects,
  records,
  Refusal,
  seal,
  unseal,
  write,
  type Actor,
  type Db,
  type Tx,
  type Writing,
} from '../base';
import { problemLife } from './problem-life';
import { problemNow } from './problems';
import { trackerLinkRows, trackerRows } from './rows';
import { trackerLinks, trackerOutbox, trackers } from './tables';

export type StoredTracker = typeof trackers.$inferSelect;
export type StoredLink = typeof trackerLinks.$inferSelect;

export const trackerToken = ({ token }: StoredTracker): string => unseal('tracker token', token, 'The tracker cannot be asked');
const secretOf = ({ secret }: StoredTracker): string => unseal('tracker secret', secret, 'What the tracker says cannot be checked');

export async function storedTracker(db: Db | Tx, projectId: number): Promise<StoredTracker | undefined> {
  const [row] = await db.select().from(trackers).where(eq(trackers.projectId, projectId));
  return row;
}

/** The login under which something is done that came from there. */
export const trackerLogin = ({ name }: Pick<StoredTracker, 'name'>): string => `tracker:${name}`;

const loopback = /^(127\.\d+\.\d+\.\d+|localhost|\[::1\])$/;

/** Sets the tracker outside. Token and secret stay where nothing is given. */
export async function saveTracker(
  db: Db,
  actor: Actor,
  input: TrackerSettings & { readonly token: string; readonly secret: string },
): Promise<void> {
  const { name, url, states, paused, token, secret } = input;
  const { protocol, hostname } = new URL(url);
  // What listens on this machine for itself alone is not to be reached through it, unless whoever runs it says so.
  const here = loopback.test(hostname);
  if (here && process.env['CORD_LOCAL_TRACKER'] !== '1')
    throw new Refusal('invalid', {
      fields: [{ path: 'url', text: 'A tracker on this machine needs CORD_LOCAL_TRACKER=1 in its environment.' }],
    });
  if (protocol === 'http:' && !here)
    throw new Refusal('invalid', { fields: [{ path: 'url', text: 'Beyond this machine it is reached by https only.' }] });
  const { stages } = await problemLife(db, actor.projectId);
  const missing = stages.filter((stage) => wordOfStage(states, stage.name) === undefined);
  if (missing.length)
    throw new Refusal('invalid', {
      fields: missing.map((stage) => ({ path: 'states', text: `Say what “${stage.title}” is called there.` })),
    });
  await write(db, actor, async (w) => {
    const { projectId } = actor;
    const before = await storedTracker(w.tx, projectId);
    const need = (given: string, kept: string | undefined, path: string, purpose: string): string => {
      if (given) return seal(purpose, given, 'The tracker is not set');
      if (kept === undefined) throw new Refusal('invalid', { fields: [{ path, text: 'It is needed.' }] });
      return kept;
    };
    const values = {
      name,
      url,
      states,
      paused,
      token: need(token, before?.token, 'token', 'tracker token'),
      secret: need(secret, before?.secret, 'secret', 'tracker secret'),
      restUntil: null,
      fault: '',
    };
    await w.tx
      .insert(trackers)
      .values({ projectId, ...values, heard: 0, seen: await ledgerHead(w.tx, projectId), holder: '' })
      .onDuplicateKeyUpdate({ set: values });
    w.log({
      action: 'tracker set',
      kind: 'project',
      key: projectKey,
      ...(before ? { before: { name: before.name, url: before.url, paused: before.paused } } : {}),
      after: { name, url, paused, ...(token ? { newToken: true } : {}), ...(secret ? { newSecret: true } : {}) },
    });
    w.wrote(trackerRows, projectId);
  });
}

/** Does a call come from the tracker: signed under the secret, not longer than five minutes ago? */
export async function hookFits(
  db: Db,
  slug: string,
  now: Date,
  call: { readonly time: string; readonly signature: string; readonly sequence: number },
): Promise<number | undefined> {
  const [row] = await db
    .select({ tracker: trackers })
    .from(trackers)
    .innerJoin(projects, eq(projects.id, trackers.projectId))
    .where(eq(projects.slug, slug));
  if (!row || !(Math.abs(now.getTime() - Date.parse(call.time)) < 5 * 60_000)) return undefined;
  const right = createHmac('sha256', secretOf(row.tracker)).update(`${call.time}.${call.sequence}`).digest();
  const given = Buffer.from(call.signature, 'hex');
  return given.length === right.length && timingSafeEqual(given, right) ? row.tracker.projectId : undefined;
}

/** What is to be told, in its order. */
export async function enqueue(
  tx: Tx,
  of: { readonly projectId: number; readonly problemId: number; readonly at: string },
  kind: 'create' | 'read' | 'change' | 'comment',
  body: Readonly<Record<string, string | number>> | null,
): Promise<void> {
  await tx.insert(trackerOutbox).values({ ...of, kind, body, operation: randomUUID(), tries: 0 });
}

/** A change is told once for all that changed until it is: it says what stands then. */
export async function enqueueChange(
  tx: Tx,
  of: { readonly projectId: number; readonly problemId: number; readonly at: string },
): Promise<void> {
  const [waiting] = await tx
    .select({ id: trackerOutbox.id })
    .from(trackerOutbox)
    .where(
      and(
        eq(trackerOutbox.problemId, of.problemId),
        inArray(trackerOutbox.kind, ['change', 'create', 'read']),
        isNull(trackerOutbox.sentAt),
        isNull(trackerOutbox.body),
      ),
    )
    .limit(1);
  if (!waiting) await enqueue(tx, of, 'change', null);
}

async function needTracker(db: Db | Tx, projectId: number): Promise<StoredTracker> {
  const tracker = await storedTracker(db, projectId);
  if (!tracker) throw new Refusal('stateForbids', { detail: 'There is no tracker outside: an administrator sets one.' });
  return tracker;
}

/** The link of a problem report, where it has one that was not ended; locked. */
export async function linkOf(tx: Tx, problemId: number): Promise<StoredLink | undefined> {
  const [link] = await tx
    .select()
    .from(trackerLinks)
    .where(and(eq(trackerLinks.id, problemId), isNull(trackerLinks.endedAt)))
    .for('update');
  return link;
}

/** Links a report with an item there, or asks for one to be made. */
export async function linkOutside(db: Db, actor: Actor, key: string, theirId: string | null): Promise<OutsideLink> {
  const id = await write(db, actor, async (w) => {
    const { projectId } = actor;
    const tracker = await needTracker(w.tx, projectId);
    const record = await lockRecord(w, 'problem', key);
    if (await linkOf(w.tx, record.id)) throw new Refusal('stateForbids', { detail: `${record.key} is linked already.` });
    if (theirId !== null) await needFree(w, projectId, theirId);
    const problem = await problemNow(w.tx, record.id);
    const values = {
      projectId,
      theirId,
      theirUrl: '',
      // Nothing was agreed on yet: where both say something else, somebody decides.
      base: { title: '', stage: '' },
      theirs: null,
      conflicts: [],
      refused: '',
      linkedBy: actor.login,
      linkedAt: w.at,
      endedAt: null,
    };
    await w.tx
      .insert(trackerLinks)
      .values({ id: record.id, ...values })
      .onDuplicateKeyUpdate({ set: values });
    w.log({
      action: theirId === null ? 'asked for outside' : 'linked outside',
      kind: 'problem',
      key: record.key,
      after: { tracker: tracker.name, ...(theirId === null ? {} : { item: theirId }) },
    });
    w.wrote(trackerLinkRows, record.id);
    const of = { projectId, problemId: record.id, at: w.at };
    if (theirId !== null) await enqueue(w.tx, of, 'read', null);
    else {
      const state = wordOfStage(tracker.states, problem.stage);
      const text = `${record.key}, found in ${problem.build}\n\n${problem.description}`.trim();
      await enqueue(w.tx, of, 'create', { title: problem.title, text, stage: problem.stage, ...(state === undefined ? {} : { state }) });
    }
    return record.id;
  });
  return (await linksById(db, [id]))[0];
}

async function needFree(w: Writing, projectId: number, theirId: string): Promise<void> {
  const [other] = await w.tx
    .select({ key: records.key })
    .from(trackerLinks)
    .innerJoin(records, eq(records.id, trackerLinks.id))
    .where(and(eq(trackerLinks.projectId, projectId), eq(trackerLinks.theirId, theirId), isNull(trackerLinks.endedAt)))
    .limit(1);
  if (other) throw new Refusal('invalid', { fields: [{ path: 'theirId', text: `${theirId} belongs to ${other.key}.` }] });
}

async function needLink(w: Writing, key: string): Promise<StoredLink & { readonly key: string }> {
  const record = await lockRecord(w, 'problem', key);
  const link = await linkOf(w.tx, record.id);
  if (!link) throw new Refusal('notFound', { detail: `${record.key} is not linked.` });
  return { ...link, key: record.key };
}

/** Ends a link: what was to be told is not told any more. */
export async function endOutside(db: Db, actor: Actor, key: string, reason: string): Promise<void> {
  await write(db, actor, async (w) => {
    const link = await needLink(w, key);
    await w.tx.update(trackerLinks).set({ endedAt: w.at }).where(eq(trackerLinks.id, link.id));
    await w.tx
      .update(trackerOutbox)
      .set({ sentAt: w.at })
      .where(and(eq(trackerOutbox.problemId, link.id), isNull(trackerOutbox.sentAt)));
    w.log({ action: 'link outside ended', kind: 'problem', key: link.key, after: { item: link.theirId, reason } });
    w.wrote(trackerLinkRows, link.id);
  });
}

/** What stands there becomes what both last agreed on: then what stands here is the change. The other way round what stands here is. */
export async function decideOutside(
  db: Db,
  actor: Actor,
  key: string,
  { field, take }: { readonly field: ExchangedField; readonly take: 'mine' | 'theirs' },
): Promise<OutsideLink> {
  const id = await write(db, actor, async (w) => {
    const link = await needLink(w, key);
    const conflict = link.conflicts.find((c) => c.field === field);
    if (!conflict) throw new Refusal('stateForbids', { detail: `Nothing is to be decided about the ${field} of ${link.key}.` });
    const base: Exchanged = { ...link.base, [field]: take === 'mine' ? conflict.theirs : conflict.mine };
    await w.tx
      .update(trackerLinks)
      .set({ base, conflicts: link.conflicts.filter((c) => c.field !== field), refused: '' })
      .where(eq(trackerLinks.id, link.id));
    await enqueueChange(w.tx, { projectId: actor.projectId, problemId: link.id, at: w.at });
    w.log({ action: 'decided outside', kind: 'problem', key: link.key, after: { field, take, value: conflict[take] } });
    return link.id;
  });
  return (await linksById(db, [id]))[0];
}

/** Links as they are shown, the newest first. */
async function linksById(db: Db | Tx, ids: readonly number[]): Promise<OutsideLink[]> {
  if (!ids.length) return [];
  const rows = await db
    .select({ link: trackerLinks, key: records.key })
    .from(trackerLinks)
    .innerJoin(records, eq(records.id, trackerLinks.id))
    .where(and(inArray(trackerLinks.id, [...ids]), isNull(trackerLinks.endedAt)))
    .orderBy(desc(trackerLinks.linkedAt), desc(trackerLinks.id));
  const counted = await db
    .select({ id: trackerOutbox.problemId, n: count() })
    .from(trackerOutbox)
    .where(and(inArray(trackerOutbox.problemId, [...ids]), isNull(trackerOutbox.sentAt)))
    .groupBy(trackerOutbox.problemId);
  const waiting = new Map(counted.map(({ id, n }) => [id, n]));
  return rows.map(({ link, key }) => ({
    problem: key,
    theirId: link.theirId,
    theirUrl: link.theirUrl,
    theirs: link.theirs && { title: link.theirs.title, state: link.theirs.state },
    conflicts: link.conflicts.map((conflict) => ({ ...conflict })),
    refused: link.refused,
    waiting: waiting.get(link.id) ?? 0,
  }));
}

export async function outsideOf(db: Db, projectId: number, key: string): Promise<{ tracker: string | null; link: OutsideLink | null }> {
  const { id } = await needRecord(db, projectId, 'problem', key);
  const links = await linksById(db, [id]);
  return { tracker: (await storedTracker(db, projectId))?.name ?? null, link: links.at(0) ?? null };
}

export async function trackerOf(db: Db, projectId: number, slug: string): Promise<Tracker> {
  const tracker = await storedTracker(db, projectId);
  const hook = `/api/trackers/${slug}/hook`;
  if (!tracker) return { settings: null, heardAt: null, fault: '', waiting: 0, hook, links: [] };
  const ids = await db
    .select({ id: trackerLinks.id })
    .from(trackerLinks)
    .where(and(eq(trackerLinks.projectId, projectId), isNull(trackerLinks.endedAt)))
    .orderBy(desc(trackerLinks.linkedAt))
    .limit(500);
  const [{ n }] = await db
    .select({ n: count() })
    .from(trackerOutbox)
    .where(and(eq(trackerOutbox.projectId, projectId), isNull(trackerOutbox.sentAt)));
  const { name, url, states, paused, heardAt, fault } = tracker;
  return {
    settings: { name, url, states: states.map((pair) => ({ ...pair })), paused },
    heardAt,
    fault,
    waiting: n,
    hook,
    links: await linksById(
      db,
      ids.map(({ id }) => id),
    ),
  };
}
