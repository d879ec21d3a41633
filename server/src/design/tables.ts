import type { CaseRow, CaseStep } from '@core/design';
import { double, int, mysqlTable, uniqueIndex, varchar } from 'drizzle-orm/mysql-core';
import { jsonText, mediumText, moment, ref, rowId } from '../base';

export const cases = mysqlTable(
  'cases',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    key: varchar('record_key', { length: 60 }).notNull(),
    revision: int('revision').notNull(),
    state: varchar('state', { length: 20 }).$type<'draft' | 'review' | 'approved'>().notNull(),
    /** Was any revision ever approved? Until then the author's own edits do not make its traces suspect. */
    everApproved: int('ever_approved').notNull(),
    title: varchar('title', { length: 300 }).notNull(),
    objective: mediumText('objective').notNull(),
    preconditions: mediumText('preconditions').notNull(),
    steps: jsonText<readonly CaseStep[]>('steps').notNull(),
    plannedMinutes: double('planned_minutes').notNull(),
    rows: jsonText<readonly CaseRow[]>('data_rows'),
    updatedBy: varchar('updated_by', { length: 60 }).notNull(),
    updatedAt: moment('updated_at').notNull(),
  },
  (t) => [uniqueIndex('cases_key').on(t.projectId, t.key)],
);
