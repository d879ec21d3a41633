import * as z from 'zod';
import { endpoint, inProject, inProjectKey, key, listQuery, pageOf, reasonText } from '../base';

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
export const metricSchema = z.enum(['function', 'line', 'branch', 'condition', 'mcdc', 'call']);
const pointState = z.enum(['credited', 'justified', 'neverHit', 'noRequirement', 'noCase', 'noPassingRun', 'otherCases']);
const finding = z.object({
  row: z.number().optional(),
  cell: z.string().optional(),
  severity: z.enum(['error', 'warning']),
  text: z.string(),
});

export const codeFileSchema = z.object({ key: z.string(), coverage: coverageSchema, measured: z.boolean() });
/** The sums over all files of a build, and how many cases measured them. */
export const codeSchema = z.object({
  build: z.string(),
  files: z.number(),
  /** The file that is shown before one is chosen: the first that is measured. */
  first: z.string().nullable(),
  total: coverageSchema,
  cases: z.number(),
  /** The ledger number that this is true for. */
  seq: z.number(),
});
export type Code = z.output<typeof codeSchema>;
export type CodeFile = z.output<typeof codeFileSchema>;
const unit = z.object({
  name: z.string(),
  start: z.number(),
  end: z.number(),
  requirements: z.array(z.string()),
  byHand: z.array(z.string()),
  /** Attestations that stand for its present text. */
  attested: z.array(z.object({ key: z.string(), metric: z.string() })),
  /** The signed statement by which what was measured on the text before counts for it. */
  carried: z.string().nullable(),
  coverage: coverageSchema,
});
export const fileDetailSchema = z.object({
  path: z.string(),
  text: z.string().nullable(),
  sha256: z.string().nullable(),
  /** What is measured of the text that the build has now: something, a part of a faulty file, only other text, or nothing. */
  status: z.enum(['measured', 'partial', 'otherText', 'neverLoaded']),
  /** Metrics of which another tool is this file's measure: what this one said does not count. */
  setAside: z.array(z.object({ tool: z.string(), metric: z.string(), measure: z.string() })),
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
  /** The upload's record; absent where nothing was stored. */
  upload: z.string().optional(),
  /** What each part was bound to: a run, a case at a revision, or nobody. */
  bound: z.array(z.object({ file: z.string(), to: z.string(), files: z.number() })),
  files: z.number(),
  sections: z.number(),
  cases: z.array(z.string()),
  /** Each file with the format that it was recognised to have. */
  read: z.array(z.object({ name: z.string(), format: z.string(), sections: z.number(), results: z.number() })),
  /** Files that only the rules of the question lead to a source file: the name that was measured, and what stands for it. */
  ruled: z.array(z.object({ from: z.string(), to: z.string() })),
  /** Functions in doubt, that count only where somebody says why they are right. */
  doubtful: z.number(),
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
  /** Why these rules hold: wanted where a file is matched only by them. Kept with the upload. */
  rulesReason: z.string().max(2000).optional(),
  /** Why functions that the source does not seem to have, or that were entered though none of their lines ran, are right; else they do not count. */
  accept: z.string().max(2000).optional(),
  /** Says what would be stored, and stores nothing. */
  preview: z.enum(['yes', 'no']).optional(),
  /** What files are bound to, said by hand: a JSON object of file names, each with the key of a run or case, or empty for nobody. */
  bind: z.string().max(100_000).optional(),
  /** Files that have come in parts, by their ids, separated by commas; the request then has no body. */
  incoming: z.string().max(4000).optional(),
  /** Binds all that is loaded to this run; else names of tests and files say to what each belongs. */
  run: key.optional(),
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
  summary:
    'Load the source tree of a build (multipart, one ZIP of at most 32 MiB, and where signed runs rest on the sources that it has, the fields “reason” and “password” before it)',
  may: ['author', 'tester'],
  params: inBuild,
  // Fields of the form, sent before the file.
  body: z.object({ reason: z.string().optional(), password: z.string().optional() }),
  multipart: true,
  answer: z.object({ files: z.number(), functions: z.number(), traces: z.number(), findings: z.array(finding) }),
});
export const getCode = endpoint('GET', '/projects/:project/builds/:build/code', {
  summary: 'The code of a build with exercised and credited coverage',
  may: 'member',
  params: inBuild,
  query: z.object({ atLeast: z.coerce.number().int().min(0).default(0) }),
  answer: codeSchema,
});
/** A page of the files, their shares those of one metric in per cent. */
export const codeFilesQuery = listQuery.extend({
  metric: metricSchema.default('line'),
  atLeast: z.coerce.number().int().min(0).default(0),
});
export const listCodeFiles = endpoint('GET', '/projects/:project/builds/:build/code/files', {
  summary: 'The source files of a build with what was exercised of each and what of that is credited; `key` is the path',
  may: 'member',
  params: inBuild,
  query: codeFilesQuery,
  answer: pageOf(codeFileSchema),
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
  body: z.object({ path, unit: z.string().max(300), requirement: key, traced: z.boolean(), reason: z.string().max(2000).default('') }),
  answer: fileDetailSchema,
});
/** A trace that somebody made by hand on the build before, of a function that is another one now or gone. */
export const traceOfferSchema = z.object({
  path: z.string(),
  unit: z.string(),
  requirement: z.string(),
  from: z.string(),
  by: z.string(),
  reason: z.string(),
  state: z.enum(['changed', 'functionGone', 'fileGone']),
});
export type TraceOffer = z.output<typeof traceOfferSchema>;
export const offerTraces = endpoint('GET', '/projects/:project/builds/:build/code/traces/offers', {
  summary: 'Code traces made by hand on the build before that were not carried: their functions changed, or are gone (the first 500)',
  may: 'member',
  params: inBuild,
  answer: z.array(traceOfferSchema),
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

export const attestationSchema = z.object({
  key: z.string(),
  path: z.string(),
  unit: z.string(),
  metric: metricSchema,
  argument: z.string(),
  by: z.string(),
  at: z.string(),
  /** `otherText`: the function was changed since, and it says nothing of it any more. */
  state: z.enum(['stands', 'withdrawn', 'otherText']),
});
export type Attestation = z.output<typeof attestationSchema>;
export const attest = endpoint('POST', '/projects/:project/builds/:build/attestations', {
  summary: 'Attest, signed, what no loaded format tells of a function: it is counted apart, and stands for that text of it',
  may: ['reviewer'],
  params: inBuild,
  body: z.object({ path, unit: z.string().max(300), metric: metricSchema, argument: reasonText, password: z.string().max(200) }),
  answer: attestationSchema,
});
export const listAttestations = endpoint('GET', '/projects/:project/builds/:build/attestations', {
  summary: 'The attestations of a build',
  may: 'member',
  params: inBuild,
  query: listQuery,
  answer: pageOf(attestationSchema),
});
export const withdrawAttestation = endpoint('PUT', '/projects/:project/attestations/:key/withdrawal', {
  summary: 'Withdraw an attestation, signed: what rested on it waits again',
  may: ['reviewer'],
  params: inProjectKey,
  body: z.object({ reason: reasonText, password: z.string().max(200) }),
  answer: attestationSchema,
});

/** A function that was measured on the sources that the build had before, with where its text stands now, or why it cannot be carried. */
export const carryOfferSchema = z.object({
  path: z.string(),
  unit: z.string(),
  fromPath: z.string(),
  state: z.enum(['same', 'changed', 'functionGone', 'fileGone', 'ambiguous']),
  requirements: z.array(z.string()),
  /** Runs and cases of which something is measured there. */
  measuredBy: z.array(z.string()),
});
export type CarryOffer = z.output<typeof carryOfferSchema>;
export const offerCarries = endpoint('GET', '/projects/:project/builds/:build/carries/offers', {
  summary:
    'Functions measured on the sources before these, with whether their text is the same now (the first 2,000, unchanged ones first)',
  may: 'member',
  params: inBuild,
  answer: z.object({
    same: z.number(),
    changed: z.number(),
    rows: z.array(carryOfferSchema),
  }),
});
export const carriedSchema = z.object({
  key: z.string(),
  build: z.string(),
  units: z.array(
    z.object({
      path: z.string(),
      unit: z.string(),
      textHash: z.string(),
      /** SHA-256 of the source text that it counts for, and of the one that it was measured on. */
      source: z.string(),
      fromPath: z.string(),
      fromSource: z.string(),
      /** Its first line when it was measured. */
      fromStart: z.number(),
    }),
  ),
  argument: z.string(),
  by: z.string(),
  at: z.string(),
  state: z.enum(['stands', 'withdrawn']),
});
export type Carried = z.output<typeof carriedSchema>;
export const carryMeasured = endpoint('POST', '/projects/:project/builds/:build/carries', {
  summary: 'Carry, signed, what was measured of unchanged functions to the sources that the build has now',
  may: ['reviewer'],
  params: inBuild,
  body: z.object({
    units: z
      .array(z.object({ path, unit: z.string().max(300) }))
      .min(1)
      .max(2000),
    argument: reasonText,
    password: z.string().max(200),
  }),
  answer: carriedSchema,
});
export const listCarries = endpoint('GET', '/projects/:project/builds/:build/carries', {
  summary: 'What was carried from the sources before, statement by statement',
  may: 'member',
  params: inBuild,
  query: listQuery,
  answer: pageOf(carriedSchema),
});
export const withdrawCarry = endpoint('PUT', '/projects/:project/carries/:key/withdrawal', {
  summary: 'Withdraw, signed, what was carried: its functions are measured on other text again',
  may: ['reviewer'],
  params: inProjectKey,
  body: z.object({ reason: reasonText, password: z.string().max(200) }),
  answer: carriedSchema,
});

export const uploadSchema = z.object({
  key: z.string(),
  state: z.enum(['loaded', 'withdrawn']),
  by: z.string(),
  at: z.string(),
  files: z.array(z.object({ id: z.number(), name: z.string(), format: z.string(), bytes: z.number(), sha256: z.string() })),
  /** What it was bound to, with how many source files each. */
  bound: z.array(z.object({ to: z.string(), files: z.number() })),
  /** Source files matched, and points in them. */
  matched: z.number(),
  points: z.number(),
  /** Rules that led names to source files, and what was accepted, each with its reason. */
  rules: z.object({ from: z.string(), to: z.string(), ignoreCase: z.boolean(), reason: z.string() }).nullable(),
  accepted: z.string(),
  findings: z.array(finding),
});
export type CoverageUpload = z.output<typeof uploadSchema>;
export const listUploads = endpoint('GET', '/projects/:project/builds/:build/uploads', {
  summary: 'The uploads of coverage of a build, newest first',
  may: 'member',
  params: inBuild,
  query: listQuery,
  answer: pageOf(uploadSchema),
});
export const withdrawUpload = endpoint('PUT', '/projects/:project/uploads/:key/withdrawal', {
  summary: 'Withdraw an upload, signed, or bring it back: credit follows',
  may: ['author', 'tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({ withdrawn: z.boolean(), reason: reasonText, password: z.string().max(200) }),
  answer: uploadSchema,
});
