import { compareKeys, groupBy, sha256Hex } from '../base';
import { usualTraceRules, wantedWords, type TraceRule } from './trace-rules';
import { quantitiesIn, type Quantity } from './wording';

/** What contradicts, whatever the project's own rules of trace ask for. */
export const gapRules = {
  idleCase: { name: 'Case without requirement', why: 'It verifies nothing.' },
  circle: { name: 'Circle', why: 'It comes from itself, by way of others.' },
  lowerLevel: { name: 'Lower level than its parent', why: 'It is less strict than what it comes from, and no rationale says why.' },
  sameText: { name: 'Nearly the same text', why: 'Two say the same: which one holds?' },
  otherNumber: { name: 'Another number than its parent', why: 'The same quantity is stated differently above and below.' },
  beforeParent: { name: 'Approved before its parent', why: 'What it comes from is not approved.' },
  parentRevised: { name: 'Parent revised since', why: 'What it comes from was revised after the trace was confirmed.' },
  childRevised: { name: 'Revised since', why: 'It was revised after the trace to its parent was confirmed.' },
  retiredEnd: { name: 'Traced to what is retired', why: 'The other end of a trace is out of use.' },
} as const;
export type GapRule = keyof typeof gapRules;

/** Every rule that is looked at, in the order in which gaps are told: the project's own first. */
export const rulesLookedAt = (rules: readonly TraceRule[]): { readonly rule: string; readonly name: string; readonly why: string }[] => [
  ...rules.map((one) => ({ rule: one.id, name: one.name, why: wantedWords(one, 0) })),
  ...Object.entries(gapRules).map(([name, { name: words, why }]) => ({ rule: name, name: words, why })),
];

export interface GapRequirement {
  readonly key: string;
  readonly title: string;
  readonly specification: string;
  readonly level: string;
  readonly state: string;
  readonly revision: number;
  readonly retired: boolean;
  readonly topLevel: boolean;
  readonly derived: boolean;
  readonly notInCode: boolean;
  readonly rationale: string;
  readonly text: string;
  /** Does code name it? */
  readonly inCode: boolean;
}
export interface GapCase {
  readonly key: string;
  readonly title: string;
  readonly revision: number;
  readonly retired: boolean;
}
export interface GapTrace {
  readonly kind: 'parent' | 'verifies';
  readonly from: string;
  readonly to: string;
  readonly fromRevision: number;
  readonly toRevision: number;
}
export interface GapFacts {
  readonly requirements: readonly GapRequirement[];
  readonly cases: readonly GapCase[];
  readonly traces: readonly GapTrace[];
  /** From the least strict to the strictest. */
  readonly levels: readonly string[];
  /** The project's rules of trace; the usual ones where nothing is said. */
  readonly rules?: readonly TraceRule[];
}

export interface Gap {
  /** A rule of trace by its id, or one of `gapRules`. */
  readonly rule: string;
  readonly key: string;
  readonly title: string;
  /** The other record; empty where there is none. */
  readonly other: string;
  /** What just this one lacks or contradicts. */
  readonly words: string;
  /** All the other records that it rests on. */
  readonly others: readonly string[];
}

/** How what a gap rests on is digested, the records with their revisions: an exception is granted on it, and ends when it changes. */
export function groundsOf({ requirements, cases }: Pick<GapFacts, 'requirements' | 'cases'>): (gap: Gap) => string {
  const revisions = new Map([...cases, ...requirements].map(({ key, revision }) => [key, revision]));
  return ({ rule, key, others }) => sha256Hex([rule, ...[key, ...others].map((of) => `${of}@${revisions.get(of) ?? 0}`)].join(' '));
}

/** Sets of three words each, of a text without figures of speech: what two texts share. */
function shingles(text: string): Set<string> {
  const words = text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [];
  if (words.length < 3) return new Set(words.length ? [words.join(' ')] : []);
  return new Set(words.slice(2).map((word, i) => `${words[i]} ${words[i + 1]} ${word}`));
}

/** The entry behind `i` in a list that ascends; none where it is the last. */
function nextOf(list: readonly number[], i: number): readonly number[] {
  let [low, high] = [0, list.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle] > i) high = middle;
    else low = middle + 1;
  }
  return list.slice(low, low + 1);
}

/** From this share of common shingles on two texts are nearly the same. */
const nearly = 0.8;
/** What stands in more texts than this tells nothing about any two. */
const common = 60;

/**
 * Pairs of texts that are nearly the same, each once, the smaller key first; by an index of what they share, not each with each. Of more than
 * `common` texts of the same few words each is paired with the next.
 */
