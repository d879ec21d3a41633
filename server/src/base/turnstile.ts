/**
 * Lets a few at a time through, and of one name only one: for work that is costly on purpose, like verifying a password.
 * Who waits too long in too long a queue is not let in: `enter` answers undefined.
 */
export class Turnstile {
  private inside = 0;
  /** Inside, or on their way in. */
  private here = 0;
  private readonly waiting: (() => void)[] = [];
  private readonly byName = new Map<string, Promise<unknown>>();

  constructor(
    private readonly atOnce: number,
    private readonly queue: number,
  ) {}

  async enter<T>(name: string, work: () => Promise<T>): Promise<T | undefined> {
    if (this.here >= this.atOnce + this.queue) return undefined;
    this.here++;
    const before = this.byName.get(name);
    const mine = (async () => {
      await before?.catch(() => undefined);
      if (this.inside >= this.atOnce) await new Promise<void>((resolve) => this.waiting.push(resolve));
      this.inside++;
      try {
        return await work();
      } finally {
        this.inside--;
        this.waiting.shift()?.();
      }
    })();
    this.byName.set(name, mine);
    try {
      return await mine;
    } finally {
      this.here--;
      if (this.byName.get(name) === mine) this.byName.delete(name);
    }
  }
}
