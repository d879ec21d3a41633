import * as z from 'zod';
import { done, endpoint, inProject, inProjectKey, key, longText, reasonOfChange, reasonText, shortText } from './endpoint';
import { fieldDefinitionSchema, ownValuesSchema } from './field';
import { traceSchema, versionedKindSchema } from './trace';

/** What every versioned record has, whatever its kind. */
export const recordSchema = z.object({
  key: z.string(),
  kind: versionedKindSchema,
  title: z.string(),
  state: z.string(),
  revision: z.number(),
  own: ownValuesSchema,
  createdBy: z.string(),
  createdAt: z.string(),
  updatedBy: z.string(),
  updatedAt: z.string(),
  retiredAt: z.string().nullable(),
});
export type RecordHead = z.output<typeof recordSchema>;

export const revisionSchema = z.object({
  revision: z.number(),
  state: z.string(),
  /** The ledger entry that made it. */
  seq: z.number(),
  by: z.string(),
  at: z.string(),
  reason: z.string(),
  hash: z.string().nullable(),
  snapshot: z.record(z.string(), z.unknown()),
});
export type Revision = z.output<typeof revisionSchema>;

export const recordSignatureSchema = z.object({
  meaning: z.string(),
  revision: z.number(),
  login: z.string(),
  printedName: z.string(),
  at: z.string(),
  format: z.number(),
  hash: z.string(),
  reason: z.string(),
});
export type RecordSignature = z.output<typeof recordSignatureSchema>;

export const commentSchema = z.object({
  id: z.number(),
  parent: z.number().nullable(),
  field: z.string(),
  passage: z.string(),
  html: z.string(),
  text: z.string(),
  by: z.string(),
  at: z.string(),
  resolvedBy: z.string().nullable(),
  resolvedAt: z.string().nullable(),
});
export type Comment = z.output<typeof commentSchema>;
export const attachmentSchema = z.object({
  id: z.number(),
  name: z.string(),
  mime: z.string(),
  bytes: z.number(),
  sha256: z.string(),
  by: z.string(),
  at: z.string(),
});
export type Attachment = z.output<typeof attachmentSchema>;
export const presentPersonSchema = z.object({ login: z.string(), printedName: z.string(), field: z.string() });
export type PresentPerson = z.output<typeof presentPersonSchema>;

const ofRecord = '/projects/:project/records/:key';
const anyRole = ['author', 'tester', 'reviewer', 'administrator'] as const;

