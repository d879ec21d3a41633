import * as z from 'zod';
import { endpoint, inProject, key } from '../base';

const stateSchema = z.enum(['passed', 'deviation', 'planned', 'outdated', 'blocked', 'failed']);
export const comparisonSchema = z.object({
  columns: z.array(z.object({ key: z.string(), title: z.string(), build: z.string(), at: z.string() })),
  rows: z.array(
    z.object({
      key: z.string(),
      title: z.string(),
      folder: z.string(),
      requirements: z.array(z.string()),
      levels: z.array(z.string()),
      /** A letter a column: p passed, d deviation, o planned, s of an older revision, b blocked, f failed; a full stop: not planned. */
      cells: z.string(),
      flips: z.array(z.number()),
      runs: z.array(z.number()),
      latest: z.object({ state: stateSchema, number: z.number() }).nullable(),
    }),
  ),
  /** There are more cases, or more columns, than are answered. */
  more: z.boolean(),
  seq: z.number(),
});
export type Comparison = z.output<typeof comparisonSchema>;
const question = z.object({
  across: z.enum(['builds', 'rounds', 'configurations']).default('builds'),
  /** Rounds and configurations of this build; of all where none is named. */
  build: key.optional(),
});
export const getComparison = endpoint('GET', '/projects/:project/comparison', {
  summary: 'Results of all cases beside each other: cases down; builds, rounds or configurations across; at most 5,000 by 100',
  may: 'member',
  params: inProject,
  query: question,
  answer: comparisonSchema,
});
export const comparisonFileQuery = question.extend({
  by: z.enum(['folder', 'requirement', 'level', 'none']).default('folder'),
  only: z.enum(['all', 'failing', 'changed', 'flips', 'planned', 'never']).default('all'),
  from: z.coerce.number().int().min(0).max(99).default(0),
  to: z.coerce.number().int().min(0).max(99).default(0),
  words: z.string().max(300).default(''),
  /** The places of the columns that are wanted, with commas; all where none is named. */
  columns: z.string().max(400).default(''),
  format: z.enum(['csv', 'xlsx', 'html']),
});
