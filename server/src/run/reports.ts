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
