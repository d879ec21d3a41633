import { randomUUID } from 'node:crypto';
import { escapeHtml } from '@core/base';
import { exchangedFields, mergeExchanged, stageOfWord, wordOfStage, type Exchanged, type ExchangeConflict } from '@core/run';
import { and, asc, eq, gt, isNull, lt, lte, ne, or } from 'drizzle-orm';
import {
  addComment,
  comments,
  knownOperation,
  ledger,
  ledgerHead,
  onCommit,
  people,
  records,
  Refusal,
  write,
  type Actor,
  type Db,
} from '../base';
import { saveProblem } from './problem-life';
import { problemNow } from './problems';
import { trackerLinkRows } from './rows';
import { trackerLinks, trackerOutbox, trackers } from './tables';
import { Declined, httpTracker, Unreachable, type TheirEvent, type TheirItem, type TrackerAdapter } from './tracker-http';
import { enqueue, enqueueChange, storedTracker, trackerLogin, trackerToken, type StoredLink, type StoredTracker } from './trackers';

const lookEvery = 1000;
/** What nobody called for is asked for so often, in milliseconds. */
const askEvery = 15_000;
/** One node exchanges with a tracker at a time; one that died is followed after so long. */
const heldFor = 60_000;
const longestRest = 60_000;

type Outgoing = typeof trackerOutbox.$inferSelect;

const running = new Set<TrackerSync>();
/** A tracker called: what happened there is asked for at once. */
export const trackerCalled = (projectId: number): void => running.forEach((sync) => sync.called(projectId));

/**
 * Exchanges problem reports with the tracker of each project. What happened here is read from the ledger, what happened there from its list of events:
 * both have numbers, so that whatever was missed while a side was down is caught up with, in order, and nothing is done twice.
 */
export class TrackerSync {
  private timer: ReturnType<typeof setInterval> | undefined;
  private off: (() => void) | undefined;
  private readonly me = randomUUID();
  private readonly due = new Set<number>();
  private readonly asked = new Map<number, number>();
  private readonly tries = new Map<number, number>();
  private working: Promise<void> | undefined;

  constructor(
    private readonly db: Db,
    private readonly now: () => Date,
    private readonly warn: (error: unknown) => void = () => undefined,
    private readonly adapter: (tracker: StoredTracker) => TrackerAdapter = (tracker) =>
      httpTracker({ url: tracker.url, token: trackerToken(tracker) }),
  ) {}

  start(): void {
    running.add(this);
    this.off = onCommit((projectId) => this.due.add(projectId));
    this.timer = setInterval(() => void this.look(), lookEvery);
    this.timer.unref();
  }

  async stop(): Promise<void> {
    running.delete(this);
    clearInterval(this.timer);
    this.off?.();
    await this.working;
  }

  called(projectId: number): void {
    this.asked.delete(projectId);
    void this.look();
  }

  private async look(): Promise<void> {
    if (this.working) return;
    this.working = this.round().catch(this.warn);
    await this.working;
    this.working = undefined;
  }

  private async round(): Promise<void> {
    const at = this.now();
    const rows = await this.db
      .select({ projectId: trackers.projectId })
      .from(trackers)
      .where(and(eq(trackers.paused, false), or(isNull(trackers.restUntil), lte(trackers.restUntil, at.toISOString()))));
    for (const { projectId } of rows) {
      const asks = at.getTime() - (this.asked.get(projectId) ?? 0) > askEvery || (this.tries.get(projectId) ?? 0) > 0;
      if (this.due.delete(projectId) || asks) await this.exchange(projectId, asks);
    }
  }

