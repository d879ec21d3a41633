import * as z from 'zod';
import { endpoint, inProject, key } from '../base';

export const copyCases = endpoint('POST', '/projects/:project/cases/copies', {
  summary: 'Copy cases into another project, in draft, all or none; what could not come along is said',
  may: 'member',
  params: inProject,
  body: z.object({
    keys: z.array(key).min(1, 'Nothing is chosen.').max(500),
    into: z.object({ project: z.string().max(60), folder: key.nullable().default(null) }),
    /** Traces to requirements that have the same key and title there. */
    traces: z.boolean().default(true),
  }),
  answer: z.object({ copies: z.array(z.object({ from: z.string(), to: z.string() })), left: z.array(z.string()) }),
});
