import * as z from 'zod';
import { contentSchema } from './content';
import { dismissalSchema } from './wording';
import {
  endpoint,
  incomingId,
  inProject,
  inProjectKey,
  jobSchema,
  key,
  listQuery,
  longText,
  ownValuesSchema,
  pageOf,
  reasonOfChange,
  recordSignatureSchema,
  reviewStateBody,
  shortText,
  traceSchema,
  versionedKindSchema,
} from '../base';

export const specificationSchema = z.object({ key: z.string(), title: z.string(), prefix: z.string(), requirements: z.number() });
export type Specification = z.output<typeof specificationSchema>;

export const requirementSchema = contentSchema.extend({
  key: z.string(),
  specification: z.string(),
  under: z.string().nullable(),
  /** Keys of the requirements that it is derived from. */
  derivedFrom: z.array(z.string()),
  position: z.number(),
  revision: z.number(),
  state: z.enum(['draft', 'review', 'approved', 'retired']),
  own: ownValuesSchema,
  updatedBy: z.string(),
  updatedAt: z.string(),
});
export type Requirement = z.output<typeof requirementSchema>;

export const requirementDetailSchema = requirementSchema.extend({
  parents: z.array(traceSchema),
  children: z.array(traceSchema),
  cases: z.array(traceSchema),
  /** Every trace at it, of whatever kind. */
  traces: z.array(traceSchema),
  /** Who wrote its present revision. */
  author: z.string(),
  /** What an approval of its present revision is bound to. */
  hash: z.string(),
  signatures: z.array(recordSignatureSchema),
  /** What of its wording somebody let stand. */
  dismissals: z.array(dismissalSchema),
  /** The records whose keys stand in its texts. */
  mentions: z.array(z.object({ kind: versionedKindSchema, key: z.string() })),
});
export type RequirementDetail = z.output<typeof requirementDetailSchema>;

const authors = ['author'] as const;

export const listSpecifications = endpoint('GET', '/projects/:project/specifications', {
  summary: 'The specifications',
  may: 'member',
  params: inProject,
  answer: z.array(specificationSchema),
});
export const addSpecification = endpoint('POST', '/projects/:project/specifications', {
  summary: 'Begin a specification',
  may: authors,
  params: inProject,
  body: z.object({
    key: z.string().regex(/^[A-Z][A-Z0-9-]{1,20}$/, 'Capitals, digits and hyphens.'),
    title: shortText.trim().min(1),
    prefix: z.string().regex(/^[A-Z][A-Z0-9]{0,11}$/, 'Capitals and digits, as in BRK.'),
  }),
  answer: specificationSchema,
});
export const listRequirements = endpoint('GET', '/projects/:project/requirements', {
  summary: 'Requirements, by filter, order and page: of all specifications or of one',
  may: 'member',
  params: inProject,
  query: listQuery.extend({ specification: z.string().max(60).optional() }),
  answer: pageOf(requirementSchema),
});
/** A row of a specification's tree. */
export const branchRowSchema = z.object({
  key: z.string(),
  title: z.string(),
  kind: z.enum(['heading', 'requirement', 'note']),
  state: z.enum(['draft', 'review', 'approved', 'retired']),
  level: z.string(),
  /** What it stands under; null at the top. */
  under: z.string().nullable(),
  position: z.number(),
  /** How many stand directly under it. */
  children: z.number(),
});
export type BranchRow = z.output<typeof branchRowSchema>;

