import type { ProvingRun } from '@contract/run';
import { groupBy } from '@core/base';
import { and, count, desc, eq, isNull, sql } from 'drizzle-orm';
import { needBuild, needRecord, packedReading, signaturesOf, traces, type Db } from '../base';
import { moreOfRuns } from './more';
import { raisedOnAny } from './reports';
import { evidenceOf, selectRuns, signatureOf, storedRunHash, summariesOf } from './store';
import { runs } from './tables';

const most = 500;

/** The runs of a build that stand for a requirement: of the cases that verify it now, neither superseded nor withdrawn. */
export function requirementRuns(
  db: Db,
  projectId: number,
  at: { readonly build: string; readonly key: string },
): Promise<{ runs: ProvingRun[]; more: number }> {
  return packedReading(db, async (tx) => {
    const [requirement, build] = [await needRecord(tx, projectId, 'requirement', at.key), await needBuild(tx, projectId, at.build)];
    const where = and(
      eq(runs.buildId, build.id),
      sql`${runs.caseId} in (select ${traces.fromId} from ${traces} where ${traces.kind} = 'verifies' and ${traces.toId} = ${requirement.id} and ${traces.removedAt} is null)`,
      isNull(runs.supersededById),
      isNull(runs.withdrawnAt),
    );
    const [{ n }] = await tx.select({ n: count() }).from(runs).where(where);
    const found = await tx.select({ id: runs.id }).from(runs).where(where).orderBy(desc(runs.id)).limit(most);
    if (!found.length) return { runs: [], more: 0 };
    const ids = found.map(({ id }) => id);
    const stored = await selectRuns(tx, sql`${runs.id} in ${ids}`);
    const summaries = await summariesOf(tx, stored);
    const files = await evidenceOf(tx, ids);
    const more = await moreOfRuns(
      tx,
      stored.map(({ run }) => run),
    );
    const signed = groupBy(await signaturesOf(tx, ids), ({ recordId }) => recordId);
    const raised = groupBy(await raisedOnAny(tx, ids), ({ runId }) => runId);
    const shown = stored.map((one, i): ProvingRun => {
      const { id } = one.run;
      const { key, caseKey, caseRevision, row, configuration, state, verdict, outdated, carriedOver } = summaries[i];
      const hash = storedRunHash(one, files.get(id) ?? [], more.get(id));
      const signatures = (signed.get(id) ?? []).map((s) => signatureOf(s, hash));
      const problems = (raised.get(id) ?? []).map(({ key: report, title, state: now }) => ({ key: report, title, state: now }));
      return { key, caseKey, caseRevision, row, configuration, state, verdict, outdated, carriedOver, signatures, problems };
    });
    return { runs: shown.reverse(), more: n - found.length };
  });
}
