import type { CaseDetails, CasePart, CaseRow, CaseStep, ModelBodies, ModelKind } from '@core/design';
import { boolean, double, index, int, mysqlTable, primaryKey, uniqueIndex, varchar } from 'drizzle-orm/mysql-core';
import { hashColumn, jsonText, mediumText, projects, records, ref, rowId } from '../base';

const recordId = () =>
  ref('id')
    .primaryKey()
    .references(() => records.id);

export const cases = mysqlTable(
  'cases',
  {
    id: recordId(),
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

/** What a case has beside its steps; a row only where there is something. */
export const caseDetails = mysqlTable(
  'case_details',
  {
    id: recordId(),
    projectId: ref('project_id').notNull(),
    postconditions: mediumText('postconditions').notNull(),
    kind: varchar('kind', { length: 30 }).notNull(),
    priority: varchar('priority', { length: 40 }).notNull(),
    tags: jsonText<readonly string[]>('tags').notNull(),
    addresses: jsonText<readonly string[]>('addresses').notNull(),
    dependsOn: jsonText<readonly string[]>('depends_on').notNull(),
    script: varchar('script', { length: 500 }).notNull(),
    arguments: mediumText('arguments').notNull(),
    samples: jsonText<NonNullable<CaseDetails['samples']>>('samples'),
    layout: jsonText<CaseDetails['layout']>('layout').notNull(),
  },
  (t) => [index('case_details_project').on(t.projectId, t.kind)],
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

/** Which cases must have passed before a case, as it is now. */
export const caseDepends = mysqlTable(
  'case_depends',
  {
    caseId: ref('case_id')
      .notNull()
      .references(() => cases.id),
    onId: ref('on_id')
      .notNull()
      .references(() => cases.id),
  },
  (t) => [primaryKey({ columns: [t.caseId, t.onId] }), index('case_depends_on').on(t.onId)],
);

/** Folders of the library. Positions are given under the project's lock of folders, so that none tie. */
export const folders = mysqlTable(
  'folders',
  {
    id: recordId(),
    projectId: ref('project_id').notNull(),
    underId: ref('under_id'),
    position: double('position').notNull(),
    description: mediumText('description').notNull(),
  },
  (t) => [index('folders_place').on(t.projectId, t.underId, t.position)],
);

/** In which folder a case stands; one without a row stands in none. */
export const casePlaces = mysqlTable(
  'case_places',
  {
    id: ref('id')
      .primaryKey()
      .references(() => cases.id),
    projectId: ref('project_id').notNull(),
    folderId: ref('folder_id').references(() => folders.id),
  },
  (t) => [index('case_places_folder').on(t.folderId), index('case_places_project').on(t.projectId)],
);

/** The kinds of case that a project has; one without rows has the usual ones. */
export const caseKinds = mysqlTable(
  'case_kinds',
  {
    id: rowId(),
    projectId: ref('project_id')
      .notNull()
      .references(() => projects.id),
    name: varchar('name', { length: 30 }).notNull(),
    title: varchar('title', { length: 300 }).notNull(),
    description: mediumText('description').notNull(),
    part: varchar('part', { length: 20 }).$type<CasePart>().notNull(),
    evidence: boolean('evidence').notNull(),
    fields: jsonText<readonly number[]>('own_fields').notNull(),
    retired: boolean('retired').notNull(),
  },
  (t) => [uniqueIndex('case_kinds_name').on(t.projectId, t.name)],
);

export const caseGroups = mysqlTable(
  'case_groups',
  {
    id: recordId(),
    projectId: ref('project_id').notNull(),
    purpose: mediumText('purpose').notNull(),
    /** The ids of its cases, in their order. */
    cases: jsonText<readonly number[]>('case_ids').notNull(),
  },
  (t) => [index('case_groups_project').on(t.projectId)],
);
/** The same, to be found from either side. */
export const groupMembers = mysqlTable(
  'group_members',
  {
    groupId: ref('group_id')
      .notNull()
      .references(() => caseGroups.id),
    caseId: ref('case_id')
      .notNull()
      .references(() => cases.id),
    position: int('position').notNull(),
  },
  (t) => [primaryKey({ columns: [t.groupId, t.caseId] }), index('group_members_case').on(t.caseId)],
);

/** Models that cases are made from; the record says of which kind each is. */
export const models = mysqlTable(
  'models',
  {
    id: recordId(),
    projectId: ref('project_id').notNull(),
    everApproved: boolean('ever_approved').notNull(),
    description: mediumText('description').notNull(),
    body: jsonText<ModelBodies[ModelKind]>('body').notNull(),
  },
  (t) => [index('models_project').on(t.projectId)],
);

/** What a case was made of: a path of a flow, rows of parameters, a part of a specification. So nothing is made twice. */
export const caseOrigins = mysqlTable(
  'case_origins',
  {
    id: ref('id')
      .primaryKey()
      .references(() => cases.id),
    projectId: ref('project_id').notNull(),
    sourceId: ref('source_id')
      .notNull()
      .references(() => records.id),
    sourceRevision: int('source_revision').notNull(),
    /** Which choice of the source it was. */
    identity: mediumText('identity').notNull(),
    identityHash: hashColumn('identity_hash').notNull(),
    /** The hash of what it said when it was made. */
    fingerprint: hashColumn('fingerprint').notNull(),
    /** The revision of the case that was made: a later one was somebody's own. */
    caseRevision: int('case_revision').notNull(),
  },
  (t) => [uniqueIndex('case_origins_identity').on(t.sourceId, t.identityHash), index('case_origins_project').on(t.projectId)],
);
