import type { RequirementState, VerificationMethod } from '@core/specify';
import { boolean, double, index, int, mysqlTable, uniqueIndex, varchar } from 'drizzle-orm/mysql-core';
import { mediumText, moment, ref, rowId } from '../base';

export const specifications = mysqlTable(
  'specifications',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    key: varchar('record_key', { length: 60 }).notNull(),
    title: varchar('title', { length: 300 }).notNull(),
    prefix: varchar('prefix', { length: 20 }).notNull(),
  },
  (t) => [uniqueIndex('specifications_key').on(t.projectId, t.key)],
);

export const requirements = mysqlTable(
  'requirements',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    specification: varchar('specification', { length: 60 }).notNull(),
    key: varchar('record_key', { length: 60 }).notNull(),
    under: varchar('under_key', { length: 60 }),
    position: double('position').notNull(),
    revision: int('revision').notNull(),
    state: varchar('state', { length: 20 }).$type<RequirementState>().notNull(),
    kind: varchar('kind', { length: 20 }).$type<'heading' | 'requirement'>().notNull(),
    title: varchar('title', { length: 300 }).notNull(),
    text: mediumText('body').notNull(),
    rationale: mediumText('rationale').notNull(),
    level: varchar('level', { length: 40 }).notNull(),
    method: varchar('method', { length: 20 }).$type<VerificationMethod | ''>().notNull(),
    topLevel: boolean('top_level').notNull(),
    derived: boolean('derived').notNull(),
    notInCode: boolean('not_in_code').notNull(),
    notInCodeRationale: mediumText('not_in_code_rationale').notNull(),
    updatedBy: varchar('updated_by', { length: 60 }).notNull(),
    updatedAt: moment('updated_at').notNull(),
  },
  (t) => [
    uniqueIndex('requirements_key').on(t.projectId, t.key),
    index('requirements_specification').on(t.projectId, t.specification, t.position),
  ],
);
