import { ones } from '../bits';
import type { DecisionText, Expression } from './expression';
import { fullyReady, makeReady, ruleOf, shownBy, type McdcForm, type McdcRule, type Ready } from './independence';
import { evaluate, executed, truthTable, type TruthRow } from './truth';
import type { Vector } from './vector';

export interface SmallestSet {
  /** The vectors to run, as short-circuit evaluation would record them; of a completion only the new ones. */
  readonly vectors: readonly Vector[];
  /** The same with every condition given. */
  readonly assignments: readonly number[];
  /** Conditions that no vectors can show: coupled ones under unique cause, or such as never matter. */
  readonly impossible: readonly number[];
  /** Is it proved that no smaller set does? */
  readonly exact: boolean;
  /** No set can be smaller than this. */
  readonly lowerBound: number;
}

/** How many branches a search may look at before it answers with the best found and a bound. */
const searchLimit = 400_000;
const tableLimit = 12;

/**
 * The smallest set of vectors that shows every condition that can be shown. Exact for any decision whose conditions are all
 * different inputs and which has no xor (or for unique cause, with it); otherwise by search, exact to 12 conditions unless the
 * search is given up, which `exact` says.
 *
 * Unique cause needs n + 1 vectors for n uncoupled conditions: the pairs are edges of a hypercube in n different
 * directions, which cannot form a circle, so they join at least n + 1 corners (Hayhurst et al., NASA/TM-2001-210876, recalled,
 * for the number). They suffice, since the sets of two operands share one vector. Masking needs as many vectors with either
 * outcome as its operands: the greater of both where they must both let the other through, the sum where each masks the other.
 */
export function smallestSet(decision: DecisionText, form: McdcForm): SmallestSet {
  const coupled = decision.couplings.length > 0;
  if (!coupled && (form !== 'masking' || !hasXor(decision.root))) {
    const values = form === 'masking' ? both(maskingRows(decision.root)) : both(uniqueRows(decision.root));
    return finish(decision, values, [], true, values.length);
  }
  return complete(decision, form, []);
}

/** The fewest further vectors that show what the given ones do not. */
export function smallestCompletion(decision: DecisionText, form: McdcForm, given: readonly Vector[]): SmallestSet {
  return complete(decision, form, given);
}

function finish(
  decision: DecisionText,
  values: readonly number[],
  impossible: readonly number[],
  exact: boolean,
  lowerBound: number,
): SmallestSet {
  const rows = values.map((v): TruthRow => ({ values: v, ...evaluate(decision.root, v) }));
  return { vectors: rows.map(executed), assignments: values, impossible, exact, lowerBound };
}

const hasXor = (e: Expression): boolean =>
  e.kind === 'xor' || (e.kind === 'not' ? hasXor(e.of) : e.kind !== 'condition' && (hasXor(e.left) || hasXor(e.right)));

/** Assignments of the conditions below a node, by the node’s outcome. */
interface Rows {
  readonly true: readonly number[];
  readonly false: readonly number[];
}
const both = (rows: Rows): number[] => [...new Set([...rows.true, ...rows.false])];
const cross = (x: readonly number[], y: readonly number[]): number[] =>
  Array.from({ length: Math.max(x.length, y.length) }, (_, i) => x[Math.min(i, x.length - 1)] | y[Math.min(i, y.length - 1)]);

function maskingRows(e: Expression): Rows {
  if (e.kind === 'condition') return { true: [1 << e.index], false: [0] };
  if (e.kind === 'not') {
    const of = maskingRows(e.of);
    return { true: of.false, false: of.true };
  }
  const [l, r] = [maskingRows(e.left), maskingRows(e.right)];
  // `and`: true only together; false one at a time, the other held true. `or` the other way round.
  const [open, shut] = e.kind === 'and' ? (['true', 'false'] as const) : (['false', 'true'] as const);
  const together = cross(l[open], r[open]);
  const apart = [...l[shut].map((v) => v | r[open][0]), ...r[shut].map((v) => v | l[open][0])];
  return e.kind === 'and' ? { true: together, false: apart } : { true: apart, false: together };
}