export function nearlySame(
  texts: readonly { readonly key: string; readonly text: string }[],
): { readonly a: string; readonly b: string; readonly share: number }[] {
  const sets = texts.map(({ text }) => shingles(text));
  const index = new Map<string, number[]>();
  for (const [i, set] of sets.entries())
    for (const shingle of set) {
      const there = index.get(shingle);
      if (there) there.push(i);
      else index.set(shingle, [i]);
    }
  const pairs: { a: string; b: string; share: number }[] = [];
  for (const [i, set] of sets.entries()) {
    const shared = new Map<number, number>();
    for (const shingle of set) {
      const there = index.get(shingle) ?? [];
      if (there.length <= common)
        for (const j of there)
          if (j > i) shared.set(j, (shared.get(j) ?? 0) + 1);
          // Many say the same few words: each is told with the next of them, not with all.
          else if (set.size < 3) for (const j of nextOf(there, i)) shared.set(j, (shared.get(j) ?? 0) + 1);
    }
    for (const [j, rare] of shared) {
      // Shared and rare alone is a lower bound; only pairs that may reach it are compared whole.
      if (rare < 1) continue;
      const other = sets[j];
      if (Math.min(set.size, other.size) / Math.max(set.size, other.size) < nearly) continue;
      let both = 0;
      for (const shingle of set) if (other.has(shingle)) both++;
      const share = both / (set.size + other.size - both);
      if (share >= nearly) {
        const [a, b] = [texts[i].key, texts[j].key].sort(compareKeys);
        pairs.push({ a, b, share });
      }
    }
  }
  return pairs.sort((p, q) => compareKeys(p.a, q.a) || compareKeys(p.b, q.b));
}

/** Keys that come from themselves by way of `parent` traces: each circle once, by its members in order from the smallest key on. */
export function circlesOf(traces: readonly Pick<GapTrace, 'from' | 'to'>[]): string[][] {
  const next = groupBy(
    traces,
    ({ from }) => from,
    ({ to }) => to,
  );
  const state = new Map<string, 'open' | 'done'>();
  const circles = new Map<string, string[]>();
  for (const start of next.keys()) {
    if (state.has(start)) continue;
    // A walk of its own stack: a chain may be longer than the machine's.
    const path: { key: string; at: number }[] = [{ key: start, at: 0 }];
    state.set(start, 'open');
    while (path.length) {
      const top = path[path.length - 1];
      const to = next.get(top.key)?.at(top.at++);
      if (to === undefined) {
        state.set(top.key, 'done');
        path.pop();
      } else if (state.get(to) === 'open') {
        const circle = path.slice(path.findIndex(({ key }) => key === to)).map(({ key }) => key);
        const least = circle.indexOf([...circle].sort(compareKeys)[0]);
        const turned = [...circle.slice(least), ...circle.slice(0, least)];
        circles.set(turned.join(' '), turned);
      } else if (!state.has(to)) {
        state.set(to, 'open');
        path.push({ key: to, at: 0 });
      }
    }
  }
  return [...circles.values()];
}

/** Quantities of one unit that are said of the same side (a limit above, a limit below) with different numbers in two texts. */
function otherNumbers(above: readonly Quantity[], below: readonly Quantity[]): string[] {
  const found: string[] = [];
  const side = (relation: string): string => (relation === 'below' ? 'at most' : relation === 'above' ? 'at least' : relation);
  for (const unit of new Set(below.map((q) => q.unit))) {
    const [ups, downs] = [above.filter((q) => q.unit === unit), below.filter((q) => q.unit === unit)];
    // One number of a unit on each side speaks of the same thing; of several nobody can tell which.
    if (ups.length !== 1 || downs.length !== 1 || ups[0].value === downs[0].value) continue;
    const [a, b] = [side(ups[0].relation), side(downs[0].relation)];
    // A limit that is tighter below is how a budget is given on.
    const tighter =
      (a === 'at most' && b === 'at most' && downs[0].value < ups[0].value) ||
      (a === 'at least' && b === 'at least' && downs[0].value > ups[0].value);
    if (!tighter) found.push(`${ups[0].value} ${unit} above, ${downs[0].value} ${unit} here`);
  }
  return found;
}

/**
 * What lacks and what contradicts over all requirements and cases, rule by rule in the order of the rules, then by key. Requirements out of
 * use are looked at only as ends of traces.
 */
