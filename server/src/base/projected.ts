import { index, mysqlTable } from 'drizzle-orm/mysql-core';
import { jsonText, moment, ref, rowId } from './columns';

/** What each bringing-along of the projections changed: the event log of the boards. Old rows go, once nobody can still be behind them. */
export const projectedTable = mysqlTable(
  'projected',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    buildId: ref('build_id').notNull(),
    seq: ref('seq').notNull(),
    at: moment('at').notNull(),
    /** Keys of the requirements whose cord changed; null where it was too many to name. */
    keys: jsonText<readonly string[] | null>('record_keys'),
  },
  (t) => [index('projected_project').on(t.projectId, t.id)],
);
