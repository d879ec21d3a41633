import { ones } from '../bits';
import type { DecisionText } from './expression';
import { evaluate, executed, fillCoupled, groupOf, possible, possiblySensitive, truthTable, type TruthRow } from './truth';
import type { Vector } from './vector';

/**
 * The three forms of MC/DC (Chilenski, DOT/FAA/AR-01/18, recalled), each shown by a pair of vectors with different outcomes between
 * which the condition differs:
 * - `uniqueCause`: and no other condition differs;
 * - `uniqueCauseMasking`: and no other differs but those coupled to it, which the logic masks;
 * - `masking`: and in both vectors nothing masks it, whatever the others do.
 * A condition that short-circuit evaluation left out differs from nothing: some value that it might have had agrees.
 */
export type McdcForm = 'uniqueCause' | 'uniqueCauseMasking' | 'masking';

/** A vector made ready for comparison. */
export interface Ready {
  readonly vector: Vector;
  /** With the values that coupled conditions tell. */
  readonly filled: Vector;
  /** Conditions that may be unmasked in it; all, where the expression is not known. */
  readonly sensitive: number;
}

export function makeReady(vector: Vector, decision: DecisionText | undefined): Ready {
  if (!decision) return { vector, filled: vector, sensitive: -1 };
  const filled = fillCoupled(vector, decision.couplings);
  return { vector, filled, sensitive: possiblySensitive(decision, filled) };
}

/** How pairs are judged: the form, for each condition which others may differ with it, and the decision where it is known. */
export interface McdcRule {
  readonly form: McdcForm;
  readonly companions: readonly number[];
  readonly decision: DecisionText | undefined;
}

export function ruleOf(conditions: number, form: McdcForm, decision: DecisionText | undefined): McdcRule {
  const companions = Array.from({ length: conditions }, (_, i) =>
    form === 'uniqueCauseMasking' && decision ? groupOf(decision.couplings, i) : 1 << i,
  );
  return { form, companions, decision };
}

/** Which conditions a pair of vectors shows to be independent, as bits. */
export function shownBy(x: Ready, y: Ready, { form, companions, decision }: McdcRule): number {
  if (x.filled.outcome === y.filled.outcome) return 0;
  const differs = (x.filled.values ^ y.filled.values) & x.filled.evaluated & y.filled.evaluated;
  if (form === 'masking') return differs & x.sensitive & y.sensitive;
  // One bit alone: the unique cause.
  if (differs && (differs & (differs - 1)) === 0) return differs;
  if (form === 'uniqueCause' || !differs || !decision) return 0;
  let shown = 0;
  companions.forEach((group, i) => {
    if ((differs >>> i) & 1 && (differs & ~group) === 0 && sensitiveTogether(x.filled, y.filled, i, decision)) shown |= 1 << i;
  });
  return shown;
}

/** Can both vectors be completed so that they agree in all that may not differ, and condition i is unmasked in both? */
function sensitiveTogether(x: Vector, y: Vector, i: number, decision: DecisionText): boolean {
  // What one of them tells, the other takes over; what neither tells is tried both ways, the same way in both.
  const known = x.evaluated | y.evaluated;
  const all = 2 ** decision.conditions.length - 1;
  const open = Array.from({ length: decision.conditions.length }, (_, c) => c).filter((c) => !((known >>> c) & 1));
  for (let way = 0; way < 2 ** open.length; way++) {
    const free = open.reduce((values, c, at) => ((way >>> at) & 1 ? values | (1 << c) : values), 0);
    const fill = (v: Vector, other: Vector): number => v.values | (other.values & ~v.evaluated) | free;
    const rows = [fill(x, y), fill(y, x)] as const;
    if (rows.every((values) => possible(values & all, decision) && (evaluate(decision.root, values).sensitive >>> i) & 1)) return true;
  }
  return false;
}

export interface ConditionResult {
  readonly shown: boolean;
  /** The two vectors (places in what was given) that show it. */
  readonly pair?: readonly [number, number];
  /** Why not: its value never changed, no vectors anywhere could show it, or those that would are not at hand. */
  readonly why?: 'oneValueOnly' | 'impossible' | 'noPair';
  /** Vectors to add, one or two, nearest to those at hand; known where the expression is. */
  readonly needs?: readonly Vector[];
}

export interface DecisionResult {
  readonly form: McdcForm;
  readonly conditions: readonly ConditionResult[];
  readonly shown: number;
  /** Vectors that the expression contradicts: another program’s, or a wrong expression. They count for nothing. */
  readonly contradicting: readonly number[];
}

/** Which conditions a set of vectors shows, as bits; nothing else is worked out. The short way through many decisions. */
export function independenceOf(vectors: readonly Vector[]): number {
  const [yes, no]: [Vector[], Vector[]] = [[], []];
  for (const v of vectors) (v.outcome ? yes : no).push(v);
  let shown = 0;
  for (const x of yes) {
    const { evaluated, values } = x;
    for (const y of no) {
      const differs = (values ^ y.values) & evaluated & y.evaluated;
      if ((differs & (differs - 1)) === 0) shown |= differs;
    }
  }
  return shown;
}

