import * as z from 'zod';
import { endpoint, inProject, inProjectKey, jobSchema, key, listQuery, pageOf, profileSchema, versionedKindSchema } from '../base';

const knot = z.enum(['specify', 'design', 'run', 'measure', 'prove']);
const state = z.enum(['sound', 'waiting', 'broken', 'suspect', 'notReached', 'notRequired']);
const perKnot = <T extends z.ZodType>(value: T) => z.object({ specify: value, design: value, run: value, measure: value, prove: value });
const recordRef = z.object({
  kind: z.union([versionedKindSchema, z.enum(['file', 'pack'])]),
  key: z.string(),
});
const place = z.enum(['model', 'requirement', 'case', 'bench', 'review', 'run', 'round', 'problem', 'code', 'sources']);
const action = z.object({ label: z.string(), to: recordRef, place });
export type Action = z.output<typeof action>;

export const boardFilterSchema = z.enum(['all', 'broken', 'waiting', 'suspect', 'proved', 'specify', 'design', 'run', 'measure', 'prove']);
export const boardRowSchema = z.object({
  key: z.string(),
  title: z.string(),
  level: z.string(),
  states: perKnot(state),
  below: perKnot(state).nullable(),
  /** The first break in words, with its next action; null when the requirement is proved. */
  break: z
    .object({
      state,
      knot,
      words: z.string(),
      records: z.array(recordRef),
      action,
    })
    .nullable(),
});
export type BoardRow = z.output<typeof boardRowSchema>;
export const totalsSchema = z.object({
  /** How many cords have each state at a knot: they add up to `of`. */
  knots: perKnot(z.object({ states: z.record(state, z.number()), of: z.number(), missing: z.string(), worst: state })),
  counts: z.record(boardFilterSchema, z.number()),
  /** Requirements that were approved once and count no more. */
  left: z.object({ count: z.number(), keys: z.array(z.string()).readonly(), since: z.string().nullable() }).optional(),
});
export const boardSchema = z.object({
  build: z.string(),
  /** The ledger number that all of it is true for. */
  seq: z.number(),
  totals: totalsSchema,
  rail: perKnot(state),
});
export type Board = z.output<typeof boardSchema>;
export const cordSchema = boardRowSchema.extend({
  seq: z.number(),
  reasons: perKnot(z.array(z.object({ state, words: z.string(), records: z.array(recordRef), action }))),
});
export type CordDetail = z.output<typeof cordSchema>;

export const cordShiftsSchema = z.object({
  build: z.string(),
  of: z.number(),
  changed: z.number(),
  proved: z.object({ before: z.number(), after: z.number() }),
  shifts: z
    .array(
      z.object({
        knot,
        from: state,
        to: state,
        count: z.number(),
        keys: z.array(z.string()).readonly(),
      }),
    )
    .readonly(),
});
export const previewProfile = endpoint('POST', '/projects/:project/profile/preview', {
  summary: 'What becomes of the cords of a build by another profile: nothing is changed',
  may: ['administrator'],
  params: inProject,
  body: z.object({ build: z.string().max(60), profile: profileSchema }),
  answer: cordShiftsSchema,
});

/** A record that is connected with another one, however far. */
export const connectionSchema = z.object({
  kind: z.enum([
    'specification',
    'requirement',
    'case',
    'build',
    'round',
    'run',
    'problem',
    'upload',
    'attestation',
    'carry',
    'carriedRuns',
    'review',
    'baseline',
    'folder',
    'group',
    'flow',
    'parameters',
    'decisionTable',
    'stateTable',
    'file',
  ]),
  key: z.string(),
  title: z.string(),
  state: z.string(),
  /** How many steps away; 1 is near. */
  distance: z.number(),
  /** The record one step nearer, and what joins them, read from there: "is verified by". */
  from: z.string(),
  via: z.string(),
});
export type Connection = z.output<typeof connectionSchema>;
export const listConnections = endpoint('GET', '/projects/:project/records/:key/connections', {
  summary: 'Everything that is connected with a record, near first, with the way that leads there; runs and code are those of one build',
  may: 'member',
  params: inProjectKey,
  query: z.object({ build: key.optional(), far: z.coerce.number().int().min(1).max(4).default(3) }),
  answer: z.object({ connections: z.array(connectionSchema), more: z.boolean() }),
});

const inBuild = z.object({ build: key });
/** Wait until what is judged is true for this ledger number at least. */
const atLeast = z.coerce.number().int().min(0).default(0);
/** As it was for a ledger number; the answer names the number that it was judged for. */
const asOf = z.coerce.number().int().min(0).optional();
export const getBoard = endpoint('GET', '/projects/:project/board', {
  summary: 'What the cords of a build add up to: the totals at each knot, and the rail',
  may: 'member',
  params: inProject,
  query: inBuild.extend({ atLeast, asOf }),
  answer: boardSchema,
});
export const cordsQuery = listQuery.extend({ build: key, atLeast, asOf });
export const listCords = endpoint('GET', '/projects/:project/cords', {
  summary: 'The cords of a build: each requirement’s state at the five knots, the first break in words, and its next action',
  may: 'member',
  params: inProject,
  query: cordsQuery,
  answer: pageOf(boardRowSchema),
});
export const getCord = endpoint('GET', '/projects/:project/cords/:key', {
  summary: 'One requirement’s cord with every reason',
  may: 'member',
  params: inProject.extend({ key }),
  query: inBuild.extend({ atLeast, asOf }),
  answer: cordSchema,
});

export const listPacks = endpoint('GET', '/projects/:project/packs', {
  summary: 'The proof packs of a build, newest first',
  may: 'member',
  params: inProject,
  query: inBuild,
  answer: z.array(jobSchema),
});
export const makePack = endpoint('POST', '/projects/:project/packs', {
  summary: 'Make the proof pack of a build (a job)',
  may: ['author', 'tester', 'reviewer', 'administrator'],
  params: inProject,
  body: inBuild,
  answer: jobSchema,
});
export const listPackKeys = endpoint('GET', '/projects/:project/pack-keys', {
  summary: 'The keys that packs were signed with, the oldest first, by their fingerprints',
  may: 'member',
  params: inProject,
  answer: z.array(z.object({ id: z.number(), fingerprint: z.string(), madeAt: z.string() })),
});
