import * as z from 'zod';
import { longText, richText, shortText } from '../base';

/** What one revision of a requirement says. */
export const contentSchema = z.object({
  kind: z.enum(['heading', 'requirement', 'note']),
  title: shortText,
  text: longText,
  /** The text as it is laid out; the server cleans it and reads `text` from it. Absent: plain lines. */
  html: richText.optional(),
  rationale: longText,
  level: z.string().max(40),
  method: z.enum(['', 'test', 'analysis', 'inspection', 'demonstration']),
  topLevel: z.boolean(),
  derived: z.boolean(),
  notInCode: z.boolean(),
  notInCodeRationale: longText,
  /** What must be seen for it to be accepted, one by one. */
  criteria: z.array(z.string().max(2000)).max(100).readonly().optional(),
  /** Where it comes from, if not from a requirement. */
  source: shortText.optional(),
  risk: z.string().max(40).optional(),
  priority: z.string().max(40).optional(),
  tags: z.array(z.string().max(40)).max(50).readonly().optional(),
});
