import * as z from 'zod';
import { done, endpoint, inProject } from './endpoint';

export const incomingSchema = z.object({
  id: z.string(),
  name: z.string(),
  bytes: z.number(),
  /** How many bytes have arrived: the next part begins there. */
  received: z.number(),
  until: z.string(),
});
/** A file that came in parts before. */
export const incomingId = z.string().regex(/^[\w-]{32}$/, 'No such file is coming.');
const sender = ['author', 'tester', 'reviewer', 'administrator'] as const;

export const beginIncoming = endpoint('POST', '/projects/:project/incoming', {
  summary: 'Announce a large file that comes in parts; what arrived stays for a day',
  may: sender,
  params: inProject,
  body: z.object({
    name: z.string().min(1).max(300),
    mime: z.string().max(120).default('application/octet-stream'),
    bytes: z
      .number()
      .int()
      .min(0)
      .max(256 << 20, 'At most 256 MiB.'),
  }),
  answer: incomingSchema,
});
export const getIncoming = endpoint('GET', '/projects/:project/incoming/:id', {
  summary: 'How far a file has come: where to go on after the connection was lost',
  may: sender,
  params: inProject.extend({ id: incomingId }),
  answer: incomingSchema,
});
export const dropIncoming = endpoint('DELETE', '/projects/:project/incoming/:id', {
  summary: 'Give up a file that is coming',
  may: sender,
  params: inProject.extend({ id: incomingId }),
  answer: done,
});
export type Incoming = z.output<typeof incomingSchema>;
