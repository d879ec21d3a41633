import { ledgerFormat, ledgerHash, recordFormat, type Json, type LedgerFacts, type LedgerWrite, type RecordFormat } from '@core/base';
import type { May } from '@contract/base';
import type { Role } from '@core/base';
import { sql } from 'drizzle-orm';
import { hashOfRow, rowHashes, snapshotWrite, type Accounted } from './accounted';
import type { Db, Tx } from './database';
import { isClash, isDuplicate, Refusal } from './errors';
import { heldRights, holderOf, type Held, type HeldRights, type Rights } from './held-rights';
import { insertMany, rowsAtOnce } from './insert-many';
import { appendEntries, lockHead, type ChainEnd, type LedgerRow } from './ledger-end';
import { inOnePacket, lastly } from './packets';
import { operations, revisions } from './tables';
import type { Parse } from './parsing';
import type { Touches } from './touches';

/** Who does something, in which project, with which clock. */
export interface Actor {
  readonly login: string;
  readonly projectId: number;
  readonly now: () => Date;
  /** What the client named this request: the same name again is not done again. */
  readonly operation?: { readonly name: string; readonly route: string };
  /** When it was done and when it was sent, by the clock of a device that could not reach the server meanwhile; ISO 8601 UTC. */
  readonly device?: { readonly at: string; readonly sent: string };
  /** Reads what people send: in threads of their own where a server runs, here in commands and specs. */
  readonly parse?: Parse;
  /** Told the ledger number of what was written. */
  readonly wrote?: (seq: number) => void;
  /** Finds out whether the session still is whose it was: nothing is committed before. */
  readonly confirm?: Confirm;
  /** What the route asks for, judged again at the moment of the act: while the end of the ledger is locked. */
  readonly rights?: Rights;
}

/**
 * Finds out whether whoever acts still is who they were, and refuses where not: within a transaction that is on its way, or by itself. It is
 * asked once, however often somebody wants to know.
 */
export type Confirm = (tx?: Tx) => Promise<void>;

/** Who acts on the installation: its own ledger has number 0. */
export const installation = (login: string, now: () => Date): Actor => ({ login, projectId: 0, now });

export interface EntryInput {
  readonly action: string;
  readonly kind: string;
  readonly key: string;
  /** What the record said before and says now. */
  readonly before?: unknown;
  readonly after?: unknown;
  readonly touches?: Touches;
}

export interface SnapshotInput {
  readonly recordId: number;
  readonly revision: number;
  readonly state: string;
  readonly snapshot: object;
  readonly hash?: string | null;
  readonly format?: RecordFormat;
  readonly reason?: string;
}

/** What acts of one transaction read and write together. */
export interface Shared {
  /** What was read ahead for an act, by what it is on; undefined where it reads for itself. */
  readonly ahead: ReadonlyMap<string, unknown> | undefined;
  /** Puts off a write, which asks all that it asks at once, until all acts have said theirs; writes of one kind are then done together. */
  later<T>(write: (tx: Tx, items: readonly T[]) => Promise<void>, item: T): void;
}

interface Pending extends EntryInput {
  readonly snapshots: SnapshotInput[];
  readonly later: ((seq: number) => Promise<void>)[];
  /** Rows by their ids, with their hashes where these are known; null where they are read once all is written. */
  readonly wrote: Map<Accounted, Map<number, string | null>>;
  readonly writes: LedgerWrite[];
}

type SnapshotRow = typeof revisions.$inferInsert;

/** An entry holds no more writes than this: what is more goes into entries behind it. */
const writesInEntry = 2000;

/**
 * What a writing transaction may do besides its own tables: put entries into the ledger, keep snapshots, account for rows. All of
 * that is held until the work is done, so that writers of one project wait for each other only while they append.
 */
export class Writing {
  readonly at: string;
  private pending: Pending[] = [];
  private readonly elsewhere = new Map<number, Writing>();
  private readonly needed: (readonly Role[])[] = [];

