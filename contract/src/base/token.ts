import * as z from 'zod';
import { done, endpoint, inProject } from './endpoint';
import { roleSchema } from './policies';

export const tokenSchema = z.object({
  id: z.number(),
  name: z.string(),
  roles: z.array(roleSchema),
  createdBy: z.string(),
  createdAt: z.string(),
  expiresAt: z.string(),
  endedAt: z.string().nullable(),
});
export type Token = z.output<typeof tokenSchema>;

export const listTokens = endpoint('GET', '/projects/:project/tokens', {
  summary: 'The accounts of programs in the project',
  may: ['administrator', 'auditor'],
  params: inProject,
  answer: z.array(tokenSchema),
});
export const addToken = endpoint('POST', '/projects/:project/tokens', {
  summary: 'Make an account for a program; its secret is shown this once, and sent by the program as “Authorization: Bearer …”',
  may: ['administrator'],
  params: inProject,
  body: z.object({
    name: z.string().regex(/^[a-z][a-z0-9-]{1,30}$/, 'Small letters, digits and hyphens, beginning with a letter.'),
    /** What it may. A program neither reviews nor administers: these are people's. */
    roles: z.array(z.enum(['author', 'tester', 'auditor'])).min(1, 'Say what it may.'),
    days: z.number().int().min(1).max(366),
  }),
  answer: z.object({ token: tokenSchema, secret: z.string() }),
});
export const endToken = endpoint('DELETE', '/projects/:project/tokens/:id', {
  summary: 'End an account of a program',
  may: ['administrator'],
  params: inProject.extend({ id: z.coerce.number().int() }),
  answer: done,
});
