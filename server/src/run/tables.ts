import type { AskedRound } from '@contract/run';
import type { RecordFormat } from '@core/base';
import type { CaseContent } from '@core/design';
import type {
  ClockChange,
  DeviceNote,
  ExchangeConflict,
  Exchanged,
  HandedIn,
  ConfigurationDimension,
  Correction,
  PerformedBy,
  ProblemStage,
  Redline,
  RunVerdict,
  StageWord,
  StepResult,
} from '@core/run';
import { boolean, double, index, int, mysqlTable, primaryKey, uniqueIndex, varchar } from 'drizzle-orm/mysql-core';
import { builds, hashColumn, jsonText, mediumText, moment, records, ref, rowId } from '../base';
import { cases } from '../design';

const recordId = () =>
  ref('id')
    .primaryKey()
    .references(() => records.id);

export const rounds = mysqlTable(
  'rounds',
  {
    id: recordId(),
    projectId: ref('project_id').notNull(),
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    configuration: varchar('configuration', { length: 300 }).notNull(),
    unit: varchar('unit', { length: 300 }).notNull(),
    tools: varchar('tools', { length: 300 }).notNull(),
  },
  (t) => [index('rounds_build').on(t.buildId)],
);

export const runs = mysqlTable(
  'runs',
  {
    id: recordId(),
    projectId: ref('project_id').notNull(),
    roundId: ref('round_id')
      .notNull()
      .references(() => rounds.id),
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    caseId: ref('case_id')
      .notNull()
      .references(() => cases.id),
    caseRevision: int('case_revision').notNull(),
    /** The case as it was when the run was planned: a frozen copy. */
    frozen: jsonText<CaseContent>('frozen').notNull(),
    row: varchar('data_row', { length: 100 }),
    configuration: varchar('configuration', { length: 300 }).notNull(),
    unit: varchar('unit', { length: 300 }).notNull(),
    tools: varchar('tools', { length: 300 }).notNull(),
    tester: varchar('tester', { length: 60 }).notNull(),
    steps: jsonText<readonly StepResult[]>('steps').notNull(),
    verdict: varchar('verdict', { length: 20 }).$type<RunVerdict>(),
    failedStep: int('failed_step'),
    seconds: int('seconds').notNull(),
    startedAt: moment('started_at'),
    finishedAt: moment('finished_at'),
    /** Ledger number at which it was finished. */
    finishedSeq: ref('finished_seq'),
    /** The format in which it is hashed, and the hash of the record as it stands, from the moment it is finished. */
    format: int('format').$type<RecordFormat>().notNull(),
    hash: hashColumn('hash'),
    corrections: jsonText<readonly Correction[]>('corrections').notNull(),
    deviationAccepted: boolean('deviation_accepted').notNull(),
    carriedOverTo: int('carried_over_to'),
    setAside: boolean('set_aside').notNull(),
    returnedAt: moment('returned_at'),
    withdrawnAt: moment('withdrawn_at'),
    /** The run that stands in its place: planned, and newer; it supersedes this one once it is finished. */
    supersededById: ref('superseded_by_id'),
    supersedesId: ref('supersedes_id'),
  },
  (t) => [
    index('runs_build').on(t.buildId, t.caseId),
    index('runs_round').on(t.roundId),
    index('runs_case').on(t.caseId),
    index('runs_tester').on(t.projectId, t.tester, t.finishedAt),
  ],
);

/** What was asked of jobs that plan rounds. */
export const roundJobs = mysqlTable('round_jobs', {
  jobId: ref('job_id').primaryKey(),
  asked: jsonText<AskedRound>('asked').notNull(),
});

export const evidence = mysqlTable(
  'evidence',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    runId: ref('run_id')
      .notNull()
      .references(() => runs.id),
    step: int('step').notNull(),
    name: varchar('name', { length: 300 }).notNull(),
    mime: varchar('mime', { length: 120 }).notNull(),
    bytes: ref('bytes').notNull(),
    sha256: hashColumn('sha256').notNull(),
    removedAt: moment('removed_at'),
  },
  (t) => [index('evidence_run').on(t.runId)],
);

export const problems = mysqlTable(
  'problems',
  {
    id: recordId(),
    projectId: ref('project_id').notNull(),
    description: mediumText('description').notNull(),
    blocking: boolean('blocking').notNull(),
    runId: ref('run_id').references(() => runs.id),
    step: int('step'),
    caseId: ref('case_id').references(() => cases.id),
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    /** The build that it is fixed in; from there on it stands no longer. */
    fixedInId: ref('fixed_in_id').references(() => builds.id),
    closedReason: mediumText('closed_reason').notNull(),
  },
  (t) => [index('problems_project').on(t.projectId, t.blocking), index('problems_run').on(t.runId)],
);