  constructor(
    readonly tx: Tx,
    readonly actor: Actor,
    /** Others act in the same transaction: what is held by somebody else is not waited for. */
    readonly shared?: Shared,
  ) {
    this.at = actor.now().toISOString();
  }

  /** Appends a ledger entry. What is kept, written or put off afterwards belongs to it, until the next one. */
  log(entry: EntryInput): void {
    this.pending.push({ ...entry, snapshots: [], later: [], wrote: new Map(), writes: [] });
  }

  /** Puts an entry into another project's ledger, in the same transaction. */
  logIn(projectId: number, entry: EntryInput): void {
    const { operation: _, rights: _rights, ...actor } = this.actor;
    const other = this.elsewhere.get(projectId) ?? new Writing(this.tx, { ...actor, projectId });
    this.elsewhere.set(projectId, other);
    other.log(entry);
  }

  /** Says that one of these roles is needed for what is done, beside what the route asks for. */
  needRole(...roles: readonly Role[]): void {
    this.needed.push(roles);
  }

  /** Tries a part of the work: where it is refused, all of that part is taken back and the refusal is answered. */
  async attempt<T>(work: () => Promise<T>): Promise<{ readonly value: T } | { readonly refusal: Refusal }> {
    const before = [...this.pending];
    await this.tx.execute(sql`savepoint attempt`);
    try {
      const value = await work();
      await this.tx.execute(sql`release savepoint attempt`);
      return { value };
    } catch (error) {
      const refusal = error instanceof Refusal ? error : isDuplicate(error) ? new Refusal('exists') : undefined;
      if (!refusal) throw error;
      await this.tx.execute(sql`rollback to savepoint attempt`);
      this.pending = before;
      return { refusal };
    }
  }

  /** Accounts for rows that were written in this transaction. */
  wrote(accounted: Accounted, ...ids: readonly number[]): void {
    const known = this.wroteIn(accounted);
    for (const id of ids) known.set(id, null);
  }

  /** Accounts for a row that holds these values once all is written: nobody has to read it for that. */
  wroteAs(accounted: Accounted, row: Readonly<Record<string, unknown>> & { readonly id: number }): void {
    const known = this.wroteIn(accounted);
    if (known.get(row.id) !== null) known.set(row.id, hashOfRow(accounted, row));
  }

  private wroteIn(accounted: Accounted): Map<number, string | null> {
    const { wrote } = this.last();
    const known = wrote.get(accounted) ?? new Map<number, string | null>();
    wrote.set(accounted, known);
    return known;
  }

  /** Accounts for rows that stood before there was a ledger of rows, by their hashes. */
  wroteBefore(writes: readonly LedgerWrite[]): void {
    this.last().writes.push(...writes);
  }

  /** Keeps the full snapshot of a record as it is from this entry on. */
  snapshot(...inputs: readonly SnapshotInput[]): void {
    this.last().snapshots.push(...inputs);
  }

  /** Does what needs the entry's ledger number, once that is known. */
  withSeq(work: (seq: number) => Promise<void>): void {
    this.last().later.push(work);
  }

  private last(): Pending {
    const last = this.pending.at(-1);
    if (!last) throw new Error('an entry must be logged before what belongs to it');
    return last;
  }

  /** Takes the chain's end, appends, and answers the last number; 0 where there was nothing to say. */
  async append(): Promise<number> {
    const last = await appendAll(this.tx, this.actor.projectId, [this], { mayStill: () => this.refuseUnlessMay() });
    return last.get(this) ?? 0;
  }

  /** Does anything wait for the number of one of its entries? */
  waits(): boolean {
    return this.pending.some((entry) => entry.later.length > 0);
  }

  /** Does any entry, here or in another project, make something judged doubtful? */
  touches(): boolean {
    return this.pending.some(({ touches }) => touches) || [...this.elsewhere.values()].some((other) => other.touches());
  }

