import * as z from 'zod';
import {
  done,
  endpoint,
  inProject,
  inProjectKey,
  key,
  listQuery,
  longText,
  ownValuesSchema,
  pageOf,
  reasonOfChange,
  shortText,
  traceSchema,
} from '../base';

/** A folder of cases with what is in it and below it. */
export const folderSchema = z.object({
  key: z.string(),
  title: z.string(),
  description: z.string(),
  under: z.string().nullable(),
  position: z.number(),
  revision: z.number(),
  /** In it and below it: cases, how many of them are approved, how many were never run, and their planned minutes. */
  cases: z.number(),
  approved: z.number(),
  neverRun: z.number(),
  minutes: z.number(),
});
export type Folder = z.output<typeof folderSchema>;
export const listFolders = endpoint('GET', '/projects/:project/folders', {
  summary: 'The folders of the case library, in reading order, with what is in them; at most 2000',
  may: 'member',
  params: inProject,
  answer: z.object({
    folders: z.array(folderSchema),
    unfiled: folderSchema.pick({ cases: true, approved: true, neverRun: true, minutes: true }),
  }),
});
export const addFolder = endpoint('POST', '/projects/:project/folders', {
  summary: 'Make a folder for cases',
  may: ['author'],
  params: inProject,
  body: z.object({
    title: shortText.trim().min(1, 'Give it a name.'),
    description: longText.default(''),
    under: key.nullable().default(null),
  }),
  answer: folderSchema,
});
export const saveFolder = endpoint('PUT', '/projects/:project/folders/:key', {
  summary: 'Rename a folder, describe it, or move it: under another one, behind one of those there',
  may: ['author'],
  params: inProjectKey,
  body: z.object({
    basedOn: z.number().int(),
    title: shortText.trim().min(1, 'Give it a name.'),
    description: longText,
    under: key.nullable(),
    /** The folder that it comes after; none: it becomes the first there. Absent: it stays where it is. */
    after: key.nullable().optional(),
  }),
  answer: folderSchema,
});
export const removeFolder = endpoint('DELETE', '/projects/:project/folders/:key', {
  summary: 'Retire a folder that is empty',
  may: ['author'],
  params: inProjectKey,
  answer: done,
});
export const fileCases = endpoint('PUT', '/projects/:project/folders/cases', {
  summary: 'Put cases into a folder, or out of all of them, all or none',
  may: ['author'],
  params: inProject,
  body: z.object({ cases: z.array(key).min(1, 'Nothing is chosen.').max(2000), folder: key.nullable() }),
  answer: z.object({ moved: z.number() }),
});

/** Kinds of case as the project names them. */
export const caseKindSchema = z.object({
  name: z.string().regex(/^[a-z][A-Za-z0-9]{1,29}$/, 'Letters and digits, beginning with a small letter; at most 30.'),
  title: shortText.trim().min(1, 'Give it a name.'),
  description: z.string().max(2000),
  part: z.enum(['steps', 'checklist', 'script']),
  evidence: z.boolean(),
  fields: z.array(z.number().int()).max(100).readonly(),
  retired: z.boolean(),
});
export const listCaseKinds = endpoint('GET', '/projects/:project/case-kinds', {
  summary: 'The kinds of case of the project',
  may: 'member',
  params: inProject,
  answer: z.array(caseKindSchema),
});
export const saveCaseKind = endpoint('PUT', '/projects/:project/case-kinds/:name', {
  summary: 'Name a kind of case, or change what it has; its name stays',
  may: ['administrator'],
  params: inProject.extend({ name: z.string().max(30) }),
  body: caseKindSchema.omit({ name: true }),
  answer: z.array(caseKindSchema),
});

const member = z.object({ key: z.string(), title: z.string(), state: z.string(), plannedMinutes: z.number() });
export const groupSummarySchema = z.object({
  key: z.string(),
  title: z.string(),
  purpose: z.string(),
  revision: z.number(),
  state: z.enum(['open', 'retired']),
  cases: z.number(),
  minutes: z.number(),
  requirements: z.array(z.string()),
  own: ownValuesSchema,
  updatedBy: z.string(),
  updatedAt: z.string(),
});
export type GroupSummary = z.output<typeof groupSummarySchema>;
export const groupDetailSchema = groupSummarySchema.extend({ members: z.array(member), traces: z.array(traceSchema) });
export type GroupDetail = z.output<typeof groupDetailSchema>;
export const listGroups = endpoint('GET', '/projects/:project/groups', {
  summary: 'Groups of cases, by filter, order and page',
  may: 'member',
  params: inProject,
  query: listQuery,
  answer: pageOf(groupSummarySchema),
});
export const getGroup = endpoint('GET', '/projects/:project/groups/:key', {
  summary: 'A group with its cases in their order, and the requirements that it verifies as a whole',
  may: 'member',
  params: inProjectKey,
  answer: groupDetailSchema,
});
const groupBody = z.object({
  title: shortText.trim().min(1, 'Give it a name.'),
  purpose: longText,
  /** In their order. */
  cases: z.array(key).max(1000),
  /** What all of them together verify: each of them is traced to it. */
  requirements: z.array(key).max(100),
});
export const addGroup = endpoint('POST', '/projects/:project/groups', {
  summary: 'Put cases together under a name',
  may: ['author'],
  params: inProject,
  body: groupBody,
  answer: groupDetailSchema,
});
export const saveGroup = endpoint('PUT', '/projects/:project/groups/:key', {
  summary: 'Change a group: its name, purpose, cases, their order, and what they verify together',
  may: ['author'],
  params: inProjectKey,
  body: groupBody.extend({ basedOn: z.number().int() }),
  answer: groupDetailSchema,
});

export const caseUsesSchema = z.object({
  /** Cases that call it, at which revision; `newer` where its present revision is another one. */
  callers: z.array(z.object({ key: z.string(), title: z.string(), state: z.string(), revision: z.number(), newer: z.boolean() })),
  dependents: z.array(z.object({ key: z.string(), title: z.string() })),
  groups: z.array(z.object({ key: z.string(), title: z.string() })),
  rounds: z.array(z.object({ key: z.string(), title: z.string(), build: z.string(), runs: z.number() })),
  /** The model or requirement that it was made of, with what is otherwise there now. */
  madeOf: z
    .object({ key: z.string(), kind: z.string(), title: z.string(), revision: z.number(), now: z.number(), differs: z.array(z.string()) })
    .nullable(),
  /** Minutes that its finished runs took: the median, and of how many. */
  took: z.object({ median: z.number(), runs: z.number() }).nullable(),
});
export type CaseUses = z.output<typeof caseUsesSchema>;
export const getCaseUses = endpoint('GET', '/projects/:project/cases/:key/uses', {
  summary: 'Where a case is used: callers, dependents, groups, rounds; what it was made of; how long its runs took',
  may: 'member',
  params: inProjectKey,
  answer: caseUsesSchema,
});
export const takeCalled = endpoint('POST', '/projects/:project/cases/:key/callers', {
  summary: 'Let callers call the present revision of a case, each as a new revision of its own, all or none',
  may: ['author'],
  params: inProjectKey,
  body: z.object({
    revision: z.number().int(),
    callers: z.array(key).min(1, 'Nothing is chosen.').max(500),
    reason: reasonOfChange,
  }),
  answer: caseUsesSchema,
});
