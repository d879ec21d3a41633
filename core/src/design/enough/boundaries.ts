import { proposeNumbers } from '../rows';
import { quantitiesIn } from '../../specify';
import { convertUnit } from '../readings';
import type { CaseContent } from '../case';

/** A value at which a requirement’s number must be tried: at its limit, or one step of its resolution beside it. */
export interface BoundaryPoint {
  /** The words of the requirement, and where they begin. */
  readonly words: string;
  readonly at: number;
  readonly name: string;
  readonly value: number;
  readonly unit: string;
  /** Lies it inside what is required? */
  readonly valid: boolean;
  /** The case that stands at it; null where none does. */
  readonly case: string | null;
}

/** A case as far as its numbers are looked for. */
export interface BoundaryCase {
  readonly key: string;
  readonly content: Pick<CaseContent, 'steps' | 'rows' | 'preconditions'>;
}

interface Stated {
  readonly value: number;
  readonly unit: string;
}

/** Every number that a case states: in its texts, and in its data rows, whose columns may take their unit from the text behind the name. */
function statedBy({ steps, rows = [], preconditions }: BoundaryCase['content']): Stated[] {
  const texts = [preconditions, ...steps.flatMap((s) => [s.action, s.expected, s.data ?? '', ...Object.values(s.call?.with ?? {})])];
  const found: Stated[] = texts.flatMap((text) => quantitiesIn(text).map(({ value, unit }) => ({ value, unit })));
  const unitOf = new Map<string, string>();
  for (const text of texts)
    for (const [, name, unit] of text.matchAll(/\{\{\s*([A-Za-z_][\w.]*)\s*\}\}\s?([%°A-Za-zµΩ][^\s,.;:)]{0,11})?/g))
      if (unit) unitOf.set(name, unit);
  for (const { values } of rows)
    for (const [name, text] of Object.entries(values)) {
      const stated = quantitiesIn(text);
      found.push(...stated.map(({ value, unit }) => ({ value, unit: unit || (unitOf.get(name) ?? '') })));
    }
  return found;
}

const same = (a: number, b: number): boolean => Math.abs(a - b) <= 1e-9 * Math.max(1, Math.abs(a), Math.abs(b));

/** Does a stated number stand at a value? In its own unit or a compatible one; a number without unit stands for whatever is asked. */
function standsAt({ value, unit }: Stated, point: Pick<BoundaryPoint, 'value' | 'unit'>): boolean {
  if (!unit || !point.unit || unit === point.unit) return same(value, point.value);
  const converted = convertUnit(value, unit, point.unit);
  return converted !== undefined && same(converted, point.value);
}

/**
 * Of every number with a limit in a requirement’s text: whether one of its cases stands at it, one step below and one above (boundary value analysis with
 * three values, ISO/IEC/IEEE 29119-4, recalled). The step is the number’s own precision.
 */
export function boundaryPoints(text: string, cases: readonly BoundaryCase[]): BoundaryPoint[] {
  const numbers = proposeNumbers(text);
  if (!numbers.length) return [];
  const stated = cases.map(({ key, content }) => ({ key, numbers: statedBy(content) }));
  return numbers.flatMap(({ words, at, parameter, rows }) =>
    rows.map(({ value, valid }): BoundaryPoint => {
      const point = { value, unit: parameter.unit ?? '' };
      const found = stated.find((c) => c.numbers.some((n) => standsAt(n, point)));
      return { words, at, name: parameter.name, ...point, valid, case: found?.key ?? null };
    }),
  );
}