  /** Is there anything for the ledger? */
  says(): boolean {
    return this.pending.length > 0;
  }

  /** Appends to the ledgers of other projects and of the installation. */
  async appendElsewhere(): Promise<void> {
    for (const [, other] of [...this.elsewhere].sort(([a], [b]) => a - b)) await other.append();
  }

  /** Projects whose ledgers were appended to. */
  projects(): number[] {
    return [this.actor.projectId, ...this.elsewhere.keys()];
  }

  /** The rows that its entries wrote, with what is known of each; the last that is said of a row counts. */
  *written(): Generator<readonly [Accounted, number, string | null]> {
    for (const { wrote } of this.pending) for (const [accounted, ids] of wrote) for (const [id, hash] of ids) yield [accounted, id, hash];
  }

  /** Does what waited for the numbers of its entries, of which the first is `seq`; answers the number behind the last, and snapshots to keep. */
  async number(seq: number): Promise<{ readonly next: number; readonly retained: SnapshotRow[] }> {
    let next = seq;
    const retained: SnapshotRow[] = [];
    for (const entry of this.pending) {
      for (const work of entry.later) await work(next);
      retained.push(...this.snapshotsOf(entry, next));
      const size = [...entry.wrote.values()].reduce((sum, ids) => sum + ids.size, entry.writes.length);
      next += Math.max(1, Math.ceil(size / writesInEntry));
    }
    return { next, retained };
  }

  /** The entries that follow the chain's end, which is locked, and the end that they make. */
  chain(head: ChainEnd, hashes: RowHashes): { readonly rows: LedgerRow[]; readonly end: ChainEnd } {
    const { projectId } = this.actor;
    let { seq, hash: previous } = head;
    const rows: LedgerRow[] = [];
    const push = (entry: EntryInput, writes: readonly LedgerWrite[]): void => {
      const facts: LedgerFacts = {
        format: ledgerFormat,
        seq: ++seq,
        at: this.at,
        who: this.actor.login,
        action: entry.action,
        kind: entry.kind,
        key: entry.key,
        before: plain(entry.before),
        after: plain(this.actor.device ? { ...(entry.after as object | undefined), device: this.actor.device } : entry.after),
        writes,
        operation: this.actor.operation?.name ?? '',
      };
      const hash = ledgerHash(facts, previous);
      rows.push({ projectId, ...facts, touches: entry.touches ?? null, previous, hash });
      previous = hash;
    };
    for (const entry of this.pending) {
      const writes = [...entry.writes];
      for (const [accounted, ids] of entry.wrote)
        for (const id of ids.keys()) writes.push({ table: accounted.name, id: String(id), hash: hashes.get(accounted)?.get(id) ?? null });
      push(entry, writes.slice(0, writesInEntry));
      for (let at = writesInEntry; at < writes.length; at += writesInEntry)
        push({ action: `${entry.action}, further rows`, kind: entry.kind, key: entry.key }, writes.slice(at, at + writesInEntry));
    }
    return { rows, end: { seq, hash: previous } };
  }

  /** Whoever acts may still do so: what took the right away came before in the ledger, or comes behind. */
  async refuseUnlessMay(known?: HeldRights): Promise<void> {
    const { rights, projectId } = this.actor;
    if (!rights || rights.may === 'anyone') return;
    const held = (known ?? (await heldRights(this.tx, projectId, [rights]))).get(holderOf(rights));
    if (!held || !this.suffices(rights.may, held)) throw new Refusal('forbidden');
  }

  private suffices(may: May, { installation, roles }: Held): boolean {
    if (may === 'installation') return installation;
    if (this.actor.projectId === 0 || may === 'signedIn' || may === 'settingPassword' || may === 'halfSignedIn') return true;
    return roles.length > 0 && this.rolesSuffice(may, roles);
  }

