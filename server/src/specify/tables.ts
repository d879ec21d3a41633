import type { VerificationMethod } from '@core/specify';
import { boolean, double, index, mysqlTable, varchar } from 'drizzle-orm/mysql-core';
import { mediumText, records, ref } from '../base';

const recordId = () =>
  ref('id')
    .primaryKey()
    .references(() => records.id);

export const specifications = mysqlTable(
  'specifications',
  { id: recordId(), projectId: ref('project_id').notNull(), prefix: varchar('prefix', { length: 20 }).notNull() },
  (t) => [index('specifications_project').on(t.projectId)],
);

/** What a requirement has beside its record. Positions are given under the specification's lock, so that none tie. */
export const requirements = mysqlTable(
  'requirements',
  {
    id: recordId(),
    projectId: ref('project_id').notNull(),
    specificationId: ref('specification_id')
      .notNull()
      .references(() => specifications.id),
    underId: ref('under_id'),
    position: double('position').notNull(),
    kind: varchar('kind', { length: 20 }).$type<'heading' | 'requirement'>().notNull(),
    html: mediumText('body_html').notNull(),
    text: mediumText('body').notNull(),
    rationale: mediumText('rationale').notNull(),
    level: varchar('level', { length: 40 }).notNull(),
    method: varchar('method', { length: 20 }).$type<VerificationMethod | ''>().notNull(),
    topLevel: boolean('top_level').notNull(),
    derived: boolean('derived').notNull(),
    notInCode: boolean('not_in_code').notNull(),
    notInCodeRationale: mediumText('not_in_code_rationale').notNull(),
  },
  (t) => [index('requirements_place').on(t.specificationId, t.underId, t.position), index('requirements_project').on(t.projectId, t.kind)],
);
