import * as z from 'zod';
import { done, endpoint, inProject, key, reasonText, shortText } from '../base';

const outcome = z.enum(['passed', 'failed', 'skipped']);
export const resultItemSchema = z.object({
  id: z.number(),
  suite: z.string(),
  name: z.string(),
  outcome,
  seconds: z.number(),
  message: z.string(),
  run: z.string().nullable(),
  caseKey: z.string().nullable(),
  /** Why somebody said that it belongs to no case. */
  dismissed: z.string().nullable(),
});
export const resultUploadSchema = z.object({
  id: z.number(),
  build: z.string(),
  round: z.string().nullable(),
  configuration: z.string(),
  format: z.enum(['junit', 'tap']),
  tool: z.string(),
  version: z.string(),
  sentBy: z.string(),
  at: z.string(),
  name: z.string(),
  bytes: z.number(),
  sha256: z.string(),
  results: z.number(),
  passed: z.number(),
  failed: z.number(),
  skipped: z.number(),
  /** Results that belong to no run, and that nobody dismissed. */
  unmatched: z.number(),
});
export type ResultUpload = z.output<typeof resultUploadSchema>;
export const resultDetailSchema = resultUploadSchema.extend({ items: z.array(resultItemSchema) });
export type ResultDetail = z.output<typeof resultDetailSchema>;
/** What sending results changed. */
export const sentResultsSchema = z.object({
  uploads: z.array(resultUploadSchema),
  runs: z.array(z.object({ key: z.string(), caseKey: z.string(), row: z.string().nullable(), verdict: z.string() })),
  unmatched: z.array(z.string()),
  /** Cases that a result names and that cannot be run as they are. */
  refused: z.array(z.object({ key: z.string(), why: z.string() })),
  findings: z.array(z.string()),
});
export type SentResults = z.output<typeof sentResultsSchema>;

export const sendResults = endpoint('POST', '/projects/:project/results', {
  summary:
    'Send results of a test program: JUnit XML or TAP files (multipart, 25 MiB a file), with logs; each that names a case becomes a run of it',
  may: ['tester'],
  params: inProject,
  query: z.object({
    build: key,
    configuration: shortText.trim().min(1, 'Say in which configuration it ran.'),
    tool: z.string().trim().min(1, 'Say which tool it was.').max(100),
    version: z.string().trim().max(60).default(''),
  }),
  multipart: true,
  answer: sentResultsSchema,
});
export const listResults = endpoint('GET', '/projects/:project/results', {
  summary: 'What programs sent for a build, the newest first; at most 500',
  may: 'member',
  params: inProject,
  query: z.object({ build: key }),
  answer: z.array(resultUploadSchema),
});
export const getResults = endpoint('GET', '/projects/:project/results/:id', {
  summary: 'One upload with its results, those that matched nothing first; at most 5,000',
  may: 'member',
  params: inProject.extend({ id: z.coerce.number().int() }),
  answer: resultDetailSchema,
});
export const matchResults = endpoint('POST', '/projects/:project/results/:id/matching', {
  summary: 'Match what matched nothing again, by the rules that there are now',
  may: ['author', 'tester'],
  params: inProject.extend({ id: z.coerce.number().int() }),
  answer: sentResultsSchema,
});
export const dismissResult = endpoint('PUT', '/projects/:project/results/:id/items/:item/dismissal', {
  summary: 'Say that a result belongs to no case, and why',
  may: ['author', 'tester'],
  params: inProject.extend({ id: z.coerce.number().int(), item: z.coerce.number().int() }),
  body: z.object({ reason: reasonText }),
  answer: resultDetailSchema,
});
export const resultRuleSchema = z.object({ id: z.number(), pattern: z.string(), caseKey: z.string(), row: z.string().nullable() });
export type ResultRuleRow = z.output<typeof resultRuleSchema>;
export const listResultRules = endpoint('GET', '/projects/:project/result-rules', {
  summary: 'By which names results belong to a case, beside the keys that stand in them',
  may: 'member',
  params: inProject,
  answer: z.array(resultRuleSchema),
});
export const addResultRule = endpoint('POST', '/projects/:project/result-rules', {
  summary: 'Say to which case results of a name belong; an asterisk stands for anything',
  may: ['author', 'tester'],
  params: inProject,
  body: z.object({
    pattern: z.string().trim().min(1, 'Write the name, or a pattern of it.').max(700),
    caseKey: key,
    row: z.string().max(100).nullable().default(null),
  }),
  answer: z.array(resultRuleSchema),
});
export const removeResultRule = endpoint('DELETE', '/projects/:project/result-rules/:id', {
  summary: 'Take a rule back; what was matched by it stays',
  may: ['author', 'tester'],
  params: inProject.extend({ id: z.coerce.number().int() }),
  answer: done,
});
export const listRecordingPrograms = endpoint('GET', '/projects/:project/programs', {
  summary: 'The programs for which runs may be planned, as records name them',
  may: 'member',
  params: inProject,
  answer: z.array(z.string()),
});
