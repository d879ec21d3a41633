import * as z from 'zod';
import { key, longText, richText, shortText } from '../base';

const values = z.record(z.string().max(60), z.string().max(2000));
const words = z.string().max(60);
export const stepSchema = z.object({
  action: longText,
  expected: longText,
  call: z.object({ key, revision: z.number().int().min(1), with: values }).optional(),
  from: z.string().max(200).optional(),
  /** What is put in. */
  data: z.string().max(4000).optional(),
  /** What is read off an instrument, and between which limits it must lie. */
  readings: z
    .array(z.object({ name: words, unit: z.string().max(30), resolution: z.number().min(0).max(1e12), limits: z.string().max(200) }))
    .max(20)
    .readonly()
    .optional(),
  /** By what it must be shown before it can pass. */
  evidence: z.enum(['picture', 'file', 'reading']).optional(),
  verifies: z.array(key).max(100).readonly().optional(),
  /** Its texts as they are laid out; the server cleans them and reads the texts from them. */
  layout: z.object({ action: richText.optional(), expected: richText.optional() }).optional(),
});

/** What one revision of a case says. */
export const caseContentSchema = z.object({
  title: shortText,
  objective: longText,
  preconditions: longText,
  steps: z.array(stepSchema).max(500).readonly(),
  plannedMinutes: z.number().min(0).max(10_000),
  rows: z
    .array(z.object({ name: words, values }))
    .max(500)
    .readonly()
    .optional(),
  postconditions: longText.optional(),
  /** The name of its kind, of those that the project has. */
  kind: z.string().max(30).optional(),
  priority: z.string().max(40).optional(),
  tags: z.array(z.string().max(40)).max(50).readonly().optional(),
  addresses: z.array(z.string().max(500)).max(50).readonly().optional(),
  /** Cases that must have passed before. */
  dependsOn: z.array(key).max(100).readonly().optional(),
  script: z.string().max(500).optional(),
  arguments: z.string().max(2000).optional(),
  /** How many samples it is run on, and what may be claimed from them. */
  samples: z
    .object({
      confidence: z.number().gt(0).lt(1),
      reliability: z.number().gt(0).lt(1),
      failures: z.number().int().min(0).max(1000),
    })
    .nullable()
    .optional(),
  layout: z.object({ objective: richText.optional(), preconditions: richText.optional(), postconditions: richText.optional() }).optional(),
});