  /**
   * Exchanges what there is with one project's tracker; without `asks` only what is to be told, so that whoever works here does not make it be asked each
   * second. False where another node is at it, or the tracker did not answer.
   */
  async exchange(projectId: number, asks = true): Promise<boolean> {
    const at = this.now();
    const until = new Date(at.getTime() + heldFor).toISOString();
    // Before anything is asked: a call that comes meanwhile is for the next time.
    if (asks) this.asked.set(projectId, at.getTime());
    const [claimed] = await this.db
      .update(trackers)
      .set({ holder: this.me, heldUntil: until })
      .where(
        and(
          eq(trackers.projectId, projectId),
          eq(trackers.paused, false),
          or(isNull(trackers.heldUntil), lt(trackers.heldUntil, at.toISOString())),
        ),
      );
    if (!claimed.affectedRows) return false;
    try {
      const tracker = await storedTracker(this.db, projectId);
      if (!tracker) return false;
      const adapter = this.adapter(tracker);
      await this.notice(tracker);
      if (asks) await this.hear(tracker, adapter);
      await this.send(tracker, adapter);
      this.tries.delete(projectId);
      if (asks) await this.note(projectId, { heardAt: this.now().toISOString(), fault: '', restUntil: null });
      return true;
    } catch (error) {
      if (!(error instanceof Unreachable) && !(error instanceof Refusal)) this.warn(error);
      const tries = (this.tries.get(projectId) ?? 0) + 1;
      this.tries.set(projectId, tries);
      const rest = Math.min(longestRest, 1000 * 2 ** Math.min(tries, 10));
      const fault = error instanceof Refusal ? (error.details().detail ?? 'refused') : (error as Error).message;
      await this.note(projectId, { fault: fault.slice(0, 500), restUntil: new Date(this.now().getTime() + rest).toISOString() });
      return false;
    } finally {
      await this.db
        .update(trackers)
        .set({ heldUntil: null })
        .where(and(eq(trackers.projectId, projectId), eq(trackers.holder, this.me)));
    }
  }

  private async note(projectId: number, values: Partial<StoredTracker>): Promise<void> {
    await this.db.update(trackers).set(values).where(eq(trackers.projectId, projectId));
  }

  private actor(tracker: StoredTracker): Actor {
    return { login: trackerLogin(tracker), projectId: tracker.projectId, now: this.now };
  }

  private link(id: number): Promise<StoredLink | undefined> {
    return this.db
      .select()
      .from(trackerLinks)
      .where(and(eq(trackerLinks.id, id), isNull(trackerLinks.endedAt)))
      .then(([link]) => link);
  }

  private async setLink(id: number, values: Partial<StoredLink>): Promise<void> {
    await this.db.update(trackerLinks).set(values).where(eq(trackerLinks.id, id));
  }

  /** Looks through the ledger for what was done here to reports that are linked, and puts it among what is to be told. */
  private async notice(tracker: StoredTracker): Promise<void> {
    const { projectId } = tracker;
    await this.db.transaction(async (tx) => {
      const [{ seen }] = await tx.select({ seen: trackers.seen }).from(trackers).where(eq(trackers.projectId, projectId)).for('update');
      const head = await ledgerHead(tx, projectId);
      if (head <= seen) return;
      const done = await tx
        .select({ action: ledger.action, after: ledger.after, id: records.id })
        .from(ledger)
        .innerJoin(records, and(eq(records.projectId, projectId), eq(records.key, ledger.key)))
        .innerJoin(trackerLinks, and(eq(trackerLinks.id, records.id), isNull(trackerLinks.endedAt)))
        .where(
          and(
            eq(ledger.projectId, projectId),
            eq(ledger.kind, 'problem'),
            gt(ledger.seq, seen),
            lte(ledger.seq, head),
            ne(ledger.who, trackerLogin(tracker)),
          ),
        )
        .orderBy(asc(ledger.seq));
      for (const { action, after, id } of done) {
        const of = { projectId, problemId: id, at: this.now().toISOString() };
        if (action === 'commented' || action === 'answered') {
          const { comment } = after as { comment: number };
          const [said] = await tx
            .select({ text: comments.text, by: comments.by, name: people.printedName })
            .from(comments)
            .leftJoin(people, eq(people.login, comments.by))
            .where(eq(comments.id, comment));
          if (said) await enqueue(tx, of, 'comment', { by: said.name ?? said.by, text: said.text });
        } else if (/^problem (changed|closed|reopened)$/.test(action)) await enqueueChange(tx, of);
      }
      await tx.update(trackers).set({ seen: head }).where(eq(trackers.projectId, projectId));
    });
  }

  /** Takes over what happened there, event by event. */
  private async hear(tracker: StoredTracker, adapter: TrackerAdapter): Promise<void> {
    for (let after = tracker.heard; ;) {
      const events = [...(await adapter.events(after))].sort((a, b) => a.sequence - b.sequence).filter((e) => e.sequence > after);
      for (const event of events) {
        await this.happened(tracker, event);
        after = event.sequence;
        await this.note(tracker.projectId, { heard: after });
      }
      if (!events.length) return;
    }
  }

