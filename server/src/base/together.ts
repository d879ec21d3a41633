import { groupBy } from '@core/base';
import { forRecording, type Db, type Tx } from './database';
import { isClash, isDuplicate, isLockWait, Refusal } from './errors';
import { heldRights, type HeldRights } from './held-rights';
import { lockHead } from './ledger-end';
import { inOnePacket, packedTransaction } from './packets';
import { appendAll, asRefused, committed, noteOperations, write, Writing, type Actor, type Shared } from './writing';

/**
 * What acts of one kind need of the records that they are on, locked and read for all of them at once, by those records. A record that
 * somebody holds makes it fail: each act then reads for itself.
 */
export type Ahead = (tx: Tx, projectId: number, on: readonly string[]) => Promise<ReadonlyMap<string, unknown>>;

/** What an act is on: of two acts on one record the second waits for the first. */
export interface ActOn {
  readonly key: string;
  readonly ahead: Ahead;
  /** It asks for nothing beside what is read ahead: the chain's end is locked with that, so that two packets do all. */
  readonly brief?: boolean;
}

interface Waiting {
  readonly actor: Actor;
  readonly on: ActOn;
  readonly work: (writing: Writing) => Promise<unknown>;
  readonly done: (value: unknown) => void;
  readonly failed: (error: unknown) => void;
}

interface Worked {
  readonly waiting: Waiting;
  readonly writing: Writing;
  readonly value: unknown;
}

/** An act that cannot be done with the others: all is taken back, and the others are done without it. */
class Apart extends Error {
  constructor(
    readonly waiting: Waiting,
    /** Why it is refused; undefined where it goes on alone. */
    readonly refusal: unknown,
  ) {
    super('an act apart');
  }
}

/** So many acts share a transaction at most, and so many transactions of a project are on their way: one works while the other commits. */
const mostTogether = 16;
const mostOnTheirWay = 2;

/**
 * Brief acts of many people on one project, done together: appended to the ledger and committed at once. The chain's end is locked, rights
 * are asked for and the disk is waited for once, however many record at the same moment.
 */
class Together {
  private queue: Waiting[] = [];
  private onTheirWay = 0;

  constructor(
    private readonly db: Db,
    private readonly projectId: number,
  ) {}

  add(waiting: Waiting): void {
    this.queue.push(waiting);
    void this.send();
  }

  private async send(): Promise<void> {
    if (this.onTheirWay >= mostOnTheirWay) return;
    this.onTheirWay++;
    while (this.queue.length) await this.commit(this.next());
    this.onTheirWay--;
  }

  /** The acts that waited longest, of each record one. */
  private next(): Waiting[] {
    const batch = new Map<string, Waiting>();
    const later: Waiting[] = [];
    for (const waiting of this.queue) {
      if (batch.size < mostTogether && !batch.has(waiting.on.key)) batch.set(waiting.on.key, waiting);
      else later.push(waiting);
    }
    this.queue = later;
    return [...batch.values()];
  }

  /**
   * Does a batch; what must be apart is taken out, and the rest done again. Questions go in packets, until the database refuses one: then
   * one after the other, so that it is known whose it was.
   */
  private async commit(batch: readonly Waiting[]): Promise<void> {
    let packed = true;
    for (let rest = batch; rest.length;) {
      try {
        return await this.commitWhole(rest, packed);
      } catch (error) {
        if (error instanceof Apart) {
          const { waiting, refusal } = error;
          if (refusal === undefined) this.alone(waiting);
          else waiting.failed(refusal);
          rest = rest.filter((other) => other !== waiting);
        } else if (packed) packed = false;
        else {
          for (const waiting of rest)
            if (isClash(error)) this.alone(waiting);
            else waiting.failed(error);
          return;
        }
      }
    }
  }

  private async commitWhole(batch: readonly Waiting[], packed: boolean): Promise<void> {
    const done = async (tx: Tx): Promise<{ worked: Worked[]; last: Map<Writing, number> }> => {
      const actors = batch.map(({ actor }) => actor);
      const brief = packed && batch.every(({ on }) => on.brief);
      const [rights, , operations, ahead, head] = await inOnePacket(
        tx,
        () =>
          heldRights(
            tx,
            this.projectId,
            actors.flatMap(({ rights }) => rights ?? []),
          ),
        // Of whom it is not so, only their own act is refused: when it is its turn.
        async () => void (packed && (await Promise.allSettled(actors.map(({ confirm }) => confirm?.(tx))))),
        async () => (packed ? noteOperations(tx, actors).then(() => true) : noteTogether(tx, actors)),
        () => (packed ? readAhead(tx, this.projectId, batch) : readUnlessHeld(tx, this.projectId, batch)),
        async () => (brief ? lockHead(tx, this.projectId) : undefined),
      );
      const shared = new SharedWork(ahead);
      // Each act reads what is stored when it is its turn, as if it were alone.
      const worked: Worked[] = [];
      for (const waiting of batch) worked.push(await work(tx, waiting, { rights, shared, operations }));
      const last = await appendAll(
        tx,
        this.projectId,
        worked.map(({ writing }) => writing),
        { put: () => shared.write(tx), head },
      );
      return { worked, last };
    };
    const { worked, last } = await (packed ? packedTransaction(this.db, done) : forRecording(this.db).transaction(done));
    for (const { waiting, writing, value } of worked) {
      committed(writing, last.get(writing) ?? 0);
      waiting.done(value);
    }
  }

