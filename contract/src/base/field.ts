import * as z from 'zod';

/** A value of one of the project's own fields: text, number, several choices, yes or no; null where it has none. */
export const ownValueSchema = z.union([z.string().max(20_000), z.number(), z.boolean(), z.array(z.string().max(300)).max(100), z.null()]);
export type OwnValue = z.output<typeof ownValueSchema>;
export const ownValuesSchema = z.record(z.string().max(20), ownValueSchema);

export const fieldTypes = ['text', 'richText', 'number', 'choice', 'choices', 'person', 'date', 'yesNo', 'address'] as const;
export const fieldDefinitionSchema = z.object({
  type: z.enum(fieldTypes),
  /** Unit of a number, as in `ms`. */
  unit: z.string().max(30).default(''),
  least: z.number().optional(),
  most: z.number().optional(),
  choices: z.array(z.string().trim().min(1).max(300)).max(200).default([]),
  /** From which state on it must have a value; null where it need not. */
  requiredFrom: z.enum(['draft', 'review', 'approved']).nullable().default(null),
  /** Levels for which that holds; empty for all. */
  levels: z.array(z.string().max(40)).max(50).default([]),
  /** Shown as a column of lists, beside the record, or both. */
  shown: z.enum(['record', 'list', 'both']).default('record'),
});
export type FieldDefinition = z.output<typeof fieldDefinitionSchema>;
