/** What a condition was while its decision was evaluated: short-circuit evaluation leaves some out. */
export type ConditionValue = boolean | undefined;

/** One evaluation of a decision: what each condition was, and what came out. */
export interface Vector {
  /** Bit i: condition i was evaluated. */
  readonly evaluated: number;
  /** Bit i: condition i was true; 0 where it was not evaluated. */
  readonly values: number;
  readonly outcome: boolean;
}

/**
 * A vector as one whole number, so that executed vectors are stored and merged as sets of numbers: in base 3, condition 0
 * first, 0 false, 1 true, 2 not evaluated; times 2, plus the outcome. 20 conditions need 33 bits, which a double holds exactly.
 */
export type VectorCode = number;

/** More conditions than this are refused: a truth table of a million rows is the largest that is written down. */
export const conditionLimit = 20;

export function vectorOf(conditions: readonly ConditionValue[], outcome: boolean): Vector {
  let evaluated = 0;
  let values = 0;
  conditions.forEach((value, i) => {
    if (value === undefined) return;
    evaluated |= 1 << i;
    if (value) values |= 1 << i;
  });
  return { evaluated, values, outcome };
}

export function encodeVector({ evaluated, values, outcome }: Vector, conditions: number): VectorCode {
  let code = 0;
  for (let i = conditions - 1; i >= 0; i--) code = code * 3 + ((evaluated >>> i) & 1 ? (values >>> i) & 1 : 2);
  return code * 2 + (outcome ? 1 : 0);
}

export function decodeVector(code: VectorCode, conditions: number): Vector {
  const outcome = code % 2 === 1;
  let rest = Math.floor(code / 2);
  let evaluated = 0;
  let values = 0;
  for (let i = 0; i < conditions; i++) {
    const digit = rest % 3;
    rest = (rest - digit) / 3;
    if (digit === 2) continue;
    evaluated |= 1 << i;
    if (digit === 1) values |= 1 << i;
  }
  return { evaluated, values, outcome };
}

/** A vector as people write it: `T F - = F`. */
export function vectorWords({ evaluated, values, outcome }: Vector, conditions: number): string {
  const letters = Array.from({ length: conditions }, (_, i) => ((evaluated >>> i) & 1 ? ((values >>> i) & 1 ? 'T' : 'F') : '-'));
  return `${letters.join(' ')} = ${outcome ? 'T' : 'F'}`;
}
