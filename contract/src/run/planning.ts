import * as z from 'zod';
import { day, done, endpoint, inProject, inProjectKey, key, reasonText, shortText } from '../base';
import { roundDetailSchema, runSummarySchema } from './routes';

export const configurationPlanSchema = z.object({
  dimensions: z
    .array(
      z.object({
        name: z.string().regex(/^[A-Za-z_][\w.]{0,39}$/, 'Letters, digits and _; at most 40.'),
        values: z.array(z.string().trim().min(1).max(60)).min(1, 'It needs a value.').max(50).readonly(),
      }),
    )
    .max(12)
    .readonly(),
  /** What excludes what, a line each: `rig = 2 => temperature != cold`. */
  exclusions: z.string().max(10_000),
});
export type ConfigurationPlanBody = z.output<typeof configurationPlanSchema>;
export const getConfigurations = endpoint('GET', '/projects/:project/configurations', {
  summary: 'In what the product is configured, and what excludes what',
  may: 'member',
  params: inProject,
  answer: configurationPlanSchema,
});
export const saveConfigurations = endpoint('PUT', '/projects/:project/configurations', {
  summary: 'Say in what the product is configured, and what excludes what',
  may: ['administrator', 'author'],
  params: inProject,
  body: configurationPlanSchema,
  answer: configurationPlanSchema,
});
export const placeRound = endpoint('PUT', '/projects/:project/rounds/:key/place', {
  summary: 'Put a round under a release or phase, say when it is wanted, keep it as a pattern for others',
  may: ['author', 'tester'],
  params: inProjectKey,
  body: z.object({
    folder: z.string().trim().max(300),
    due: day.nullable(),
    isPattern: z.boolean(),
  }),
  answer: roundDetailSchema,
});
export const closeRound = endpoint('PUT', '/projects/:project/rounds/:key/closing', {
  summary: 'Close a round with a signature: nothing is recorded in it any more',
  may: ['tester', 'reviewer', 'author'],
  params: inProjectKey,
  body: z.object({ reason: reasonText, password: z.string().max(200) }),
  answer: roundDetailSchema,
});
export const reopenRound = endpoint('DELETE', '/projects/:project/rounds/:key/closing', {
  summary: 'Open a round that was closed again, with a reason',
  may: ['tester', 'reviewer', 'author'],
  params: inProjectKey,
  query: z.object({ reason: reasonText }),
  answer: roundDetailSchema,
});
export const addToRound = endpoint('POST', '/projects/:project/rounds/:key/runs', {
  summary: 'Add cases to a round, or a case and data row at once; answered with the round',
  may: ['author', 'tester'],
  params: inProjectKey,
  body: z.object({
    cases: z.array(key).min(1, 'Choose at least one case.').max(2000),
    tester: z.string().max(60),
    reason: z.string().max(2000).default(''),
  }),
  answer: roundDetailSchema,
});
export const moveRun = endpoint('PUT', '/projects/:project/rounds/:key/order', {
  summary: 'Do a run of a round one place earlier or later',
  may: ['author', 'tester'],
  params: inProjectKey,
  body: z.object({ run: key, by: z.union([z.literal(-1), z.literal(1)]) }),
  answer: done,
});
export const runNow = endpoint('POST', '/projects/:project/cases/:key/run-now', {
  summary: 'Plan one run at once, for oneself: in the round named, or in one of one’s own that is made by itself',
  may: ['tester'],
  params: inProjectKey,
  body: z.object({
    build: key,
    configuration: shortText.trim().min(1, 'Say in which configuration it is run.'),
    row: z.string().max(100).nullable().default(null),
    round: key.nullable().default(null),
    reason: z.string().max(2000).default(''),
  }),
  answer: runSummarySchema,
});
const verdictCounts = z.array(z.object({ name: z.string(), verdict: z.string(), runs: z.number() }));
export const roundProgressSchema = z.object({
  planned: z.number(),
  /** Minutes recorded by the end of each day on which something was finished. */
  days: z.array(z.object({ day: z.string(), minutes: z.number(), took: z.number(), runs: z.number() })),
  /** The day on which it ends at the pace of its days so far; null where nothing was finished, or all is. */
  ends: z.string().nullable(),
  by: z.object({
    person: verdictCounts,
    configuration: verdictCounts,
    folder: verdictCounts,
  }),
  /** The folder of each case, as `by` names it. */
  folders: z.record(z.string(), z.string()),
});
export type RoundProgress = z.output<typeof roundProgressSchema>;
export const getRoundProgress = endpoint('GET', '/projects/:project/rounds/:key/progress', {
  summary:
    'What was recorded of a round day by day against what is planned, when it ends at that pace, and verdicts by person, configuration and folder',
  may: 'member',
  params: inProjectKey,
  answer: roundProgressSchema,
});

export const neededAgainSchema = z.object({
  requirements: z.array(z.object({ key: z.string(), title: z.string(), before: z.number(), now: z.number() })),
  cases: z.array(z.object({ key: z.string(), title: z.string(), before: z.number(), now: z.number() })),
  functions: z.array(z.object({ path: z.string(), name: z.string(), what: z.enum(['changed', 'added', 'gone']) })),
  /** Cases whose result on the earlier build does not stand for the later one, each with its reasons. */
  again: z.array(
    z.object({
      key: z.string(),
      title: z.string(),
      run: z.string(),
      minutes: z.number(),
      done: z.string().nullable(),
      reasons: z.array(z.string()),
    }),
  ),
  /** Cases that passed on the earlier build and that nothing touched. */
  untouched: z.array(z.object({ key: z.string(), title: z.string(), run: z.string() })),
  /** Cases never run on the earlier build. */
  neverRun: z.array(z.object({ key: z.string(), title: z.string() })),
  /** The fewest approved cases that show again what changed, or the best within the minutes that were asked; `bound` is what no choice can beat. */
  choice: z.object({
    cases: z.array(z.string()),
    covered: z.number(),
    of: z.number(),
    minutes: z.number(),
    bound: z.number(),
    proved: z.boolean(),
  }),
  /** Does anything tell which code the cases reach? Without that, a change of code asks for none of them. */
  measured: z.boolean(),
});
export type NeededAgain = z.output<typeof neededAgainSchema>;
export const getNeededAgain = endpoint('GET', '/projects/:project/needed-again', {
  summary: 'What changed from one build to another, and which cases have to be run again because of it, each with its reasons',
  may: 'member',
  params: inProject,
  query: z.object({ from: key, to: key, minutes: z.coerce.number().min(1).max(1_000_000).optional() }),
  answer: neededAgainSchema,
});

export const caseReadingsSchema = z.array(
  z.object({
    run: z.string(),
    build: z.string(),
    at: z.string(),
    row: z.string().nullable(),
    step: z.number(),
    name: z.string(),
    unit: z.string(),
    limits: z.string(),
    value: z.string(),
  }),
);
export type CaseReadings = z.output<typeof caseReadingsSchema>;
export const getCaseReadings = endpoint('GET', '/projects/:project/cases/:key/readings', {
  summary: 'What was read in the runs of a case, oldest first, with the limits that held then; of its last thousand runs',
  may: 'member',
  params: inProjectKey,
  answer: caseReadingsSchema,
});
