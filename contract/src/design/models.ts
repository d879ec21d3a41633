import * as z from 'zod';
import {
  endpoint,
  inProject,
  inProjectKey,
  key,
  listQuery,
  longText,
  ownValuesSchema,
  pageOf,
  reasonOfChange,
  recordSignatureSchema,
  reviewStateBody,
  shortText,
  traceSchema,
} from '../base';
import { approvalBody } from '../specify';
import { caseContentSchema } from './content';

const name = z.string().max(60);
const value = z.union([z.string().max(200), z.number(), z.boolean()]);
const flowValue = z.union([z.string().max(200), z.number()]);

const flowBody = z.object({
  variables: z
    .array(
      z.object({
        name,
        unit: z.string().max(30).optional(),
        domain: z.discriminatedUnion('kind', [
          z.object({ kind: z.literal('values'), values: z.array(flowValue).max(100).readonly() }),
          z.object({ kind: z.literal('range'), from: z.number(), to: z.number(), step: z.number() }),
        ]),
      }),
    )
    .max(30)
    .readonly(),
  nodes: z
    .array(
      z.object({
        id: name,
        kind: z.enum(['start', 'action', 'check', 'decision', 'end']),
        text: z.string().max(2000),
        expected: z.string().max(2000).optional(),
      }),
    )
    .max(2000)
    .readonly(),
  edges: z
    .array(
      z.object({
        from: name,
        to: name,
        label: z.string().max(200),
        guard: z
          .array(z.object({ variable: name, is: z.enum(['=', '!=', '<', '<=', '>', '>=']), value: flowValue }))
          .max(20)
          .readonly()
          .optional(),
      }),
    )
    .max(5000)
    .readonly(),
});
const row = z.record(name, value);
const parametersBody = z.object({
  parameters: z
    .array(
      z.object({
        name,
        type: z.enum(['number', 'text', 'boolean']),
        unit: z.string().max(30).optional(),
        resolution: z.number().optional(),
        classes: z
          .array(
            z.object({
              name,
              valid: z.boolean(),
              values: z.array(value).max(100).readonly().optional(),
              from: z.number().optional(),
              to: z.number().optional(),
            }),
          )
          .max(60)
          .readonly(),
      }),
    )
    .max(60)
    .readonly(),
  constraints: z.string().max(10_000),
  criterion: z.enum(['eachChoice', 'baseChoice', 'twoValue', 'threeValue', 'pairs', 'triples', 'quadruples', 'all']),
  seed: z.number().int().min(0).max(4_294_967_295),
  given: z.array(row).max(200).readonly(),
});
const decisionBody = z.object({
  conditions: z
    .array(z.object({ name, values: z.array(value).max(50).readonly() }))
    .max(30)
    .readonly(),
  rules: z
    .array(z.object({ name, when: z.array(value.nullable()).max(30).readonly(), actions: z.array(z.string().max(500)).max(20).readonly() }))
    .max(500)
    .readonly(),
});
const stateBody = z.object({
  initial: name,
  states: z.array(name).max(200).readonly(),
  events: z.array(name).max(200).readonly(),
  transitions: z
    .array(z.object({ from: name, event: name, to: name, output: z.string().max(500).optional() }))
    .max(5000)
    .readonly(),
});

const said = { title: shortText, description: longText };
/** What one revision of a model says, by its kind. */
export const modelContentSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('flow'), ...said, body: flowBody }),
  z.object({ kind: z.literal('parameters'), ...said, body: parametersBody }),
  z.object({ kind: z.literal('decisionTable'), ...said, body: decisionBody }),
  z.object({ kind: z.literal('stateTable'), ...said, body: stateBody }),
]);
export const modelKindSchema = z.enum(['flow', 'parameters', 'decisionTable', 'stateTable']);
const reviewState = z.enum(['draft', 'review', 'approved', 'retired']);

export const modelSummarySchema = z.object({
  key: z.string(),
  kind: modelKindSchema,
  title: z.string(),
  revision: z.number(),
  state: reviewState,
  /** The requirements that it models. */
  requirements: z.array(z.string()),
  suspect: z.boolean(),
  /** Cases that were made of it. */
  cases: z.number(),
  /** In a few words: how many nodes, parameters, rules or states. */
  size: z.string(),
  own: ownValuesSchema,
  updatedBy: z.string(),
  updatedAt: z.string(),
});
export type ModelSummary = z.output<typeof modelSummarySchema>;

/** A case that was made of a model. */
export const madeCaseSchema = z.object({
  key: z.string(),
  title: z.string(),
  state: z.string(),
  /** Which choice it was made of. */
  identity: z.string(),
  fingerprint: z.string(),
  /** The revision of the model that it was made of. */
  modelRevision: z.number(),
  /** Somebody changed it since. */
  edited: z.boolean(),
  retired: z.boolean(),
});
export const modelDetailSchema = z.object({
  key: z.string(),
  kind: modelKindSchema,
  title: z.string(),
  content: modelContentSchema,
  revision: z.number(),
  state: reviewState,
  own: ownValuesSchema,
  updatedBy: z.string(),
  updatedAt: z.string(),
  author: z.string(),
  hash: z.string(),
  signatures: z.array(recordSignatureSchema),
  models: z.array(traceSchema),
  made: z.array(madeCaseSchema),
});
export type ModelDetail = z.output<typeof modelDetailSchema>;

