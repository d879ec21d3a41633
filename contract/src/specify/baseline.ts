import * as z from 'zod';
import { endpoint, inProject, inProjectKey, listQuery, longText, pageOf, recordSignatureSchema, shortText } from '../base';
import { contentSchema } from './content';

export const baselineSchema = z.object({
  key: z.string(),
  title: z.string(),
  description: z.string(),
  /** Keys of the specifications that it holds. */
  specifications: z.array(z.string()),
  /** The ledger number that it is true for. */
  asOf: z.number(),
  sha256: z.string(),
  requirements: z.number(),
  traces: z.number(),
  createdBy: z.string(),
  createdAt: z.string(),
});
export type Baseline = z.output<typeof baselineSchema>;

export const baselineDetailSchema = baselineSchema.extend({
  signatures: z.array(recordSignatureSchema),
  /** A newer one that holds the same specifications, if there is one. */
  newer: z.string().nullable(),
});
export type BaselineDetail = z.output<typeof baselineDetailSchema>;

export const listBaselines = endpoint('GET', '/projects/:project/baselines', {
  summary: 'The baselines, by filter, order and page',
  may: 'member',
  params: inProject,
  query: listQuery,
  answer: pageOf(baselineSchema),
});
export const addBaseline = endpoint('POST', '/projects/:project/baselines', {
  summary: 'Keep some specifications as they stand now, all revisions and traces, under a name, signed',
  may: ['author', 'reviewer'],
  params: inProject,
  body: z.object({
    title: shortText.trim().min(1, 'Give it a name.'),
    description: longText.default(''),
    specifications: z.array(z.string().max(60)).min(1, 'Choose at least one specification.').max(100),
    password: z.string().max(200),
  }),
  answer: baselineDetailSchema,
});
export const getBaseline = endpoint('GET', '/projects/:project/baselines/:key', {
  summary: 'A baseline: what it holds and who signed it',
  may: 'member',
  params: inProjectKey,
  answer: baselineDetailSchema,
});

const paged = {
  skip: z.coerce.number().int().min(0).max(1_000_000).default(0),
  limit: z.coerce.number().int().min(1).max(200).default(100),
};
export const baselineRowSchema = z.object({
  key: z.string(),
  specification: z.string(),
  revision: z.number(),
  state: z.string(),
  under: z.string().nullable(),
  depth: z.number(),
  content: contentSchema,
  own: z.record(z.string(), z.string()),
  parents: z.array(z.string()),
});
export type BaselineRow = z.output<typeof baselineRowSchema>;
export const readBaseline = endpoint('GET', '/projects/:project/baselines/:key/requirements', {
  summary: 'The requirements of a baseline as they were, in reading order',
  may: 'member',
  params: inProjectKey,
  query: z.object({ ...paged, words: z.string().max(200).default('') }),
  answer: z.object({ rows: z.array(baselineRowSchema), total: z.number() }),
});

export const baselineChangeSchema = z.object({
  what: z.enum(['added', 'removed', 'changed', 'moved', 'traceAdded', 'traceRemoved']),
  key: z.string(),
  title: z.string(),
  before: z.number().nullable(),
  after: z.number().nullable(),
  differences: z.array(z.object({ name: z.string(), before: z.string(), after: z.string() })),
});
export type BaselineChangeRow = z.output<typeof baselineChangeSchema>;
export const comparisonSchema = z.object({
  counts: z.array(z.object({ what: baselineChangeSchema.shape.what, count: z.number() })),
  rows: z.array(baselineChangeSchema),
  total: z.number(),
  /** The ledger number that the other side is true for. */
  asOf: z.number(),
});
export type BaselineComparison = z.output<typeof comparisonSchema>;
export const compareBaseline = endpoint('GET', '/projects/:project/baselines/:key/comparison', {
  summary: 'What is otherwise in another baseline, or now, than in this one',
  may: 'member',
  params: inProjectKey,
  query: z.object({
    ...paged,
    /** The key of the other one; nothing for now. */
    with: z.string().max(60).default(''),
    what: baselineChangeSchema.shape.what.optional(),
  }),
  answer: comparisonSchema,
});
