import * as z from 'zod';
import { endpoint, inProject, key, versionedKindSchema } from '../base';

const endSchema = z.object({ kind: versionedKindSchema, key: z.string(), title: z.string(), text: z.string() });
export const proposalSchema = z.object({
  from: endSchema,
  to: endSchema,
  /** How much of their telling words they share, in percent. */
  likely: z.number(),
  /** The words that make it likely, the most telling first. */
  words: z.array(z.string()),
});
export type Proposal = z.output<typeof proposalSchema>;
export const listProposals = endpoint('GET', '/projects/:project/proposals', {
  summary: 'Traces that are likely, by the words that both ends share; none is made',
  may: 'member',
  params: inProject,
  query: z.object({
    /** A case that verifies, or a requirement that is derived. */
    kind: z.enum(['verifies', 'parent']).default('verifies'),
    /** Only of this record, at either end. */
    of: key.optional(),
    /** Of requirements of this specification: at the end that is verified, or that is derived. */
    specification: key.optional(),
    /** For parents: in which specification they are looked for; everywhere else without it. */
    into: key.optional(),
    /** Only of requirements that have none yet. */
    lacking: z.enum(['yes', 'no']).default('yes'),
    least: z.coerce.number().int().min(1).max(100).default(18),
  }),
  answer: z.object({ proposals: z.array(proposalSchema), looked: z.object({ from: z.number(), to: z.number() }), more: z.boolean() }),
});