/** Rows that show every condition below a node by unique cause: n + 1 for n conditions, at least one with each outcome. */
function uniqueRows(e: Expression): Rows {
  if (e.kind === 'condition') return { true: [1 << e.index], false: [0] };
  if (e.kind === 'not') {
    const of = uniqueRows(e.of);
    return { true: of.false, false: of.true };
  }
  const [l, r] = [uniqueRows(e.left), uniqueRows(e.right)];
  // The operand that is held still lets the other through; for xor any value does.
  const held = e.kind === 'or' ? ('false' as const) : ('true' as const);
  const [stillLeft, stillRight] = [l[held][0], r[held][0]];
  const rows = new Set([...both(l).map((v) => v | stillRight), ...both(r).map((v) => v | stillLeft)]);
  const split: { true: number[]; false: number[] } = { true: [], false: [] };
  for (const v of rows) split[evaluate(e, v).outcome ? 'true' : 'false'].push(v);
  return split;
}

interface Candidate {
  readonly values: number;
  readonly ready: Ready;
}

/** Iterative deepening: the first depth at which the search succeeds is the smallest, if no branch was cut off before. */
function complete(decision: DecisionText, form: McdcForm, given: readonly Vector[]): SmallestSet {
  const n = decision.conditions.length;
  const rule = ruleOf(n, form, decision);
  const start = given.map((v) => makeReady(v, decision));
  let shown = 0;
  start.forEach((x, i) => start.slice(i + 1).forEach((y) => (shown |= shownBy(x, y, rule))));
  const table = n <= tableLimit ? truthTable(decision) : sampledRows(decision);
  let candidates: Candidate[] = table.filter((row) => row.sensitive).map((row) => ({ values: row.values, ready: fullyReady(row) }));
  if (form === 'masking') candidates = withoutDominated(candidates);
  const possible = reachable(candidates, start, rule) | shown;
  const impossible = Array.from({ length: n }, (_, i) => i).filter((i) => !((possible >>> i) & 1));
  const wanted = possible & ~shown;
  const greedy = greedySet(candidates, start, wanted, rule);
  const least = wanted === 0 ? 0 : given.length ? 1 : form === 'masking' ? 2 : leastUnique(wanted, rule.companions);
  let budget = searchLimit;
  let lowerBound = least;
  for (let depth = least; depth < greedy.length; depth++) {
    const found = search(candidates, start, [], wanted, depth, rule, () => budget-- > 0);
    if (found) return finish(decision, found, impossible, n <= tableLimit && lowerBound === found.length, lowerBound);
    if (budget <= 0) return finish(decision, greedy, impossible, false, n <= tableLimit ? lowerBound : least);
    lowerBound = depth + 1;
  }
  return finish(decision, greedy, impossible, n <= tableLimit, n <= tableLimit ? greedy.length : least);
}

/** One direction for each group that moves together, plus one corner. */
function leastUnique(wanted: number, companions: readonly number[]): number {
  return new Set(companions.filter((_, i) => (wanted >>> i) & 1)).size + 1;
}

function reachable(candidates: readonly Candidate[], start: readonly Ready[], rule: McdcRule): number {
  let possible = 0;
  if (rule.form === 'masking') {
    // Condition i can be shown where it is unmasked with both its values and both outcomes across.
    const classes = new Map<number, Set<number>>();
    for (const { ready } of [...candidates, ...start.map((s) => ({ ready: s }))])
      for (let i = 0; i < rule.companions.length; i++)
        if ((ready.sensitive >>> i) & (ready.filled.evaluated >>> i) & 1) {
          const seen = classes.get(i) ?? new Set<number>();
          classes.set(i, seen.add(((ready.filled.values >>> i) & 1) * 2 + (ready.filled.outcome ? 1 : 0)));
        }
    for (const [i, seen] of classes) if ((seen.has(0) && seen.has(3)) || (seen.has(1) && seen.has(2))) possible |= 1 << i;
    return possible;
  }
  const byValues = new Map(candidates.map((c) => [c.values, c]));
  for (const { values, ready } of candidates) {
    for (const group of new Set(rule.companions)) {
      const partner = byValues.get(values ^ group);
      if (partner) possible |= shownBy(ready, partner.ready, rule);
    }
    for (const s of start) possible |= shownBy(ready, s, rule);
  }
  return possible;
}

/** Under masking a row that unmasks less than another with the same values and outcome there is never needed. */
function withoutDominated(candidates: readonly Candidate[]): Candidate[] {
  const sign = (c: Candidate): number => (c.ready.filled.outcome ? c.values : ~c.values) & c.ready.sensitive;
  // What a row offers: for each unmasked condition, does its value go with the outcome or against it.
  const retained: Candidate[] = [];
  const bySize = [...candidates].sort((a, b) => ones(b.ready.sensitive) - ones(a.ready.sensitive));
  for (const c of bySize) {
    const dominated = retained.some(
      (k) =>
        k.ready.filled.outcome === c.ready.filled.outcome &&
        (c.ready.sensitive & ~k.ready.sensitive) === 0 &&
        (sign(k) & c.ready.sensitive) === sign(c),
    );
    if (!dominated) retained.push(c);
    if (retained.length > 600) return [...retained, ...bySize.slice(bySize.indexOf(c) + 1)];
  }
  return retained;
}