export const getRecord = endpoint('GET', ofRecord, {
  summary: 'A record of any kind: its head, traces and signatures; as of a ledger number, what it was then',
  may: 'member',
  params: inProjectKey,
  query: z.object({ asOf: z.coerce.number().int().min(0).optional() }),
  answer: z.object({
    record: recordSchema,
    snapshot: z.record(z.string(), z.unknown()).nullable(),
    traces: z.array(traceSchema),
    signatures: z.array(recordSignatureSchema),
    /** What a signature of the present revision is bound to; null where its kind has none. */
    hash: z.string().nullable(),
    externalIds: z.array(z.object({ system: z.string(), id: z.string() })),
    following: z.boolean(),
  }),
});
export const signRecord = endpoint('POST', `${ofRecord}/signatures`, {
  summary: 'Sign the present revision of a record in a meaning that the project has, bound to the hash of what is read',
  may: anyRole,
  params: inProjectKey,
  body: z.object({
    meaning: shortText,
    hash: z.string().length(64),
    password: z.string().max(200),
    reason: longText.default(''),
  }),
  answer: z.object({ signatures: z.array(recordSignatureSchema) }),
});
export const countMeanings = endpoint('GET', '/projects/:project/signature-meanings', {
  summary: 'How many signatures of the project carry each meaning: what a change of the list touches',
  may: 'member',
  params: inProject,
  answer: z.array(z.object({ name: z.string(), signatures: z.number() })),
});
export const recordHistory = endpoint('GET', `${ofRecord}/revisions`, {
  summary: 'Every snapshot of a record, newest first',
  may: 'member',
  params: inProjectKey,
  query: z.object({ before: z.coerce.number().int().optional(), limit: z.coerce.number().int().min(1).max(200).default(100) }),
  answer: z.array(revisionSchema),
});
export const setOwnFields = endpoint('PUT', `${ofRecord}/own`, {
  summary: 'Give values to the project’s own fields of a record; those left out stay. Of a problem report testers and reviewers do so too',
  may: ['author', 'tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({
    basedOn: z.number().int(),
    own: ownValuesSchema,
    /** Why they change: asked for where the revision before is approved. */
    reason: reasonOfChange,
  }),
  answer: recordSchema,
});
export const retireRecord = endpoint('PUT', `${ofRecord}/retirement`, {
  summary: 'Retire a record, or bring it back: nothing is deleted',
  may: ['author'],
  params: inProjectKey,
  body: z.object({ retired: z.boolean(), reason: reasonText }),
  answer: recordSchema,
});
export const listComments = endpoint('GET', `${ofRecord}/comments`, {
  summary: 'The comments on a record, oldest first',
  may: 'member',
  params: inProjectKey,
  query: z.object({ after: z.coerce.number().int().min(0).default(0) }),
  answer: z.array(commentSchema),
});
export const addComment = endpoint('POST', `${ofRecord}/comments`, {
  summary: 'Comment on a record, on a field or a passage of it, or answer a comment; @login mentions somebody, who then follows it',
  may: anyRole,
  params: inProjectKey,
  body: z.object({
    html: longText.min(1, 'Say something.'),
    parent: z.number().int().nullable().default(null),
    field: z.string().max(60).default(''),
    passage: z.string().max(2000).default(''),
  }),
  answer: commentSchema,
});
export const resolveComment = endpoint('PUT', `${ofRecord}/comments/:id/resolution`, {
  summary: 'Mark a thread as resolved, or open it again',
  may: anyRole,
  params: inProjectKey.extend({ id: z.coerce.number().int() }),
  body: z.object({ resolved: z.boolean() }),
  answer: commentSchema,
});
export const listAttachments = endpoint('GET', `${ofRecord}/files`, {
  summary: 'The files at a record',
  may: 'member',
  params: inProjectKey,
  answer: z.array(attachmentSchema),
});
export const addAttachments = endpoint('POST', `${ofRecord}/files`, {
  summary: 'Put files at a record (multipart, 25 MiB a file)',
  may: anyRole,
  params: inProjectKey,
  multipart: true,
  answer: z.array(attachmentSchema),
});
export const removeAttachment = endpoint('DELETE', `${ofRecord}/files/:id`, {
  summary: 'Take a file off a record; its bytes stay in the ledger’s keeping',
  may: anyRole,
  params: inProjectKey.extend({ id: z.coerce.number().int() }),
  answer: done,
});
export const setFollowing = endpoint('PUT', `${ofRecord}/following`, {
  summary: 'Follow a record, or no longer',
  may: 'member',
  params: inProjectKey,
  body: z.object({ follow: z.boolean() }),
  answer: z.object({ following: z.boolean() }),
});
export const setPresence = endpoint('PUT', `${ofRecord}/presence`, {
  summary: 'Say that one has a record open, and which field one writes in; it ends by itself. Answers who else is here',
  may: 'member',
  params: inProjectKey,
  body: z.object({ field: z.string().max(60).default(''), here: z.boolean().default(true) }),
  answer: z.array(presentPersonSchema),
});
export const setExternalId = endpoint('PUT', `${ofRecord}/external-ids/:system`, {
  summary: 'Say how another system names a record; empty takes that back',
  may: ['author'],
  params: inProjectKey.extend({ system: z.string().max(60) }),
  body: z.object({ id: z.string().max(300) }),
  answer: z.array(z.object({ system: z.string(), id: z.string() })),
});

export const fieldSchema = z.object({
  id: z.number(),
  kind: versionedKindSchema,
  name: z.string(),
  description: z.string(),
  definition: fieldDefinitionSchema,
  position: z.number(),
  retired: z.boolean(),
});
export type Field = z.output<typeof fieldSchema>;
export const listFields = endpoint('GET', '/projects/:project/fields', {
  summary: 'The project’s own fields, by kind and position',
  may: 'member',
  params: inProject,
  answer: z.array(fieldSchema),
});
const fieldBody = z.object({
  name: shortText.trim().min(1).max(60),
  description: z.string().max(2000).default(''),
  definition: fieldDefinitionSchema,
});
export const addField = endpoint('POST', '/projects/:project/fields', {
  summary: 'Add a field of the project’s own to a kind of record',
  may: ['administrator'],
  params: inProject,
  body: fieldBody.extend({ kind: versionedKindSchema }),
  answer: z.array(fieldSchema),
});
export const saveField = endpoint('PUT', '/projects/:project/fields/:id', {
  summary: 'Rename or change a field, move it, or retire it; what was written in it stays',
  may: ['administrator'],
  params: inProject.extend({ id: z.coerce.number().int() }),
  body: fieldBody.extend({ position: z.number().int().min(0).max(1000), retired: z.boolean() }),
  answer: z.array(fieldSchema),
});
export const closeBuild = endpoint('POST', '/projects/:project/builds/:key/closing', {
  summary: 'Close a build, signed: from then on it is judged as at this moment, and nothing more is recorded on it',
  may: ['reviewer', 'administrator'],
  params: inProjectKey,
  body: z.object({ password: z.string().max(200), reason: reasonText }),
  answer: z.object({ key, closedAt: z.string(), seq: z.number() }),
});