/** What a run has beside its steps; a row only where there is something. */
export const runDetails = mysqlTable(
  'run_details',
  {
    id: ref('id')
      .primaryKey()
      .references(() => runs.id),
    projectId: ref('project_id').notNull(),
    /** What it shows as a whole, in its tester's words. */
    conclusion: mediumText('conclusion').notNull(),
    redlines: jsonText<readonly Redline[]>('redlines').notNull(),
    /** The program that did it, where no person did. */
    performedBy: jsonText<PerformedBy>('performed_by'),
    /** Corrections of its clock. */
    clock: jsonText<readonly ClockChange[]>('clock').notNull(),
    /** When it is wanted, as a day; in which order and how urgently. None of it is part of what is signed. */
    due: varchar('due', { length: 10 }),
    priority: varchar('priority', { length: 20 }).notNull(),
    position: double('position'),
  },
  (t) => [index('run_details_project').on(t.projectId, t.due)],
);

/** What was recorded of a run away from the server: the times that belong to its record, and what did not fit any more when it arrived. */
export const runDevices = mysqlTable('run_devices', {
  id: ref('id')
    .primaryKey()
    .references(() => runs.id),
  projectId: ref('project_id').notNull(),
  notes: jsonText<readonly DeviceNote[]>('notes').notNull(),
  handedIn: jsonText<readonly HandedIn[]>('handed_in').notNull(),
});

/** Which record of a run somebody has had on the screen last: who signs many at once signs only what they looked at. */
export const runLooks = mysqlTable(
  'run_looks',
  {
    runId: ref('run_id')
      .notNull()
      .references(() => runs.id),
    login: varchar('login', { length: 60 }).notNull(),
    projectId: ref('project_id').notNull(),
    hash: hashColumn('hash').notNull(),
    at: moment('at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.runId, t.login] })],
);

/** What a round has beside its runs: where it stands, when it is wanted, whether it is a pattern for others. */
export const roundDetails = mysqlTable('round_details', {
  id: ref('id')
    .primaryKey()
    .references(() => rounds.id),
  projectId: ref('project_id').notNull(),
  /** The release or phase under which it stands, as a path of names with slashes; empty: none. */
  folder: varchar('folder', { length: 300 }).notNull(),
  due: varchar('due', { length: 10 }),
  isPattern: boolean('is_pattern').notNull(),
});

/** The dimensions in which the project's product is configured, and what excludes what. */
export const configurationPlans = mysqlTable('configuration_plans', {
  projectId: ref('project_id').primaryKey(),
  dimensions: jsonText<readonly ConfigurationDimension[]>('dimensions').notNull(),
  exclusions: mediumText('exclusions').notNull(),
});

export const problemDetails = mysqlTable(
  'problem_details',
  {
    id: ref('id')
      .primaryKey()
      .references(() => problems.id),
    projectId: ref('project_id').notNull(),
    severity: varchar('severity', { length: 40 }).notNull(),
    priority: varchar('priority', { length: 40 }).notNull(),
    area: varchar('area', { length: 100 }).notNull(),
    assigned: varchar('assigned', { length: 60 }),
    due: varchar('due', { length: 10 }),
    /** The build that is said to have the fix: it stands until a run there showed it. */
    claimedInId: ref('claimed_in_id').references(() => builds.id),
    /** Where it stands in the life that the project gives its reports. */
    stage: varchar('stage', { length: 30 }).notNull(),
  },
  (t) => [index('problem_details_project').on(t.projectId, t.stage), index('problem_details_assigned').on(t.projectId, t.assigned)],
);

/** The life of a problem report, as the project has it; one without a row has the usual one. */
export const problemLives = mysqlTable('problem_lives', {
  projectId: ref('project_id').primaryKey(),
  stages: jsonText<readonly ProblemStage[]>('stages').notNull(),
  severities: jsonText<readonly string[]>('severities').notNull(),
  areas: jsonText<readonly string[]>('areas').notNull(),
});

/** Results that a program sent: the file as it came, and what was made of it. */
export const resultUploads = mysqlTable(
  'result_uploads',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    roundId: ref('round_id').references(() => rounds.id),
    configuration: varchar('configuration', { length: 300 }).notNull(),
    format: varchar('format', { length: 10 }).$type<'junit' | 'tap'>().notNull(),
    tool: varchar('tool', { length: 100 }).notNull(),
    version: varchar('version', { length: 60 }).notNull(),
    sentBy: varchar('sent_by', { length: 60 }).notNull(),
    at: moment('at').notNull(),
    name: varchar('name', { length: 300 }).notNull(),
    bytes: ref('bytes').notNull(),
    sha256: hashColumn('sha256').notNull(),
    results: int('results').notNull(),
  },
  (t) => [index('result_uploads_build').on(t.projectId, t.buildId)],
);

/** One result of an upload, matched or not. */
export const resultItems = mysqlTable(
  'result_items',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    uploadId: ref('upload_id')
      .notNull()
      .references(() => resultUploads.id),
    position: int('position').notNull(),
    suite: varchar('suite', { length: 700 }).notNull(),
    name: varchar('name', { length: 700 }).notNull(),
    outcome: varchar('outcome', { length: 10 }).$type<'passed' | 'failed' | 'skipped'>().notNull(),
    seconds: double('seconds').notNull(),
    message: mediumText('message').notNull(),
    runId: ref('run_id').references(() => runs.id),
    /** Somebody said that it belongs to no case, and why. */
    dismissed: mediumText('dismissed'),
  },
  (t) => [index('result_items_upload').on(t.uploadId, t.position), index('result_items_open').on(t.projectId, t.runId)],
);

