import * as z from 'zod';
import { endpoint, inProject, inProjectKey, key, shortText } from '../base';
import { caseContentSchema } from './content';

const grain = z.enum(['case', 'step', 'rows', 'none']);
const scope = z.object({
  /** A specification, or the branch below one of its requirements. */
  specification: key,
  under: key.nullable().default(null),
  choices: z.array(z.object({ key, grain })).max(5000).default([]),
});
export const draftPlanSchema = z.object({
  grains: z.array(
    z.object({
      key: z.string(),
      under: z.string().nullable(),
      title: z.string(),
      kind: z.string(),
      grain,
      why: z.string(),
      chosen: z.boolean(),
    }),
  ),
  make: z.array(z.object({ draft: z.string(), verifies: z.array(z.string()), content: caseContentSchema })),
  link: z.array(z.object({ case: z.string(), requirement: z.string() })),
  skipped: z.array(z.object({ draft: z.string(), case: z.string(), why: z.enum(['made before', 'made by hand']) })),
  outdated: z.array(z.object({ case: z.string(), draft: z.string(), now: caseContentSchema })),
  /** Names what was shown: what is written carries it. */
  digest: z.string(),
});
export type DraftPlan = z.output<typeof draftPlanSchema>;
export const planDrafts = endpoint('POST', '/projects/:project/case-drafts/plan', {
  summary: 'What cases to make of a part of a specification, at which grain, and why; nothing is written',
  may: 'member',
  params: inProject,
  body: scope,
  answer: draftPlanSchema,
});
export const makeDrafts = endpoint('POST', '/projects/:project/case-drafts', {
  summary: 'Write what the plan showed, in one transaction: drafts of cases with their traces, and traces of cases that stand',
  may: ['author'],
  params: inProject,
  body: scope.extend({ digest: z.string().length(64), folder: key.nullable().default(null) }),
  answer: z.object({ written: z.array(z.string()), linked: z.number() }),
});

export const importedCaseSchema = z.object({
  row: z.number(),
  title: z.string(),
  steps: z.number(),
  verifies: z.array(z.string()),
  folder: z.string(),
});
const findingSchema = z.object({
  row: z.number().optional(),
  cell: z.string().optional(),
  severity: z.enum(['error', 'warning']),
  text: z.string(),
});
const sheetColumn = z.enum([
  'title',
  'objective',
  'preconditions',
  'postconditions',
  'action',
  'expected',
  'minutes',
  'verifies',
  'tags',
  'priority',
  'kind',
  'folder',
]);
export const caseImportSchema = z.object({
  headings: z.array(z.string()),
  /** Which column holds what: as it was asked, or guessed, or remembered from a table with the same headings. */
  columns: z.partialRecord(sheetColumn, z.number()),
  remembered: z.boolean(),
  cases: z.array(importedCaseSchema),
  total: z.number(),
  findings: z.array(findingSchema),
  digest: z.string(),
});
export type CaseImport = z.output<typeof caseImportSchema>;
const importBody = z.object({
  /** A CSV table, rows pasted from a spreadsheet, or a file of cases in JSON. */
  text: z.string(),
  columns: z.partialRecord(sheetColumn, z.number().int().min(0)).optional(),
});
const importLimit = 24 * 1024 * 1024;
export const previewCaseImport = endpoint('POST', '/projects/:project/imports/cases/preview', {
  summary: 'What a table of cases, a file of cases in JSON or pasted rows would become; nothing is written',
  may: ['author'],
  params: inProject,
  body: importBody,
  bodyLimit: importLimit,
  answer: caseImportSchema,
});
export const importCases = endpoint('POST', '/projects/:project/imports/cases', {
  summary: 'Write what the preview showed, all or nothing',
  may: ['author'],
  params: inProject,
  body: importBody.extend({ digest: z.string().length(64), fileName: shortText.default('') }),
  bodyLimit: importLimit,
  answer: z.object({ written: z.array(z.string()) }),
});

