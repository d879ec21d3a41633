import * as z from 'zod';
import { done, endpoint, inProject, inProjectKey, reasonText } from '../base';

const stageWord = z.object({ stage: z.string().max(30), theirs: z.string().trim().min(1, 'Give the word that it has there.').max(60) });

export const trackerSettingsSchema = z.object({
  /** What people call it. */
  name: z
    .string()
    .trim()
    .regex(/^[\p{L}\p{N}][\p{L}\p{N} ._-]{0,39}$/u, 'Letters, digits, spaces, dots and dashes; at most 40.'),
  url: z.url({ protocol: /^https?$/ }).max(400),
  /** For each stage here the word that it has there. */
  states: z.array(stageWord).max(100).readonly(),
  /** While it is, nothing is sent and nothing asked. */
  paused: z.boolean(),
});
export type TrackerSettings = z.output<typeof trackerSettingsSchema>;

export const outsideLinkSchema = z.object({
  problem: z.string(),
  /** Its name there; null until it was made there. */
  theirId: z.string().nullable(),
  theirUrl: z.string(),
  /** What stands there, in its words; null until it was heard. */
  theirs: z.object({ title: z.string(), state: z.string() }).nullable(),
  conflicts: z.array(z.object({ field: z.enum(['title', 'stage']), base: z.string(), mine: z.string(), theirs: z.string() })).readonly(),
  /** Why something from there was not taken over; empty where it was. */
  refused: z.string(),
  /** So many messages wait to be sent. */
  waiting: z.number(),
});
export type OutsideLink = z.output<typeof outsideLinkSchema>;

export const trackerSchema = z.object({
  settings: trackerSettingsSchema.nullable(),
  /** When it last answered, why it last did not, and how many messages wait for it. */
  heardAt: z.string().nullable(),
  fault: z.string(),
  waiting: z.number(),
  /** Where it calls when something happened there. */
  hook: z.string(),
  links: z.array(outsideLinkSchema),
});
export type Tracker = z.output<typeof trackerSchema>;

export const getTracker = endpoint('GET', '/projects/:project/tracker', {
  summary: 'The tracker outside that problem reports are exchanged with, what waits for it, and what is linked (the newest 500)',
  may: 'member',
  params: inProject,
  answer: trackerSchema,
});
export const saveTracker = endpoint('PUT', '/projects/:project/tracker', {
  summary: 'Set the tracker outside; token and secret are kept sealed, and stay where nothing is given',
  may: ['administrator'],
  params: inProject,
  body: trackerSettingsSchema.extend({ token: z.string().max(500), secret: z.string().max(500) }),
  answer: trackerSchema,
});
export const getOutside = endpoint('GET', '/projects/:project/problems/:key/outside', {
  summary: 'What stands outside for a problem report',
  may: 'member',
  params: inProjectKey,
  answer: z.object({ tracker: z.string().nullable(), link: outsideLinkSchema.nullable() }),
});
export const linkOutside = endpoint('POST', '/projects/:project/problems/:key/outside', {
  summary: 'Link a problem report with an item of the tracker outside, or make one there',
  may: ['author', 'tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({ theirId: z.string().trim().min(1).max(100).nullable() }),
  answer: outsideLinkSchema,
});
export const endOutside = endpoint('PUT', '/projects/:project/problems/:key/outside/end', {
  summary: 'End a link: both sides stay as they are',
  may: ['author', 'tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({ reason: reasonText }),
  answer: done,
});
export const decideOutside = endpoint('PUT', '/projects/:project/problems/:key/outside/decision', {
  summary: 'Decide about a field that both sides changed: what stands here is sent, or what stands there is taken over',
  may: ['author', 'tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({ field: z.enum(['title', 'stage']), take: z.enum(['mine', 'theirs']) }),
  answer: outsideLinkSchema,
});
export const trackerHook = endpoint('POST', '/trackers/:project/hook', {
  summary: 'Called by the tracker outside, signed with the shared secret, when something happened there: what it was is then asked for',
  may: 'anyone',
  params: inProject,
  body: z.object({ sequence: z.number().int().min(0) }),
  answer: done,
});
