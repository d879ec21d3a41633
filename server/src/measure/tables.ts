import type { Finding } from '@core/base';
import type { CoverageByMetric, Metric } from '@core/measure';
import { boolean, index, int, mysqlTable, varchar } from 'drizzle-orm/mysql-core';
import { builds, hashColumn, jsonText, longBlob, mediumText, moment, records, ref, rowId } from '../base';
import { cases } from '../design';
import { runs } from '../run';
import { requirements } from '../specify';

/** The source text of a build, file by file; a tree loaded later supersedes it. */
export const sources = mysqlTable(
  'sources',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    path: varchar('path', { length: 400 }).notNull(),
    text: mediumText('body').notNull(),
    sha256: hashColumn('sha256').notNull(),
    supersededAt: moment('superseded_at'),
  },
  (t) => [index('sources_build').on(t.buildId, t.supersededAt, t.path)],
);

/** The functions of a source file, as its reader found them. */
export const codeUnits = mysqlTable(
  'code_units',
  {
    id: rowId(),
    sourceId: ref('source_id')
      .notNull()
      .references(() => sources.id),
    name: varchar('name', { length: 300 }).notNull(),
    start: int('start_line').notNull(),
    end: int('end_line').notNull(),
    /** SHA-256 of its text, white space aside: what a trace made by hand is carried by. */
    textHash: hashColumn('text_hash').notNull(),
  },
  (t) => [index('code_units_source').on(t.sourceId, t.start)],
);

/** Which requirement a function of a build implements, by a comment in its source or by somebody's word. */
export const codeTraces = mysqlTable(
  'code_traces',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    path: varchar('path', { length: 400 }).notNull(),
    unit: varchar('unit', { length: 300 }).notNull(),
    textHash: hashColumn('text_hash').notNull(),
    requirementKey: varchar('requirement_key', { length: 60 }).notNull(),
    /** Null while no requirement has that key. */
    requirementId: ref('requirement_id').references(() => requirements.id),
    origin: varchar('origin', { length: 10 }).$type<'source' | 'hand'>().notNull(),
    by: varchar('by_login', { length: 60 }).notNull(),
    at: moment('at').notNull(),
    reason: mediumText('reason').notNull(),
    removedAt: moment('removed_at'),
  },
  (t) => [
    index('code_traces_build').on(t.buildId, t.removedAt, t.path),
    index('code_traces_requirement').on(t.requirementId, t.buildId, t.removedAt),
    index('code_traces_key').on(t.projectId, t.requirementKey),
  ],
);

/** What was said as an upload was loaded: the first snapshot of its record. */
export interface SaidAtLoading {
  /** Rules by which names were led to source files, and why they hold; null where none were needed. */
  readonly rules: { readonly from: string; readonly to: string; readonly ignoreCase: boolean; readonly reason: string } | null;
  /** Why functions in doubt are right; empty where nobody said so. */
  readonly accepted: string;
}

/** One loading of coverage: a record, so that it can be signed, withdrawn and brought back. */
export const uploads = mysqlTable(
  'uploads',
  {
    id: ref('id')
      .primaryKey()
      .references(() => records.id),
    projectId: ref('project_id').notNull(),
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    findings: jsonText<readonly Finding[]>('findings').notNull(),
    withdrawnAt: moment('withdrawn_at'),
  },
  (t) => [index('uploads_build').on(t.buildId)],
);

export const uploadFiles = mysqlTable(
  'upload_files',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    uploadId: ref('upload_id')
      .notNull()
      .references(() => uploads.id),
    name: varchar('name', { length: 300 }).notNull(),
    /** The raw bytes as they came are kept under this hash; of releases before the second only the hash is. */
    sha256: hashColumn('sha256').notNull(),
    bytes: ref('bytes').notNull(),
    format: varchar('format', { length: 60 }).notNull(),
  },
  (t) => [index('upload_files_upload').on(t.uploadId)],
);

/** Where one source file stands in a measurement's bytes. */
export interface MeasuredPart {
  readonly path: string;
  /** SHA-256 of the source text that it was matched to when loaded. */
  readonly source: string;
  /** Hash under which the points are stored that its bits are over. */
  readonly table: string;
  readonly at: number;
  readonly size: number;
  /** Only the whole parts of a faulty file were kept. */
  readonly partial?: true;
  /** How many points it has; older ones do not say. */
  readonly points?: number;
}

/**
 * What one file of an upload says of one subject: a run, or a case at exactly one revision (and row, configuration), or nobody. Bits
 * over stored tables of points, one part a source file.
 */
