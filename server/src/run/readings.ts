import type { CaseReadings } from '@contract/run';
import { and, asc, eq, isNotNull, isNull } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { records, type Db } from '../base';
import { needCase } from '../design';
import { runs } from './tables';

const buildRecord = alias(records, 'build_record');

/** What was read in the runs of a case, oldest first: each reading with the limits that it had then. */
export async function caseReadings(db: Db, projectId: number, key: string): Promise<CaseReadings> {
  const { record } = await needCase(db, projectId, key);
  const rows = await db
    .select({ key: records.key, build: buildRecord.key, at: runs.finishedAt, row: runs.row, frozen: runs.frozen, steps: runs.steps })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .innerJoin(buildRecord, eq(buildRecord.id, runs.buildId))
    .where(and(eq(runs.caseId, record.id), isNotNull(runs.finishedAt), isNull(runs.withdrawnAt)))
    .orderBy(asc(runs.finishedSeq))
    .limit(1000);
  return rows.flatMap(({ key: run, build, at, row, frozen, steps }) =>
    frozen.steps.flatMap((step, i) =>
      (step.readings ?? []).flatMap(({ name, unit, limits }) => {
        const value = steps[i]?.readings?.find((reading) => reading.name === name)?.value ?? '';
        return value ? [{ run, build, at: at ?? '', row, step: i + 1, name, unit, limits, value }] : [];
      }),
    ),
  );
}
