import * as z from 'zod';
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
  rules: z.array(z.object({ rule: z.string(), name: z.string(), why: z.string(), open: z.number(), excepted: z.number() })),
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

export const traceRuleSchema = z.object({
  id: z.string().max(40),
  name: z.string().trim().max(100),
  of: z.array(key).max(50).readonly(),
  levels: z.array(z.string().max(40)).max(20).readonly(),
  wants: z.enum(['parent', 'child', 'case', 'noneBeside']),
  within: z.array(key).max(50).readonly(),
  least: z.number().int().min(1).max(50),
  unless: z
    .array(z.enum(['topLevel', 'derived', 'notInCode', 'inCode']))
    .max(4)
    .readonly(),
  whereAny: z.boolean(),
});
export const traceRulesSchema = z.object({
  rules: z.array(traceRuleSchema),
  /** Nobody said anything: these are the usual ones. */
  usual: z.boolean(),
  /** The pattern for the standard that the project goes by. */
  pattern: z.array(traceRuleSchema),
  /** How many gaps each rule finds now, by its id. */
  found: z.record(z.string(), z.number()),
});
export const getTraceRules = endpoint('GET', '/projects/:project/trace-rules', {
  summary: 'The rules of trace of the project',
  may: 'member',
  params: inProject,
  answer: traceRulesSchema,
});
const rulesBody = z.object({ rules: z.array(traceRuleSchema).max(50) });
export const tryTraceRules = endpoint('POST', '/projects/:project/trace-rules/trial', {
  summary: 'How many gaps rules would find; nothing is kept',
  may: 'member',
  params: inProject,
  body: rulesBody,
  answer: z.object({ found: z.record(z.string(), z.number()) }),
});
export const saveTraceRules = endpoint('PUT', '/projects/:project/trace-rules', {
  summary: 'Give the project its own rules of trace. Exceptions from a rule that is no more stand for nothing',
  may: ['administrator', 'author'],
  params: inProject,
  body: rulesBody,
  answer: traceRulesSchema,
});
