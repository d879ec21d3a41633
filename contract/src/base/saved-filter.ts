import * as z from 'zod';
import { done, endpoint, inProject } from './endpoint';

const list = z.string().regex(/^[a-z][A-Za-z]{1,19}$/);
const name = z.string().trim().min(1, 'Give it a name.').max(120);
/** As the address of the list holds it. */
const question = z.string().max(8000);

/** A question of a list under a name; slashes in the name make folders. */
export const savedFilterSchema = z.object({
  id: z.number(),
  list,
  name,
  question,
  login: z.string(),
  shared: z.boolean(),
  /** Where its owner's list begins. */
  first: z.boolean(),
});
export type SavedFilter = z.output<typeof savedFilterSchema>;
const filters = z.array(savedFilterSchema);
const savers = ['author', 'tester', 'reviewer', 'administrator'] as const;

export const listFilters = endpoint('GET', '/projects/:project/filters', {
  summary: 'The saved filters of a list: one’s own, and those that are shared',
  may: 'member',
  params: inProject,
  query: z.object({ list }),
  answer: filters,
});
export const saveFilter = endpoint('POST', '/projects/:project/filters', {
  summary: 'Save the question of a list under a name; the same name again is changed',
  may: [...savers],
  params: inProject,
  body: z.object({ list, name, question, shared: z.boolean().default(false) }),
  answer: filters,
});
export const changeFilter = endpoint('PUT', '/projects/:project/filters/:id', {
  summary: 'Rename a saved filter of one’s own, share it, or begin one’s list with it',
  may: [...savers],
  params: inProject.extend({ id: z.coerce.number().int() }),
  body: z.object({ name: name.optional(), shared: z.boolean().optional(), first: z.boolean().optional() }),
  answer: filters,
});
export const dropFilter = endpoint('DELETE', '/projects/:project/filters/:id', {
  summary: 'Forget a saved filter of one’s own',
  may: [...savers],
  params: inProject.extend({ id: z.coerce.number().int() }),
  answer: done,
});
