import { drizzle } from 'drizzle-orm/mysql2';
import type { FieldPacket, Pool, PoolConnection, QueryOptions } from 'mysql2/promise';
import { forReading, forRecording, type Db, type Tx } from './database';
import { withFoundIds } from './found-ids';
import { connectionOf } from './statement';

type Answer = [unknown, FieldPacket[] | undefined];

interface Asked {
  readonly text: string;
  readonly asArrays: boolean;
  readonly answer: (answer: Answer) => void;
  readonly failed: (error: unknown) => void;
}

type Ask = () => Promise<unknown>;
type Answers<A extends readonly Ask[]> = { -readonly [K in keyof A]: Awaited<ReturnType<A[K]>> };

/** What is ready to run has run, as far as it goes without the database. */
const settled = (): Promise<void> => new Promise((resolve) => process.nextTick(resolve));

/**
 * Stands where a connection stands: questions that are asked before any is answered go to the database in one packet, in their order.
 * Each packet wakes the database and us once; a question more in it costs little. An error fails its whole packet and ends the transaction.
 */
class Packets {
  private waiting: Asked[] = [];
  private held = false;
  private failure: unknown;
  private open = false;
  private readonly last: Ask[] = [];

  /** `before` is said before its transaction begins. */
  constructor(
    private readonly connection: PoolConnection,
    private readonly before: readonly string[] = [],
  ) {}

  /** As the driver's own: what Drizzle calls. The first question begins the transaction, and so does one behind its end. */
  query(options: QueryOptions, values: readonly unknown[] = []): Promise<Answer> {
    if (!this.open) {
      this.open = true;
      for (const sql of [...this.before, 'begin']) this.ask({ sql }, []).catch(() => undefined);
    }
    return this.ask(options, values);
  }

  private ask(options: QueryOptions, values: readonly unknown[]): Promise<Answer> {
    if (this.failure !== undefined) return Promise.reject(this.failure as Error);
    return new Promise((answer, failed) => {
      const asked = this.connection.format(options.sql, values as unknown[]);
      const text = withFoundIds(asked, (part) => this.connection.escape(part));
      this.waiting.push({ text, asArrays: options.rowsAsArray === true, answer, failed });
      if (this.waiting.length === 1) process.nextTick(() => this.held || void this.send());
    });
  }

  escape(value: unknown): string {
    return this.connection.escape(value);
  }

  /** Asks some in one packet: each as far as its first question. */
  async together<A extends readonly Ask[]>(asks: A): Promise<Answers<A>> {
    this.held = true;
    const answers: Promise<unknown>[] = [];
    for (const ask of asks) {
      // One promise: what Drizzle builds asks the database again each time that it is waited for.
      const answer = Promise.resolve(ask());
      // It is waited for below; until then nobody hears when it fails.
      answer.catch(() => undefined);
      answers.push(answer);
      await settled();
    }
    this.held = false;
    await this.send();
    return (await Promise.all(answers)) as Answers<A>;
  }

  /** Puts off writes until the transaction ends: they go with its end. */
  lastly(asks: readonly Ask[]): void {
    this.last.push(...asks);
  }

  async commit(): Promise<void> {
    await this.together([...this.last, () => this.query({ sql: 'commit' })]);
  }

  /** Asks the last that a reading asks: it ends in their packet. */
  async end<A extends readonly Ask[]>(asks: A): Promise<Answers<A>> {
    const answers = await this.together([...asks, () => this.query({ sql: 'rollback' })]);
    this.open = false;
    return answers.slice(0, -1) as unknown as Answers<A>;
  }

  async rollback(): Promise<void> {
    this.waiting = [];
    if (this.open) await this.connection.query('rollback');
  }

