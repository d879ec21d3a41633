import * as z from 'zod';
import { endpoint, inProject, key, listQuery, pageOf } from '../base';

const endSchema = z.object({ key: z.string(), title: z.string(), state: z.string(), suspect: z.boolean() }).readonly();
export const threadSchema = z.object({
  key: z.string(),
  title: z.string(),
  state: z.string(),
  level: z.string(),
  specification: z.string(),
  needsParent: z.boolean(),
  parents: z.array(endSchema),
  children: z.array(endSchema),
  cases: z.array(endSchema),
  runs: z.array(endSchema),
  functions: z.array(z.string()),
  notInCode: z.boolean(),
  problems: z.array(endSchema),
});
export type ThreadRow = z.output<typeof threadSchema>;
export const threadQuery = listQuery.extend({ specification: key.optional(), build: key.optional() });
export const listThreads = endpoint('GET', '/projects/:project/threads', {
  summary:
    'Requirements with what they hang together with, up and down: parents, derived ones, cases, results and code of a build, problems',
  may: 'member',
  params: inProject,
  query: threadQuery,
  answer: pageOf(threadSchema),
});
