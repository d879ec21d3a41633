import * as z from 'zod';

/** A value that a field is compared with. */
const plain = z.union([z.string().max(300), z.number(), z.boolean(), z.null()]);
type Plain = z.output<typeof plain>;

/**
 * A question about records: `is` holds where the field has one of the values, `from` and `to` bound it (both inclusive), `empty` asks
 * whether it has any value, `words` are found in key, title and text, the beginnings of words counting.
 */
export type Filter =
  | { readonly and: readonly Filter[] }
  | { readonly or: readonly Filter[] }
  | { readonly not: Filter }
  | { readonly field: string; readonly is: readonly Plain[] }
  | { readonly field: string; readonly from?: string | number; readonly to?: string | number }
  | { readonly field: string; readonly empty: boolean }
  | { readonly words: string };

const field = z.string().regex(/^[A-Za-z][\w.:-]{0,59}$/, 'No such field.');
const edge = z.union([z.string().max(300), z.number()]);
export const filterSchema: z.ZodType<Filter> = z.lazy(() =>
  z.union([
    z.strictObject({ and: z.array(filterSchema).max(50) }),
    z.strictObject({ or: z.array(filterSchema).max(50) }),
    z.strictObject({ not: filterSchema }),
    z.strictObject({ field, is: z.array(plain).min(1).max(2000) }),
    z.strictObject({ field, empty: z.boolean() }),
    z.strictObject({ words: z.string().max(200) }),
    z.strictObject({ field, from: edge.optional(), to: edge.optional() }),
  ]),
);

/** So many rows of a branch of a tree are a page. */
export const branchPageSize = 100;

/** How every list is asked: a filter, an order, a page after a cursor. */
export const listQuery = z.object({
  /** A filter as JSON text. */
  filter: z.string().max(60_000).optional(),
  /** Field names, each with `-` before it for the other way round. */
  sort: z
    .string()
    .regex(/^-?[A-Za-z][\w.:-]{0,59}(,-?[A-Za-z][\w.:-]{0,59}){0,3}$/)
    .optional(),
  /** Where the page before this one ended. */
  after: z.string().max(2000).optional(),
  /** Where it begins, in rows from the first; for a scroll bar that was let go far away. Pages that follow each other go by `after`. */
  skip: z.coerce.number().int().min(0).max(1_000_000).optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
  /** Only these members of the rows, and their keys: all the others are left out of the answer. */
  columns: z
    .string()
    .regex(/^[A-Za-z][\w.:-]{0,59}(,[A-Za-z][\w.:-]{0,59}){0,39}$/)
    .optional(),
  /** Counts by the values of this field, over all that the filter finds. */
  groups: field.optional(),
  /** Sums of this field's numbers beside the counts of the groups. */
  sum: field.optional(),
});
export type ListQuery = z.output<typeof listQuery>;

export const pageOf = <R extends z.ZodType>(row: R) =>
  z.object({
    rows: z.array(row),
    /** Cursor of the page behind this one; null where this is the last. */
    next: z.string().nullable(),
    /** How many the filter finds in all; told with the first page. */
    total: z.number().nullable(),
    /** Where the words of a search were found, by key: a passage, and which of its characters are words of the search. */
    found: z.record(z.string(), z.object({ text: z.string(), marks: z.array(z.tuple([z.number(), z.number()])) })).optional(),
    groups: z
      .array(z.object({ value: z.union([z.string(), z.number(), z.null()]), count: z.number(), sum: z.number().optional() }))
      .optional(),
    /** The ledger number at which this was read. */
    seq: z.number(),
  });
export interface Page<R> {
  rows: R[];
  next: string | null;
  total: number | null;
  found?: Record<string, { text: string; marks: [number, number][] }>;
  groups?: { value: string | number | null; count: number; sum?: number | undefined }[];
  seq: number;
}
