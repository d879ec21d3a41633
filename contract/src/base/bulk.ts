import * as z from 'zod';
import { endpoint, inProject, key, longText, shortText } from './endpoint';
import { ownValuesSchema } from './field';
import { jobSchema } from './job';
import { versionedKindSchema } from './trace';

/** What is done to each of many records alike. */
export const bulkActSchema = z.discriminatedUnion('act', [
  /** Asks for review, or takes back to draft. */
  z.object({ act: z.literal('state'), state: z.enum(['draft', 'review']) }),
  /** Approves what is in review: a signature on each revision that the preview showed. */
  z.object({ act: z.literal('approve') }),
  z.object({ act: z.literal('retire') }),
  z.object({ act: z.literal('restore') }),
  z.object({ act: z.literal('own'), own: ownValuesSchema }),
  /** Sets members of the content, as its kind has them. */
  z.object({ act: z.literal('set'), values: z.record(z.string().max(40), z.union([z.string().max(20_000), z.boolean(), z.number()])) }),
  /** Moves into another specification, or below another heading of its own. */
  z.object({ act: z.literal('move'), specification: key, under: key.nullable().default(null) }),
  /** Makes a copy beside each: a new record in draft, with or without its traces. */
  z.object({ act: z.literal('copy'), specification: key.optional(), traces: z.boolean().default(false) }),
  /** Finds words in the texts of cases, and puts others in their place. */
  z.object({
    act: z.literal('replace'),
    find: z.string().min(1, 'What is looked for?').max(500),
    replace: longText,
    sameCase: z.boolean(),
    wholeWords: z.boolean(),
  }),
  z.object({ act: z.literal('file'), folder: key.nullable() }),
  z.object({ act: z.literal('reassign'), tester: z.string().max(60) }),
  z.object({ act: z.literal('withdraw') }),
  z.object({ act: z.literal('bringBack') }),
  /** Brings back what a revision said, under its heading of then and with its parents of then. */
  z.object({
    act: z.literal('revert'),
    revision: z.number().int().min(1),
    under: key.nullable(),
    parents: z.array(key).max(200),
  }),
  /** Was done by an import: it is kept here so that it can be taken back as one. */
  z.object({ act: z.literal('import'), fileName: shortText }),
]);
export type BulkAct = z.output<typeof bulkActSchema>;

/** The records that are meant: by their keys, or all that a list's question finds. */
export const selectionSchema = z.object({
  kind: versionedKindSchema,
  keys: z.array(key).max(20_000).optional(),
  filter: z.string().max(60_000).optional(),
  specification: key.optional(),
  build: key.optional(),
});
export type Selection = z.output<typeof selectionSchema>;

const bulkItemSchema = z.object({
  key: z.string(),
  title: z.string(),
  revision: z.number(),
  state: z.string(),
  outcome: z.enum(['open', 'done', 'refused']),
  /** What changes, or why it is refused. */
  words: z.string(),
});
export type BulkItem = z.output<typeof bulkItemSchema>;

export const previewBulk = endpoint('POST', '/projects/:project/bulk/preview', {
  summary: 'What an act on many records would change, and what would be refused and why: tried, and taken back at once',
  may: ['author', 'tester', 'reviewer'],
  params: inProject,
  body: z.object({ selection: selectionSchema, act: bulkActSchema, reason: longText.default('') }),
  bodyLimit: 2 << 20,
  answer: z.object({
    total: z.number(),
    changed: z.number(),
    refused: z.number(),
    /** The refused ones first, then the others; the first two hundred of each. */
    items: z.array(bulkItemSchema),
    /** Names what was shown: an act that carries it is done only to that. */
    digest: z.string(),
  }),
});

export const bulkSchema = z.object({
  id: z.number(),
  act: bulkActSchema,
  reason: z.string(),
  by: z.string(),
  at: z.string(),
  total: z.number(),
  done: z.number(),
  refused: z.number(),
  undone: z.boolean(),
  /** Where it is done by a job. */
  job: jobSchema.nullable(),
});
export type Bulk = z.output<typeof bulkSchema>;

export const doBulk = endpoint('POST', '/projects/:project/bulk', {
  summary: 'Do to many records what the preview showed: at once up to 500, beyond that as a job that can be cancelled',
  may: ['author', 'tester', 'reviewer'],
  params: inProject,
  body: z.object({
    selection: selectionSchema,
    act: bulkActSchema,
    reason: longText.default(''),
    /** The digest of the preview. */
    digest: z.string().length(64),
    /** Signs it, where the act is a signature. */
    password: z.string().max(200).default(''),
  }),
  bodyLimit: 2 << 20,
  answer: bulkSchema,
});
export const listBulk = endpoint('GET', '/projects/:project/bulk', {
  summary: 'The newest acts on many records',
  may: 'member',
  params: inProject,
  query: z.object({ before: z.coerce.number().int().optional() }),
  answer: z.array(bulkSchema),
});
export const getBulk = endpoint('GET', '/projects/:project/bulk/:id', {
  summary: 'An act on many records, with what became of each, a page at a time',
  may: 'member',
  params: inProject.extend({ id: z.coerce.number().int() }),
  query: z.object({ after: z.coerce.number().int().default(-1), outcome: z.enum(['open', 'done', 'refused']).optional() }),
  answer: bulkSchema.extend({ items: z.array(bulkItemSchema), next: z.number().nullable() }),
});
export const undoBulk = endpoint('POST', '/projects/:project/bulk/:id/undo', {
  summary: 'Take an act on many records back as one: what changed since is left as it is, and named',
  may: ['author', 'tester', 'reviewer'],
  params: inProject.extend({ id: z.coerce.number().int() }),
  answer: bulkSchema,
});
