import type { Db } from './database';
import { countMore } from './limits';

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
    count.shared = await countMore(this.db, `requests:${name}`, own, new Date(count.until), at);
    count.own -= own;
  }

  stop(): void {
    clearInterval(this.timer);
  }
}
