import * as z from 'zod';
import { endpoint, inProject, inProjectKey, key, listQuery, pageOf, reasonText } from '../base';

const functionChange = z.object({ path: z.string(), name: z.string(), what: z.enum(['changed', 'added', 'gone']) });

/** A standing result of the earlier build: whether it may be carried to the later one, and what its argument is. */
export const resultOfferSchema = z.object({
  run: z.string(),
  case: z.string(),
  title: z.string(),
  row: z.string().nullable(),
  configuration: z.string(),
  verdict: z.string(),
  requirements: z.array(z.object({ key: z.string(), revision: z.number() })),
  /** So many functions were measured as hit; null where nothing of the case is measured. */
  functionsHit: z.number().nullable(),
  /** Why it may not be carried; empty where it may. */
  why: z.array(z.string()),
});
export type ResultOffer = z.output<typeof resultOfferSchema>;
export const offerResults = endpoint('GET', '/projects/:project/carried-results/offers', {
  summary: 'Results of one build that may be carried to another, those that may not with the reason (the first 2,000, free ones first)',
  may: 'member',
  params: inProject,
  query: z.object({ from: key, to: key }),
  answer: z.object({
    free: z.number(),
    held: z.number(),
    rows: z.array(resultOfferSchema),
    functions: z.array(functionChange),
    /** Files of which something outside their functions is another, or that only one of the two has. */
    outside: z.array(z.string()),
    /** Levels at which the project allows it. */
    allowedAt: z.array(z.string()),
    /** Builds from which results were carried to the earlier one, and how many: they are carried on from where they were run. */
    earlier: z.array(z.object({ build: z.string(), results: z.number() })),
  }),
});
export type ResultOffers = z.output<typeof offerResults.answer>;

export const carriedResultsSchema = z.object({
  key: z.string(),
  build: z.string(),
  from: z.string(),
  runs: z.array(
    z.object({
      run: z.string(),
      hash: z.string(),
      case: z.string(),
      caseRevision: z.number(),
      row: z.string().nullable(),
      configuration: z.string(),
      requirements: z.array(z.object({ key: z.string(), revision: z.number() })),
      functionsHit: z.number().nullable(),
    }),
  ),
  functions: z.array(functionChange),
  outside: z.array(z.string()),
  argument: z.string(),
  by: z.string(),
  at: z.string(),
  state: z.enum(['stands', 'withdrawn']),
});
export type CarriedResults = z.output<typeof carriedResultsSchema>;
export const carryResults = endpoint('POST', '/projects/:project/carried-results', {
  summary: 'Carry, signed, results of one build to another whose changes they did not reach',
  may: ['reviewer'],
  params: inProject,
  body: z.object({
    from: key,
    to: key,
    runs: z.array(key).min(1, 'Choose what is carried.').max(2000),
    argument: reasonText,
    password: z.string().max(200),
  }),
  answer: carriedResultsSchema,
});
export const listCarriedResults = endpoint('GET', '/projects/:project/carried-results', {
  summary: 'What was carried to a build, statement by statement',
  may: 'member',
  params: inProject,
  query: listQuery.extend({ build: key }),
  answer: pageOf(carriedResultsSchema),
});
export const withdrawCarriedResults = endpoint('PUT', '/projects/:project/carried-results/:key/withdrawal', {
  summary: 'Withdraw, signed, what was carried: its results do not count for that build any more',
  may: ['reviewer'],
  params: inProjectKey,
  body: z.object({ reason: reasonText, password: z.string().max(200) }),
  answer: carriedResultsSchema,
});
