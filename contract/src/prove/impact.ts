import * as z from 'zod';
import { endpoint, inProjectKey, key } from '../base';

const traceOf = z.object({
  id: z.number(),
  kind: z.enum(['parent', 'verifies', 'calls']),
  from: z.string(),
  to: z.string(),
  suspect: z.boolean(),
});
const reachedSchema = z.object({
  kind: z.enum(['requirement', 'case']),
  key: z.string(),
  title: z.string(),
  state: z.string(),
  /** Of a case: planned minutes of one run, and how many runs of it stand on the build. */
  minutes: z.number(),
  runs: z.number(),
  distance: z.number(),
  /** The record over which it is reached. */
  from: z.string(),
});
export const impactSchema = z.object({
  suspect: z.array(traceOf.extend({ other: z.string() })),
  reached: z.array(reachedSchema),
  minutes: z.object({ near: z.number(), far: z.number() }),
  toDo: z.array(traceOf),
  /** Functions of the build's code that are traced to it or to what is derived from it. */
  functions: z.number(),
  /** Problem reports that stand open against it or below it. */
  problems: z.array(z.object({ key: z.string(), title: z.string() })),
  /** There is more than is told: what is nearest is. */
  more: z.boolean(),
  seq: z.number(),
});
export type ImpactAnswer = z.output<typeof impactSchema>;
export const getImpact = endpoint('GET', '/projects/:project/requirements/:key/impact', {
  summary: 'What a change of a requirement makes suspect near and far, what running it costs, and what of it is still to be done',
  may: 'member',
  params: inProjectKey,
  query: z.object({ build: key.optional() }),
  answer: impactSchema,
});
