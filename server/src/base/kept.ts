import type { Db } from './database';

export interface Kept<T> {
  /** The ledger number for which it was found. */
  readonly seq: number;
  readonly value: T;
}
interface Keeping<T> {
  /** What was found last; it holds as long as nothing came since that could change it: `seq` says so, read in the moment of the answer. */
  of(db: Db, question: string): Kept<T> | undefined;
  keep(db: Db, question: string, kept: Kept<T>): void;
}

/** What questions found, by their text: so much of it at most. Each node keeps its own; the oldest go. */
export function keeping<T>(most = 1000): Keeping<T> {
  const ofDatabase = new WeakMap<Db, Map<string, Kept<T>>>();
  return {
    of: (db, question) => ofDatabase.get(db)?.get(question),
    keep: (db, question, kept) => {
      const all = ofDatabase.get(db) ?? new Map<string, Kept<T>>();
      ofDatabase.set(db, all);
      all.delete(question);
      all.set(question, kept);
      if (all.size > most) for (const oldest of [...all.keys()].slice(0, most / 2)) all.delete(oldest);
    },
  };
}
