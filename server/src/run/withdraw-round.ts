import type { RoundDetail } from '@contract/run';
import { envelope2, recordFormat, textHash } from '@core/base';
import { and, eq, isNull, type SQL } from 'drizzle-orm';
import {
  changeRecord,
  lockRecord,
  needOpenBuild,
  proveSigner,
  putSignature,
  recordRows,
  Refusal,
  write,
  type Actor,
  type Db,
} from '../base';
import { roundDetail } from './rounds';
import { decideIn } from './signing';
import { selectRuns } from './store';
import { runs } from './tables';

/** Withdraws a round that was planned by mistake, signed, with all its runs; where one of them has a result that is decided by itself. */
export async function withdrawRound(
  db: Db,
  actor: Actor,
  key: string,
  { reason, password }: { readonly reason: string; readonly password: string },
): Promise<RoundDetail> {
  const signer = await proveSigner(db, actor, password);
  await write(db, actor, async (w) => {
    const record = await lockRecord(w, 'round', key);
    if (record.state === 'withdrawn') throw new Refusal('stateForbids', { detail: `${record.key} is withdrawn already.` });
    const mine = await selectRuns(w.tx, and(eq(runs.roundId, record.id), isNull(runs.withdrawnAt)) as SQL);
    const [first] = mine;
    if (first) await needOpenBuild(w.tx, actor.projectId, first.build);
    const recorded = mine.filter(({ run }) => run.verdict !== null);
    if (recorded.length)
      throw new Refusal('stateForbids', {
        detail: `${recorded.length} of its runs ${recorded.length === 1 ? 'has a result' : 'have results'}, ${recorded[0].record.key} first: a reviewer decides about each of these.`,
      });
    for (const stored of mine) await decideIn(w, stored, { choice: 'withdraw', reason }, signer);
    const revision = record.revision + 1;
    const content = { state: 'withdrawn', runs: mine.map((stored) => stored.record.key), reason };
    const hash = textHash(envelope2('round', record.key, revision, content));
    await changeRecord(w, record, { revision, state: 'withdrawn' });
    w.log({
      action: 'round withdrawn',
      kind: 'round',
      key: record.key,
      before: { state: record.state },
      after: { ...content, hash, printedName: signer.printedName },
    });
    w.snapshot({ recordId: record.id, revision, state: 'withdrawn', snapshot: content, hash, reason });
    w.wrote(recordRows, record.id);
    await putSignature(w, signer, { recordId: record.id, revision, meaning: 'withdrawn', format: recordFormat, hash, reason });
  });
  return roundDetail(db, actor.projectId, key);
}