/** By which names results belong to a case, as people said it. */
export const resultMappings = mysqlTable(
  'result_mappings',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    pattern: varchar('pattern', { length: 700 }).notNull(),
    caseId: ref('case_id')
      .notNull()
      .references(() => cases.id),
    row: varchar('data_row', { length: 100 }),
    removedAt: moment('removed_at'),
  },
  (t) => [index('result_mappings_project').on(t.projectId), index('result_mappings_case').on(t.caseId)],
);

/** The tracker outside that problem reports are exchanged with; token and secret are sealed. */
export const trackers = mysqlTable('trackers', {
  projectId: ref('project_id').primaryKey(),
  name: varchar('name', { length: 40 }).notNull(),
  url: varchar('url', { length: 400 }).notNull(),
  states: jsonText<readonly StageWord[]>('states').notNull(),
  paused: boolean('paused').notNull(),
  token: mediumText('token').notNull(),
  secret: mediumText('secret').notNull(),
  /** The newest of its events that was taken over, and the newest entry of the ledger that was looked at for it. */
  heard: ref('heard').notNull(),
  seen: ref('seen').notNull(),
  heardAt: moment('heard_at'),
  fault: varchar('fault', { length: 500 }).notNull(),
  /** It is not asked again before. */
  restUntil: moment('rest_until'),
  /** Who exchanges with it now, and until when nobody else does. */
  holder: varchar('holder', { length: 40 }).notNull(),
  heldUntil: moment('held_until'),
});

/** A problem report and its counterpart outside. */
export const trackerLinks = mysqlTable(
  'tracker_links',
  {
    id: ref('id')
      .primaryKey()
      .references(() => problems.id),
    projectId: ref('project_id').notNull(),
    theirId: varchar('their_id', { length: 100 }),
    theirUrl: varchar('their_url', { length: 500 }).notNull(),
    /** What both last agreed on; what stands there, with its version. */
    base: jsonText<Exchanged>('base').notNull(),
    theirs: jsonText<{ readonly title: string; readonly state: string; readonly version: number }>('theirs'),
    conflicts: jsonText<readonly ExchangeConflict[]>('conflicts').notNull(),
    refused: varchar('refused', { length: 500 }).notNull(),
    linkedBy: varchar('linked_by', { length: 60 }).notNull(),
    linkedAt: moment('linked_at').notNull(),
    endedAt: moment('ended_at'),
  },
  (t) => [index('tracker_links_theirs').on(t.projectId, t.theirId)],
);

/** What is to be told outside, in its order: each under the name of an operation, so that it is done once. */
export const trackerOutbox = mysqlTable(
  'tracker_outbox',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    problemId: ref('problem_id')
      .notNull()
      .references(() => problems.id),
    kind: varchar('kind', { length: 20 }).$type<'create' | 'read' | 'change' | 'comment'>().notNull(),
    /** What is told; of a change not known before it is sent, and then the same however often that is tried. */
    body: jsonText<Readonly<Record<string, string | number>>>('body'),
    operation: varchar('operation', { length: 60 }).notNull(),
    at: moment('at').notNull(),
    tries: int('tries').notNull(),
    sentAt: moment('sent_at'),
  },
  (t) => [index('tracker_outbox_waiting').on(t.projectId, t.sentAt, t.id), uniqueIndex('tracker_outbox_operation').on(t.operation)],
);
