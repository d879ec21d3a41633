import type { RunDetail } from '@contract/run';
import { and, asc, eq, inArray, isNull } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { records, recordsByKey, type Db, type Tx } from '../base';
import { caseDepends } from '../design';
import { runs } from './tables';

const caseRecord = alias(records, 'case_record');

/** How the cases that a run's case depends on stand on its build: a case has passed when each of its rows has. */
export async function standingOf(db: Db | Tx, { projectId, buildId, frozen }: typeof runs.$inferSelect): Promise<RunDetail['restsOn']> {
  const { dependsOn = [] } = frozen;
  if (!dependsOn.length) return [];
  const cases = await recordsByKey(db, projectId, dependsOn);
  const rows = await db
    .select({ caseId: runs.caseId, verdict: runs.verdict, key: records.key })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .where(
      and(
        eq(runs.buildId, buildId),
        inArray(
          runs.caseId,
          [...cases.values()].map(({ id }) => id),
        ),
        isNull(runs.withdrawnAt),
        isNull(runs.supersededById),
      ),
    )
    .orderBy(asc(runs.id));
  return dependsOn.map((key) => {
    const mine = rows.filter(({ caseId }) => caseId === cases.get(key)?.id);
    const of = (verdict: string) => mine.find((row) => row.verdict === verdict);
    const bad = of('failed') ?? of('blocked');
    const passed = mine.length > 0 && mine.every((row) => row.verdict === 'passed' || row.verdict === 'deviation');
    const standing = bad ? (bad.verdict as 'failed' | 'blocked') : passed ? 'passed' : 'open';
    return { key, standing, run: bad?.key ?? mine.at(-1)?.key ?? null };
  });
}

/** Runs on the same build that nobody has finished, of cases that depend on a run's case. */
export async function heldUpBy(db: Db | Tx, { projectId, buildId, caseId }: typeof runs.$inferSelect): Promise<RunDetail['holdsUp']> {
  return db
    .select({ key: records.key, caseKey: caseRecord.key, caseTitle: caseRecord.title, tester: runs.tester })
    .from(caseDepends)
    .innerJoin(runs, and(eq(runs.caseId, caseDepends.caseId), eq(runs.buildId, buildId)))
    .innerJoin(records, eq(records.id, runs.id))
    .innerJoin(caseRecord, eq(caseRecord.id, runs.caseId))
    .where(
      and(
        eq(runs.projectId, projectId),
        eq(caseDepends.onId, caseId),
        isNull(runs.finishedAt),
        isNull(runs.withdrawnAt),
        isNull(runs.supersededById),
      ),
    )
    .orderBy(asc(runs.id))
    .limit(200);
}