export const listModels = endpoint('GET', '/projects/:project/models', {
  summary: 'Flows, parameters, decision tables and state tables, by filter, order and page',
  may: 'member',
  params: inProject,
  query: listQuery,
  answer: pageOf(modelSummarySchema),
});
export const getModel = endpoint('GET', '/projects/:project/models/:key', {
  summary: 'One model with the requirements that it models and the cases that were made of it',
  may: 'member',
  params: inProjectKey,
  answer: modelDetailSchema,
});
const modelLimit = 2 << 20;
export const addModel = endpoint('POST', '/projects/:project/models', {
  summary: 'Begin a model of the requirements named',
  may: ['author'],
  params: inProject,
  body: z.object({ content: modelContentSchema, requirements: z.array(key).max(200).default([]) }),
  bodyLimit: modelLimit,
  answer: modelDetailSchema,
});
export const saveModel = endpoint('PUT', '/projects/:project/models/:key', {
  summary: 'Save a new revision of a model; of one that is approved with the reason why it changes',
  may: ['author'],
  params: inProjectKey,
  body: z.object({ basedOn: z.number().int(), content: modelContentSchema, reason: reasonOfChange }),
  bodyLimit: modelLimit,
  answer: modelDetailSchema,
});
export const setModelState = endpoint('PUT', '/projects/:project/models/:key/state', {
  summary: 'Ask for review of a model, or take it back to draft',
  may: ['author', 'reviewer'],
  params: inProjectKey,
  body: reviewStateBody,
  answer: modelDetailSchema,
});
export const approveModel = endpoint('POST', '/projects/:project/models/:key/approval', {
  summary: 'Approve the revision of a model that is in review: a signature on what was read',
  may: ['reviewer'],
  params: inProjectKey,
  body: approvalBody,
  answer: modelDetailSchema,
});

const choiceSchema = z.discriminatedUnion('of', [
  z.object({
    of: z.literal('paths'),
    paths: z
      .array(z.array(z.number().int().min(0)).max(5000).readonly())
      .max(500)
      .readonly(),
  }),
  z.object({ of: z.literal('rows'), rows: z.array(row).max(500).readonly() }),
  z.object({ of: z.literal('rules'), rules: z.array(name).max(500).readonly(), as: z.enum(['cases', 'rows']) }),
  z.object({
    of: z.literal('walks'),
    walks: z
      .array(z.array(z.number().int().min(0)).max(5000).readonly())
      .max(500)
      .readonly(),
    refused: z
      .array(z.object({ state: name, event: name }))
      .max(500)
      .readonly(),
  }),
]);
const made = z.object({ identity: z.string(), content: caseContentSchema });
export const madePlanSchema = z.object({
  fresh: z.array(made),
  changed: z.array(made.extend({ key: z.string(), title: z.string(), edited: z.boolean() })),
  same: z.array(z.object({ identity: z.string(), key: z.string(), title: z.string() })),
  /** Made before, and not in this choice. */
  gone: z.array(z.object({ identity: z.string(), key: z.string(), title: z.string() })),
  /** How many of the choice the model no longer has, or its guards forbid. */
  leftOut: z.number(),
});
export type MadePlanned = z.output<typeof madePlanSchema>;
export const planCasesOf = endpoint('POST', '/projects/:project/models/:key/cases/plan', {
  summary: 'What making cases of a choice would do: new, changed, the same, gone; nothing is written',
  may: 'member',
  params: inProjectKey,
  body: z.object({ basedOn: z.number().int(), choice: choiceSchema }),
  bodyLimit: modelLimit,
  answer: madePlanSchema,
});
export const makeCasesOf = endpoint('POST', '/projects/:project/models/:key/cases', {
  summary:
    'Make cases of a choice, in one transaction: new ones that verify what the model models, changed ones as they come out now, gone ones retired',
  may: ['author'],
  params: inProjectKey,
  body: z.object({
    basedOn: z.number().int(),
    choice: choiceSchema,
    /** Of what the plan showed: identities that are written. */
    take: z.array(z.string().max(60_000)).max(1000),
    /** Keys of cases that are no longer wanted. */
    retire: z.array(key).max(500).default([]),
    /** A case that takes the rows, in place of a new one. */
    into: key.optional(),
    reason: reasonOfChange,
  }),
  bodyLimit: modelLimit,
  answer: z.object({ written: z.array(z.string()), changed: z.array(z.string()), retired: z.array(z.string()), model: modelDetailSchema }),
});
