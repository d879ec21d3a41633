import * as z from 'zod';
import { endpoint, inProject } from '../base';

const sides = z.enum(['requirement', 'case']);
const headSchema = z.object({ key: z.string(), title: z.string(), state: z.string() });
export const matrixQuery = z.object({
  rows: sides.default('requirement'),
  columns: sides.default('case'),
  /** Filters as the lists of these kinds take them. */
  rowFilter: z.string().max(4000).optional(),
  columnFilter: z.string().max(4000).optional(),
  /** The kind of trace. */
  trace: z.string().max(40).default('verifies'),
});
export const matrixSchema = z.object({
  rows: z.array(headSchema),
  columns: z.array(headSchema),
  cells: z.array(z.object({ row: z.number(), column: z.number(), state: z.enum(['sound', 'waiting', 'suspect']), id: z.number() })),
  /** In which direction a trace goes that is made in a cell. */
  from: z.enum(['row', 'column']),
  seq: z.number(),
});
export type MatrixAnswer = z.output<typeof matrixSchema>;
export const getMatrix = endpoint('GET', '/projects/:project/matrix', {
  summary: 'Which records of one filter are traced to which of another: at most 6,000 on each side',
  may: 'member',
  params: inProject,
  query: matrixQuery,
  answer: matrixSchema,
});
