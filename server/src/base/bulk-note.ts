import type { BulkAct } from '@contract/base';
import type { StoredRecord } from './records';
import { bulkActs, bulkItems } from './work-tables';
import type { Writing } from './writing';

/** What was done to one record by something else than a press on many, and what takes it back. */
export interface DoneItem {
  readonly record: Pick<StoredRecord, 'id' | 'revision' | 'state'>;
  readonly words: string;
  readonly undo: BulkAct;
}

/** Notes what was done to many records, so that it can be taken back as one. */
export async function noteBulk(
  w: Writing,
  act: BulkAct,
  reason: string,
  done: readonly DoneItem[],
  /** The job that did it, where one did. */
  jobId: number | null = null,
): Promise<number> {
  const [made] = await w.tx
    .insert(bulkActs)
    .values({ projectId: w.actor.projectId, act, reason, by: w.actor.login, at: w.at, jobId })
    .$returningId();
  for (let at = 0; at < done.length; at += 1000)
    await w.tx.insert(bulkItems).values(
      done.slice(at, at + 1000).map(({ record: { id, revision, state }, words, undo }, i) => ({
        bulkId: made.id,
        position: at + i,
        recordId: id,
        revision,
        state,
        outcome: 'done' as const,
        words,
        undo,
        afterRevision: revision,
        afterState: state,
      })),
    );
  return made.id;
}
