import type { Signable, SignedMany } from '@contract/run';
import type { Role } from '@core/base';
import { doneByProgram } from '@core/run';
import { and, eq, inArray, isNotNull, isNull, or, sql } from 'drizzle-orm';
import { proveSigner, Refusal, signatures, write, type Actor, type Db } from '../base';
import { presentHash, signIn } from './signing';
import { needRun, runSummaries } from './store';
import { runLooks, runs } from './tables';

const mostAtOnce = 500;

/** Notes that somebody has a record on the screen, as it is now. */
export async function noteLook(db: Db, actor: Actor, key: string, hash: string): Promise<void> {
  const stored = await needRun(db, actor.projectId, key);
  if ((await presentHash(db, stored)) !== hash)
    throw new Refusal('recordChanged', { detail: 'The record changed since you opened it: look at it again.' });
  const seen = { hash, at: actor.now().toISOString() };
  await db
    .insert(runLooks)
    .values({ runId: stored.run.id, login: actor.login, projectId: actor.projectId, ...seen })
    .onDuplicateKeyUpdate({ set: seen });
}

/** What waits for the signature of a person: their own finished runs, and as a reviewer those that others signed as performed; with whether they looked. */
export async function signable(db: Db, projectId: number, login: string, roles: readonly Role[]): Promise<Signable> {
  const has = (meaning: string) =>
    sql`exists (select 1 from ${signatures} where ${signatures.recordId} = ${runs.id} and ${signatures.meaning} = ${meaning})`;
  const open = and(isNull(runs.supersededById), isNull(runs.withdrawnAt), isNull(runs.returnedAt), isNotNull(runs.finishedAt));
  const mine = and(eq(runs.tester, login), sql`not ${has('performed')}`);
  const others = and(
    sql`${runs.tester} <> ${login}`,
    sql`not ${has('reviewed')}`,
    or(has('performed'), sql`${runs.tester} like 'program:%'`),
  );
  const asked = [...(roles.includes('tester') ? [mine] : []), ...(roles.includes('reviewer') ? [others] : [])];
  if (!asked.length) return [];
  const rows = await runSummaries(db, and(eq(runs.projectId, projectId), open, or(...asked)), mostAtOnce);
  if (!rows.length) return [];
  const hashes = await db
    .select({ id: runs.id, hash: runs.hash, seen: runLooks.hash })
    .from(runs)
    .leftJoin(runLooks, and(eq(runLooks.runId, runs.id), eq(runLooks.login, login)))
    .where(
      inArray(
        runs.id,
        rows.map(({ id }) => id),
      ),
    );
  const of = new Map(hashes.map(({ id, hash, seen }) => [id, { hash: hash ?? '', looked: seen === (hash ?? '') }]));
  return rows.map(({ id, ...run }) => ({
    run,
    meaning: run.tester === login && !doneByProgram(run.tester) ? ('performed' as const) : ('reviewed' as const),
    ...(of.get(id) ?? { hash: '', looked: false }),
  }));
}

/**
 * Signs many runs with one password, each bound to its own hash. Only what the signer had on the screen, as it is now, is signed; each that
 * cannot be is told with its reason, and the others are.
 */
export async function signMany(
  db: Db,
  actor: Actor,
  roles: readonly Role[],
  input: { readonly meaning: 'performed' | 'reviewed'; readonly password: string; readonly runs: readonly { key: string; hash: string }[] },
): Promise<SignedMany> {
  if (!roles.includes(input.meaning === 'performed' ? 'tester' : 'reviewer')) throw new Refusal('forbidden');
  const signer = await proveSigner(db, actor, input.password);
  const answer: SignedMany = { signed: [], refused: [] };
  await write(db, actor, async (w) => {
    answer.signed.length = 0;
    answer.refused.length = 0;
    for (const { key, hash } of input.runs) {
      const tried = await w.attempt(async () => {
        const { run } = await needRun(w.tx, actor.projectId, key);
        const [look] = await w.tx
          .select({ hash: runLooks.hash })
          .from(runLooks)
          .where(and(eq(runLooks.runId, run.id), eq(runLooks.login, actor.login)));
        if (look?.hash !== hash) throw new Refusal('stateForbids', { detail: 'You have not looked at it as it is now.' });
        if (run.verdict === 'deviation' && input.meaning === 'reviewed' && !run.deviationAccepted)
          throw new Refusal('stateForbids', { detail: 'It passed with a deviation: review it by itself.' });
        await signIn(w, signer, key, { ...input, hash, acceptDeviation: false, reason: '' });
      });
      if ('refusal' in tried) answer.refused.push({ key, why: tried.refusal.more.detail ?? tried.refusal.message });
      else answer.signed.push(key);
    }
  });
  return answer;
}