  private async send(): Promise<void> {
    const sent = this.waiting;
    this.waiting = [];
    if (!sent.length) return;
    try {
      const sql = sent.map(({ text }) => text).join(';');
      const [rows, fields] = (await this.connection.query({ sql, rowsAsArray: true })) as unknown as [unknown[], unknown[]];
      sent.forEach((asked, i) => {
        const own = sent.length > 1 ? rows[i] : rows;
        const names = (sent.length > 1 ? fields[i] : fields) as FieldPacket[] | undefined;
        asked.answer([asked.asArrays || !Array.isArray(own) ? own : asObjects(own as unknown[][], names ?? []), names]);
      });
    } catch (error) {
      this.failure ??= error;
      for (const { failed } of sent) failed(error);
    }
  }
}

const asObjects = (rows: readonly unknown[][], fields: readonly FieldPacket[]): object[] =>
  rows.map((row) => {
    const named: Record<string, unknown> = {};
    // By number: a page's rows are made a hundred times a second.
    for (let i = 0; i < fields.length; i++) named[fields[i].name] = row[i];
    return named;
  });

const packetsOf = (tx: Tx): Packets | undefined => {
  const connection = connectionOf(tx);
  return connection instanceof Packets ? connection : undefined;
};

/**
 * A transaction on a connection for recording whose questions go in packets. Any error of the database ends it: who can go on after one uses
 * a transaction of its own.
 */
export const packedTransaction = <T>(db: Db, work: (tx: Tx) => Promise<T>): Promise<T> => packedWriting(db, work);

/** The same with one snapshot for all that it reads, fixed by its first plain reading. */
export const packedSnapshot = <T>(db: Db, work: (tx: Tx) => Promise<T>): Promise<T> =>
  packedWriting(db, work, 'set transaction isolation level repeatable read');

async function packedWriting<T>(db: Db, work: (tx: Tx) => Promise<T>, before?: string): Promise<T> {
  const { packets, tx, release } = await begun(forRecording(db), before);
  try {
    const value = await work(tx);
    await packets.commit();
    return value;
  } catch (error) {
    await packets.rollback();
    throw error;
  } finally {
    release();
  }
}

/** Reads what stood at one moment, in packets: nobody waits for its end. */
export async function packedReading<T>(db: Db, work: (tx: Tx) => Promise<T>): Promise<T> {
  const { packets, tx, release } = await begun(forReading(db));
  try {
    return await work(tx);
  } finally {
    void packets
      .rollback()
      .catch(() => undefined)
      .finally(release);
  }
}

/** A connection with a transaction that begins with its first question. */
async function begun(db: Db, before?: string): Promise<{ packets: Packets; tx: Tx; release: () => void }> {
  const connection = await (connectionOf(db) as Pool).getConnection();
  const packets = new Packets(connection, before === undefined ? [] : [before]);
  return { packets, tx: drizzle({ client: packets as unknown as Pool }) as unknown as Tx, release: () => connection.release() };
}

/** Asks several questions in their order: in one packet where the transaction sends packets, one after the other elsewhere. */
export async function inOnePacket<A extends readonly Ask[]>(tx: Tx, ...asks: A): Promise<Answers<A>> {
  const packets = packetsOf(tx);
  if (packets) return packets.together(asks);
  const answers: unknown[] = [];
  for (const ask of asks) answers.push(await ask());
  return answers as Answers<A>;
}

/**
 * The same for the last questions of a reading: its transaction ends with them. What is asked behind it is of a later moment. Where no
 * packets are sent it ends as it would have.
 */
export async function inLastPacket<A extends readonly Ask[]>(tx: Tx, ...asks: A): Promise<Answers<A>> {
  return packetsOf(tx)?.end(asks) ?? inOnePacket(tx, ...asks);
}

/** Writes that nothing waits for but the end of the transaction: with its end where it sends packets, at once elsewhere. */
export async function lastly(tx: Tx, ...asks: readonly Ask[]): Promise<void> {
  const packets = packetsOf(tx);
  if (packets) packets.lastly(asks);
  else for (const ask of asks) await ask();
}
