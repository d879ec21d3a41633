import { eq, lt, sql } from 'drizzle-orm';
import type { Db } from './database';
import { Refusal } from './errors';
import { limits } from './tables';

/** At most so many in a window of time, over all nodes together. */
export interface Limit {
  /** What is counted: whose, of what. */
  readonly name: string;
  readonly most: number;
  readonly seconds: number;
}

/** Counts one more and answers how many there were in the present window. */
export const countOne = (db: Db, { name, seconds }: Omit<Limit, 'most'>, now: Date): Promise<number> =>
  countMore(db, name, 1, new Date(now.getTime() + seconds * 1000), now);

/**
 * Counts some more and answers how many there were in the present window; one that begins with it lasts until `until`. One statement, so
 * that of many at once each gets its own number.
 */
export async function countMore(db: Db, name: string, more: number, until: Date, now: Date): Promise<number> {
  const [at, end] = [now.toISOString(), until.toISOString()];
  const [done] = (await db.execute(
    sql`insert into ${limits} (name, count, until_at) values (${name.slice(0, 200)}, ${more}, ${end}) on duplicate key update count = last_insert_id(if(until_at < ${at}, ${more}, count + ${more})), until_at = if(until_at < ${at}, ${end}, until_at)`,
  )) as unknown as [{ insertId: number }];
  return Number(done.insertId) || more;
}

/** Refuses what is one too many. */
export async function refuseTooMany(db: Db, limit: Limit, now: Date, detail?: string): Promise<void> {
  if ((await countOne(db, limit, now)) > limit.most) throw new Refusal('tooMany', detail ? { detail } : {});
}

/** Begins a count anew: what was counted turned out well. */
export async function clearCount(db: Db, name: string): Promise<void> {
  await db.delete(limits).where(eq(limits.name, name.slice(0, 200)));
}

/** Forgets windows that are over. */
export async function tidyLimits(db: Db, now: Date): Promise<void> {
  await db.delete(limits).where(lt(limits.until, now.toISOString()));
}
