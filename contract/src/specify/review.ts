import * as z from 'zod';
import { endpoint, inProject, inProjectKey, key, listQuery, longText, pageOf, recordSignatureSchema, shortText } from '../base';

export const reviewStandingSchema = z.enum(['open', 'agree', 'change', 'again']);
export const reviewSchema = z.object({
  key: z.string(),
  title: z.string(),
  question: z.string(),
  due: z.string(),
  state: z.enum(['open', 'closed']),
  people: z.array(z.string()),
  items: z.number(),
  createdBy: z.string(),
  createdAt: z.string(),
});
export type Review = z.output<typeof reviewSchema>;

export const reviewItemSchema = z.object({
  key: z.string(),
  title: z.string(),
  text: z.string(),
  html: z.string().optional(),
  level: z.string(),
  state: z.string(),
  revision: z.number(),
  now: z.number(),
  retired: z.boolean(),
  answers: z.array(
    z.object({ login: z.string(), revision: z.number(), answer: z.enum(['agree', 'change']), note: z.string(), at: z.string() }),
  ),
  /** What I answered last, as it reads now: open, again where it changed since. */
  mine: reviewStandingSchema,
  /** What it is to be compared with: the revision that I answered, else the one approved before; null where it is all new. */
  base: z.object({ revision: z.number(), title: z.string(), text: z.string() }).nullable(),
});
export type ReviewItemRow = z.output<typeof reviewItemSchema>;

export const reviewDetailSchema = reviewSchema.extend({
  revision: z.number(),
  summary: z.string(),
  rows: z.array(reviewItemSchema),
  progress: z.array(
    z.object({
      login: z.string(),
      printedName: z.string(),
      agree: z.number(),
      change: z.number(),
      open: z.number(),
      again: z.number(),
      /** Signed what they answered last. */
      signed: z.boolean(),
    }),
  ),
  /** What stands in the way of closing it. */
  faults: z.array(z.string()),
  signatures: z.array(recordSignatureSchema),
});
export type ReviewDetail = z.output<typeof reviewDetailSchema>;

export const listReviews = endpoint('GET', '/projects/:project/reviews', {
  summary: 'The reviews, by filter, order and page',
  may: 'member',
  params: inProject,
  query: listQuery,
  answer: pageOf(reviewSchema),
});
export const addReview = endpoint('POST', '/projects/:project/reviews', {
  summary: 'Ask people to review requirements by a date; a heading stands for all below it, a specification for all in it',
  may: ['author', 'reviewer'],
  params: inProject,
  body: z.object({
    title: shortText.trim().min(1, 'Give it a title.'),
    question: longText.default(''),
    due: z
      .string()
      .regex(/^(\d{4}-\d{2}-\d{2})?$/, 'A date as 2026-04-30.')
      .default(''),
    people: z.array(z.string().max(60)).min(1, 'Choose who is asked.').max(50),
    keys: z.array(key).min(1, 'Choose what is reviewed.').max(2000),
  }),
  answer: reviewDetailSchema,
});
export const getReview = endpoint('GET', '/projects/:project/reviews/:key', {
  summary: 'A review: what is asked, what each answered, what changed since',
  may: 'member',
  params: inProjectKey,
  answer: reviewDetailSchema,
});
export const answerReview = endpoint('PUT', '/projects/:project/reviews/:key/answers', {
  summary: 'Agree with a requirement in the revision that was read, or ask for a change of it',
  may: ['author', 'tester', 'reviewer', 'administrator'],
  params: inProjectKey,
  body: z
    .object({
      requirement: key,
      revision: z.number().int(),
      answer: z.enum(['agree', 'change']),
      note: z.string().trim().max(2000).default(''),
    })
    .refine(({ answer, note }) => answer === 'agree' || note.length >= 3, { path: ['note'], message: 'Say what should be changed.' }),
  answer: reviewDetailSchema,
});
export const signReview = endpoint('POST', '/projects/:project/reviews/:key/signature', {
  summary: 'Sign what one answered, once everything is answered',
  may: ['author', 'tester', 'reviewer', 'administrator'],
  params: inProjectKey,
  body: z.object({ password: z.string().max(200) }),
  answer: reviewDetailSchema,
});
export const closeReview = endpoint('POST', '/projects/:project/reviews/:key/closing', {
  summary: 'Close a review that everybody has answered and signed, with a summary, signed',
  may: ['author', 'reviewer'],
  params: inProjectKey,
  body: z.object({ summary: longText, password: z.string().max(200) }),
  answer: reviewDetailSchema,
});
