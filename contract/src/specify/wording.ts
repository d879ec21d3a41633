import * as z from 'zod';
import { done, endpoint, inProject, inProjectKey, reasonText } from '../base';

const words = z.array(z.string().trim().min(1).max(80)).max(500);
export const wordingListsSchema = z.object({
  binding: words.min(1, 'At least one word makes a sentence binding.'),
  weak: words,
  vague: words,
  escape: words,
  open: words,
  glossary: z.array(z.object({ term: z.string().trim().min(1).max(80), meaning: z.string().trim().max(1000) })).max(2000),
});

export const dismissalSchema = z.object({
  id: z.number(),
  rule: z.string(),
  words: z.string(),
  reason: z.string(),
  by: z.string(),
  at: z.string(),
});
export type Dismissal = z.output<typeof dismissalSchema>;

export const getWording = endpoint('GET', '/projects/:project/wording', {
  summary: 'The lists of words by which wording is checked, and the glossary',
  may: 'member',
  params: inProject,
  answer: z.object({ lists: wordingListsSchema, usual: z.boolean() }),
});
export const saveWording = endpoint('PUT', '/projects/:project/wording', {
  summary: 'Give the project its own lists of words and its glossary',
  may: ['author', 'administrator'],
  params: inProject,
  body: wordingListsSchema,
  answer: z.object({ lists: wordingListsSchema, usual: z.boolean() }),
});

export const wordingFindingSchema = z.object({
  rule: z.string(),
  from: z.number(),
  to: z.number(),
  words: z.string(),
  /** The reason for which it was let stand; null where nobody did. */
  dismissed: z.string().nullable(),
});
export const wordingReportSchema = z.object({
  /** Requirements whose texts were checked, and those in which something stands open. */
  checked: z.number(),
  open: z.number(),
  rules: z.array(z.object({ rule: z.string(), open: z.number(), dismissed: z.number() })),
  /** The page that was asked for, and how many requirements have findings of the rule in all. */
  rows: z.array(z.object({ key: z.string(), title: z.string(), text: z.string(), findings: z.array(wordingFindingSchema) })),
  total: z.number(),
  seq: z.number(),
});
export type WordingReport = z.output<typeof wordingReportSchema>;
export const reportWording = endpoint('GET', '/projects/:project/specifications/:key/wording', {
  summary: 'What the texts of a specification lack in wording: counts by rule, and the requirements with their findings',
  may: 'member',
  params: inProjectKey,
  query: z.object({
    rule: z.string().max(40).optional(),
    dismissed: z.enum(['with']).optional(),
    skip: z.coerce.number().int().min(0).max(1_000_000).default(0),
    limit: z.coerce.number().int().min(1).max(200).default(100),
  }),
  answer: wordingReportSchema,
});
export const dismissFinding = endpoint('POST', '/projects/:project/requirements/:key/wording', {
  summary: 'Let a finding of wording stand, for a reason: as long as these words stand in the text',
  may: ['author', 'reviewer'],
  params: inProjectKey,
  body: z.object({ rule: z.string().max(40), words: z.string().max(500), reason: reasonText }),
  answer: dismissalSchema,
});
export const endDismissal = endpoint('DELETE', '/projects/:project/requirements/:key/wording/:id', {
  summary: 'Look at a finding anew that was let stand',
  may: ['author', 'reviewer'],
  params: inProjectKey.extend({ id: z.coerce.number().int() }),
  answer: done,
});
