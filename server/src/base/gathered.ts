import type { Db } from './database';

interface Asked<K, V> {
  readonly key: K;
  readonly answer: (value: V) => void;
  readonly failed: (error: unknown) => void;
}

/** So many are asked for at once; so many questions of a kind are on their way. */
const mostAtOnce = 200;
const mostOnTheirWay = 2;

/** Questions of one kind to one database: those that come while others are on their way are asked together. */
class Gathering<K, V> {
  private waiting: Asked<K, V>[] = [];
  private onTheirWay = 0;

  constructor(
    private readonly db: Db,
    private readonly ask: (db: Db, keys: readonly K[]) => Promise<readonly V[]>,
  ) {}

  add(asked: Asked<K, V>): void {
    this.waiting.push(asked);
    if (this.waiting.length === 1) setImmediate(() => void this.send());
  }

  private async send(): Promise<void> {
    if (this.onTheirWay >= mostOnTheirWay) return;
    this.onTheirWay++;
    while (this.waiting.length) {
      const batch = this.waiting.splice(0, mostAtOnce);
      try {
        const values = await this.ask(
          this.db,
          batch.map(({ key }) => key),
        );
        batch.forEach(({ answer }, i) => answer(values[i]));
      } catch (error) {
        for (const { failed } of batch) failed(error);
      }
    }
    this.onTheirWay--;
  }
}

/**
 * A question that many requests ask at the same moment, asked of the database once for all of them: `ask` gets their keys and answers in the
 * same order. Whoever asks alone waits no longer than before.
 */
export function gathered<K, V>(ask: (db: Db, keys: readonly K[]) => Promise<readonly V[]>): (db: Db, key: K) => Promise<V> {
  const ofDatabase = new WeakMap<Db, Gathering<K, V>>();
  return (db, key) =>
    new Promise((answer, failed) => {
      let gathering = ofDatabase.get(db);
      if (!gathering) ofDatabase.set(db, (gathering = new Gathering(db, ask)));
      gathering.add({ key, answer, failed });
    });
}
