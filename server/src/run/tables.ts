import type { CaseContent } from '@core/design';
import type { RunVerdict, StepResult } from '@core/run';
import { boolean, index, int, mysqlTable, uniqueIndex, varchar } from 'drizzle-orm/mysql-core';
import { hashColumn, jsonText, mediumText, moment, ref, rowId } from '../base';

export const rounds = mysqlTable(
  'rounds',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    key: varchar('record_key', { length: 60 }).notNull(),
    build: varchar('build', { length: 60 }).notNull(),
    title: varchar('title', { length: 300 }).notNull(),
    configuration: varchar('configuration', { length: 300 }).notNull(),
    unit: varchar('unit', { length: 300 }).notNull(),
    tools: varchar('tools', { length: 300 }).notNull(),
    createdBy: varchar('created_by', { length: 60 }).notNull(),
    createdAt: moment('created_at').notNull(),
  },
  (t) => [uniqueIndex('rounds_key').on(t.projectId, t.key), index('rounds_build').on(t.projectId, t.build)],
);

export const runs = mysqlTable(
  'runs',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    key: varchar('record_key', { length: 60 }).notNull(),
    round: varchar('round', { length: 60 }).notNull(),
    build: varchar('build', { length: 60 }).notNull(),
    caseKey: varchar('case_key', { length: 60 }).notNull(),
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
    /** Hash of the record as it stands, kept from the moment it is finished. */
    hash: hashColumn('hash'),
    deviationAccepted: boolean('deviation_accepted').notNull(),
    carriedOverTo: int('carried_over_to'),
    supersededBy: varchar('superseded_by', { length: 60 }),
    supersedes: varchar('supersedes', { length: 60 }),
    revision: int('revision').notNull(),
  },
  (t) => [
    uniqueIndex('runs_key').on(t.projectId, t.key),
    index('runs_build').on(t.projectId, t.build, t.caseKey),
    index('runs_round').on(t.projectId, t.round),
  ],
);

export const evidence = mysqlTable(
  'evidence',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    runId: ref('run_id').notNull(),
    step: int('step').notNull(),
    name: varchar('name', { length: 300 }).notNull(),
    mime: varchar('mime', { length: 120 }).notNull(),
    bytes: ref('bytes').notNull(),
    sha256: hashColumn('sha256').notNull(),
    removedAt: moment('removed_at'),
  },
  (t) => [index('evidence_run').on(t.runId)],
);

/** Carry over, rerun, an accepted deviation: who decided what about a run, and why. Never changed. */
export const decisions = mysqlTable(
  'decisions',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    runId: ref('run_id').notNull(),
    choice: varchar('choice', { length: 30 }).notNull(),
    reason: mediumText('reason').notNull(),
    login: varchar('login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
  },
  (t) => [index('decisions_run').on(t.runId)],
);

export const problems = mysqlTable(
  'problems',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    key: varchar('record_key', { length: 60 }).notNull(),
    title: varchar('title', { length: 300 }).notNull(),
    description: mediumText('description').notNull(),
    blocking: boolean('blocking').notNull(),
    state: varchar('state', { length: 20 }).$type<'open' | 'closed'>().notNull(),
    run: varchar('run', { length: 60 }),
    step: int('step'),
    caseKey: varchar('case_key', { length: 60 }),
    build: varchar('build', { length: 60 }).notNull(),
    requirements: jsonText<readonly string[]>('requirements').notNull(),
    revision: int('revision').notNull(),
    raisedBy: varchar('raised_by', { length: 60 }).notNull(),
    raisedAt: moment('raised_at').notNull(),
    closedReason: mediumText('closed_reason').notNull(),
  },
  (t) => [uniqueIndex('problems_key').on(t.projectId, t.key)],
);
