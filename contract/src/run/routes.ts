import * as z from 'zod';
import {
  buildSchema,
  endpoint,
  inProject,
  inProjectKey,
  key,
  listQuery,
  longText,
  ownValuesSchema,
  pageOf,
  reasonText,
  shortText,
} from '../base';
import { caseContentSchema } from '../design';

const stepVerdict = z.enum(['pass', 'fail', 'deviation', 'blocked']);
const readingSchema = z.object({ name: z.string().max(60), value: z.string().max(40) });
export const stepResultSchema = z.object({
  verdict: stepVerdict.nullable(),
  observed: z.string(),
  at: z.string().nullable(),
  /** What was read, where the step asks for it. */
  readings: z.array(readingSchema).readonly().optional(),
});
export const signatureSchema = z.object({
  meaning: z.string(),
  login: z.string(),
  printedName: z.string(),
  at: z.string(),
  hash: z.string(),
  reason: z.string(),
  matches: z.boolean(),
});
export const evidenceSchema = z.object({
  id: z.number(),
  step: z.number(),
  name: z.string(),
  mime: z.string(),
  bytes: z.number(),
  sha256: z.string(),
});
export type Evidence = z.output<typeof evidenceSchema>;

export const runSummarySchema = z.object({
  key: z.string(),
  round: z.string(),
  build: z.string(),
  caseKey: z.string(),
  caseTitle: z.string(),
  caseRevision: z.number(),
  caseNow: z.number(),
  row: z.string().nullable(),
  configuration: z.string(),
  tester: z.string(),
  testerName: z.string(),
  state: z.enum(['planned', 'onBench', 'recorded', 'performed', 'reviewed', 'superseded', 'returned', 'withdrawn']),
  verdict: z.enum(['passed', 'failed', 'blocked', 'deviation']).nullable(),
  outdated: z.boolean(),
  carriedOver: z.boolean(),
  plannedMinutes: z.number(),
  seconds: z.number(),
});
export type RunSummary = z.output<typeof runSummarySchema>;
export const runDetailSchema = runSummarySchema.extend({
  unit: z.string(),
  tools: z.string(),
  case: caseContentSchema,
  verifies: z.array(z.object({ key: z.string(), title: z.string() })),
  steps: z.array(stepResultSchema),
  evidence: z.array(evidenceSchema),
  signatures: z.array(signatureSchema),
  decisions: z.array(z.object({ choice: z.string(), reason: z.string(), login: z.string(), at: z.string() })),
  problems: z.array(z.object({ key: z.string(), title: z.string(), state: z.string(), step: z.number().nullable() })),
  startedAt: z.string().nullable(),
  finishedAt: z.string().nullable(),
  /** Hash of the record as it stands: what a signature is bound to. */
  hash: z.string(),
  revision: z.number(),
  deviationAccepted: z.boolean(),
  supersededBy: z.string().nullable(),
  supersedes: z.string().nullable(),
  /** A run of the same case, row and configuration that is planned or on the bench: once finished, it supersedes this one. */
  plannedAgain: z.string().nullable(),
  /** What it said before its tester corrected it, and why. */
  corrections: z.array(z.object({ at: z.string(), reason: z.string(), verdict: z.string().nullable(), steps: z.array(stepResultSchema) })),
  setAside: z.boolean(),
  /** The project asks for words on every passed step, at a level that its case verifies. */
  observationAsked: z.boolean(),
  /** The cases that must have passed before it, and how each stands on this build. */
  restsOn: z.array(z.object({ key: z.string(), standing: z.enum(['passed', 'failed', 'blocked', 'open']), run: z.string().nullable() })),
  /** Where it failed or is blocked: runs on this build whose cases rest on its case, and that nobody has finished. */
  holdsUp: z.array(z.object({ key: z.string(), caseKey: z.string(), caseTitle: z.string(), tester: z.string() })),
  own: ownValuesSchema,
});
export type RunDetail = z.output<typeof runDetailSchema>;
/** What a recorded step is answered with: enough to bring the run that is shown up to date. */
export const stepSavedSchema = z.object({
  key: z.string(),
  step: z.number(),
  result: stepResultSchema,
  seconds: z.number(),
  revision: z.number(),
  startedAt: z.string().nullable(),
  /** The run was finished, and is open again for this correction. */
  reopened: z.boolean(),
});
export type StepSaved = z.output<typeof stepSavedSchema>;
export const roundSchema = z.object({
  key: z.string(),
  state: z.enum(['open', 'withdrawn']),
  title: z.string(),
  build: z.string(),
  configuration: z.string(),
  unit: z.string(),
  tools: z.string(),
  createdBy: z.string(),
  createdAt: z.string(),
  runs: z.number(),
  recorded: z.number(),
  failed: z.number(),
  reviewed: z.number(),
});
export type Round = z.output<typeof roundSchema>;
/** With its runs: the first thousand; further ones are asked for in pages. */
export const roundDetailSchema = roundSchema.extend({ items: z.array(runSummarySchema) });
export type RoundDetail = z.output<typeof roundDetailSchema>;
export const problemSchema = z.object({
  key: z.string(),
  title: z.string(),
  description: z.string(),
  blocking: z.boolean(),
  state: z.enum(['open', 'closed']),
  run: z.string().nullable(),
  step: z.number().nullable(),
  caseKey: z.string().nullable(),
  build: z.string(),
  /** The build that it is fixed in; from there on it stands no longer. */
  fixedIn: z.string().nullable(),
  requirements: z.array(z.string()),
  own: ownValuesSchema,
  revision: z.number(),
  raisedBy: z.string(),
  raisedAt: z.string(),
  closedReason: z.string(),
});
export type Problem = z.output<typeof problemSchema>;

