import * as z from 'zod';

export const roleSchema = z.enum(['author', 'tester', 'reviewer', 'auditor', 'administrator']);

/** What a project asks of its people beyond its standard. */
export const policiesSchema = z.object({
  ownApprovalAt: z.array(z.string().max(60)).max(50),
  creditNeedsSignature: z.boolean(),
  observationAt: z.array(z.string().max(60)).max(50),
  reasonLength: z.number().int().min(3).max(200),
  signingNeedsFactor: z.boolean().optional(),
  /** Kinds of case whose runs may be recorded whole; the empty name is a case of no kind. */
  shortRecordFor: z.array(z.string().max(30)).max(50).readonly().optional(),
  /** How results of programs count, by level. */
  programResults: z.record(z.string().max(60), z.enum(['reviewed', 'qualified', 'no'])).optional(),
  /** Tools, as `name version`, whose qualification is on record. */
  qualifiedTools: z.array(z.string().max(170)).max(100).readonly().optional(),
  /** Levels at which a result may be carried from one build to another. */
  carryResultsAt: z.array(z.string().max(60)).max(50).readonly().optional(),
  /** Meanings of signatures that are the project's own. */
  meanings: z
    .array(
      z.object({
        name: z.string().trim().max(30),
        says: z.string().trim().max(500),
        roles: z.array(roleSchema).max(10).readonly(),
        kinds: z.array(z.enum(['requirement', 'case', 'run', 'flow', 'parameters', 'decisionTable', 'stateTable'])).readonly(),
      }),
    )
    .max(40)
    .readonly()
    .optional(),
});