  private rolesSuffice(may: May, roles: readonly Role[]): boolean {
    const asked = typeof may === 'string' ? this.needed : [may, ...this.needed];
    return asked.every((some) => some.some((role) => roles.includes(role)));
  }

  /** The rows of an entry's snapshots; the entry accounts for them. */
  private snapshotsOf(entry: Pending, seq: number): SnapshotRow[] {
    const rows = entry.snapshots.map((input) => ({
      recordId: input.recordId,
      seq,
      projectId: this.actor.projectId,
      revision: input.revision,
      state: input.state,
      format: input.format ?? recordFormat,
      hash: input.hash ?? null,
      snapshot: plain(input.snapshot) as Record<string, unknown>,
      reason: input.reason ?? '',
      by: this.actor.login,
      at: this.at,
    }));
    entry.writes.push(...rows.map((row) => snapshotWrite({ ...row, snapshot: row.snapshot as Json })));
    return rows;
  }
}

const plain = (value: unknown): Json => (value === undefined ? null : (JSON.parse(JSON.stringify(value)) as Json));

/** Called after each commit, so that readers of the ledger need not wait for their next look. `touching`: something is to be judged again. */
export type CommitListener = (projectId: number, touching: boolean) => void;
const listeners = new Set<CommitListener>();
export function onCommit(listener: CommitListener): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

/** Requests of which something is committed already. */
const done = new WeakSet<NonNullable<Actor['operation']>>();
const attempts = 8;

/**
 * One writing transaction of a project: the work first, then the ledger, whose end is locked only while it is appended to. Whatever two
 * writers must not do at once they lock themselves (the record's row, a counter). Deadlocks are tried again.
 */
export async function write<T>(db: Db, actor: Actor, work: (writing: Writing) => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      const { value, seq, writing } = await db.transaction(async (tx) => {
        const writing = new Writing(tx, actor);
        await noteOperation(tx, actor);
        return { value: await work(writing), seq: await writing.append(), writing };
      });
      committed(writing, seq);
      return value;
    } catch (error) {
      if (isClash(error) && attempt < attempts) {
        await new Promise((resolve) => setTimeout(resolve, Math.random() * 8 * attempt));
        continue;
      }
      throw asRefused(error) ?? error;
    }
  }
}

/** Of a request that writes several times, the first transaction is what makes it done. */
const noteOperation = async (tx: Tx, actor: Actor): Promise<void> => {
  try {
    await noteOperations(tx, [actor]);
  } catch (error) {
    throw isDuplicate(error) ? new Refusal('repeated') : error;
  }
};

/** Notes that the requests of some acts are done; a duplicate where one of them was done before. */
export async function noteOperations(tx: Tx, actors: readonly Actor[]): Promise<void> {
  const rows = actors.flatMap(({ operation, projectId, login, now }) =>
    operation && !done.has(operation)
      ? { projectId, login, operation: operation.name, route: operation.route, at: now().toISOString(), answer: '' }
      : [],
  );
  if (rows.length) await tx.insert(operations).values(rows);
}

/** What was written stands: whoever waits for news is told. */
export function committed(writing: Writing, seq: number): void {
  const { actor } = writing;
  if (actor.operation) done.add(actor.operation);
  if (!seq) return;
  actor.wrote?.(seq);
  const touching = writing.touches();
  for (const projectId of writing.projects()) for (const listener of listeners) listener(projectId, touching);
}

/** The refusal that an error of a work is, where it is one: its own, that something stands already, or that somebody holds it for long. */
export function asRefused(error: unknown): Refusal | undefined {
  if (error instanceof Refusal) return error;
  if (isClash(error)) return new Refusal('held');
  return isDuplicate(error) ? new Refusal('exists') : undefined;
}