function gain(c: Candidate, have: readonly Ready[], wanted: number, rule: McdcRule): number {
  let shown = 0;
  for (const h of have) shown |= shownBy(c.ready, h, rule);
  return shown & wanted;
}

function greedySet(candidates: readonly Candidate[], start: readonly Ready[], wanted: number, rule: McdcRule): number[] {
  const have = [...start];
  const chosen: number[] = [];
  let left = wanted;
  while (left) {
    let best: Candidate | undefined;
    let bestScore = -1;
    for (const c of candidates) {
      if (chosen.includes(c.values)) continue;
      const score = ones(gain(c, have, left, rule)) * 100 + ones(c.ready.sensitive & left);
      if (score > bestScore) [best, bestScore] = [c, score];
    }
    if (!best) break;
    if (bestScore < 100 && have.length) {
      // Nothing at hand pairs with one row alone: take two that pair with each other.
      const pair = firstPair(candidates, left, rule);
      if (!pair) break;
      for (const c of pair) {
        left &= ~gain(c, have, left, rule);
        if (!chosen.includes(c.values)) chosen.push(c.values);
        have.push(c.ready);
      }
      continue;
    }
    left &= ~gain(best, have, left, rule);
    chosen.push(best.values);
    have.push(best.ready);
  }
  return chosen;
}

function firstPair(candidates: readonly Candidate[], wanted: number, rule: McdcRule): [Candidate, Candidate] | undefined {
  for (const x of candidates)
    for (const y of candidates) if (x.values < y.values && shownBy(x.ready, y.ready, rule) & wanted) return [x, y];
  return undefined;
}

/** Depth-first: whatever set there is must hold a new row in which the condition with the fewest such rows is unmasked. */
function search(
  candidates: readonly Candidate[],
  start: readonly Ready[],
  chosen: readonly Candidate[],
  wanted: number,
  left: number,
  rule: McdcRule,
  mayGoOn: () => boolean,
): number[] | undefined {
  if (!wanted) return chosen.map((c) => c.values);
  if (left === 0) return undefined;
  if (!mayGoOn()) return undefined;
  const have = [...start, ...chosen.map((c) => c.ready)];
  let rarest: Candidate[] = [];
  let fewest = Infinity;
  for (let i = 0; i < rule.companions.length; i++) {
    if (!((wanted >>> i) & 1)) continue;
    const rows = candidates.filter((c) => (c.ready.sensitive >>> i) & 1 && !chosen.includes(c));
    if (rows.length < fewest) [rarest, fewest] = [rows, rows.length];
  }
  const scored = rarest.map((c) => ({ c, shown: gain(c, have, wanted, rule) }));
  scored.sort((a, b) => ones(b.shown) - ones(a.shown) || ones(b.c.ready.sensitive) - ones(a.c.ready.sensitive));
  for (const { c, shown } of scored) {
    // With one row left, it must finish the work.
    if (left === 1 && (wanted & ~shown) !== 0) break;
    const found = search(candidates, start, [...chosen, c], wanted & ~shown, left - 1, rule, mayGoOn);
    if (found) return found;
  }
  return undefined;
}

/** Beyond the truth table’s reach: the rows that show each condition by itself, from the construction for uncoupled inputs. */
function sampledRows(decision: DecisionText): TruthRow[] {
  const values = new Set([...both(uniqueRows(decision.root)), ...both(maskingRows(decision.root))]);
  const rows: TruthRow[] = [];
  for (const v of values) {
    const settled = decision.couplings.reduce((all, { conditions, opposite }) => {
      const first = (all >>> conditions[0]) & 1;
      return conditions.reduce((sum, c, i) => ((opposite[i] ? 1 - first : first) ? sum | (1 << c) : sum & ~(1 << c)), all);
    }, v);
    for (const candidate of [settled, ...decision.conditions.map((_, i) => flipGroup(decision, settled, i))])
      rows.push({ values: candidate, ...evaluate(decision.root, candidate) });
  }
  return [...new Map(rows.map((row) => [row.values, row])).values()];
}

function flipGroup(decision: DecisionText, values: number, i: number): number {
  const group = decision.couplings.find(({ conditions }) => conditions.includes(i));
  return group ? group.conditions.reduce((v, c) => v ^ (1 << c), values) : values ^ (1 << i);
}