  private async happened(tracker: StoredTracker, event: TheirEvent): Promise<void> {
    const { projectId } = tracker;
    const [link] = await this.db
      .select()
      .from(trackerLinks)
      .where(and(eq(trackerLinks.projectId, projectId), eq(trackerLinks.theirId, event.item.id), isNull(trackerLinks.endedAt)));
    if (!link) return;
    const ours = event.operation !== undefined && (await this.isOurs(projectId, event.operation));
    if (event.kind === 'comment' && event.comment && !ours) {
      const { by, text } = event.comment;
      const actor = { ...this.actor(tracker), operation: { name: `heard-${projectId}-${event.sequence}`, route: 'tracker' } };
      // Heard before the node died that heard it: it stands already.
      if (await knownOperation(this.db, { login: actor.login, operation: actor.operation.name })) return;
      const html = `<p>${escapeHtml(by)}: ${escapeHtml(text).replaceAll('\n', '<br>')}</p>`;
      const [{ key }] = await this.db.select({ key: records.key }).from(records).where(eq(records.id, link.id));
      await addComment(this.db, actor, { id: 0 } as Parameters<typeof addComment>[2], key, { html, parent: null, field: '', passage: '' });
    }
    if (event.item.version <= (link.theirs?.version ?? 0)) return;
    await this.setLink(link.id, { theirs: standing(event.item), theirUrl: event.item.url });
    if (!ours) await this.reconcile(tracker, link.id);
  }

  private async isOurs(projectId: number, operation: string): Promise<boolean> {
    const [row] = await this.db
      .select({ id: trackerOutbox.id })
      .from(trackerOutbox)
      .where(and(eq(trackerOutbox.projectId, projectId), eq(trackerOutbox.operation, operation)));
    return row !== undefined;
  }

  /** Brings a report and its counterpart together; answers what is to be told there. */
  private async reconcile(tracker: StoredTracker, id: number): Promise<Partial<Exchanged>> {
    const link = await this.link(id);
    if (!link?.theirs) return {};
    const problem = await problemNow(this.db, id);
    const mine: Exchanged = { title: problem.title, stage: problem.stage };
    const known = stageOfWord(tracker.states, link.theirs.state);
    // Several stages may have one word there: then it means the one that stands here. A word that means none leaves the stage alone.
    const same = (wordOfStage(tracker.states, mine.stage) ?? '').toLowerCase() === link.theirs.state.toLowerCase();
    const there: Exchanged = { title: link.theirs.title, stage: same ? mine.stage : known || link.base.stage };
    const merged = mergeExchanged(link.base, mine, there);
    let refused = !same && !known ? `“${link.theirs.state}” is no word for a stage here.` : '';
    let { base } = merged;
    // Each by itself: what cannot be taken over keeps nothing else from it.
    for (const field of exchangedFields) {
      if (merged.take[field] === undefined) continue;
      const why = await this.takeOver(tracker, id, { [field]: merged.take[field] });
      if (why === undefined) continue;
      refused = why;
      base = { ...base, [field]: link.base[field] };
    }
    await this.setLink(id, { base, conflicts: merged.conflicts, refused: refused.slice(0, 500) });
    if (news(link, merged.conflicts, refused))
      await write(this.db, this.actor(tracker), async (w) =>
        w.log({
          action: 'differs outside',
          kind: 'problem',
          key: problem.key,
          after: { item: link.theirId, fields: merged.conflicts.map(({ field }) => field), ...(refused ? { refused } : {}) },
        }),
      );
    return merged.send;
  }

  /** Changes the report to what stands there; why that may not be, or undefined where it was done. */
  private async takeOver(tracker: StoredTracker, id: number, change: Partial<Exchanged>): Promise<string | undefined> {
    const problem = await problemNow(this.db, id);
    const { title, description, blocking, stage, severity, priority, area, assigned, due, fixedIn, closedReason } = problem;
    const now = { title, description, blocking, stage, severity, priority, area, assigned, due, fixedIn, closedReason };
    try {
      // It may do what anybody may who works at reports: what is for reviewers, or is signed, is done by people.
      await saveProblem(this.db, this.actor(tracker), ['tester'], problem.key, {
        ...now,
        ...change,
        basedOn: problem.revision,
        password: '',
      });
      return undefined;
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      const { code, detail, title: said, fields } = error.details();
      return code === 'conflict' ? this.takeOver(tracker, id, change) : (detail ?? fields?.map(({ text }) => text).join(' ') ?? said);
    }
  }

