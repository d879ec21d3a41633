import * as z from 'zod';
import { done, endpoint, inProject, inProjectKey, key, reasonText } from '../base';
import { redlineSchema, runSummarySchema } from './routes';

export const caseRedlinesSchema = z.array(
  z.object({
    run: z.string(),
    revision: z.number(),
    redlines: z.array(redlineSchema),
    /** Of these, so many find no place in the case as it is now. */
    left: z.number(),
  }),
);
export type CaseRedlines = z.output<typeof caseRedlinesSchema>;
export const listRedlines = endpoint('GET', '/projects/:project/cases/:key/redlines', {
  summary: 'What runs of a case changed of its steps, and its author has not answered',
  may: 'member',
  params: inProjectKey,
  answer: caseRedlinesSchema,
});
export const answerRedlines = endpoint('POST', '/projects/:project/cases/:key/redlines', {
  summary: 'Take what a run changed into the case, as a revision of it, or leave the case as it is; with a reason',
  may: ['author'],
  params: inProjectKey,
  body: z.object({ run: key, take: z.boolean(), reason: reasonText, basedOn: z.number().int() }),
  answer: caseRedlinesSchema,
});
export const lookAtRun = endpoint('POST', '/projects/:project/runs/:key/looks', {
  summary: 'Note that one has this record on the screen, as its hash says',
  may: ['tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({ hash: z.string().length(64) }),
  answer: done,
});
const toSign = z.object({ key, hash: z.string().length(64) });
export const signableSchema = z.array(
  z.object({ run: runSummarySchema, meaning: z.enum(['performed', 'reviewed']), hash: z.string(), looked: z.boolean() }),
);
export type Signable = z.output<typeof signableSchema>;
export const listSignable = endpoint('GET', '/projects/:project/runs/to-sign', {
  summary: 'Finished runs that wait for one’s own signature, and whether one has looked at each as it is now; at most 500',
  may: ['tester', 'reviewer'],
  params: inProject,
  answer: signableSchema,
});
export const signedManySchema = z.object({ signed: z.array(z.string()), refused: z.array(z.object({ key: z.string(), why: z.string() })) });
export type SignedMany = z.output<typeof signedManySchema>;
export const signMany = endpoint('POST', '/projects/:project/runs/signatures', {
  summary: 'Sign many runs with one password, each bound to its own hash; only what was looked at',
  may: ['tester', 'reviewer'],
  params: inProject,
  body: z.object({
    meaning: z.enum(['performed', 'reviewed']),
    password: z.string().max(200),
    runs: z.array(toSign).min(1, 'Nothing is chosen.').max(500),
  }),
  answer: signedManySchema,
});
