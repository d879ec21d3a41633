import type { BulkAct } from '@contract/base';
import type { NewsKind } from '@core/base';
import { boolean, char, double, index, int, mysqlTable, primaryKey, varchar } from 'drizzle-orm/mysql-core';
import { hashColumn, jsonText, mediumBlob, mediumText, moment, ref, rowId } from './columns';
import { records } from './tables';

export const jobs = mysqlTable(
  'jobs',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    kind: varchar('kind', { length: 30 }).notNull(),
    build: varchar('build', { length: 60 }).notNull(),
    state: varchar('state', { length: 20 }).$type<'queued' | 'running' | 'done' | 'failed' | 'cancelled'>().notNull(),
    progress: double('progress').notNull(),
    message: varchar('message', { length: 500 }).notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    createdAt: moment('created_at').notNull(),
    finishedAt: moment('finished_at'),
    /** The worker that has it, and its last sign of life. */
    holder: varchar('holder', { length: 60 }),
    heartbeat: moment('heartbeat'),
    fileName: varchar('file_name', { length: 200 }),
    fileBytes: ref('file_bytes'),
    fileHash: hashColumn('file_hash'),
  },
  (t) => [index('jobs_state').on(t.state, t.id), index('jobs_project').on(t.projectId, t.kind, t.build)],
);

/** A question of a list under a name: somebody's own, or shared with the project; one of each list may be where they begin. */
export const savedFilters = mysqlTable(
  'saved_filters',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    login: varchar('login', { length: 60 }).notNull(),
    list: varchar('list', { length: 20 }).notNull(),
    name: varchar('name', { length: 120 }).notNull(),
    /** The question as the address of the list holds it. */
    question: mediumText('question').notNull(),
    shared: boolean('shared').notNull(),
    /** Where its owner's list begins. */
    first: boolean('first').notNull(),
    at: moment('at').notNull(),
  },
  (t) => [index('saved_filters_list').on(t.projectId, t.list, t.login)],
);

/** Up to where a person has seen their news of a project, and which kinds they switched off. */
export const newsMarks = mysqlTable(
  'news_marks',
  {
    projectId: ref('project_id').notNull(),
    personId: ref('person_id').notNull(),
    seen: ref('seen_seq').notNull(),
    off: jsonText<readonly NewsKind[]>('off_kinds').notNull(),
  },
  (t) => [primaryKey({ columns: [t.projectId, t.personId] })],
);

/** One act on many records: done at once, or by a job; each record with what became of it stands in `bulkItems`. */
export const bulkActs = mysqlTable(
  'bulk_acts',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    act: jsonText<BulkAct>('act').notNull(),
    reason: mediumText('reason').notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
    jobId: ref('job_id'),
    /** The act that took it back, where one did. */
    undoneBy: ref('undone_by'),
  },
  (t) => [index('bulk_acts_project').on(t.projectId, t.id)],
);

export const bulkItems = mysqlTable(
  'bulk_items',
  {
    bulkId: ref('bulk_id')
      .notNull()
      .references(() => bulkActs.id),
    position: int('position').notNull(),
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
    /** What was shown when it was chosen: another revision or state is not acted upon. */
    revision: int('revision').notNull(),
    state: varchar('state', { length: 20 }).notNull(),
    outcome: varchar('outcome', { length: 10 }).$type<'open' | 'done' | 'refused'>().notNull(),
    words: varchar('words', { length: 500 }).notNull().default(''),
    /** The act on this record that takes it back; null where nothing does. */
    undo: jsonText<BulkAct | null>('undo'),
    /** Revision and state that it left. */
    afterRevision: int('after_revision'),
    afterState: varchar('after_state', { length: 20 }),
  },
  (t) => [primaryKey({ columns: [t.bulkId, t.position] }), index('bulk_items_outcome').on(t.bulkId, t.outcome)],
);

/** A file that is coming in parts: what arrived stays when the connection goes, and the next part says where it belongs. */
export const incoming = mysqlTable(
  'incoming',
  {
    id: char('id', { length: 32 }).primaryKey(),
    projectId: ref('project_id').notNull(),
    login: varchar('login', { length: 60 }).notNull(),
    name: varchar('name', { length: 300 }).notNull(),
    mime: varchar('mime', { length: 120 }).notNull(),
    bytes: ref('bytes').notNull(),
    received: ref('received').notNull(),
    until: moment('until_at').notNull(),
  },
  (t) => [index('incoming_until').on(t.until), index('incoming_project').on(t.projectId, t.login)],
);

export const incomingParts = mysqlTable(
  'incoming_parts',
  { id: char('id', { length: 32 }).notNull(), at: ref('at_byte').notNull(), bytes: mediumBlob('bytes').notNull() },
  (t) => [primaryKey({ columns: [t.id, t.at] })],
);
