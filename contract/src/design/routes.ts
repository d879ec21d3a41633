import * as z from 'zod';
import {
  endpoint,
  inProject,
  inProjectKey,
  key,
  listQuery,
  ownValuesSchema,
  pageOf,
  reasonOfChange,
  recordSignatureSchema,
  reviewStateBody,
  traceSchema,
} from '../base';
import { approvalBody, dismissalSchema } from '../specify';
import { caseContentSchema } from './content';

export const caseSummarySchema = z.object({
  key: z.string(),
  title: z.string(),
  revision: z.number(),
  state: z.enum(['draft', 'review', 'approved', 'retired']),
  steps: z.number(),
  rows: z.number(),
  /** Names in braces that whoever calls it must fill. */
  names: z.array(z.string()),
  plannedMinutes: z.number(),
  kind: z.string(),
  priority: z.string(),
  tags: z.array(z.string()),
  /** The key of its folder. */
  folder: z.string().nullable(),
  verifies: z.array(z.string()),
  suspect: z.boolean(),
  own: ownValuesSchema,
  updatedBy: z.string(),
  updatedAt: z.string(),
});
export type CaseSummary = z.output<typeof caseSummarySchema>;
export const caseDetailSchema = caseContentSchema.extend({
  key: z.string(),
  revision: z.number(),
  state: z.enum(['draft', 'review', 'approved', 'retired']),
  own: ownValuesSchema,
  updatedBy: z.string(),
  updatedAt: z.string(),
  /** Who wrote its present revision. */
  author: z.string(),
  /** What an approval of its present revision is bound to. */
  hash: z.string(),
  signatures: z.array(recordSignatureSchema),
  folder: z.object({ key: z.string(), title: z.string() }).nullable(),
  verifies: z.array(traceSchema),
  /** What those requirements say: for proposals and wording. */
  verified: z.array(z.object({ key: z.string(), title: z.string(), text: z.string(), criteria: z.array(z.string()) })),
  /** What of its wording somebody let stand. */
  dismissals: z.array(dismissalSchema),
  /** Every trace at it, of whatever kind. */
  traces: z.array(traceSchema),
  runs: z.array(
    z.object({
      key: z.string(),
      build: z.string(),
      verdict: z.string().nullable(),
      caseRevision: z.number(),
      superseded: z.boolean(),
      outdated: z.boolean(),
    }),
  ),
});
export type CaseDetail = z.output<typeof caseDetailSchema>;

export const listCases = endpoint('GET', '/projects/:project/cases', {
  summary: 'Verification cases, by filter, order and page',
  may: 'member',
  params: inProject,
  query: listQuery,
  answer: pageOf(caseSummarySchema),
});
export const getCase = endpoint('GET', '/projects/:project/cases/:key', {
  summary: 'One case with its traces and runs',
  may: 'member',
  params: inProjectKey,
  answer: caseDetailSchema,
});
export const addCase = endpoint('POST', '/projects/:project/cases', {
  summary: 'Write a case, verifying the requirements named; without a key it gets the next free one',
  may: ['author'],
  params: inProject,
  body: z.object({
    key: key.optional(),
    content: caseContentSchema,
    verifies: z.array(key).max(200).default([]),
    folder: key.nullable().optional(),
  }),
  bodyLimit: 2 << 20,
  answer: caseDetailSchema,
});
export const saveCase = endpoint('PUT', '/projects/:project/cases/:key', {
  summary: 'Save a new revision, based on the one named; of what is approved, for a reason',
  may: ['author'],
  params: inProjectKey,
  body: z.object({
    basedOn: z.number().int(),
    content: caseContentSchema,
    /** Why it changes: asked for where the revision before it is approved. */
    reason: reasonOfChange,
  }),
  bodyLimit: 2 << 20,
  answer: caseDetailSchema,
});
export const setCaseState = endpoint('PUT', '/projects/:project/cases/:key/state', {
  summary: 'Ask for review, or send back to draft',
  may: ['author', 'reviewer'],
  params: inProjectKey,
  body: reviewStateBody,
  answer: caseDetailSchema,
});
export const approveCase = endpoint('POST', '/projects/:project/cases/:key/approval', {
  summary: 'Approve a revision in review: a signature on its hash, by somebody who did not write it',
  may: ['reviewer'],
  params: inProjectKey,
  body: approvalBody,
  answer: caseDetailSchema,
});
