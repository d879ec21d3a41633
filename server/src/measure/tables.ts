import type { SourceFunction } from '@core/measure';
import { index, mysqlTable, varchar } from 'drizzle-orm/mysql-core';
import { hashColumn, jsonText, mediumBlob, mediumText, moment, ref, rowId } from '../base';

export const sources = mysqlTable(
  'sources',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    build: varchar('build', { length: 60 }).notNull(),
    path: varchar('path', { length: 400 }).notNull(),
    text: mediumText('body').notNull(),
    sha256: hashColumn('sha256').notNull(),
    functions: jsonText<readonly SourceFunction[]>('functions').notNull(),
    supersededAt: moment('superseded_at'),
  },
  (t) => [index('sources_build').on(t.projectId, t.build)],
);

/** What one case hit on one build, packed by the core; the points that it is over are stored as files, by hash. A later load of the same case supersedes it. */
export const measurements = mysqlTable(
  'measurements',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    build: varchar('build', { length: 60 }).notNull(),
    caseKey: varchar('case_key', { length: 60 }).notNull(),
    fileName: varchar('file_name', { length: 300 }).notNull(),
    sha256: hashColumn('sha256').notNull(),
    data: mediumBlob('data').notNull(),
    loadedBy: varchar('loaded_by', { length: 60 }).notNull(),
    loadedAt: moment('loaded_at').notNull(),
    supersededAt: moment('superseded_at'),
  },
  (t) => [index('measurements_build').on(t.projectId, t.build)],
);

export const codeTraces = mysqlTable(
  'code_traces',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    path: varchar('path', { length: 400 }).notNull(),
    unit: varchar('unit', { length: 300 }).notNull(),
    requirement: varchar('requirement', { length: 60 }).notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
    removedAt: moment('removed_at'),
  },
  (t) => [index('code_traces_project').on(t.projectId)],
);
