import * as z from 'zod';
import { done, endpoint, inProject } from './endpoint';

export const jobSchema = z.object({
  id: z.number(),
  kind: z.string(),
  state: z.enum(['queued', 'running', 'done', 'failed', 'cancelled']),
  progress: z.number(),
  message: z.string(),
  build: z.string(),
  by: z.string(),
  createdAt: z.string(),
  finishedAt: z.string().nullable(),
  file: z.object({ name: z.string(), bytes: z.number(), sha256: z.string() }).nullable(),
});
export type Job = z.output<typeof jobSchema>;

export const listJobs = endpoint('GET', '/projects/:project/jobs', {
  summary: 'The newest jobs of the project: packs, acts on many records',
  may: 'member',
  params: inProject,
  answer: z.array(jobSchema),
});
export const cancelJob = endpoint('DELETE', '/projects/:project/jobs/:id', {
  summary: 'Cancel a job: one’s own, or as an administrator anybody’s. What it did stays done',
  may: ['author', 'tester', 'reviewer', 'administrator'],
  params: inProject.extend({ id: z.coerce.number().int() }),
  answer: done,
});
