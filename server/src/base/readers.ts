import { asc, and, eq, gt, sql } from 'drizzle-orm';
import type { Db } from './database';
import { ledgerHead, newestEntries } from './ledger';
import { projectedTable } from './projected';
import { records } from './tables';
import { onCommit } from './writing';

/** What a client is told of one entry. */
export interface EntryEvent {
  readonly seq: number;
  readonly at: string;
  readonly who: string;
  readonly action: string;
  readonly kind: string;
  readonly key: string;
}

/** Cords of a build that were judged again: true now for ledger number `seq`; `keys` is null where they are too many to name. */
export interface JudgedEvent {
  readonly build: string;
  readonly seq: number;
  readonly keys: readonly string[] | null;
}

/** News of one moment, together; written out for server-sent events once, however many listen. */
export interface LedgerNews {
  readonly entries: readonly EntryEvent[];
  readonly judged: readonly JudgedEvent[];
  readonly text: string;
}
export type LedgerListener = (news: LedgerNews) => void;

/** Entries as server-sent events: an event's id is its ledger number. */
export const entriesText = (entries: readonly EntryEvent[]): string =>
  entries.map((event) => `id: ${event.seq}\nevent: entry\ndata: ${JSON.stringify(event)}\n\n`).join('');
export const judgedText = (judged: readonly JudgedEvent[]): string =>
  judged.map((event) => `event: judged\ndata: ${JSON.stringify(event)}\n\n`).join('');

const lookEvery = 250;
/** Entries are gathered so long, in milliseconds: what many write in one moment is told at once. What was judged is told with less delay. */
const gatherFor = 150;
const gatherJudgedFor = 40;
/** So many entries are read at once. */
const batch = 500;

/** What may be new: entries of the ledger, or what was judged because of them. */
export type Newness = 'entries' | 'judged' | 'either';

/** Reads one project's ledger, and what was judged because of it, once for all who listen on this node. */
class LedgerReader {
  readonly listeners = new Set<LedgerListener>();
  private seq = -1;
  private judgedId = -1;
  private reading = false;
  private again = false;
  private judgedDue = true;
  /** Ends a gathering before its time. */
  private hurry: (() => void) | undefined;
  private readonly timer = setInterval(() => void this.poll('either'), lookEvery);
  private begun: Promise<void> | undefined;

  constructor(
    private readonly db: Db,
    private readonly projectId: number,
    private readonly warn: (error: unknown) => void,
  ) {}

  /** Where it begins is known; where the database was away, it is asked again. */
  private ready(): Promise<void> {
    this.begun ??= this.begin().catch((error: unknown) => {
      this.begun = undefined;
      throw error;
    });
    return this.begun;
  }

  private async begin(): Promise<void> {
    this.seq = await ledgerHead(this.db, this.projectId);
    const [last] = await this.db
      .select({ id: sql<number>`ifnull(max(${projectedTable.id}), 0)`.mapWith(Number) })
      .from(projectedTable)
      .where(eq(projectedTable.projectId, this.projectId));
    this.judgedId = last.id;
  }

  /** The number up to which listeners have been told. */
  async position(): Promise<number> {
    await this.ready();
    return this.seq;
  }

  async poll(newness: Newness): Promise<void> {
    if (newness !== 'entries') this.judgedDue = true;
    if (newness === 'judged') this.hurry?.();
    if (this.reading) {
      this.again = true;
      return;
    }
    this.reading = true;
    try {
      await this.ready();
      do {
        this.again = false;
        const entries = await this.newEntries();
        // What was judged is told behind the entries that it was judged for, and asked for only where something may have been.
        const due = this.judgedDue;
        this.judgedDue = false;
        const judged = due ? await this.newlyJudged() : [];
        // Only what is told counts as told: where the database went away in between, all of it is read again.
        this.seq = entries.at(-1)?.seq ?? this.seq;
        this.judgedId = judged.at(-1)?.id ?? this.judgedId;
        this.tell(
          entries,
          judged.map(({ id: _, ...event }) => event),
        );
        if (entries.length) await this.gather();
      } while (this.again);
    } catch (error) {
      // The database is away: those who listen stay, and are told later.
      this.warn(error);
    } finally {
      this.reading = false;
    }
  }

  /** Waits while entries gather; not so long where something was judged. */
  private async gather(): Promise<void> {
    const begun = performance.now();
    await new Promise<void>((resolve) => {
      const timer = setTimeout(resolve, gatherFor);
      this.hurry = () => {
        clearTimeout(timer);
        setTimeout(resolve, Math.max(0, gatherJudgedFor - (performance.now() - begun)));
      };
    });
    this.hurry = undefined;
  }

  private async newEntries(): Promise<EntryEvent[]> {
    const found: EntryEvent[] = [];
    for (;;) {
      const some = await newestEntries(this.db, this.projectId, found.at(-1)?.seq ?? this.seq, batch);
      found.push(...some);
      if (some.length < batch) return found;
    }
  }

  private tell(entries: readonly EntryEvent[], judged: readonly JudgedEvent[]): void {
    if (!entries.length && !judged.length) return;
    const news = { entries, judged, text: entriesText(entries) + judgedText(judged) };
    for (const listener of this.listeners) listener(news);
  }

  private newlyJudged(): Promise<(JudgedEvent & { readonly id: number })[]> {
    return this.db
      .select({ id: projectedTable.id, build: records.key, seq: projectedTable.seq, keys: projectedTable.keys })
      .from(projectedTable)
      .innerJoin(records, eq(records.id, projectedTable.buildId))
      .where(and(eq(projectedTable.projectId, this.projectId), gt(projectedTable.id, this.judgedId)))
      .orderBy(asc(projectedTable.id))
      .limit(500);
  }

  close(): void {
    clearInterval(this.timer);
  }
}

/** The readers of one node: one for each project that somebody listens to. */
export class LedgerReaders {
  private readonly readers = new Map<number, LedgerReader>();
  private readonly off: () => void;

  constructor(
    private readonly db: Db,
    private readonly warn: (error: unknown) => void = () => undefined,
  ) {
    this.off = onCommit((projectId) => this.nudge(projectId, 'entries'));
  }

  /** Something of the project is new: no need to wait for the next look. */
  nudge(projectId: number, newness: Newness): void {
    void this.readers.get(projectId)?.poll(newness);
  }

  /** Listens from now on; answers the number from which on it is told, and how to end. */
  async listen(projectId: number, listener: LedgerListener): Promise<{ from: number; end: () => void }> {
    let reader = this.readers.get(projectId);
    if (!reader) this.readers.set(projectId, (reader = new LedgerReader(this.db, projectId, this.warn)));
    const mine = reader;
    const from = await mine.position();
    mine.listeners.add(listener);
    return {
      from,
      end: () => {
        mine.listeners.delete(listener);
        if (mine.listeners.size || this.readers.get(projectId) !== mine) return;
        mine.close();
        this.readers.delete(projectId);
      },
    };
  }

  stop(): void {
    this.off();
    for (const reader of this.readers.values()) reader.close();
    this.readers.clear();
  }
}
