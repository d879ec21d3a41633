import type { Db } from './database';

interface Kept {
  /** The ledger number for which it was counted. */
  readonly seq: number;
  readonly count: number;
}
const most = 1000;
const ofDatabase = new WeakMap<Db, Map<string, Kept>>();

/**
 * How many a question found when it was last counted, as long as nothing came since that could change it: `seq` says so, read in the moment
 * in which the page is read. Each node keeps its own; the oldest go.
 */
export function keptCount(db: Db, question: string, seq: number): number | undefined {
  const known = ofDatabase.get(db)?.get(question);
  return known?.seq === seq ? known.count : undefined;
}

/** Keeps a count for a question, as it is for a ledger number. */
export function keepCount(db: Db, question: string, kept: Kept): void {
  const counts = ofDatabase.get(db) ?? new Map<string, Kept>();
  ofDatabase.set(db, counts);
  counts.delete(question);
  counts.set(question, kept);
  if (counts.size > most) for (const oldest of [...counts.keys()].slice(0, most / 2)) counts.delete(oldest);
}
