/** From which state on a value is asked for. */
export const askedFrom = ['draft', 'review', 'approved'] as const;
export type AskedFrom = (typeof askedFrom)[number];

/** What a field of a project's own asks for, as far as it decides whether a record may do without a value. */
export interface OwnRule {
  /** From which state on it must have a value; null where it need not. */
  readonly requiredFrom: AskedFrom | null;
  /** Levels for which that holds; empty for all. */
  readonly levels: readonly string[];
}

/** From which state on a record of this level needs a value of the field; null where it never does. */
export const neededFrom = ({ requiredFrom, levels }: OwnRule, level: string): AskedFrom | null =>
  levels.length && !levels.includes(level) ? null : requiredFrom;

/** Must a record of this level, in this state, have a value of the field? States that are no step of a review ask for nothing. */
export function needsValue(rule: OwnRule, state: string, level: string): boolean {
  const from = neededFrom(rule, level);
  return from !== null && (askedFrom as readonly string[]).indexOf(state) >= askedFrom.indexOf(from);
}

/** Is nothing given? An empty text, an empty choice of several and no value at all are alike. */
export const isEmptyValue = (value: unknown): boolean =>
  value === undefined || value === null || value === '' || (Array.isArray(value) && value.length === 0);
