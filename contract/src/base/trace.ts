import * as z from 'zod';
import { endpoint, inProject, key, reasonText } from './endpoint';

export const versionedKindSchema = z.enum([
  'project',
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
]);

/** A kind of trace as the project tells it: its name in both directions, and what it joins. */
export const traceKindSchema = z.object({
  name: z.string().regex(/^[a-z][A-Za-z0-9]{1,29}$/, 'Letters and digits, beginning with a small letter; at most 30.'),
  forward: z.string().trim().min(1).max(60),
  backward: z.string().trim().min(1).max(60),
  fromKinds: z.array(versionedKindSchema).min(1).max(20),
  toKinds: z.array(versionedKindSchema).min(1).max(20),
  /** May it run in a circle? */
  circles: z.boolean(),
});
export type TraceKind = z.output<typeof traceKindSchema>;

export const traceSchema = z.object({
  id: z.number(),
  kind: z.string(),
  from: z.string(),
  to: z.string(),
  fromKind: versionedKindSchema,
  toKind: versionedKindSchema,
  fromTitle: z.string(),
  toTitle: z.string(),
  fromRevision: z.number(),
  toRevision: z.number(),
  fromNow: z.number(),
  toNow: z.number(),
  /** Ends that were revised since it was confirmed. */
  suspect: z.array(z.enum(['from', 'to'])),
  drawnBy: z.string(),
  drawnAt: z.string(),
  /** It counts only once somebody other than its author has confirmed it. */
  waits: z.boolean(),
  confirmedBy: z.string().nullable(),
  confirmedAt: z.string().nullable(),
  reason: z.string(),
});
export type TraceRow = z.output<typeof traceSchema>;

export const listTraceKinds = endpoint('GET', '/projects/:project/trace-kinds', {
  summary: 'The kinds of trace of the project',
  may: 'member',
  params: inProject,
  answer: z.array(traceKindSchema),
});
export const countTraces = endpoint('GET', '/projects/:project/trace-kinds/counts', {
  summary: 'How many traces of each kind stand',
  may: 'member',
  params: inProject,
  answer: z.array(z.object({ kind: z.string(), traces: z.number() })),
});
export const saveTraceKind = endpoint('PUT', '/projects/:project/trace-kinds/:name', {
  summary: 'Name a kind of trace, or change how one is told',
  may: ['administrator'],
  params: inProject.extend({ name: z.string().max(30) }),
  body: traceKindSchema.omit({ name: true }),
  answer: z.array(traceKindSchema),
});
export const addTrace = endpoint('POST', '/projects/:project/traces', {
  summary: 'Trace one record to another, by a kind of the project',
  may: ['author'],
  params: inProject,
  body: z.object({ kind: z.string().max(30), from: key, to: key }),
  answer: traceSchema,
});
export const confirmTrace = endpoint('PUT', '/projects/:project/traces/:id/confirmation', {
  summary: 'Say, with a reason, that a trace holds at the revisions that were looked at',
  may: ['author', 'reviewer'],
  params: inProject.extend({ id: z.coerce.number().int() }),
  body: z.object({ reason: reasonText, fromRevision: z.number().int(), toRevision: z.number().int() }),
  answer: traceSchema,
});
export const removeTrace = endpoint('DELETE', '/projects/:project/traces/:id', {
  summary: 'Take a trace back; it stays in the ledger. From or to something approved that needs a reason',
  may: ['author'],
  params: inProject.extend({ id: z.coerce.number().int() }),
  query: z.object({ reason: z.string().max(2000).default('') }),
  answer: z.object({ id: z.number() }),
});

const many = 500;
export const addTraces = endpoint('POST', '/projects/:project/traces/many', {
  summary: 'Trace many records to others by one kind, all or none',
  may: ['author'],
  params: inProject,
  body: z.object({
    kind: z.string().max(30),
    pairs: z
      .array(z.object({ from: key, to: key }))
      .min(1, 'Nothing is chosen.')
      .max(many, `At most ${many} at once.`),
  }),
  answer: z.object({ made: z.number() }),
});
export const confirmTraces = endpoint('PUT', '/projects/:project/traces/many/confirmation', {
  summary: 'Say, with one reason, that many traces hold at the revisions that were looked at, all or none',
  may: ['author', 'reviewer'],
  params: inProject,
  body: z.object({
    reason: reasonText,
    traces: z
      .array(z.object({ id: z.number().int(), fromRevision: z.number().int(), toRevision: z.number().int() }))
      .min(1, 'Nothing is chosen.')
      .max(many, `At most ${many} at once.`),
  }),
  answer: z.object({ done: z.number() }),
});
export const removeTraces = endpoint('POST', '/projects/:project/traces/many/removal', {
  summary: 'Take many traces back with one reason, all or none',
  may: ['author'],
  params: inProject,
  body: z.object({ reason: reasonText, ids: z.array(z.number().int()).min(1, 'Nothing is chosen.').max(many, `At most ${many} at once.`) }),
  answer: z.object({ done: z.number() }),
});

export const suspectSchema = z.object({
  trace: traceSchema,
  /** What was revised since it was confirmed: what it said then, and says now. */
  changed: z.array(z.object({ key: z.string(), from: z.number(), to: z.number(), before: z.string(), after: z.string() })),
  /** What the other end says; where both were revised, nothing stands beside them. */
  other: z.object({ key: z.string(), text: z.string() }).nullable(),
});
export type SuspectTrace = z.output<typeof suspectSchema>;
export const listSuspects = endpoint('GET', '/projects/:project/traces/suspect', {
  summary: 'Traces that a revision made doubtful, with the difference that caused it and the text of the other end',
  may: 'member',
  params: inProject,
  query: z.object({
    /** At this record, or at requirements of this specification. */
    of: key.optional(),
    specification: key.optional(),
    after: z.coerce.number().int().min(0).default(0),
    limit: z.coerce.number().int().min(1).max(200).default(50),
  }),
  answer: z.object({ traces: z.array(suspectSchema), total: z.number(), next: z.number().nullable(), seq: z.number() }),
});
