import * as z from 'zod';
import { endpoint, inProject, jobSchema, key, longText, shortText } from '../base';
import { roundDetailSchema } from './routes';

/** What decides which runs a round has, and whose they are. */
const plannedSchema = z.object({
  build: key,
  configuration: shortText.trim().min(1, 'Say in which configuration it is run.'),
  tester: z.string().max(60),
  /** Others among whom the runs are shared out, so that planned minutes come out even. */
  sharedWith: z.array(z.string().max(60)).max(50).default([]),
  /** Cases by their keys, or all that a list's question finds; of these, what cannot be run is left out. */
  cases: z.array(key).max(2000, 'At most 2000 cases at once.').default([]),
  filter: z.string().max(60_000).optional(),
  leaveOut: z.literal('passed').optional(),
  /** Several configurations: a run of each case and row in each; none: that which is named above. */
  configurations: z.array(shortText.trim().min(1)).max(200).readonly().default([]),
  /** Beside cases: what pulls in its cases. */
  from: z
    .object({
      requirements: z.array(key).max(2000).default([]),
      specification: key.optional(),
      groups: z.array(key).max(200).default([]),
      round: key.optional(),
      /** Of the round: all of it; without what passed and stands; only what failed or was blocked. */
      part: z.enum(['all', 'notPassed', 'failed']).default('all'),
    })
    .optional(),
});
const newRoundSchema = plannedSchema.extend({
  title: shortText.trim().min(1, 'Give the round a title.'),
  unit: shortText.default(''),
  tools: shortText.default(''),
  /** Why what has a result already is planned again. */
  reason: longText.default(''),
});
export type AskedRound = z.output<typeof newRoundSchema>;
export const addRound = endpoint('POST', '/projects/:project/rounds', {
  summary: 'Plan a round: the chosen cases on a build, in a configuration, done by one tester or shared out among several',
  may: ['author', 'tester'],
  params: inProject,
  body: newRoundSchema,
  answer: roundDetailSchema,
});
/** A round of more runs than this is planned by a job. */
export const largeRound = 500;
export const addLargeRound = endpoint('POST', '/projects/:project/rounds/large', {
  summary: 'Plan a round of many runs: a job does it, all or nothing, tells how far it is and can be cancelled',
  may: ['author', 'tester'],
  params: inProject,
  body: newRoundSchema,
  answer: jobSchema,
});
const left = z.object({ key: z.string(), why: z.string() });
/** What a round would be; of what is left out, and of what is run again, the first hundred are named. */
export const roundPreviewSchema = z.object({
  cases: z.number(),
  runs: z.number(),
  minutes: z.number(),
  people: z.array(z.object({ login: z.string(), runs: z.number(), minutes: z.number() })),
  /** Cases that cannot be run, and why. */
  refused: z.array(left),
  refusedCount: z.number(),
  /** What passed and stands. */
  passed: z.array(left),
  passedCount: z.number(),
  /** What has a result here already and would be run again: that needs a reason. */
  again: z.array(z.string()),
  againCount: z.number(),
  /** Requirements that were asked for and that no case verifies. */
  without: z.array(z.string()),
});
export type RoundPreview = z.output<typeof roundPreviewSchema>;
export const previewRound = endpoint('POST', '/projects/:project/rounds/preview', {
  summary: 'What a round would be: its runs and minutes, what would be left out and why; nothing is written',
  may: ['author', 'tester'],
  params: inProject,
  body: plannedSchema,
  answer: roundPreviewSchema,
});