/** What goes with appending, where there is anything. */
interface Beside {
  /** Refuses while the chain's end is locked: what took a right away came before, or comes behind. */
  readonly mayStill?: () => Promise<void>;
  /** Does what was put off: before the chain's end is locked, and when all have their numbers, before their rows are hashed. */
  readonly put?: () => Promise<void>;
  /** The chain's end, where it is locked already. */
  readonly head?: ChainEnd | undefined;
}
const nothing = (): Promise<void> => Promise.resolve();

/**
 * Appends what some writings of one transaction say to the ledger of their project, and to those that they name beside it; answers the last
 * number of each.
 */
export async function appendAll(
  tx: Tx,
  projectId: number,
  writings: readonly Writing[],
  { mayStill, put = nothing, head: held }: Beside = {},
): Promise<Map<Writing, number>> {
  const last = new Map<Writing, number>();
  const saying = writings.filter((writing) => writing.says());
  if (saying.length) {
    // Hashes of rows first, where none waits for its entry's number: the chain's end is everybody's, and locked as briefly as can be.
    const hash = (): Promise<RowHashes> => hashesOf(tx, rowsOf(saying));
    const waits = saying.some((writing) => writing.waits());
    // Where nothing is left to be asked, what was put off goes with the end of the transaction.
    const ends = held !== undefined && !waits && rowsOf(saying).unread.size === 0;
    const [, early, head] = await inOnePacket(
      tx,
      ends ? nothing : put,
      async () => (waits ? undefined : hash()),
      async () => held ?? lockHead(tx, projectId),
    );
    await mayStill?.();
    let next = head.seq + 1;
    const retained: SnapshotRow[] = [];
    for (const writing of saying) {
      const numbered = await writing.number(next);
      next = numbered.next;
      retained.push(...numbered.retained);
    }
    const written = rowsOf(saying);
    let late = early ?? written.known;
    // What leaves nothing to be read goes with the end of the transaction; snapshots of more than one statement are waited for.
    if (retained.length <= rowsAtOnce && (early || !written.unread.size)) await lastly(tx, () => insertMany(tx, revisions, retained), put);
    else
      [, , late] = await inOnePacket(
        tx,
        () => insertMany(tx, revisions, retained),
        put,
        async () => early ?? hashesOf(tx, written),
      );
    let end = head;
    const rows: LedgerRow[] = [];
    for (const writing of saying) {
      const chained = writing.chain(end, late);
      end = chained.end;
      rows.push(...chained.rows);
      last.set(writing, end.seq);
    }
    await appendEntries(tx, projectId, rows, end);
  } else await put();
  for (const writing of writings) await writing.appendElsewhere();
  return last;
}

type RowHashes = ReadonlyMap<Accounted, ReadonlyMap<number, string>>;

interface WrittenRows {
  readonly known: RowHashes;
  readonly unread: ReadonlyMap<Accounted, ReadonlySet<number>>;
}

/** The rows that some wrote until now: the hashes of those that are known, and those that have to be read. */
function rowsOf(writings: readonly Writing[]): WrittenRows {
  const known = new Map<Accounted, Map<number, string>>();
  const unread = new Map<Accounted, Set<number>>();
  for (const writing of writings)
    for (const [accounted, id, hash] of writing.written()) {
      const hashes = known.get(accounted) ?? new Map<number, string>();
      known.set(accounted, hashes);
      if (hash !== null) hashes.set(id, hash);
      else unread.set(accounted, (unread.get(accounted) ?? new Set<number>()).add(id));
    }
  return { known, unread };
}

/** The hashes of all rows that were written, as they stand now: a query for each table of which any has to be read. */
async function hashesOf(tx: Tx, { known, unread }: WrittenRows): Promise<RowHashes> {
  const hashes = new Map(known);
  await Promise.all(
    [...unread].map(async ([accounted, some]) =>
      hashes.set(accounted, new Map([...(known.get(accounted) ?? []), ...(await rowHashes(tx, accounted, [...some]))])),
    ),
  );
  return hashes;
}
