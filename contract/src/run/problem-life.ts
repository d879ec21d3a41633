import * as z from 'zod';
import { day, endpoint, inProject, inProjectKey, longText, shortText } from '../base';
import { problemSchema } from './problems';

export const problemStageSchema = z.object({
  name: z.string().regex(/^[a-z][A-Za-z0-9]{0,29}$/, 'Letters and digits, beginning with a small letter; at most 30.'),
  title: z.string().trim().min(1).max(60),
  means: z.enum(['open', 'fixed', 'closed']),
  next: z.array(z.string().max(30)).max(20).readonly(),
  roles: z
    .array(z.enum(['author', 'tester', 'reviewer', 'administrator']))
    .max(4)
    .readonly(),
  needs: z
    .array(z.enum(['severity', 'priority', 'area', 'assigned', 'due', 'fixedIn', 'closedReason']))
    .max(7)
    .readonly(),
});
export const problemLifeSchema = z.object({
  stages: z.array(problemStageSchema).min(2).max(20).readonly(),
  severities: z.array(z.string().trim().min(1).max(40)).max(12).readonly(),
  areas: z.array(z.string().trim().min(1).max(100)).max(100).readonly(),
});
export type ProblemLife = z.output<typeof problemLifeSchema>;
export const getProblemLife = endpoint('GET', '/projects/:project/problem-life', {
  summary: 'The stages of a problem report, who may move one there and what must be filled; severities and areas',
  may: 'member',
  params: inProject,
  answer: problemLifeSchema,
});
export const saveProblemLife = endpoint('PUT', '/projects/:project/problem-life', {
  summary: 'Change the life of problem reports; reports stay at their stages',
  may: ['administrator'],
  params: inProject,
  body: problemLifeSchema,
  answer: problemLifeSchema,
});
export const saveProblem = endpoint('PUT', '/projects/:project/problems/:key', {
  summary: 'Change a problem report: its text, whether it blocks, its stage, severity, priority, area, who has it, when it is due',
  may: ['author', 'tester', 'reviewer'],
  params: inProjectKey,
  body: z.object({
    basedOn: z.number().int(),
    title: shortText.trim().min(1),
    description: longText,
    blocking: z.boolean(),
    stage: z.string().max(30),
    severity: z.string().max(40).default(''),
    priority: z.string().max(40).default(''),
    area: z.string().max(100).default(''),
    assigned: z.string().max(60).nullable().default(null),
    due: day.nullable().default(null),
    fixedIn: z.string().max(60).nullable().default(null),
    closedReason: longText.default(''),
    /** Signs a closing for which no run on the build with the fix passed, and what is eased while a run that showed it fails. */
    password: z.string().max(200).default(''),
  }),
  answer: problemSchema,
});
/** Reports counted: by requirement and state, by severity, found against closed day by day. */
export const problemFiguresSchema = z.object({
  byRequirement: z.array(z.object({ key: z.string(), open: z.number(), closed: z.number() })),
  bySeverity: z.array(z.object({ month: z.string(), severity: z.string(), count: z.number() })),
  days: z.array(z.object({ day: z.string(), found: z.number(), closed: z.number() })),
  byStage: z.array(z.object({ stage: z.string(), count: z.number() })),
});
export type ProblemFigures = z.output<typeof problemFiguresSchema>;
export const getProblemFigures = endpoint('GET', '/projects/:project/problem-figures', {
  summary: 'Problem reports by requirement and state, by severity over time, found against closed',
  may: 'member',
  params: inProject,
  answer: problemFiguresSchema,
});