/** Judges a decision by the vectors that were executed. Without an expression only `uniqueCause` can be judged; it stands for the others as a lower bound. */
export function judgeDecision(vectors: readonly Vector[], conditions: number, form: McdcForm, decision?: DecisionText): DecisionResult {
  const used = decision ? form : 'uniqueCause';
  const contradicting = decision ? vectors.flatMap((v, i) => (contradicts(v, decision) ? [i] : [])) : [];
  const ready = vectors.map((v) => makeReady(v, decision));
  const rule = ruleOf(conditions, used, decision);
  const pairs: ([number, number] | undefined)[] = Array.from({ length: conditions });
  for (let x = 0; x < ready.length; x++)
    for (let y = x + 1; y < ready.length; y++) {
      if (contradicting.includes(x) || contradicting.includes(y)) continue;
      const shown = shownBy(ready[x], ready[y], rule);
      for (let i = 0; i < conditions; i++) if ((shown >>> i) & 1) pairs[i] ??= [x, y];
    }
  const hand = ready.filter((_, i) => !contradicting.includes(i));
  const table = decision && pairs.some((pair) => !pair) && conditions <= 12 ? truthTable(decision) : undefined;
  const results = pairs.map((pair, i): ConditionResult => {
    if (pair) return { shown: true, pair };
    const values = new Set(hand.filter((r) => (r.filled.evaluated >>> i) & 1).map((r) => (r.filled.values >>> i) & 1));
    const why = values.size < 2 ? 'oneValueOnly' : 'noPair';
    if (!decision) return { shown: false, why };
    const needs = nearestPair(decision, i, rule, hand, table);
    return needs ? { shown: false, why, needs } : { shown: false, why: 'impossible' };
  });
  return { form: used, conditions: results, shown: results.filter((r) => r.shown).length, contradicting };
}

function contradicts(v: Vector, decision: DecisionText): boolean {
  const filled = fillCoupled(v, decision.couplings);
  const agrees = (values: number): boolean => evaluate(decision.root, values).outcome === v.outcome;
  // What was not evaluated must not matter: both ways of setting all of it have to agree with the outcome.
  const open = ~filled.evaluated & (2 ** decision.conditions.length - 1);
  return !agrees(filled.values) && !agrees(filled.values | open);
}

/** How many evaluated conditions of the nearest vector at hand a row would change. */
function distance(row: TruthRow, hand: readonly Ready[]): number {
  return Math.min(32, ...hand.map(({ filled }) => ones((row.values ^ filled.values) & filled.evaluated)));
}

/**
 * The fewest vectors, one before two, that would show condition i, those first that change least in a vector at hand.
 * Looks through the truth table to 12 conditions, and beyond that at the neighbours of what is at hand and of what unmasks the condition.
 */
function nearestPair(
  decision: DecisionText,
  i: number,
  rule: McdcRule,
  hand: readonly Ready[],
  table: readonly TruthRow[] | undefined,
): Vector[] | undefined {
  const rows = (table ?? neighbours(decision, i, hand))
    .filter((row) => (row.sensitive >>> i) & 1)
    .map((row) => ({ row, ready: fullyReady(row), far: distance(row, hand) }))
    .sort((a, b) => a.far - b.far);
  for (const { row, ready } of rows) if (hand.some((h) => (shownBy(ready, h, rule) >>> i) & 1)) return [executed(row)];
  for (const x of rows)
    for (const y of rows) if (x !== y && (shownBy(x.ready, y.ready, rule) >>> i) & 1) return [executed(x.row), executed(y.row)];
  return undefined;
}

/** A row in which every condition is known, evaluated or not. */
export function fullyReady(row: TruthRow): Ready {
  return { vector: executed(row), filled: { evaluated: -1, values: row.values, outcome: row.outcome }, sensitive: row.sensitive };
}

function neighbours(decision: DecisionText, i: number, hand: readonly Ready[]): TruthRow[] {
  const group = decision.couplings.find(({ conditions }) => conditions.includes(i));
  const flip = group ? group.conditions.reduce((mask, c) => mask | (1 << c), 0) : 1 << i;
  const bases = hand.length ? hand.map(({ filled }) => filled.values) : [0];
  const found = new Map<number, TruthRow>();
  for (const base of bases) {
    const unmasked = unmask(decision, i, base);
    for (const values of [unmasked, unmasked ^ flip]) found.set(values, { values, ...evaluate(decision.root, values) });
  }
  return [...found.values()];
}

/** Changes an assignment until nothing masks condition i: everything beside its path to the root is made to let it through. */
function unmask(decision: DecisionText, i: number, base: number): number {
  let values = base;
  type Node = DecisionText['root'];
  const holds = (e: Node): boolean => {
    if (e.kind === 'condition') return e.index === i;
    return e.kind === 'not' ? holds(e.of) : holds(e.left) || holds(e.right);
  };
  const force = (e: Node, wanted: boolean): void => {
    if (evaluate(e, values).outcome === wanted) return;
    if (e.kind === 'condition') values ^= 1 << e.index;
    else if (e.kind === 'not') force(e.of, !wanted);
    else if (e.kind === 'xor') force(e.left, !evaluate(e.left, values).outcome);
    else if ((e.kind === 'and') === wanted) {
      force(e.left, wanted);
      force(e.right, wanted);
    } else force(e.left, wanted);
  };
  const walk = (e: Node): void => {
    if (e.kind === 'condition') return;
    if (e.kind === 'not') return walk(e.of);
    const [path, beside] = holds(e.left) ? [e.left, e.right] : [e.right, e.left];
    if (e.kind !== 'xor') force(beside, e.kind === 'and');
    walk(path);
  };
  walk(decision.root);
  return values;
}
