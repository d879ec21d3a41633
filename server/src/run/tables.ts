import type { RecordFormat } from '@core/base';
import type { CaseContent } from '@core/design';
import type { Correction, RunVerdict, StepResult } from '@core/run';
import { boolean, index, int, mysqlTable, varchar } from 'drizzle-orm/mysql-core';
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
