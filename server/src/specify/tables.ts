import type { TraceRule, VerificationMethod, WordingLists } from '@core/specify';
import { boolean, char, double, index, int, mysqlTable, text, uniqueIndex, varchar } from 'drizzle-orm/mysql-core';
import { hashColumn, jsonText, mediumText, moment, projects, records, ref, rowId } from '../base';

const recordId = () =>
  ref('id')
    .primaryKey()
    .references(() => records.id);

export const specifications = mysqlTable(
  'specifications',
  { id: recordId(), projectId: ref('project_id').notNull(), prefix: varchar('prefix', { length: 20 }).notNull() },
  (t) => [index('specifications_project').on(t.projectId)],
);

const projectId = () => ref('project_id').notNull();

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
    kind: varchar('kind', { length: 20 }).$type<'heading' | 'requirement' | 'note'>().notNull(),
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
  (t) => [
    index('requirements_place').on(t.specificationId, t.underId, t.position),
    index('requirements_project').on(t.projectId, t.kind),
    index('requirements_level').on(t.projectId, t.level),
  ],
);

/** What a requirement has beside its text; a row only where there is something. */
export const requirementDetails = mysqlTable(
  'requirement_details',
  {
    id: recordId(),
    projectId: projectId(),
    criteria: jsonText<readonly string[]>('criteria').notNull(),
    source: varchar('source', { length: 300 }).notNull(),
    risk: varchar('risk', { length: 40 }).notNull(),
    priority: varchar('priority', { length: 40 }).notNull(),
    tags: jsonText<readonly string[]>('tags').notNull(),
  },
  (t) => [index('requirement_details_project').on(t.projectId)],
);

/** The lists of words by which a project checks its wording; a project without a row goes by the usual ones. */
export const wordingLists = mysqlTable(
  'wording_lists',
  {
    id: rowId(),
    projectId: projectId().references(() => projects.id),
    lists: jsonText<WordingLists>('lists').notNull(),
  },
  (t) => [uniqueIndex('wording_lists_project').on(t.projectId)],
);

/** Which column of a table held what, by its headings: offered again for the next table that has the same. */
export const importMappings = mysqlTable(
  'import_mappings',
  {
    id: rowId(),
    projectId: projectId().references(() => projects.id),
    /** The hash of the headings, in their order by name. */
    heading: hashColumn('heading').notNull(),
    mapping: jsonText<Readonly<Record<string, string>>>('mapping').notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
  },
  (t) => [uniqueIndex('import_mappings_heading').on(t.projectId, t.heading)],
);

/** What a ReqIF file of another tool held beside what a specification has: a file by its hash, written out again with it. */
export const exchanged = mysqlTable('exchanged', {
  id: recordId(),
  projectId: projectId(),
  sha256: hashColumn('sha256').notNull(),
  by: varchar('by_login', { length: 60 }).notNull(),
  at: moment('at').notNull(),
});

/** Large tables that are written by jobs: what is asked of each. The table itself came in parts. */
export const importJobs = mysqlTable('import_jobs', {
  jobId: ref('job_id').primaryKey(),
  incoming: char('incoming', { length: 32 }).notNull(),
  specification: varchar('specification', { length: 60 }).notNull(),
  fileName: varchar('file_name', { length: 300 }).notNull(),
  mapping: jsonText<Record<string, string>>('mapping').notNull(),
  missing: varchar('missing', { length: 10 }).$type<'leave' | 'retire'>().notNull(),
});

/** Findings of wording that somebody let stand. */
export const wordingDismissals = mysqlTable(
  'wording_dismissals',
  {
    id: rowId(),
    projectId: projectId(),
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
    rule: varchar('rule', { length: 40 }).notNull(),
    words: varchar('words', { length: 500 }).notNull(),
    reason: text('reason').notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
    /** Looked at anew. */
    endedAt: moment('ended_at'),
  },
  (t) => [index('wording_dismissals_record').on(t.recordId), index('wording_dismissals_project').on(t.projectId)],
);

/** What a review has beside its record. */
export const reviews = mysqlTable('reviews', {
  id: recordId(),
  projectId: projectId(),
  /** By when, as a date. */
  due: varchar('due', { length: 10 }).notNull(),
  question: mediumText('question').notNull(),
  summary: mediumText('summary').notNull(),
});

