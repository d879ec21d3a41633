import { and, asc, desc, eq, isNull, ne, or, sql } from 'drizzle-orm';
import { records, statement, traces, type Db, type Tx } from '../base';
import { problems } from './tables';

/** Problem reports that were raised from a run, and those that it shows too. */
export const raisedOn = (db: Db | Tx, runId: number) =>
  db
    .select({
      key: records.key,
      title: records.title,
      state: records.state,
      step: sql<number | null>`if(${problems.runId} = ${runId}, ${problems.step}, null)`,
    })
    .from(problems)
    .innerJoin(records, eq(records.id, problems.id))
    .where(
      or(
        eq(problems.runId, runId),
        sql`exists (select 1 from ${traces} where ${traces.fromId} = ${problems.id} and ${traces.toId} = ${runId} and ${traces.kind} = 'shownIn' and ${traces.removedAt} is null)`,
      ),
    )
    .orderBy(asc(problems.id))
    .limit(200);

/** The same of many runs, by the run. */
export async function raisedOnAny(
  db: Db | Tx,
  runIds: readonly number[],
): Promise<{ readonly runId: number; readonly key: string; readonly title: string; readonly state: string }[]> {
  const [rows] = (await db.execute(
    sql`select x.run_id as runId, ${records.key} as ${sql.identifier('key')}, ${records.title} as title, ${records.state} as state from (
          select ${problems.runId} as run_id, ${problems.id} as id from ${problems} where ${problems.runId} in ${[...runIds]}
          union select ${traces.toId}, ${traces.fromId} from ${traces} where ${traces.toId} in ${[...runIds]} and ${traces.kind} = 'shownIn' and ${traces.removedAt} is null
        ) x join ${records} on ${records.id} = x.id order by x.id limit 2000`,
  )) as unknown as [{ runId: number; key: string; title: string; state: string }[]];
  return rows.map((row) => ({ ...row, runId: Number(row.runId) }));
}

const openReports = statement((db) =>
  db
    .select({ key: records.key, title: records.title, state: records.state })
    .from(problems)
    .innerJoin(records, eq(records.id, problems.id))
    .where(and(eq(problems.caseId, sql.placeholder('caseId')), ne(records.state, 'closed'), isNull(records.retiredAt)))
    .orderBy(desc(problems.id))
    .limit(20),
);

/** Reports of a case that are not closed, the newest first. */
export const openReportsOf = (db: Db | Tx, caseId: number) => openReports(db, { caseId });