  /** Tells what is to be told, in its order: what cannot be told now stops the rest. */
  private async send(tracker: StoredTracker, adapter: TrackerAdapter): Promise<void> {
    for (;;) {
      const [next] = await this.db
        .select()
        .from(trackerOutbox)
        .where(and(eq(trackerOutbox.projectId, tracker.projectId), isNull(trackerOutbox.sentAt)))
        .orderBy(asc(trackerOutbox.id))
        .limit(1);
      if (!next) return;
      const link = await this.link(next.problemId);
      try {
        if (link) await this.sendOne(tracker, adapter, next, link);
      } catch (error) {
        if (!(error instanceof Declined)) throw error;
        await this.setLink(next.problemId, { refused: `It was declined there: ${error.message}`.slice(0, 500) });
      }
      await this.db.update(trackerOutbox).set({ sentAt: this.now().toISOString() }).where(eq(trackerOutbox.id, next.id));
    }
  }

  private async sendOne(tracker: StoredTracker, adapter: TrackerAdapter, row: Outgoing, link: StoredLink): Promise<void> {
    await this.db
      .update(trackerOutbox)
      .set({ tries: row.tries + 1 })
      .where(eq(trackerOutbox.id, row.id));
    const body = row.body ?? {};
    if (row.kind === 'create') {
      const { stage, ...asked } = body as { title: string; text: string; stage: string; state?: string };
      const item = await adapter.create(asked, row.operation);
      await this.met(tracker, link, item, { title: asked.title, stage });
    } else if (row.kind === 'read') {
      const item = await adapter.read(link.theirId ?? '');
      if (!item) return this.setLink(link.id, { refused: `There is no ${link.theirId} there.` });
      await this.met(tracker, link, item, link.base);
    } else if (row.kind === 'comment') {
      if (link.theirId === null) return;
      await adapter.comment(link.theirId, { by: String(body['by']), text: String(body['text']) }, row.operation);
    } else await this.tellChange(tracker, adapter, row, link);
  }

  /** The item there is known now. */
  private async met(tracker: StoredTracker, link: StoredLink, item: TheirItem, base: Exchanged): Promise<void> {
    await write(this.db, this.actor(tracker), async (w) => {
      const made = link.theirId === null;
      await w.tx
        .update(trackerLinks)
        .set({ theirId: item.id, theirUrl: item.url, theirs: standing(item), base, refused: '' })
        .where(eq(trackerLinks.id, link.id));
      const { key } = await problemNow(w.tx, link.id);
      w.log({ action: made ? 'made outside' : 'found outside', kind: 'problem', key, after: { item: item.id, state: item.state } });
      w.wrote(trackerLinkRows, link.id);
    });
    await this.reconcileAndTell(tracker, link.id);
  }

  private async reconcileAndTell(tracker: StoredTracker, id: number): Promise<void> {
    const send = await this.reconcile(tracker, id);
    if (Object.keys(send).length)
      await this.db.transaction((tx) => enqueueChange(tx, { projectId: tracker.projectId, problemId: id, at: this.now().toISOString() }));
  }

  private async tellChange(tracker: StoredTracker, adapter: TrackerAdapter, row: Outgoing, link: StoredLink): Promise<void> {
    if (link.theirId === null || !link.theirs) return;
    let told = row.body as { title?: string; stage?: string; state?: string; basedOn: number } | null;
    if (!told) {
      const send = await this.reconcile(tracker, link.id);
      if (!Object.keys(send).length) return;
      const now = await this.link(link.id);
      const state = send.stage === undefined ? undefined : wordOfStage(tracker.states, send.stage);
      told = { ...send, ...(state === undefined ? {} : { state }), basedOn: now?.theirs?.version ?? 0 };
      // The same however often it is tried: what changes meanwhile is told after it.
      await this.db.update(trackerOutbox).set({ body: told }).where(eq(trackerOutbox.id, row.id));
    }
    const { stage, ...change } = told;
    const { item, refused } = await adapter.change(link.theirId, change, row.operation);
    await this.setLink(link.id, { theirs: standing(item), theirUrl: item.url });
    const fresh = await this.link(link.id);
    if (!refused && fresh)
      await this.setLink(link.id, {
        base: { title: change.title ?? fresh.base.title, stage: stage ?? fresh.base.stage },
      });
    // Somebody changed it there in between, or here: what both are now is looked at again.
    await this.reconcileAndTell(tracker, link.id);
  }
}

const standing = ({ title, state, version }: TheirItem): NonNullable<StoredLink['theirs']> => ({ title, state, version });
const news = (before: StoredLink, conflicts: readonly ExchangeConflict[], refused: string): boolean =>
  (conflicts.length > 0 && JSON.stringify(conflicts) !== JSON.stringify(before.conflicts)) ||
  (refused !== '' && refused !== before.refused);
