import type { FieldDefinition, OwnValue } from '@contract/base';
import type { LedgerFormat, LedgerWrite, RecordFormat, Role, VersionedKind } from '@core/base';
import type { StandardProfile } from '@core/prove';
import { boolean, index, int, mysqlTable, primaryKey, uniqueIndex, varchar } from 'drizzle-orm/mysql-core';
import { people } from './account-tables';
import { hashColumn, jsonText, mediumBlob, mediumText, moment, ref, rowId, searchText } from './columns';
import type { Touches } from './touches';

export * from './account-tables';

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

/** How many bytes of files a project holds, and how many it may. */
export const storage = mysqlTable('project_storage', {
  projectId: ref('project_id')
    .primaryKey()
    .references(() => projects.id),
  used: ref('used').notNull(),
  allowed: ref('allowed').notNull(),
});

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
    format: int('format').$type<LedgerFormat>().notNull().default(1),
    at: moment('at').notNull(),
    who: varchar('who', { length: 60 }).notNull(),
    action: varchar('action', { length: 60 }).notNull(),
    kind: varchar('kind', { length: 40 }).notNull(),
    key: varchar('record_key', { length: 740 }).notNull(),
    before: jsonText<unknown>('before_value'),
    after: jsonText<unknown>('after_value'),
    /** Rows that it wrote, with their hashes. */
    writes: jsonText<readonly LedgerWrite[]>('writes'),
    operation: varchar('operation', { length: 60 }).notNull().default(''),
    /** What has to be judged again because of it. Not hashed: it can be worked out anew. */
    touches: jsonText<Touches>('touches'),
    previous: hashColumn('previous').notNull(),
    hash: hashColumn('hash').notNull(),
  },
  (t) => [
    primaryKey({ columns: [t.projectId, t.seq] }),
    index('ledger_kind').on(t.projectId, t.kind, t.seq),
    index('ledger_who').on(t.projectId, t.who, t.seq),
    index('ledger_key').on(t.projectId, t.key, t.seq),
  ],
);

/** The end of each chain. Whoever appends locks its row for as long as that takes, so that a project's entries are in one order. */
export const ledgerHeads = mysqlTable('ledger_heads', {
  projectId: ref('project_id').primaryKey(),
  seq: ref('seq').notNull(),
  hash: hashColumn('hash').notNull(),
  /** The number of the last entry that is not about a run: since then people recorded, and no text or state of another kind changed. */
  otherSeq: ref('other_seq').notNull().default(0),
});

/**
 * The spine of every versioned record: its key (one in a project over all kinds), kind, state and revision. What a kind has of its
 * own stands in a table of that kind, under the same id.
 */
export const records = mysqlTable(
  'records',
  {
    id: rowId(),
    projectId: ref('project_id')
      .notNull()
      .references(() => projects.id),
    kind: varchar('kind', { length: 20 }).$type<VersionedKind>().notNull(),
    key: varchar('record_key', { length: 60 }).notNull(),
    /** The key in the order in which people count. */
    keyPrefix: varchar('key_prefix', { length: 60 }).notNull(),
    keyNumber: int('key_number').notNull(),
    title: varchar('title', { length: 300 }).notNull(),
    /** Its plain text, for the search. */
    words: searchText('words').notNull(),
    state: varchar('state', { length: 20 }).notNull(),
    revision: int('revision').notNull(),
    /** Values of the project's own fields, by the field's id. */
    own: jsonText<Readonly<Record<string, OwnValue>>>('own').notNull(),
    createdBy: varchar('created_by', { length: 60 }).notNull(),
    createdAt: moment('created_at').notNull(),
    updatedBy: varchar('updated_by', { length: 60 }).notNull(),
    updatedAt: moment('updated_at').notNull(),
    /** Who wrote its present revision. */
    authoredBy: varchar('authored_by', { length: 60 }).notNull().default(''),
    retiredAt: moment('retired_at'),
  },
  (t) => [
    uniqueIndex('records_key').on(t.projectId, t.key),
    index('records_kind').on(t.projectId, t.kind, t.keyPrefix, t.keyNumber),
    index('records_state').on(t.projectId, t.kind, t.state, t.keyPrefix, t.keyNumber),
    index('records_title').on(t.projectId, t.kind, t.title),
    index('records_updated').on(t.projectId, t.kind, t.updatedAt),
  ],
);

/**
 * Full, immutable snapshots of versioned records, one whenever content or state changed, each with the ledger number at which it was
 * made: a record as of a number is its newest snapshot up to it.
 */