const record = ['tester'] as const;
/** Why a finished run is opened again for this. */
const correction = z.object({ reason: z.string().max(2000).default('') });

export const addBuild = endpoint('POST', '/projects/:project/builds', {
  summary: 'Name a build of the product',
  may: ['author', 'tester', 'administrator'],
  params: inProject,
  body: z.object({
    name: z.string().regex(/^[\w][\w.+-]{0,59}$/, 'Letters, digits, dots, hyphens; at most 60.'),
    description: longText.default(''),
  }),
  answer: buildSchema,
});
export const listRounds = endpoint('GET', '/projects/:project/rounds', {
  summary: 'The rounds of a build, by filter, order and page',
  may: 'member',
  params: inProject,
  query: listQuery.extend({ build: key }),
  answer: pageOf(roundSchema),
});
export const getRound = endpoint('GET', '/projects/:project/rounds/:key', {
  summary: 'A round with its runs',
  may: 'member',
  params: inProjectKey,
  answer: roundDetailSchema,
});
export const withdrawRound = endpoint('PUT', '/projects/:project/rounds/:key/withdrawal', {
  summary: 'Withdraw, signed, a round that was planned by mistake, with its runs, of which none has a result yet',
  may: ['author', 'tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({ reason: reasonText, password: z.string().max(200) }),
  answer: roundDetailSchema,
});
/** What decides which runs a round has, and whose they are. */
const plannedSchema = z.object({
  build: key,
  configuration: shortText.trim().min(1, 'Say in which configuration it is run.'),
  tester: z.string().max(60),
  /** Others among whom the runs are shared out, so that planned minutes come out even. */
  sharedWith: z.array(z.string().max(60)).max(50).default([]),
  /** Cases by their keys, or all that a list's question finds; of these, what cannot be run is left out. */
  cases: z.array(key).max(2000, 'At most 2000 cases at once.').default([]),
  filter: z.string().max(60_000).optional(),
  leaveOut: z.literal('passed').optional(),
});
export const addRound = endpoint('POST', '/projects/:project/rounds', {
  summary: 'Plan a round: the chosen cases on a build, in a configuration, done by one tester or shared out among several',
  may: ['author', 'tester'],
  params: inProject,
  body: plannedSchema.extend({
    title: shortText.trim().min(1, 'Give the round a title.'),
    unit: shortText.default(''),
    tools: shortText.default(''),
    /** Why what has a result already is planned again. */
    reason: longText.default(''),
  }),
  answer: roundDetailSchema,
});
const left = z.object({ key: z.string(), why: z.string() });
/** What a round would be; of what is left out, and of what is run again, the first hundred are named. */
export const roundPreviewSchema = z.object({
  cases: z.number(),
  runs: z.number(),
  minutes: z.number(),
  people: z.array(z.object({ login: z.string(), runs: z.number(), minutes: z.number() })),
  /** Cases that cannot be run, and why. */
  refused: z.array(left),
  refusedCount: z.number(),
  /** What passed and stands. */
  passed: z.array(left),
  passedCount: z.number(),
  /** What has a result here already and would be run again: that needs a reason. */
  again: z.array(z.string()),
  againCount: z.number(),
});
export type RoundPreview = z.output<typeof roundPreviewSchema>;
export const previewRound = endpoint('POST', '/projects/:project/rounds/preview', {
  summary: 'What a round would be: its runs and minutes, what would be left out and why; nothing is written',
  may: ['author', 'tester'],
  params: inProject,
  body: plannedSchema,
  answer: roundPreviewSchema,
});
export const listRuns = endpoint('GET', '/projects/:project/runs', {
  summary: 'Runs, by filter, order and page',
  may: 'member',
  params: inProject,
  query: listQuery.extend({ build: key.optional() }),
  answer: pageOf(runSummarySchema),
});
export const getRun = endpoint('GET', '/projects/:project/runs/:key', {
  summary: 'A run record, whole',
  may: 'member',
  params: inProjectKey,
  answer: runDetailSchema,
});
export const startRun = endpoint('POST', '/projects/:project/runs/:key/start', {
  summary: 'Put a planned run on the bench',
  may: record,
  params: inProjectKey,
  answer: runDetailSchema,
});
export const recordStep = endpoint('PUT', '/projects/:project/runs/:key/steps/:step', {
  summary: 'Record what was observed at a step, and its verdict; saying the same twice is one record',
  may: record,
  params: inProjectKey.extend({ step: z.coerce.number().int().min(1).max(500) }),
  body: z.object({
    observed: longText,
    verdict: stepVerdict.nullable(),
    seconds: z.number().int().min(0).max(4_000_000, 'More than 46 days on the clock.'),
    /** Why a finished result is corrected; wanted where the run is finished. */
    reason: longText.default(''),
    /** What was read; absent: as it was. */
    readings: z.array(readingSchema).max(20).readonly().optional(),
  }),
  answer: stepSavedSchema,
});
export const finishRun = endpoint('POST', '/projects/:project/runs/:key/finish', {
  summary: 'Roll the verdict up and close the recording',
  may: record,
  params: inProjectKey,
  body: z.object({ seconds: z.number().int().min(0).max(4_000_000, 'More than 46 days on the clock.') }),
  answer: runDetailSchema,
});
export const blockRun = endpoint('POST', '/projects/:project/runs/:key/blocked', {
  summary: 'Record a run as blocked because one that its case rests on failed or is blocked; finished with that',
  may: record,
  params: inProjectKey,
  body: z.object({ on: key }),
  answer: runDetailSchema,
});
export const addEvidence = endpoint('POST', '/projects/:project/runs/:key/steps/:step/evidence', {
  summary: 'Store evidence files with a step (multipart, 25 MiB a file)',
  may: record,
  params: inProjectKey.extend({ step: z.coerce.number().int().min(1).max(500) }),
  query: correction,
  multipart: true,
  answer: runDetailSchema,
});
export const removeEvidence = endpoint('DELETE', '/projects/:project/runs/:key/evidence/:id', {
  summary: 'Take evidence off a run that is not signed; the file stays in the ledger’s keeping',
  may: record,
  params: inProjectKey.extend({ id: z.coerce.number().int() }),
  query: correction,
  answer: runDetailSchema,
});
export const signRun = endpoint('POST', '/projects/:project/runs/:key/signatures', {
  summary: 'Sign a run: performed by its tester, reviewed by another person',
  may: ['tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({
    meaning: z.enum(['performed', 'reviewed']),
    password: z.string().max(200),
    /** The hash of the record that the signer saw. */
    hash: z.string().length(64),
    acceptDeviation: z.boolean().default(false),
    reason: longText.default(''),
  }),
  answer: runDetailSchema,
});
export const decideRun = endpoint('POST', '/projects/:project/runs/:key/decisions', {
  summary:
    'Decide about a result: it stands although its case changed (carryOver), it is run again (rerun), sent back by a reviewer (return), its deviation accepted, left out of sight (setAside), or planned by mistake (withdraw, and bring back)',
  may: ['author', 'tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({
    choice: z.enum(['carryOver', 'rerun', 'return', 'acceptDeviation', 'setAside', 'withdraw', 'bringBack']),
    reason: reasonText,
    /** For what is signed: all but a rerun. */
    password: z.string().max(200).default(''),
  }),
  answer: runDetailSchema,
});
export const reassignRun = endpoint('PUT', '/projects/:project/runs/:key/tester', {
  summary: 'Give a run that nobody has begun to another tester',
  may: ['author', 'tester'],
  params: inProjectKey,
  body: z.object({ tester: z.string().max(60), reason: reasonText }),
  answer: runDetailSchema,
});
export const listProblems = endpoint('GET', '/projects/:project/problems', {
  summary: 'Problem reports, by filter, order and page',
  may: 'member',
  params: inProject,
  query: listQuery,
  answer: pageOf(problemSchema),
});
export const addProblem = endpoint('POST', '/projects/:project/problems', {
  summary: 'Raise a problem report; from a run it is filled from the run',
  may: ['author', 'tester', 'reviewer'],
  params: inProject,
  body: z.object({
    title: shortText.trim().min(1, 'Give it a title.'),
    description: longText,
    blocking: z.boolean().default(true),
    run: key.nullable().default(null),
    step: z.number().int().nullable().default(null),
    build: key,
    requirements: z.array(key).max(200).default([]),
  }),
  answer: problemSchema,
});
export const saveProblem = endpoint('PUT', '/projects/:project/problems/:key', {
  summary: 'Change, close or reopen a problem report',
  may: ['author', 'tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({
    basedOn: z.number().int(),
    title: shortText.trim().min(1),
    description: longText,
    blocking: z.boolean(),
    state: z.enum(['open', 'closed']),
    closedReason: longText.default(''),
    fixedIn: key.nullable().default(null),
    /** Signs it, where a run that showed it still fails and it is closed or no longer blocks. */
    password: z.string().max(200).default(''),
  }),
  answer: problemSchema,
});
