import type { CaseRow, CaseStep } from '@core/design';
import { boolean, double, index, int, mysqlTable, primaryKey } from 'drizzle-orm/mysql-core';
import { jsonText, mediumText, records, ref } from '../base';

export const cases = mysqlTable(
  'cases',
  {
    id: ref('id')
      .primaryKey()
      .references(() => records.id),
    projectId: ref('project_id').notNull(),
    /** Was any revision ever approved? Until then the author's own edits do not make its traces suspect. */
    everApproved: boolean('ever_approved').notNull(),
    objective: mediumText('objective').notNull(),
    preconditions: mediumText('preconditions').notNull(),
    steps: jsonText<readonly CaseStep[]>('steps').notNull(),
    plannedMinutes: double('planned_minutes').notNull(),
    rows: jsonText<readonly CaseRow[]>('data_rows'),
  },
  (t) => [index('cases_project').on(t.projectId)],
);

/** Which revisions of other cases a case calls, as it is now. */
export const caseCalls = mysqlTable(
  'case_calls',
  {
    caseId: ref('case_id')
      .notNull()
      .references(() => cases.id),
    calledId: ref('called_id')
      .notNull()
      .references(() => cases.id),
    calledRevision: int('called_revision').notNull(),
  },
  (t) => [primaryKey({ columns: [t.caseId, t.calledId, t.calledRevision] }), index('case_calls_called').on(t.calledId)],
);