export const revisions = mysqlTable(
  'revisions',
  {
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
    seq: ref('seq').notNull(),
    projectId: ref('project_id').notNull(),
    revision: int('revision').notNull(),
    state: varchar('state', { length: 20 }).notNull(),
    format: int('format').$type<RecordFormat>().notNull(),
    /** SHA-256 of the encoded content, what an approval is bound to; null where the kind has none. */
    hash: hashColumn('hash'),
    snapshot: jsonText<Record<string, unknown>>('snapshot').notNull(),
    reason: mediumText('reason').notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.recordId, t.seq] }), index('revisions_number').on(t.recordId, t.revision)],
);

/** A build of the product; its name is its record's key. Once closed, it is judged as at that ledger number. */
export const builds = mysqlTable(
  'builds',
  {
    id: ref('id')
      .primaryKey()
      .references(() => records.id),
    projectId: ref('project_id').notNull(),
    description: mediumText('description').notNull(),
    closedSeq: ref('closed_seq'),
    closedAt: moment('closed_at'),
  },
  (t) => [index('builds_project').on(t.projectId)],
);

export const signatures = mysqlTable(
  'signatures',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
    revision: int('revision').notNull(),
    meaning: varchar('meaning', { length: 30 }).notNull(),
    login: varchar('login', { length: 60 }).notNull(),
    printedName: varchar('printed_name', { length: 300 }).notNull(),
    at: moment('at').notNull(),
    format: int('format').$type<RecordFormat>().notNull(),
    hash: hashColumn('hash').notNull(),
    reason: mediumText('reason').notNull(),
  },
  (t) => [index('signatures_record').on(t.recordId, t.meaning)],
);

/** What somebody decided about a record, and why: carry over, rerun, an accepted deviation, an approval from before there were signatures. Never changed. */
export const decisions = mysqlTable(
  'decisions',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
    revision: int('revision').notNull(),
    choice: varchar('choice', { length: 30 }).notNull(),
    reason: mediumText('reason').notNull(),
    login: varchar('login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
  },
  (t) => [index('decisions_record').on(t.recordId, t.choice)],
);

/** Kinds of trace are data of the project: names in both directions, and which kinds of record they join. */
export const traceKinds = mysqlTable(
  'trace_kinds',
  {
    projectId: ref('project_id')
      .notNull()
      .references(() => projects.id),
    name: varchar('name', { length: 30 }).notNull(),
    forward: varchar('forward', { length: 60 }).notNull(),
    backward: varchar('backward', { length: 60 }).notNull(),
    fromKinds: jsonText<readonly VersionedKind[]>('from_kinds').notNull(),
    toKinds: jsonText<readonly VersionedKind[]>('to_kinds').notNull(),
    /** May it run in a circle? */
    circles: boolean('circles').notNull(),
  },
  (t) => [primaryKey({ columns: [t.projectId, t.name] })],
);

/** A trace from one record to another, at the revisions of both ends at which somebody last said that it holds. */
export const traces = mysqlTable(
  'traces',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    kind: varchar('kind', { length: 30 }).notNull(),
    fromId: ref('from_id')
      .notNull()
      .references(() => records.id),
    toId: ref('to_id')
      .notNull()
      .references(() => records.id),
    fromRevision: int('from_revision').notNull(),
    toRevision: int('to_revision').notNull(),
    drawnBy: varchar('drawn_by', { length: 60 }).notNull(),
    drawnAt: moment('drawn_at').notNull(),
    /** Drawn at something approved, or again after it was suspect: it counts once somebody else has confirmed it. */
    needsConfirmation: boolean('needs_confirmation').notNull(),
    confirmedBy: varchar('confirmed_by', { length: 60 }),
    confirmedAt: moment('confirmed_at'),
    reason: mediumText('reason').notNull(),
    /** Ledger numbers between which it stood. */
    seq: ref('seq').notNull(),
    removedSeq: ref('removed_seq'),
    removedAt: moment('removed_at'),
    removedBy: varchar('removed_by', { length: 60 }),
    removedReason: mediumText('removed_reason'),
  },
  (t) => [
    index('traces_from').on(t.fromId, t.kind, t.removedAt),
    index('traces_to').on(t.toId, t.kind, t.removedAt),
    index('traces_project').on(t.projectId, t.kind, t.removedAt),
  ],
);

/** Every confirmation of a trace, the first one too: what it said of which revisions. */
export const traceConfirmations = mysqlTable(
  'trace_confirmations',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    traceId: ref('trace_id')
      .notNull()
      .references(() => traces.id),
    fromRevision: int('from_revision').notNull(),
    toRevision: int('to_revision').notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
    seq: ref('seq').notNull(),
    reason: mediumText('reason').notNull(),
  },
  (t) => [index('trace_confirmations_trace').on(t.traceId, t.seq)],
);

