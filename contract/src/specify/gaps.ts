import { z } from 'zod';
import { done, endpoint, inProject, key, reasonText } from '../base';

export const gapQuery = z.object({
  /** One specification, or the branch below a heading; nothing for the whole project. */
  specification: z.string().max(60).optional(),
  under: z.string().max(60).optional(),
  rule: z.string().max(40).optional(),
  /** Also those from which an exception stands. */
  excepted: z.enum(['with']).optional(),
});
export const gapSchema = z.object({
  rule: z.string(),
  kind: z.enum(['requirement', 'case']),
  key: z.string(),
  title: z.string(),
  other: z.string(),
  /** What the other record is; null where there is none. */
  otherKind: z.enum(['requirement', 'case']).nullable(),
  words: z.string(),
  ground: z.string(),
  /** The exception that stands from it. */
  exception: z.object({ id: z.number(), reason: z.string(), by: z.string(), at: z.string() }).nullable(),
});
export type GapRow = z.output<typeof gapSchema>;
export const gapsSchema = z.object({
  checked: z.number(),
  rules: z.array(z.object({ rule: z.string(), open: z.number(), excepted: z.number() })),
  rows: z.array(gapSchema),
  total: z.number(),
  /** Exceptions whose ground changed: they stand no more. */
  ended: z.number(),
  seq: z.number(),
});
export type Gaps = z.output<typeof gapsSchema>;
export const listGaps = endpoint('GET', '/projects/:project/gaps', {
  summary: 'What lacks and what contradicts, over a project, a specification or a branch: counts by rule, and a page',
  may: 'member',
  params: inProject,
  query: gapQuery.extend({
    skip: z.coerce.number().int().min(0).max(1_000_000).default(0),
    limit: z.coerce.number().int().min(1).max(500).default(200),
  }),
  answer: gapsSchema,
});
export const grantException = endpoint('POST', '/projects/:project/gaps/exceptions', {
  summary: 'Grant an exception from a rule, with a reason and a signature; it ends when what it rests on is revised',
  may: ['reviewer'],
  params: inProject,
  body: z.object({
    rule: z.string().max(40),
    key,
    other: z.string().max(60),
    ground: z.string().length(64),
    reason: reasonText,
    password: z.string().max(200),
  }),
  answer: done,
});
export const endException = endpoint('DELETE', '/projects/:project/gaps/exceptions/:id', {
  summary: 'End an exception',
  may: ['author', 'reviewer'],
  params: inProject.extend({ id: z.coerce.number().int() }),
  query: z.object({ reason: z.string().max(2000).default('') }),
  answer: done,
});
