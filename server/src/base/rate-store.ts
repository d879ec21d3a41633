import { sql } from 'drizzle-orm';
import type { Db } from './database';
import { limits } from './tables';

interface Count {
  /** What all nodes counted together when this one last asked, and what it counted since. */
  shared: number;
  own: number;
  until: number;
}

const syncEvery = 1000;

/**
 * How many requests somebody made in the present window, over all nodes: each counts for itself and tells the database every second, so
 * that a request costs no query. Between two such moments a node may let through what others counted meanwhile, no more.
 */
export class SharedCounts {
  private readonly counts = new Map<string, Count>();
  private readonly timer: NodeJS.Timeout;
  private syncing = false;

  constructor(
    private readonly db: Db,
    private readonly now: () => Date,
  ) {
    this.timer = setInterval(() => void this.sync(), syncEvery);
    this.timer.unref();
  }

  /** Counts one more; answers how many there are now and how long the window lasts, in milliseconds. */
  add(name: string, windowMs: number): { current: number; ttl: number } {
    const at = this.now().getTime();
    let count = this.counts.get(name);
    if (!count || count.until <= at) this.counts.set(name, (count = { shared: 0, own: 0, until: at + windowMs }));
    count.own++;
    return { current: count.shared + count.own, ttl: count.until - at };
  }

  /** Tells the database what was counted here, and takes over what was counted elsewhere. */
  async sync(): Promise<void> {
    if (this.syncing) return;
    this.syncing = true;
    const at = this.now();
    try {
      for (const [name, count] of this.counts) {
        if (count.until <= at.getTime()) this.counts.delete(name);
        else if (count.own) await this.tell(name, count, at);
      }
    } catch {
      // The database is away: counting goes on here alone.
    } finally {
      this.syncing = false;
    }
  }

  private async tell(name: string, count: Count, at: Date): Promise<void> {
    const { own } = count;
    const until = new Date(count.until).toISOString();
    const now = at.toISOString();
    const [done] = (await this.db.execute(
      sql`insert into ${limits} (name, count, until_at) values (${`requests:${name}`.slice(0, 200)}, ${own}, ${until}) on duplicate key update count = last_insert_id(if(until_at < ${now}, ${own}, count + ${own})), until_at = if(until_at < ${now}, ${until}, until_at)`,
    )) as unknown as [{ insertId: number }];
    count.shared = Number(done.insertId) || own;
    count.own -= own;
  }

  stop(): void {
    clearInterval(this.timer);
  }
}