export const branchesSchema = z.object({
  /** How many requirements and headings the specification has. */
  total: z.number(),
  branches: z.array(
    z.object({
      under: z.string().nullable(),
      page: z.number(),
      /** How many stand in the branch in all. */
      total: z.number(),
      rows: z.array(branchRowSchema),
    }),
  ),
  /** The rows that were asked for by key, as far as they stand in this specification. */
  rows: z.array(branchRowSchema),
  /** The way to the row that is to be shown, from the top: each with its place among those beside it. */
  path: z.array(z.object({ row: branchRowSchema, at: z.number() })),
  seq: z.number(),
});
export type Branches = z.output<typeof branchesSchema>;
export const listBranches = endpoint('GET', '/projects/:project/specifications/:key/branches', {
  summary: 'Pages of the branches of a specification’s tree, in reading order; rows by key; and the way to one of them',
  may: 'member',
  params: inProjectKey,
  query: z.object({
    /** Which pages: what they stand under, a dot and the page, from 0 on; nothing before the dot at the top. `.0,BRK-100.0,BRK-100.3` */
    at: z
      .string()
      .regex(/^([A-Z0-9-]*\.\d{1,6})(,[A-Z0-9-]*\.\d{1,6}){0,39}$/, 'Up to forty pages, as in .0,BRK-100.2')
      .optional(),
    /** Rows by their keys, up to two hundred. */
    of: z
      .string()
      .regex(/^[A-Z0-9-]+(,[A-Z0-9-]+){0,199}$/, 'Up to two hundred keys.')
      .optional(),
    /** The key of a row to which the way is asked. */
    to: key.optional(),
  }),
  answer: branchesSchema,
});
export const passageSchema = requirementSchema.extend({
  /** How deep it stands: 0 at the top. */
  depth: z.number(),
  /** Of a heading: its number by its place, as in 1.2. */
  number: z.string(),
});
export type Passage = z.output<typeof passageSchema>;
export const readSpecification = endpoint('GET', '/projects/:project/specifications/:key/text', {
  summary: 'A specification in reading order, as one reads it from top to bottom: a stretch of it',
  may: 'member',
  params: inProjectKey,
  query: z.object({
    skip: z.coerce.number().int().min(0).max(1_000_000).default(0),
    limit: z.coerce.number().int().min(1).max(500).default(100),
    /** Begin at this row, wherever it stands. */
    at: key.optional(),
  }),
  answer: z.object({ rows: z.array(passageSchema), skip: z.number(), total: z.number(), seq: z.number() }),
});
export const getRequirement = endpoint('GET', '/projects/:project/requirements/:key', {
  summary: 'One requirement with its traces',
  may: 'member',
  params: inProjectKey,
  answer: requirementDetailSchema,
});
export const addRequirement = endpoint('POST', '/projects/:project/requirements', {
  summary: 'Write a requirement; without a key it gets the next free one',
  may: authors,
  params: inProject,
  body: z.object({
    specification: key,
    under: key.nullable().default(null),
    /** The sibling behind which it is put; at the end without one. */
    after: key.optional(),
    key: key.optional(),
    parent: key.nullable().default(null),
    content: contentSchema,
  }),
  answer: requirementDetailSchema,
});
export const saveRequirement = endpoint('PUT', '/projects/:project/requirements/:key', {
  summary: 'Save a new revision, based on the one named; of what is approved, for a reason',
  may: authors,
  params: inProjectKey,
  body: z.object({
    basedOn: z.number().int(),
    content: contentSchema,
    /** Why it changes: asked for where the revision before it is approved. */
    reason: reasonOfChange,
  }),
  answer: requirementDetailSchema,
});
export const placeRequirement = endpoint('PUT', '/projects/:project/requirements/:key/place', {
  summary: 'Move a requirement in its tree',
  may: authors,
  params: inProjectKey,
  body: z.object({ under: key.nullable(), before: key.nullable() }),
  answer: requirementDetailSchema,
});
export const setRequirementState = endpoint('PUT', '/projects/:project/requirements/:key/state', {
  summary: 'Ask for review, or send back to draft',
  may: ['author', 'reviewer'],
  params: inProjectKey,
  body: reviewStateBody,
  answer: requirementDetailSchema,
});
export const approvalBody = z.object({
  basedOn: z.number().int(),
  /** The hash of the revision that the signer saw. */
  hash: z.string().length(64),
  password: z.string().max(200),
  reason: longText.default(''),
});
export const approveRequirement = endpoint('POST', '/projects/:project/requirements/:key/approval', {
  summary: 'Approve a revision in review: a signature on its hash, by somebody who did not write it',
  may: ['reviewer'],
  params: inProjectKey,
  body: approvalBody,
  answer: requirementDetailSchema,
});
export const outlineRowSchema = z.object({
  kind: z.enum(['heading', 'requirement', 'note']),
  depth: z.number().int().min(0).max(30),
  title: shortText,
  text: longText,
});
export const addOutline = endpoint('POST', '/projects/:project/specifications/:key/outline', {
  summary: 'Write many at once as a tree, all or none: each gets the next free key',
  may: authors,
  params: inProjectKey,
  body: z.object({
    /** What all of it stands under; nothing at the top of the specification. */
    under: key.nullable().default(null),
    /** What requirements begin with. */
    level: z.string().max(40).default(''),
    method: z.enum(['', 'test', 'analysis', 'inspection', 'demonstration']).default(''),
    /** Where it comes from: the name of a document. */
    source: shortText.default(''),
    rows: z.array(outlineRowSchema).min(1, 'There is nothing to write.').max(5000, 'At most 5,000 at once.'),
  }),
  bodyLimit: 48 * 1024 * 1024,
  answer: z.object({ written: z.number(), first: z.string(), keys: z.array(z.string()) }),
});
export const readWorkbook = endpoint('POST', '/projects/:project/imports/requirements/workbook', {
  summary: 'A table of a workbook (XLSX) as CSV, to be looked at and imported; nothing is written',
  may: authors,
  params: inProject,
  multipart: true,
  query: z.object({ sheet: z.string().max(60).optional() }),
  answer: z.object({ sheets: z.array(z.string()), sheet: z.string(), csv: z.string() }),
});
export const importSummarySchema = z.object({
  columns: z.array(z.string()),
  mapping: z.record(z.string(), z.string()),
  total: z.number(),
  good: z.number(),
  new: z.number(),
  changed: z.number(),
  same: z.number(),
  /** How many the specification has that the table does not name, and the first of their keys. */
  missing: z.number(),
  missingKeys: z.array(z.string()),
  findings: z.array(z.object({ severity: z.string(), row: z.number().optional(), cell: z.string().optional(), text: z.string() })),
  rows: z.array(
    z.object({
      key: z.string(),
      status: z.enum(['new', 'changed', 'same']),
      parents: z.array(z.string()),
      /** What reads otherwise than now; of changed rows. */
      differences: z.array(z.object({ name: z.string(), before: z.string(), after: z.string() })),
      content: z.object({ title: z.string(), level: z.string(), method: z.string() }),
    }),
  ),
});
export type ImportSummary = z.output<typeof importSummarySchema>;
/** Which column of a table, by its heading, holds which field. */
const mapping = z.record(z.string().max(40), z.string().max(200));
/** Texts of a table that are laid out, by key: HTML, of which what a text can hold is taken. */
const layoutsSchema = z.record(z.string().max(60), z.string().max(200_000));

