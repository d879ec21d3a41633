import { z } from 'zod';
import { endpoint, inProject, inProjectKey, key, longText, reasonText, shortText } from '../base';

export const contentSchema = z.object({
  kind: z.enum(['heading', 'requirement']),
  title: shortText,
  text: longText,
  rationale: longText,
  level: z.string().max(40),
  method: z.enum(['', 'test', 'analysis', 'inspection', 'demonstration']),
  topLevel: z.boolean(),
  derived: z.boolean(),
  notInCode: z.boolean(),
  notInCodeRationale: longText,
});

export const specificationSchema = z.object({ key: z.string(), title: z.string(), prefix: z.string(), requirements: z.number() });
export type Specification = z.output<typeof specificationSchema>;

export const traceSchema = z.object({
  id: z.number(),
  kind: z.enum(['parent', 'verifies']),
  from: z.string(),
  to: z.string(),
  fromTitle: z.string(),
  toTitle: z.string(),
  fromRevision: z.number(),
  toRevision: z.number(),
  fromNow: z.number(),
  toNow: z.number(),
  confirmedBy: z.string(),
  confirmedAt: z.string(),
  reason: z.string(),
});
export type TraceRow = z.output<typeof traceSchema>;

export const requirementSchema = contentSchema.extend({
  key: z.string(),
  specification: z.string(),
  under: z.string().nullable(),
  position: z.number(),
  revision: z.number(),
  state: z.enum(['draft', 'review', 'approved']),
  updatedBy: z.string(),
  updatedAt: z.string(),
});
export type Requirement = z.output<typeof requirementSchema>;

export const requirementDetailSchema = requirementSchema.extend({
  parents: z.array(traceSchema),
  children: z.array(traceSchema),
  cases: z.array(traceSchema),
});
export type RequirementDetail = z.output<typeof requirementDetailSchema>;

export const revisionSchema = z.object({
  revision: z.number(),
  by: z.string(),
  at: z.string(),
  snapshot: z.record(z.string(), z.unknown()),
});
export type Revision = z.output<typeof revisionSchema>;

const authors = ['author'] as const;

export const listSpecifications = endpoint('GET', '/projects/:project/specifications', {
  summary: 'The specifications',
  may: 'member',
  params: inProject,
  answer: z.array(specificationSchema),
});
export const addSpecification = endpoint('POST', '/projects/:project/specifications', {
  summary: 'Begin a specification',
  may: authors,
  params: inProject,
  body: z.object({
    key: z.string().regex(/^[A-Z][A-Z0-9-]{1,20}$/, 'Capitals, digits and hyphens.'),
    title: shortText.trim().min(1),
    prefix: z.string().regex(/^[A-Z][A-Z0-9]{0,11}$/, 'Capitals and digits, as in BRK.'),
  }),
  answer: specificationSchema,
});
export const listRequirements = endpoint('GET', '/projects/:project/requirements', {
  summary: 'The requirements of a specification, in no order: the tree says it',
  may: 'member',
  params: inProject,
  query: z.object({ specification: z.string().max(60).optional() }),
  answer: z.array(requirementSchema),
});
export const getRequirement = endpoint('GET', '/projects/:project/requirements/:key', {
  summary: 'One requirement with its traces',
  may: 'member',
  params: inProjectKey,
  answer: requirementDetailSchema,
});
export const requirementHistory = endpoint('GET', '/projects/:project/requirements/:key/revisions', {
  summary: 'Every revision, newest first',
  may: 'member',
  params: inProjectKey,
  answer: z.array(revisionSchema),
});
export const addRequirement = endpoint('POST', '/projects/:project/requirements', {
  summary: 'Write a requirement; without a key it gets the next free one',
  may: authors,
  params: inProject,
  body: z.object({
    specification: key,
    under: key.nullable().default(null),
    key: key.optional(),
    parent: key.nullable().default(null),
    content: contentSchema,
  }),
  answer: requirementDetailSchema,
});
export const saveRequirement = endpoint('PUT', '/projects/:project/requirements/:key', {
  summary: 'Save a new revision, based on the one named',
  may: authors,
  params: inProjectKey,
  body: z.object({ basedOn: z.number().int(), content: contentSchema }),
  answer: requirementDetailSchema,
});
export const placeRequirement = endpoint('PUT', '/projects/:project/requirements/:key/place', {
  summary: 'Move a requirement in its tree',
  may: authors,
  params: inProjectKey,
  body: z.object({ under: key.nullable(), before: key.nullable() }),
  answer: requirementDetailSchema,
});
export const setRequirementState = endpoint('PUT', '/projects/:project/requirements/:key/state', {
  summary: 'Ask for review, approve, or send back to draft',
  may: ['author', 'reviewer'],
  params: inProjectKey,
  body: z.object({ basedOn: z.number().int(), state: z.enum(['draft', 'review', 'approved']) }),
  answer: requirementDetailSchema,
});
export const addTrace = endpoint('POST', '/projects/:project/traces', {
  summary: 'Trace a child to its parent, or a case to what it verifies',
  may: authors,
  params: inProject,
  body: z.object({ kind: z.enum(['parent', 'verifies']), from: key, to: key }),
  answer: traceSchema,
});
export const confirmTrace = endpoint('PUT', '/projects/:project/traces/:id/confirmation', {
  summary: 'Say, with a reason, that a suspect trace still holds',
  may: ['author', 'reviewer'],
  params: inProject.extend({ id: z.coerce.number().int() }),
  body: z.object({ reason: reasonText, fromRevision: z.number().int(), toRevision: z.number().int() }),
  answer: traceSchema,
});
export const removeTrace = endpoint('DELETE', '/projects/:project/traces/:id', {
  summary: 'Take a trace back; it stays in the ledger',
  may: authors,
  params: inProject.extend({ id: z.coerce.number().int() }),
  answer: z.object({ id: z.number() }),
});
export const importRequirements = endpoint('POST', '/projects/:project/imports/requirements', {
  summary: 'Write a CSV table of requirements, all rows or none',
  may: authors,
  params: inProject,
  body: z.object({
    specification: key,
    fileName: shortText,
    csv: z.string(),
    mapping: z.partialRecord(
      z.enum(['key', 'title', 'text', 'rationale', 'level', 'method', 'parent', 'under', 'kind', 'topLevel', 'derived', 'notInCode']),
      z.string().max(200),
    ),
  }),
  bodyLimit: 48 * 1024 * 1024,
  answer: z.object({ written: z.number() }),
});
