import * as z from 'zod';
import { buildSchema, endpoint, inProject, inProjectKey, key, listQuery, longText, ownValuesSchema, pageOf, reasonText } from '../base';
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
const actAway = z.enum(['begun', 'step', 'evidence', 'evidenceRemoved', 'redlined', 'problem', 'linked', 'finished']);
/** How the action of the step begins at which a device did something: another may have been added or dropped before it. Absent: whatever stands there. */
const ofStep = z.string().max(200).optional();
const redlineWhat = z.enum(['changed', 'added', 'dropped']);
const stepWords = z.object({ action: longText, expected: longText });
/** What a device recorded while it could not reach the server. */
export const deviceNoteSchema = z.object({
  what: actAway,
  step: z.number().nullable(),
  at: z.string(),
  sent: z.string(),
  arrived: z.string(),
});
export const recordedAwaySchema = z.object({
  what: actAway,
  step: z.number().int().min(1).max(500).nullable(),
  at: z.iso.datetime(),
  observed: longText.optional(),
  verdict: stepVerdict.nullable().optional(),
  readings: z.array(readingSchema).max(20).readonly().optional(),
  seconds: z.number().int().min(0).optional(),
  conclusion: longText.optional(),
  files: z.array(z.string().max(300)).max(200).readonly().optional(),
  redline: z.object({ what: redlineWhat, after: stepWords.nullable(), reason: longText }).optional(),
  title: longText.optional(),
  text: longText.optional(),
});
export const handedInSchema = z.object({
  by: z.string(),
  at: z.string(),
  sent: z.string(),
  why: z.string(),
  recorded: z.array(recordedAwaySchema).readonly(),
});
export const redlineSchema = z.object({
  step: z.number(),
  what: redlineWhat,
  before: stepWords.nullable(),
  after: stepWords.nullable(),
  reason: z.string(),
  by: z.string(),
  at: z.string(),
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
  due: z.string().nullable(),
  priority: z.string(),
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
  /** Reports of its case that are not closed, of other runs: what goes wrong now may be known. The newest twenty. */
  knownProblems: z.array(z.object({ key: z.string(), title: z.string(), state: z.string() })),
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
  /** What it shows as a whole, in its tester's words. */
  conclusion: z.string(),
  /** What was changed of its steps for this run only. */
  redlines: z.array(redlineSchema),
  /** The program that did it, where no person did. */
  performedBy: z.object({ program: z.string(), tool: z.string(), version: z.string() }).nullable(),
  clock: z.array(z.object({ at: z.string(), from: z.number(), to: z.number(), reason: z.string() })),
  /** What was recorded away from the server, with the times of the device. */
  device: z.array(deviceNoteSchema),
  /** What was recorded away and did not fit any more when it arrived. */
  handedIn: z.array(handedInSchema),
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
  state: z.enum(['open', 'closed', 'withdrawn']),
  title: z.string(),
  /** The release or phase under which it stands; when it is wanted; whether it is kept as a pattern. */
  folder: z.string(),
  due: z.string().nullable(),
  isPattern: z.boolean(),
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
export const roundDetailSchema = roundSchema.extend({
  items: z.array(runSummarySchema),
  /** The folder in which each of its cases stands, by the case's key; those in none are left out. */
  folders: z.record(z.string(), z.string()).optional(),
  /** What is still to be recorded, by who is to do it: of all of its runs, where `items` are the first of them only. */
  left: z.array(z.object({ tester: z.string(), runs: z.number(), minutes: z.number() })).optional(),
});
export type RoundDetail = z.output<typeof roundDetailSchema>;
const record = ['tester'] as const;
const onClock = z.number().int().min(0).max(4_000_000, 'More than 46 days on the clock.');
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
/** A run as the proof of a requirement shows it. */
export const provingRunSchema = runSummarySchema
  .pick({
    key: true,
    caseKey: true,
    caseRevision: true,
    row: true,
    configuration: true,
    state: true,
    verdict: true,
    outdated: true,
    carriedOver: true,
  })
  .extend({
    signatures: z.array(signatureSchema),
    problems: z.array(z.object({ key: z.string(), title: z.string(), state: z.string() })),
  });
export type ProvingRun = z.output<typeof provingRunSchema>;
export const requirementRuns = endpoint('GET', '/projects/:project/builds/:build/requirements/:key/runs', {
  summary: 'The runs of a build that stand for a requirement, the newest first, with signatures and problem reports; at most 500',
  may: 'member',
  params: inProject.extend({ build: key, key }),
  answer: z.object({
    runs: z.array(provingRunSchema),
    /** How many there are beyond these. */
    more: z.number(),
  }),
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
    /** What the step said, as far as whoever records knows: another device may have recorded it meanwhile. Absent: whatever it says. */
    known: z.object({ observed: longText, verdict: stepVerdict.nullable() }).optional(),
    of: ofStep,
  }),
  answer: stepSavedSchema,
});
export const finishRun = endpoint('POST', '/projects/:project/runs/:key/finish', {
  summary: 'Roll the verdict up and close the recording',
  may: record,
  params: inProjectKey,
  body: z.object({
    seconds: onClock,
    /** What it shows as a whole; absent: as it was. */
    conclusion: longText.optional(),
  }),
  answer: runDetailSchema,
});
export const recordShort = endpoint('POST', '/projects/:project/runs/:key/short', {
  summary: 'Record a run whole, without stepping through it, where the project allows that for its kind of case',
  may: record,
  params: inProjectKey,
  body: z.object({
    verdict: z.enum(['passed', 'failed', 'blocked']),
    observed: longText,
    seconds: onClock,
    /** The step at which it failed or could not go on. */
    step: z.number().int().min(1).max(500).default(1),
  }),
  answer: runDetailSchema,
});
export const correctClock = endpoint('PUT', '/projects/:project/runs/:key/clock', {
  summary: 'Correct the clock of a run that is open, with a reason that stays in its record',
  may: record,
  params: inProjectKey,
  body: z.object({ seconds: onClock, reason: reasonText }),
  answer: runDetailSchema,
});
export const addRedline = endpoint('POST', '/projects/:project/runs/:key/redlines', {
  summary: 'Change, add or drop a step for this run only, with a reason; it is offered to the author of the case',
  may: record,
  params: inProjectKey,
  body: z.object({
    step: z.number().int().min(1).max(501),
    what: redlineWhat,
    after: stepWords.nullable().default(null),
    reason: reasonText,
    of: ofStep,
  }),
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
  query: correction.extend({ of: ofStep }),
  multipart: true,
  answer: runDetailSchema,
});
export const handIn = endpoint('POST', '/projects/:project/runs/:key/handed-in', {
  summary: 'Keep with a run what was recorded on a device and does not fit any more; its result stays as it is',
  may: record,
  params: inProjectKey,
  body: z.object({ why: z.string().trim().min(3).max(2000), recorded: z.array(recordedAwaySchema).min(1).max(2000).readonly() }),
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