export const previewImport = endpoint('POST', '/projects/:project/imports/requirements/preview', {
  summary:
    'What a CSV table of requirements would write: its faults by row and cell, what is new, changed and the same; nothing is written',
  may: authors,
  params: inProject,
  body: z.object({
    csv: z.string(),
    /** None: what the headings suggest. */
    mapping: mapping.optional(),
    /** The specification that it is of: what of it the table does not name is told. */
    specification: key.optional(),
    layouts: layoutsSchema.optional(),
  }),
  bodyLimit: 48 * 1024 * 1024,
  answer: importSummarySchema,
});
const rawList = z.array(z.string().max(2_000_000)).max(200_000);
const byName = z.record(z.string().max(300), z.string().max(300));
export const exchangeSchema = z.object({
  namespaces: byName,
  specification: z.string().max(300),
  objects: byName,
  places: byName,
  alternatives: byName.optional(),
  relations: byName,
  datatypes: rawList,
  attributes: rawList,
  values: z.record(z.string().max(300), rawList),
  groupTypes: rawList,
  groups: rawList,
  extensions: rawList,
});
export const getExchange = endpoint('GET', '/projects/:project/specifications/:key/exchange', {
  summary: 'By which identifiers another tool knows the requirements of a specification, and which keys new ones get',
  may: 'member',
  params: inProjectKey,
  answer: z.object({ prefix: z.string(), next: z.number(), identifiers: z.record(z.string(), z.string()) }),
});
/** A large table, as it comes in parts: JSON, packed with gzip. */
export const sentTableSchema = z.object({
  csv: z.string(),
  layouts: layoutsSchema.optional(),
  exchange: exchangeSchema.optional(),
});
export const previewSentTable = endpoint('POST', '/projects/:project/imports/requirements/sent/preview', {
  summary: 'The same of a large table that came in parts before: JSON with `csv`, `layouts` and `exchange`, packed with gzip',
  may: authors,
  params: inProject,
  body: z.object({
    table: incomingId,
    mapping: mapping.optional(),
    /** Its headings, by which the mapping of the last such table is known. */
    columns: z.array(z.string().max(500)).max(500).default([]),
    specification: key.optional(),
  }),
  answer: importSummarySchema,
});
export const importSentTable = endpoint('POST', '/projects/:project/imports/requirements/sent', {
  summary: 'Write a large table that came in parts before, all rows or none, as a job that can be cancelled',
  may: authors,
  params: inProject,
  body: z.object({
    table: incomingId,
    specification: key,
    fileName: shortText,
    mapping,
    missing: z.enum(['leave', 'retire']).default('leave'),
  }),
  answer: jobSchema,
});
export const importRequirements = endpoint('POST', '/projects/:project/imports/requirements', {
  summary: 'Write a CSV table of requirements, all rows or none: new ones, and new revisions of those that differ',
  may: authors,
  params: inProject,
  body: z.object({
    specification: key,
    fileName: shortText,
    csv: z.string(),
    /** Which column, by its heading, holds which field; `own:` and a number for the project’s own. */
    mapping,
    /** What a file of another tool holds that has no place here: kept beside the specification, and written out with it. */
    exchange: exchangeSchema.optional(),
    layouts: layoutsSchema.optional(),
    /** What becomes of what the specification has and the table does not name. */
    missing: z.enum(['leave', 'retire']).default('leave'),
  }),
  bodyLimit: 48 * 1024 * 1024,
  answer: z.object({
    written: z.number(),
    changed: z.number(),
    same: z.number(),
    retired: z.number(),
    /** The act on many records by which all of it is taken back as one. */
    bulk: z.number().nullable(),
  }),
});