/** Who is asked, and what they are asked about: the revision is that of the beginning. */
export const reviewPeople = mysqlTable(
  'review_people',
  {
    id: rowId(),
    projectId: projectId(),
    reviewId: ref('review_id')
      .notNull()
      .references(() => reviews.id),
    login: varchar('login', { length: 60 }).notNull(),
  },
  (t) => [uniqueIndex('review_people_login').on(t.reviewId, t.login), index('review_people_asked').on(t.projectId, t.login)],
);
export const reviewItems = mysqlTable(
  'review_items',
  {
    id: rowId(),
    projectId: projectId(),
    reviewId: ref('review_id')
      .notNull()
      .references(() => reviews.id),
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
    revision: int('revision').notNull(),
  },
  (t) => [uniqueIndex('review_items_record').on(t.reviewId, t.recordId), index('review_items_of').on(t.recordId)],
);
/** What people answered, requirement by requirement; the newest of one person on one revision counts. */
export const reviewAnswers = mysqlTable(
  'review_answers',
  {
    id: rowId(),
    projectId: projectId(),
    reviewId: ref('review_id')
      .notNull()
      .references(() => reviews.id),
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
    revision: int('revision').notNull(),
    login: varchar('login', { length: 60 }).notNull(),
    answer: varchar('answer', { length: 10 }).$type<'agree' | 'change'>().notNull(),
    note: text('note').notNull(),
    at: moment('at').notNull(),
  },
  (t) => [index('review_answers_review').on(t.reviewId, t.recordId)],
);

/** What a baseline has beside its record: the specifications as they were, whole, as a file by its hash. */
export const baselines = mysqlTable('baselines', {
  id: recordId(),
  projectId: projectId(),
  /** The ledger number that it is true for. */
  seq: ref('seq').notNull(),
  description: mediumText('description').notNull(),
  specifications: jsonText<readonly string[]>('specifications').notNull(),
  sha256: hashColumn('sha256').notNull(),
  requirements: int('requirements').notNull(),
  traces: int('traces').notNull(),
});

/** The rules of trace of a project; one without a row goes by the usual ones. */
export const traceRules = mysqlTable(
  'trace_rules',
  {
    id: rowId(),
    projectId: projectId().references(() => projects.id),
    rules: jsonText<readonly TraceRule[]>('rules').notNull(),
  },
  (t) => [uniqueIndex('trace_rules_project').on(t.projectId)],
);

/** Rules of trace that somebody signed an exception from; each ends when its ground changes. */
export const gapExceptions = mysqlTable(
  'gap_exceptions',
  {
    id: rowId(),
    projectId: projectId(),
    recordId: ref('record_id')
      .notNull()
      .references(() => records.id),
    rule: varchar('rule', { length: 40 }).notNull(),
    /** The other record of the gap; empty where there is none. */
    other: varchar('other_key', { length: 60 }).notNull(),
    /** The hash of what it was granted on. */
    ground: hashColumn('ground').notNull(),
    reason: text('reason').notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
    endedAt: moment('ended_at'),
    endedReason: text('ended_reason').notNull(),
  },
  (t) => [index('gap_exceptions_record').on(t.recordId), index('gap_exceptions_project').on(t.projectId)],
);

/** How many values each requirement’s limits ask to be tried at, and how many no case stands at; none where it names no limit. Derived: made anew at any time. */
export const boundaryCounts = mysqlTable(
  'boundary_counts',
  {
    id: ref('requirement_id')
      .primaryKey()
      .references(() => requirements.id),
    projectId: ref('project_id').notNull(),
    points: int('points').notNull(),
    open: int('open_points').notNull(),
  },
  (t) => [index('boundary_counts_open').on(t.projectId, t.open)],
);

/** Up to which ledger number, and by which rules, a project’s boundaries are counted. Its row is the lock of whoever counts them. */
export const boundaryProgress = mysqlTable('boundary_progress', {
  projectId: ref('project_id')
    .primaryKey()
    .references(() => projects.id),
  seq: ref('seq').notNull(),
  version: int('version').notNull(),
});
