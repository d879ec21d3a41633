import type { DecisionText, Expression } from './expression';
import type { Vector } from './vector';

/** What a full assignment gives: the outcome, which conditions short-circuit evaluation reached, and which matter. */
export interface Evaluation {
  readonly outcome: boolean;
  readonly evaluated: number;
  /** Bit i: condition i flipped alone would flip the outcome; nothing masks it. */
  readonly sensitive: number;
}

/** Evaluates a decision under an assignment: bit i of `values` is condition i. */
export function evaluate(e: Expression, values: number): Evaluation {
  switch (e.kind) {
    case 'condition':
      return { outcome: ((values >>> e.index) & 1) === 1, evaluated: 1 << e.index, sensitive: 1 << e.index };
    case 'not': {
      const of = evaluate(e.of, values);
      return { ...of, outcome: !of.outcome };
    }
    case 'xor': {
      const [l, r] = [evaluate(e.left, values), evaluate(e.right, values)];
      return { outcome: l.outcome !== r.outcome, evaluated: l.evaluated | r.evaluated, sensitive: l.sensitive | r.sensitive };
    }
    default: {
      const [l, r] = [evaluate(e.left, values), evaluate(e.right, values)];
      const controlling = e.kind === 'or';
      const skip = e.shortCircuit && l.outcome === controlling;
      return {
        outcome: controlling ? l.outcome || r.outcome : l.outcome && r.outcome,
        evaluated: skip ? l.evaluated : l.evaluated | r.evaluated,
        sensitive: (r.outcome !== controlling ? l.sensitive : 0) | (l.outcome !== controlling ? r.sensitive : 0),
      };
    }
  }
}

export interface TruthRow extends Evaluation {
  readonly values: number;
}

/** Do coupled conditions have values that go together? */
export function possible(values: number, { couplings }: Pick<DecisionText, 'couplings'>): boolean {
  return couplings.every(({ conditions, opposite }) => {
    const first = (values >>> conditions[0]) & 1;
    return conditions.every((c, i) => ((values >>> c) & 1) === (opposite[i] ? 1 - first : first));
  });
}

/** Every assignment that can occur (coupled conditions together), in counting order. 2^n rows for n inputs: n is at most 20. */
export function truthTable({ root, conditions, couplings }: DecisionText): TruthRow[] {
  const rows: TruthRow[] = [];
  for (let values = 0; values < 2 ** conditions.length; values++) {
    if (possible(values, { couplings })) rows.push({ values, ...evaluate(root, values) });
  }
  return rows;
}

/** What an instrumented program would record for a row: conditions that were not evaluated are left open. */
export function executed({ values, evaluated, outcome }: TruthRow): Vector {
  return { evaluated, values: values & evaluated, outcome };
}

/** The conditions that vary together with condition i, itself among them. */
export function groupOf(couplings: DecisionText['couplings'], condition: number): number {
  const group = couplings.find(({ conditions }) => conditions.includes(condition));
  return group ? group.conditions.reduce((mask, c) => mask | (1 << c), 0) : 1 << condition;
}

/** Gives conditions that were not evaluated the value that an evaluated one coupled to them tells. */
export function fillCoupled(v: Vector, couplings: DecisionText['couplings']): Vector {
  let { evaluated, values } = v;
  for (const { conditions, opposite } of couplings) {
    const known = conditions.findIndex((c) => (evaluated >>> c) & 1);
    if (known < 0) continue;
    const first = ((values >>> conditions[known]) & 1) !== (opposite[known] ? 1 : 0);
    conditions.forEach((c, i) => {
      evaluated |= 1 << c;
      if (first !== opposite[i]) values |= 1 << c;
    });
  }
  return { evaluated, values, outcome: v.outcome };
}

interface Possible {
  readonly true: boolean;
  readonly false: boolean;
  readonly sensitive: number;
}

/**
 * Which conditions of a vector may be unmasked: for which does some value of the conditions that were not evaluated let
 * them decide. The conditions beside the path from a leaf to the root are others than the leaf, so each may be chosen freely;
 * coupled ones that are still open are tried one way and the other.
 */
export function possiblySensitive({ root, couplings }: DecisionText, v: Vector): number {
  const open = couplings.find(({ conditions }) => !((v.evaluated >>> conditions[0]) & 1) && conditions.length > 1);
  if (open) {
    const first = 1 << open.conditions[0];
    const tried = (values: number): Vector => fillCoupled({ ...v, evaluated: v.evaluated | first, values }, couplings);
    return (
      possiblySensitive({ root, couplings, conditions: [] }, tried(v.values)) |
      possiblySensitive({ root, couplings, conditions: [] }, tried(v.values | first))
    );
  }
  const walk = (e: Expression): Possible => {
    switch (e.kind) {
      case 'condition': {
        const known = (v.evaluated >>> e.index) & 1;
        const value = (v.values >>> e.index) & 1;
        return { true: !known || value === 1, false: !known || value === 0, sensitive: 1 << e.index };
      }
      case 'not': {
        const of = walk(e.of);
        return { true: of.false, false: of.true, sensitive: of.sensitive };
      }
      case 'xor': {
        const [l, r] = [walk(e.left), walk(e.right)];
        return {
          true: (l.true && r.false) || (l.false && r.true),
          false: (l.true && r.true) || (l.false && r.false),
          sensitive: l.sensitive | r.sensitive,
        };
      }
      default: {
        const [l, r] = [walk(e.left), walk(e.right)];
        const lets = (p: Possible): boolean => (e.kind === 'or' ? p.false : p.true);
        return {
          true: e.kind === 'or' ? l.true || r.true : l.true && r.true,
          false: e.kind === 'or' ? l.false && r.false : l.false || r.false,
          sensitive: (lets(r) ? l.sensitive : 0) | (lets(l) ? r.sensitive : 0),
        };
      }
    }
  };
  return walk(root).sensitive;
}
