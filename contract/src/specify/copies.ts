import * as z from 'zod';
import { endpoint, inProject, key } from '../base';

export const copyOut = endpoint('POST', '/projects/:project/requirements/copies', {
  summary: 'Copy requirements, with what stands below them, into a specification of another project; what could not come along is said',
  may: 'member',
  params: inProject,
  body: z.object({
    keys: z.array(key).min(1, 'Nothing is chosen.').max(5000),
    into: z.object({ project: z.string().max(60), specification: key, under: key.nullable().default(null) }),
    /** Traces to parents that are copied as well. */
    traces: z.boolean().default(true),
  }),
  answer: z.object({ copies: z.array(z.object({ from: z.string(), to: z.string() })), left: z.array(z.string()) }),
});
