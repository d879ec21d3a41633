import { z } from 'zod';
import { endpoint, inProject, key } from '../base';

const inBuild = inProject.extend({ build: key });
const path = z.string().max(500);
const coverage = z.object({ found: z.number(), exercised: z.number(), credited: z.number(), justified: z.number() });
export const coverageSchema = z.object({
  function: coverage,
  line: coverage,
  branch: coverage,
  condition: coverage,
  mcdc: coverage,
  call: coverage,
});
const pointState = z.enum(['credited', 'justified', 'neverHit', 'noRequirement', 'noCase', 'noPassingRun', 'otherCases']);
const finding = z.object({
  row: z.number().optional(),
  cell: z.string().optional(),
  severity: z.enum(['error', 'warning']),
  text: z.string(),
});

export const codeFileSchema = z.object({ path: z.string(), coverage: coverageSchema, measured: z.boolean(), hasText: z.boolean() });
export const codeSchema = z.object({
  build: z.string(),
  files: z.array(codeFileSchema),
  total: coverageSchema,
  cases: z.number(),
  measuredCases: z.array(z.string()),
});
export type Code = z.output<typeof codeSchema>;
export type CodeFile = z.output<typeof codeFileSchema>;
const unit = z.object({
  name: z.string(),
  start: z.number(),
  end: z.number(),
  requirements: z.array(z.string()),
  byHand: z.array(z.string()),
  coverage: coverageSchema,
});
export const fileDetailSchema = z.object({
  path: z.string(),
  text: z.string().nullable(),
  sha256: z.string().nullable(),
  units: z.array(unit),
  lines: z.array(
    z.object({
      line: z.number(),
      exercised: z.enum(['all', 'part', 'none']),
      state: pointState,
      points: z.number(),
      creditedPoints: z.number(),
      hitBy: z.array(z.string()),
    }),
  ),
  coverage: coverageSchema,
});
export type FileDetail = z.output<typeof fileDetailSchema>;
export const diagnosisSchema = z.object({
  line: z.number(),
  state: pointState,
  unit: z.string().nullable(),
  requirements: z.array(z.string()),
  hitBy: z.array(z.object({ caseKey: z.string(), title: z.string(), verifies: z.array(z.string()) })),
  ownCases: z.array(z.string()),
  outcomes: z.array(
    z.object({ metric: z.enum(['branch', 'condition', 'mcdc']), detail: z.string(), state: pointState, hitBy: z.array(z.string()) }),
  ),
  remedies: z.array(
    z.object({
      kind: z.enum(['extendCase', 'traceCode', 'linkCase', 'designCase', 'recordRun', 'removeCode']),
      caseKey: z.string().optional(),
      requirement: z.string().optional(),
      near: z.object({ hit: z.number(), of: z.number() }).optional(),
      before: z.number(),
      after: z.number(),
      beforePercent: z.number(),
      afterPercent: z.number(),
    }),
  ),
});
export type Diagnosis = z.output<typeof diagnosisSchema>;

export const loadAnswerSchema = z.object({
  files: z.number(),
  sections: z.number(),
  cases: z.array(z.string()),
  /** Each file with the format that it was recognised to have. */
  read: z.array(z.object({ name: z.string(), format: z.string(), sections: z.number(), results: z.number() })),
  /** Test results that a file held: told, not recorded. */
  results: z.array(
    z.object({
      group: z.string(),
      name: z.string(),
      verdict: z.enum(['passed', 'failed', 'skipped']),
      seconds: z.number().nullable(),
      message: z.string(),
      caseKey: z.string().nullable(),
    }),
  ),
  findings: z.array(finding),
});
export type LoadAnswer = z.output<typeof loadAnswerSchema>;

const loadQuery = z.object({
  /** A file with faults is refused as a whole, or what is good in it is kept. */
  faults: z.enum(['refuse', 'keepGood']).optional(),
  /** A prefix of the measured paths, and what stands in its place in the source tree. */
  from: path.optional(),
  to: path.optional(),
  ignoreCase: z.enum(['yes', 'no']).optional(),
});
export type LoadQuery = z.output<typeof loadQuery>;
export const loadCoverage = endpoint('POST', '/projects/:project/builds/:build/coverage', {
  summary:
    'Load coverage for a build: LCOV, Cobertura, JaCoCo, Istanbul, gcov, llvm-cov or Go, also gzipped. The test name in the file or the file name names the case (multipart, 64 MiB a file)',
  may: ['author', 'tester'],
  params: inBuild,
  query: loadQuery,
  multipart: true,
  answer: loadAnswerSchema,
});
export const loadSources = endpoint('POST', '/projects/:project/builds/:build/sources', {
  summary: 'Load the source tree of a build (multipart, one ZIP of at most 32 MiB)',
  may: ['author', 'tester'],
  params: inBuild,
  multipart: true,
  answer: z.object({ files: z.number(), functions: z.number(), traces: z.number(), findings: z.array(finding) }),
});
export const getCode = endpoint('GET', '/projects/:project/builds/:build/code', {
  summary: 'The code of a build with exercised and credited coverage',
  may: 'member',
  params: inBuild,
  answer: codeSchema,
});
export const getFile = endpoint('GET', '/projects/:project/builds/:build/code/file', {
  summary: 'One source file, line by line',
  may: 'member',
  params: inBuild,
  query: z.object({ path }),
  answer: fileDetailSchema,
});
export const diagnose = endpoint('GET', '/projects/:project/builds/:build/code/line', {
  summary: 'Why a line has no credit, and what would close it',
  may: 'member',
  params: inBuild,
  query: z.object({ path, line: z.coerce.number().int().min(1) }),
  answer: diagnosisSchema,
});
export const traceCode = endpoint('PUT', '/projects/:project/builds/:build/code/traces', {
  summary: 'Say by hand that a function implements a requirement, or take that back',
  may: ['author'],
  params: inBuild,
  body: z.object({ path, unit: z.string().max(300), requirement: key, traced: z.boolean() }),
  answer: fileDetailSchema,
});
export const requirementCode = endpoint('GET', '/projects/:project/builds/:build/requirements/:key/code', {
  summary: 'The code that implements a requirement, with its coverage',
  may: 'member',
  params: inBuild.extend({ key }),
  answer: z.object({
    units: z.array(z.object({ path: z.string(), name: z.string(), start: z.number(), coverage: coverageSchema })),
    total: coverageSchema.nullable(),
  }),
});
