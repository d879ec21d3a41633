import { ledgerHash, ledgerRoot, type Json } from '@core/base';
import { eq } from 'drizzle-orm';
import { drizzle, type MySql2Database } from 'drizzle-orm/mysql2';
import { createPool, type Pool } from 'mysql2/promise';
import { Refusal, isClash, isDuplicate } from './errors';
import { ledger, ledgerHeads, revisions } from './tables';

export interface DatabaseAddress {
  readonly port: number;
  readonly user: string;
  readonly password: string;
  readonly database: string;
}

export type Db = MySql2Database<Record<string, never>>;
export type Tx = Parameters<Parameters<Db['transaction']>[0]>[0];

/** Who does something, in which project, with which clock. */
export interface Actor {
  readonly login: string;
  readonly projectId: number;
  readonly now: () => Date;
}

export interface Database {
  readonly pool: Pool;
  readonly db: Db;
  close(): Promise<void>;
}

export function openDatabase(address: DatabaseAddress): Database {
  const pool = createPool({
    host: '127.0.0.1',
    ...address,
    connectionLimit: 12,
    supportBigNumbers: true,
    charset: 'utf8mb4_bin',
    connectTimeout: 5000,
    maxPreparedStatements: 500,
  });
  return { pool, db: drizzle(pool), close: () => pool.end() };
}

/** What a writing transaction may do besides its own tables: put entries into the ledger, keep snapshots. */
export class Writing {
  readonly at: string;
  private seq: number;
  private previous: string;

  constructor(
    readonly tx: Tx,
    readonly actor: Actor,
    head: { seq: number; hash: string },
  ) {
    this.at = actor.now().toISOString();
    this.seq = head.seq;
    this.previous = head.hash;
  }

  /** Appends a ledger entry. `before` and `after` are what the record said. */
  async log(action: string, kind: string, key: string, before: unknown, after: unknown): Promise<void> {
    const facts = { seq: ++this.seq, at: this.at, who: this.actor.login, action, kind, key, before: plain(before), after: plain(after) };
    const hash = ledgerHash(facts, this.previous);
    await this.tx.insert(ledger).values({ projectId: this.actor.projectId, ...facts, previous: this.previous, hash });
    this.previous = hash;
  }

  /** Keeps the full snapshot of a revision. */
  async keep(kind: string, recordId: number, revision: number, snapshot: object): Promise<void> {
    await this.tx.insert(revisions).values({
      kind,
      recordId,
      revision,
      projectId: this.actor.projectId,
      snapshot: plain(snapshot) as Record<string, unknown>,
      by: this.actor.login,
      at: this.at,
    });
  }

  head(): { seq: number; hash: string } {
    return { seq: this.seq, hash: this.previous };
  }
}

const plain = (value: unknown): Json => (value === undefined ? null : (JSON.parse(JSON.stringify(value)) as Json));

/** Called after each commit, so that open event streams need not wait for their next look. */
export type Nudge = (projectId: number) => void;
const nudges = new Set<Nudge>();
export function onCommit(nudge: Nudge): () => void {
  nudges.add(nudge);
  return () => nudges.delete(nudge);
}

/**
 * One writing transaction of a project. The chain's head is locked first, which puts all writers of a project in one
 * order: keys, revisions and ledger numbers need no further care. Deadlocks are tried again.
 */
export async function write<T>(db: Db, actor: Actor, work: (writing: Writing) => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      const result = await db.transaction(async (tx) => {
        const writing = new Writing(tx, actor, await lockHead(tx, actor.projectId));
        const before = writing.head().seq;
        const value = await work(writing);
        const head = writing.head();
        if (head.seq !== before) await tx.update(ledgerHeads).set(head).where(eq(ledgerHeads.projectId, actor.projectId));
        return value;
      });
      for (const nudge of nudges) nudge(actor.projectId);
      return result;
    } catch (error) {
      if (isClash(error) && attempt < 5) continue;
      if (isDuplicate(error)) throw new Refusal('exists');
      throw error;
    }
  }
}

async function lockHead(tx: Tx, projectId: number): Promise<{ seq: number; hash: string }> {
  const find = () =>
    tx.select({ seq: ledgerHeads.seq, hash: ledgerHeads.hash }).from(ledgerHeads).where(eq(ledgerHeads.projectId, projectId)).for('update');
  const [head] = await find();
  if (head) return head;
  await tx.insert(ledgerHeads).values({ projectId, seq: 0, hash: ledgerRoot });
  return { seq: 0, hash: ledgerRoot };
}
