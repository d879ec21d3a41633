import { caseFormat, type CaseContent } from '@core/design';
import { noMore, saysMoreOfRun, type RunMore } from '@core/run';
import type { RecordFormat } from '@core/base';
import { inArray } from 'drizzle-orm';
import type { Db, Tx, Writing } from '../base';
import { runDetailRows } from './rows';
import { runDetails } from './tables';

export type StoredRunDetails = typeof runDetails.$inferSelect;

/** What runs have beside their steps, by their ids; runs without a row have nothing of it. */
export async function runDetailsOf(db: Db | Tx, ids: readonly number[]): Promise<Map<number, StoredRunDetails>> {
  const found = new Map<number, StoredRunDetails>();
  for (let at = 0; at < ids.length; at += 1000)
    for (const row of await db
      .select()
      .from(runDetails)
      .where(inArray(runDetails.id, ids.slice(at, at + 1000))))
      found.set(row.id, row);
  return found;
}

/** What of it belongs to the record that is signed. */
export const moreOf = (row: StoredRunDetails | undefined): RunMore =>
  row ? { conclusion: row.conclusion, redlines: row.redlines, performedBy: row.performedBy, clock: row.clock } : noMore;

/** The format in which a run is hashed: the sixth where it has more than steps, else that of its case. */
export const runFormat = (frozen: CaseContent, more: RunMore): RecordFormat => (saysMoreOfRun(more) ? 6 : caseFormat(frozen));

/** Stores a change of what a run has beside its steps. Belongs to the entry logged before. */
export async function putRunDetails(w: Writing, id: number, change: Partial<Omit<StoredRunDetails, 'id' | 'projectId'>>): Promise<void> {
  const values = { ...noMore, due: null, priority: '', position: null, ...change };
  if (!Object.keys(change).length) return;
  await w.tx
    .insert(runDetails)
    .values({ id, projectId: w.actor.projectId, ...values })
    .onDuplicateKeyUpdate({ set: change });
  w.wrote(runDetailRows, id);
}