export const measurements = mysqlTable(
  'measurements',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    uploadId: ref('upload_id')
      .notNull()
      .references(() => uploads.id),
    fileId: ref('file_id')
      .notNull()
      .references(() => uploadFiles.id),
    runId: ref('run_id').references(() => runs.id),
    caseId: ref('case_id').references(() => cases.id),
    caseRevision: int('case_revision'),
    row: varchar('data_row', { length: 100 }),
    configuration: varchar('configuration', { length: 300 }),
    tool: varchar('tool', { length: 60 }).notNull(),
    /** Never changed: what is set aside or superseded is said beside it. */
    parts: jsonText<readonly MeasuredPart[]>('parts').notNull(),
    /** Paths of which a later upload by the same tool, of the same subject, said it again. */
    superseded: jsonText<readonly string[]>('superseded').notNull(),
    data: longBlob('data').notNull(),
    loadedAt: moment('loaded_at').notNull(),
    seq: ref('seq').notNull(),
    withdrawn: boolean('withdrawn').notNull(),
  },
  (t) => [
    index('measurements_build').on(t.buildId, t.withdrawn),
    index('measurements_case').on(t.caseId, t.buildId),
    index('measurements_upload').on(t.uploadId),
  ],
);

/**
 * What no tool gives: somebody says of a function, as its text is now, that what a metric asks for is shown or has nothing to show.
 * A record, signed, withdrawn rather than changed.
 */
export const attestations = mysqlTable(
  'attestations',
  {
    id: ref('id')
      .primaryKey()
      .references(() => records.id),
    projectId: ref('project_id').notNull(),
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    path: varchar('path', { length: 400 }).notNull(),
    unit: varchar('unit', { length: 300 }).notNull(),
    textHash: hashColumn('text_hash').notNull(),
    metric: varchar('metric', { length: 20 }).$type<Metric>().notNull(),
    argument: mediumText('argument').notNull(),
    withdrawnAt: moment('withdrawn_at'),
  },
  (t) => [index('attestations_build').on(t.buildId, t.path)],
);

/** A function of a build's sources with the text and place that it was measured on before they were exchanged. */
export interface CarriedUnit {
  readonly path: string;
  readonly unit: string;
  readonly textHash: string;
  /** SHA-256 of the source text that it counts for. */
  readonly source: string;
  readonly fromPath: string;
  readonly fromSource: string;
  readonly fromStart: number;
}

/** What was measured of unchanged functions, carried to the sources that a build has now. A record, signed, withdrawn rather than changed. */
/** What is said of one result that is carried from another build: of which record of it, and of which revisions. */
export interface CarriedRun {
  readonly runId: number;
  readonly run: string;
  /** The hash of the run's record that was signed. */
  readonly hash: string;
  readonly caseId: number;
  readonly case: string;
  readonly caseRevision: number;
  readonly row: string | null;
  readonly configuration: string;
  readonly requirements: readonly { readonly key: string; readonly revision: number }[];
  /** So many functions were measured as hit, none of them changed; null where nothing of the code changed and nothing was measured. */
  readonly functionsHit: number | null;
}

/** Results of one build that a reviewer said hold for another. */
export const runCarries = mysqlTable(
  'run_carries',
  {
    id: ref('id')
      .primaryKey()
      .references(() => records.id),
    projectId: ref('project_id').notNull(),
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    fromBuildId: ref('from_build_id')
      .notNull()
      .references(() => builds.id),
    runs: jsonText<readonly CarriedRun[]>('runs').notNull(),
    /** Functions that changed between the two, and files that changed outside theirs. */
    functions:
      jsonText<readonly { readonly path: string; readonly name: string; readonly what: 'changed' | 'added' | 'gone' }[]>(
        'functions',
      ).notNull(),
    outside: jsonText<readonly string[]>('outside').notNull(),
    /** Digest of the sources of the build that they are carried to: with others it is to be said again. */
    sources: hashColumn('sources').notNull(),
    argument: mediumText('argument').notNull(),
    withdrawnAt: moment('withdrawn_at'),
  },
  (t) => [index('run_carries_build').on(t.buildId, t.fromBuildId)],
);

export const carries = mysqlTable(
  'carries',
  {
    id: ref('id')
      .primaryKey()
      .references(() => records.id),
    projectId: ref('project_id').notNull(),
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    units: jsonText<readonly CarriedUnit[]>('units').notNull(),
    argument: mediumText('argument').notNull(),
    withdrawnAt: moment('withdrawn_at'),
  },
  (t) => [index('carries_build').on(t.buildId)],
);

/** Coverage of each source file of a build. */
export const sourceCredits = mysqlTable(
  'source_credits',
  {
    sourceId: ref('source_id')
      .primaryKey()
      .references(() => sources.id),
    buildId: ref('build_id').notNull(),
    path: varchar('path', { length: 400 }).notNull(),
    measured: boolean('measured').notNull(),
    coverage: jsonText<CoverageByMetric>('coverage').notNull(),
  },
  (t) => [index('source_credits_build').on(t.buildId, t.path)],
);