  private alone({ actor, work, done, failed }: Waiting): void {
    void write(this.db, actor, work).then(done, failed);
  }
}

/** Writes that were put off, by what does them. */
class SharedWork implements Shared {
  private readonly puts = new Map<(tx: Tx, items: never[]) => Promise<void>, unknown[]>();

  constructor(readonly ahead: Shared['ahead']) {}

  later<T>(write: (tx: Tx, items: readonly T[]) => Promise<void>, item: T): void {
    const key = write as (tx: Tx, items: never[]) => Promise<void>;
    const known = this.puts.get(key);
    if (known) known.push(item);
    else this.puts.set(key, [item]);
  }

  async write(tx: Tx): Promise<void> {
    const puts = [...this.puts];
    this.puts.clear();
    await Promise.all(puts.map(([write, items]) => write(tx, items as never[])));
  }
}

/** Notes the requests of a whole batch; false where one was done before, and each must be asked for itself. */
async function noteTogether(tx: Tx, actors: readonly Actor[]): Promise<boolean> {
  try {
    await noteOperations(tx, actors);
    return true;
  } catch (error) {
    if (isDuplicate(error)) return false;
    throw error;
  }
}

/** Reads what the acts of a batch need. */
async function readAhead(tx: Tx, projectId: number, batch: readonly Waiting[]): Promise<Map<string, unknown>> {
  const read = await Promise.all(
    [...groupBy(batch, ({ on }) => on.ahead)].map(([ahead, some]) =>
      ahead(
        tx,
        projectId,
        some.map(({ on }) => on.key),
      ),
    ),
  );
  return new Map(read.flatMap((found) => [...found]));
}

/** Nothing where somebody holds one of their records. */
async function readUnlessHeld(tx: Tx, projectId: number, batch: readonly Waiting[]): Promise<Map<string, unknown> | undefined> {
  try {
    return await readAhead(tx, projectId, batch);
  } catch (error) {
    if (isLockWait(error)) return undefined;
    throw error;
  }
}

interface BatchAround {
  readonly rights: HeldRights;
  readonly shared: Shared;
  /** The requests of all are noted already. */
  readonly operations: boolean;
}

async function work(tx: Tx, waiting: Waiting, { rights, shared, operations }: BatchAround): Promise<Worked> {
  const { actor } = waiting;
  const writing = new Writing(tx, actor, shared);
  try {
    if (!operations) await noteOperations(tx, [actor]);
    const value = await waiting.work(writing);
    await writing.refuseUnlessMay(rights);
    return { waiting, writing, value };
  } catch (error) {
    // Somebody holds its record: it goes on alone, and holds up nobody here.
    if (isLockWait(error)) throw new Apart(waiting, undefined);
    const refusal = !operations && isDuplicate(error) ? new Refusal('repeated') : isClash(error) ? undefined : asRefused(error);
    throw refusal ? new Apart(waiting, refusal) : error;
  }
}

const ofDatabase = new WeakMap<Db, Map<string, Together>>();

/**
 * Like `write`, for acts that are brief and many: recording. They share transactions with others of the project on this node, though not
 * with another one on the same record, which `on` names.
 */
export function writeTogether<T>(db: Db, actor: Actor, on: ActOn, work: (writing: Writing) => Promise<T>): Promise<T> {
  const known = ofDatabase.get(db) ?? new Map<string, Together>();
  ofDatabase.set(db, known);
  // What is brief shares no transaction with what is not: it would take as long.
  const name = `${actor.projectId} ${on.brief === true}`;
  const together = known.get(name) ?? new Together(db, actor.projectId);
  known.set(name, together);
  const confirmed = async (writing: Writing): Promise<T> => {
    await actor.confirm?.(writing.tx);
    return work(writing);
  };
  return new Promise<T>((resolve, reject) =>
    together.add({ actor, on, work: confirmed, done: (value) => resolve(value as T), failed: reject }),
  );
}
