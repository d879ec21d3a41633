import * as z from 'zod';
import { endpoint, inProject, inProjectKey, key, listQuery, longText, ownValuesSchema, pageOf, shortText } from '../base';

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
  severity: z.string(),
  priority: z.string(),
  area: z.string(),
  assigned: z.string().nullable(),
  due: z.string().nullable(),
  /** Where it stands in its life: the name of a stage of the project. */
  stage: z.string(),
  /** Runs of its case on the build that has the fix, newest first: what shows whether it is gone. */
  shownBy: z.array(z.object({ key: z.string(), verdict: z.string().nullable() })),
  own: ownValuesSchema,
  revision: z.number(),
  raisedBy: z.string(),
  raisedAt: z.string(),
  closedReason: z.string(),
});
export type Problem = z.output<typeof problemSchema>;

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
export const linkProblem = endpoint('POST', '/projects/:project/problems/:key/runs', {
  summary: 'Say that a run shows a problem that is reported already',
  may: ['author', 'tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({ run: key }),
  answer: problemSchema,
});