export const dismissCaseFinding = endpoint('POST', '/projects/:project/cases/:key/wording', {
  summary: 'Let a finding of a case’s wording stand, for a reason',
  may: ['author', 'reviewer'],
  params: inProjectKey,
  body: z.object({
    rule: z.string().max(40),
    words: z.string().max(500),
    reason: shortText.trim().min(3, 'Say why, in at least three letters.'),
  }),
  answer: z.object({ ok: z.literal(true) }),
});
export const endCaseDismissal = endpoint('DELETE', '/projects/:project/cases/:key/wording/:id', {
  summary: 'Look anew at a finding that was let stand',
  may: ['author', 'reviewer'],
  params: inProjectKey.extend({ id: z.coerce.number().int() }),
  answer: z.object({ ok: z.literal(true) }),
});

const sufficiencyRule = z.enum([
  'noCase',
  'oneCase',
  'fewCases',
  'oneTechnique',
  'boundaries',
  'verifiesNothing',
  'neverRun',
  'likeAnother',
  'carried',
]);
export const sufficiencySchema = z.object({
  counts: z.array(z.object({ rule: sufficiencyRule, count: z.number() })),
  rows: z.array(z.object({ rule: sufficiencyRule, key: z.string(), title: z.string(), words: z.string(), others: z.array(z.string()) })),
  total: z.number(),
  /** How many requirements and cases were looked at, and of how many limits how many have a case at them. */
  requirements: z.number(),
  cases: z.number(),
  boundaries: z.object({ stand: z.number(), of: z.number() }),
  seq: z.number(),
});
export type Sufficiency = z.output<typeof sufficiencySchema>;
export const sufficiencyQuery = z.object({
  specification: key.optional(),
  build: key.optional(),
  rule: sufficiencyRule.optional(),
  /** Fewer cases than these are few. */
  few: z.coerce.number().int().min(2).max(20).default(2),
  words: z.string().max(200).default(''),
  skip: z.coerce.number().int().min(0).default(0),
  limit: z.coerce.number().int().min(1).max(500).default(100),
});
export const getSufficiency = endpoint('GET', '/projects/:project/sufficiency', {
  summary:
    'Are there enough cases, and none too many: requirements with few, limits without one, cases that verify nothing, were never run, say nearly the same, or show what others show',
  may: 'member',
  params: inProject,
  query: sufficiencyQuery,
  answer: sufficiencySchema,
});

export const boundarySchema = z.object({
  words: z.string(),
  at: z.number(),
  name: z.string(),
  value: z.number(),
  unit: z.string(),
  valid: z.boolean(),
  case: z.string().nullable(),
});
export const getBoundaries = endpoint('GET', '/projects/:project/requirements/:key/boundaries', {
  summary: 'The limits that a requirement states, and the case that stands at each and one step beside it',
  may: 'member',
  params: inProjectKey,
  answer: z.object({ points: z.array(boundarySchema) }),
});

export const selectionPlanSchema = z.object({
  cases: z.array(z.object({ key: z.string(), title: z.string(), minutes: z.number(), adds: z.number() })),
  minutes: z.number(),
  covered: z.number(),
  of: z.number(),
  /** No set can have fewer cases, or (within minutes) cover more. */
  bound: z.number(),
  proved: z.boolean(),
  /** Requirements of the scope that no case which can be run verifies. */
  without: z.array(z.string()),
});
export type SelectionPlan = z.output<typeof selectionPlanSchema>;
export const selectCases = endpoint('POST', '/projects/:project/cases/selection', {
  summary: 'The fewest cases that show all that a scope shows, requirements and code; or the best within so many minutes',
  may: 'member',
  params: inProject,
  body: z.object({
    specification: key.optional(),
    build: key,
    minutes: z.number().min(1).max(1_000_000).optional(),
  }),
  answer: selectionPlanSchema,
});

export const caseDocumentQuery = z.object({
  format: z.enum(['docx', 'pdf', 'html', 'json']),
  cases: z.string().max(20_000).optional(),
  folder: key.optional(),
  filter: z.string().max(60_000).optional(),
  traces: z.enum(['with', 'without']).default('with'),
});