/** The last number given out for each prefix of keys. */
export const keyCounters = mysqlTable(
  'key_counters',
  { projectId: ref('project_id').notNull(), prefix: varchar('prefix', { length: 60 }).notNull(), last: int('last_number').notNull() },
  (t) => [primaryKey({ columns: [t.projectId, t.prefix] })],
);

/** Rows that the last verification found not to be what the ledger says: what rests on them is broken until they are. */
export const integrityFaults = mysqlTable(
  'integrity_faults',
  {
    projectId: ref('project_id').notNull(),
    table: varchar('table_name', { length: 40 }).notNull(),
    rowId: varchar('row_id', { length: 60 }).notNull(),
    /** The record that the row belongs to, where it belongs to one. */
    recordId: ref('record_id'),
    fault: varchar('fault', { length: 20 }).notNull(),
    foundAt: moment('found_at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.projectId, t.table, t.rowId] })],
);

/** Requests that a client named: repeated, they give the first answer. */
export const operations = mysqlTable(
  'operations',
  {
    projectId: ref('project_id').notNull(),
    login: varchar('login', { length: 60 }).notNull(),
    operation: varchar('operation', { length: 60 }).notNull(),
    route: varchar('route', { length: 200 }).notNull(),
    at: moment('at').notNull(),
    answer: mediumText('answer').notNull(),
  },
  (t) => [primaryKey({ columns: [t.login, t.operation] }), index('operations_at').on(t.at)],
);

/** Fields of the project's own, for one kind of record. Their names may change; the id stays. */
export const fields = mysqlTable(
  'fields',
  {
    id: rowId(),
    projectId: ref('project_id')
      .notNull()
      .references(() => projects.id),
    kind: varchar('kind', { length: 20 }).$type<VersionedKind>().notNull(),
    name: varchar('name', { length: 60 }).notNull(),
    description: mediumText('description').notNull(),
    definition: jsonText<FieldDefinition>('definition').notNull(),
    position: int('position').notNull(),
    retiredAt: moment('retired_at'),
  },
  (t) => [uniqueIndex('fields_name').on(t.projectId, t.kind, t.name)],
);

export const comments = mysqlTable(
  'comments',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
    /** The comment that it answers; null where it begins a thread. */
    parentId: ref('parent_id'),
    /** The field and the words that it is about; empty where it is about the whole record. */
    field: varchar('field', { length: 60 }).notNull(),
    passage: mediumText('passage').notNull(),
    html: mediumText('body_html').notNull(),
    text: mediumText('body').notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
    resolvedBy: varchar('resolved_by', { length: 60 }),
    resolvedAt: moment('resolved_at'),
  },
  (t) => [index('comments_record').on(t.recordId, t.id)],
);

/** Files at any record, beside the evidence of runs. */
export const attachments = mysqlTable(
  'attachments',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
    name: varchar('name', { length: 300 }).notNull(),
    mime: varchar('mime', { length: 120 }).notNull(),
    bytes: ref('bytes').notNull(),
    sha256: hashColumn('sha256').notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
    removedAt: moment('removed_at'),
  },
  (t) => [index('attachments_record').on(t.recordId, t.removedAt)],
);

export const followers = mysqlTable(
  'followers',
  {
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
    personId: ref('person_id')
      .notNull()
      .references(() => people.id),
  },
  (t) => [primaryKey({ columns: [t.recordId, t.personId] })],
);

/** Who has a record open now, and which field they are writing in; past `until` they are gone. */
export const presence = mysqlTable(
  'presence',
  {
    recordId: ref('record_id').notNull(),
    personId: ref('person_id').notNull(),
    field: varchar('field', { length: 60 }).notNull(),
    until: moment('until_at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.recordId, t.personId] }), index('presence_until').on(t.until)],
);

/** How other systems name a record. */
export const externalIds = mysqlTable(
  'external_ids',
  {
    projectId: ref('project_id').notNull(),
    system: varchar('system', { length: 60 }).notNull(),
    externalId: varchar('external_id', { length: 300 }).notNull(),
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
  },
  (t) => [primaryKey({ columns: [t.projectId, t.system, t.externalId] }), index('external_ids_record').on(t.recordId)],
);

/** File contents by their hash, in parts that fit a packet. */
export const blobs = mysqlTable(
  'blobs',
  { sha256: hashColumn('sha256').notNull(), part: int('part').notNull(), bytes: mediumBlob('bytes').notNull() },
  (t) => [primaryKey({ columns: [t.sha256, t.part] })],
);