export function gapsOf({ requirements, cases, traces, levels, rules = usualTraceRules }: GapFacts): Gap[] {
  const gaps: Gap[] = [];
  const byKey = new Map(requirements.map((r) => [r.key, r]));
  const caseByKey = new Map(cases.map((c) => [c.key, c]));
  const live = requirements.filter((r) => !r.retired);
  const parents = traces.filter((t) => t.kind === 'parent');
  const verifies = traces.filter((t) => t.kind === 'verifies');
  const parentsOf = groupBy(parents, (t) => t.from);
  const childrenOf = groupBy(parents, (t) => t.to);
  const casesOf = groupBy(verifies, (t) => t.to);
  const verifiedBy = groupBy(verifies, (t) => t.from);
  const add = (rule: string, of: { readonly key: string; readonly title: string }, words: string, others: readonly string[] = []): void => {
    gaps.push({ rule, key: of.key, title: of.title, other: others.at(0) ?? '', words, others });
  };
  const rank = (level: string): number => levels.indexOf(level);
  // Read once for each text, however many traces lead to it.
  const numbers = new Map<string, readonly Quantity[]>();
  const numbersOf = ({ key, text }: GapRequirement): readonly Quantity[] => {
    const known = numbers.get(key) ?? quantitiesIn(text).filter(({ unit }) => unit);
    numbers.set(key, known);
    return known;
  };
  const specificationOf = (key: string): string => byKey.get(key)?.specification ?? '';
  const held = (one: TraceRule, r: GapRequirement): string[] => {
    const keys =
      one.wants === 'case'
        ? (casesOf.get(r.key) ?? []).map((t) => t.from)
        : one.wants === 'child'
          ? (childrenOf.get(r.key) ?? []).map((t) => t.from)
          : (parentsOf.get(r.key) ?? []).map((t) => t.to);
    return one.within.length && one.wants !== 'case' ? keys.filter((key) => one.within.includes(specificationOf(key))) : keys;
  };
  for (const one of rules) {
    const meant = live.filter(
      (r) => (!one.of.length || one.of.includes(r.specification)) && (!one.levels.length || one.levels.includes(r.level)),
    );
    // Something in another specification: what stands beside is not below.
    const apart = (r: GapRequirement): boolean => held(one, r).some((key) => specificationOf(key) !== r.specification);
    const parted = one.whereAny ? new Set(meant.flatMap((r) => (apart(r) ? [r.specification] : []))) : undefined;
    for (const r of meant) {
      if (one.unless.some((spare) => r[spare]) || parted?.has(r.specification) === false) continue;
      if (one.wants === 'noneBeside') {
        for (const key of held(one, r))
          if (specificationOf(key) === r.specification && byKey.get(key)?.retired === false)
            add(one.id, r, `${key} stands in ${r.specification} as well.`, [key]);
      } else {
        const had = held(one, r).length;
        if (had < one.least) add(one.id, r, wantedWords(one, had));
      }
    }
  }
  for (const r of live) {
    const mine = parentsOf.get(r.key) ?? [];
    for (const t of mine) {
      const parent = byKey.get(t.to);
      if (!parent) continue;
      if (parent.retired) {
        add('retiredEnd', r, `${parent.key} is retired.`, [parent.key]);
        continue;
      }
      if (r.level && parent.level && rank(r.level) >= 0 && rank(r.level) < rank(parent.level) && !r.rationale.trim())
        add('lowerLevel', r, `${r.level}, and ${parent.key} is ${parent.level}.`, [parent.key]);
      for (const words of otherNumbers(numbersOf(parent), numbersOf(r))) add('otherNumber', r, words, [parent.key]);
      if (r.state === 'approved' && parent.state !== 'approved')
        add('beforeParent', r, `${parent.key} is ${parent.state === 'review' ? 'in review' : parent.state}.`, [parent.key]);
      if (parent.revision > t.toRevision)
        add('parentRevised', r, `${parent.key} is at revision ${parent.revision}, confirmed at ${t.toRevision}.`, [parent.key]);
      if (r.revision > t.fromRevision)
        add('childRevised', r, `It is at revision ${r.revision}, confirmed at ${t.fromRevision}.`, [parent.key]);
    }
    for (const t of casesOf.get(r.key) ?? []) {
      const c = caseByKey.get(t.from);
      if (c?.retired) add('retiredEnd', r, `${c.key}, which verifies it, is retired.`, [c.key]);
    }
  }
  for (const c of cases)
    if (!c.retired && !(verifiedBy.get(c.key) ?? []).some((t) => byKey.get(t.to)?.retired === false))
      add('idleCase', c, gapRules.idleCase.why);
  for (const circle of circlesOf(parents)) {
    const first = byKey.get(circle[0]);
    if (first)
      add('circle', first, circle.length === 1 ? 'It is its own parent.' : `By way of ${circle.slice(1).join(', ')}.`, circle.slice(1));
  }
  for (const { a, b, share } of nearlySame(live.filter((r) => r.text.trim()))) {
    const first = byKey.get(a);
    if (first) add('sameText', first, `${Math.round(share * 100)} % of the words as in ${b}.`, [b]);
  }
  const order = new Map(rulesLookedAt(rules).map(({ rule }, i) => [rule, i]));
  // Keys are compared once for all gaps that name them.
  const keys = [...new Set(gaps.flatMap(({ key, other }) => [key, other]))].sort(compareKeys);
  const place = new Map(keys.map((key, i) => [key, i]));
  const by = <K>(places: ReadonlyMap<K, number>, of: K): number => places.get(of) ?? 0;
  return gaps.sort(
    (x, y) => by(order, x.rule) - by(order, y.rule) || by(place, x.key) - by(place, y.key) || by(place, x.other) - by(place, y.other),
  );
}
