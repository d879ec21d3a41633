import type { Role } from '@core/base';
import type { StandardProfile } from '@core/prove';
import type { SignatureMeaning } from '@core/run';
import { boolean, double, index, int, mysqlTable, primaryKey, uniqueIndex, varchar } from 'drizzle-orm/mysql-core';
import { hashColumn, jsonText, mediumBlob, mediumText, moment, ref, rowId } from './columns';

export const people = mysqlTable(
  'people',
  {
    id: rowId(),
    login: varchar('login', { length: 60 }).notNull(),
    printedName: varchar('printed_name', { length: 300 }).notNull(),
    passwordHash: varchar('password_hash', { length: 200 }).notNull(),
    installation: boolean('installation').notNull().default(false),
    disabled: boolean('disabled').notNull().default(false),
    failures: int('failures').notNull().default(0),
    lockedUntil: moment('locked_until'),
  },
  (t) => [uniqueIndex('people_login').on(t.login)],
);

export const sessions = mysqlTable('sessions', {
  idHash: hashColumn('id_hash').primaryKey(),
  personId: ref('person_id').notNull(),
  createdAt: moment('created_at').notNull(),
  expiresAt: moment('expires_at').notNull(),
});

export const settings = mysqlTable('settings', {
  name: varchar('name', { length: 60 }).primaryKey(),
  value: mediumText('value').notNull(),
});

/** Project 0 is the installation itself: accounts and sign-ins have a chain of their own. */
export const projects = mysqlTable(
  'projects',
  {
    id: rowId(),
    slug: varchar('slug', { length: 60 }).notNull(),
    name: varchar('name', { length: 300 }).notNull(),
    level: varchar('level', { length: 60 }).notNull(),
    profile: jsonText<StandardProfile>('profile').notNull(),
  },
  (t) => [uniqueIndex('projects_slug').on(t.slug)],
);

export const builds = mysqlTable(
  'builds',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    name: varchar('name', { length: 60 }).notNull(),
    description: mediumText('description').notNull(),
    createdAt: moment('created_at').notNull(),
  },
  (t) => [uniqueIndex('builds_name').on(t.projectId, t.name)],
);

export const memberships = mysqlTable(
  'memberships',
  {
    projectId: ref('project_id').notNull(),
    personId: ref('person_id').notNull(),
    role: varchar('role', { length: 20 }).$type<Role>().notNull(),
  },
  (t) => [primaryKey({ columns: [t.projectId, t.personId, t.role] })],
);

export const ledger = mysqlTable(
  'ledger',
  {
    projectId: ref('project_id').notNull(),
    seq: ref('seq').notNull(),
    at: moment('at').notNull(),
    who: varchar('who', { length: 60 }).notNull(),
    action: varchar('action', { length: 60 }).notNull(),
    kind: varchar('kind', { length: 40 }).notNull(),
    key: varchar('record_key', { length: 200 }).notNull(),
    before: jsonText<unknown>('before_value'),
    after: jsonText<unknown>('after_value'),
    previous: hashColumn('previous').notNull(),
    hash: hashColumn('hash').notNull(),
  },
  (t) => [
    primaryKey({ columns: [t.projectId, t.seq] }),
    index('ledger_kind').on(t.projectId, t.kind, t.seq),
    index('ledger_who').on(t.projectId, t.who, t.seq),
  ],
);

/** The end of each chain. Its row is locked first in every writing transaction, so that a project's entries are in one order. */
export const ledgerHeads = mysqlTable('ledger_heads', {
  projectId: ref('project_id').primaryKey(),
  seq: ref('seq').notNull(),
  hash: hashColumn('hash').notNull(),
});

/** Full, immutable snapshots of versioned records. */
export const revisions = mysqlTable(
  'revisions',
  {
    kind: varchar('kind', { length: 20 }).notNull(),
    recordId: ref('record_id').notNull(),
    revision: int('revision').notNull(),
    projectId: ref('project_id').notNull(),
    snapshot: jsonText<Record<string, unknown>>('snapshot').notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.kind, t.recordId, t.revision] })],
);

export const signatures = mysqlTable(
  'signatures',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    runId: ref('run_id').notNull(),
    meaning: varchar('meaning', { length: 20 }).$type<SignatureMeaning>().notNull(),
    login: varchar('login', { length: 60 }).notNull(),
    printedName: varchar('printed_name', { length: 300 }).notNull(),
    at: moment('at').notNull(),
    hash: hashColumn('hash').notNull(),
    reason: mediumText('reason').notNull(),
  },
  (t) => [index('signatures_run').on(t.runId), index('signatures_project').on(t.projectId)],
);

export const traces = mysqlTable(
  'traces',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    kind: varchar('kind', { length: 20 }).$type<'parent' | 'verifies'>().notNull(),
    fromKey: varchar('from_key', { length: 60 }).notNull(),
    toKey: varchar('to_key', { length: 60 }).notNull(),
    fromRevision: int('from_revision').notNull(),
    toRevision: int('to_revision').notNull(),
    confirmedBy: varchar('confirmed_by', { length: 60 }).notNull(),
    confirmedAt: moment('confirmed_at').notNull(),
    reason: mediumText('reason').notNull(),
    removedAt: moment('removed_at'),
  },
  (t) => [index('traces_from').on(t.projectId, t.kind, t.fromKey), index('traces_to').on(t.projectId, t.kind, t.toKey)],
);

/** File contents by their hash, in parts that fit a packet. */
export const blobs = mysqlTable(
  'blobs',
  { sha256: hashColumn('sha256').notNull(), part: int('part').notNull(), bytes: mediumBlob('bytes').notNull() },
  (t) => [primaryKey({ columns: [t.sha256, t.part] })],
);

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
