import { countBits, ones } from '../../measure';
import type { CaseReach } from './needed';

/** A choice of cases that restores what was lost. */
export interface CaseChoice {
  readonly cases: readonly string[];
  readonly covered: number;
  readonly of: number;
  readonly minutes: number;
  /** What no choice can beat: fewer cases (`fewestCases`) or more points (`bestWithin`) than this are impossible. */
  readonly bound: number;
  /** Is the choice proved to be as good as the bound? */
  readonly optimal: boolean;
}

const count = (words: Uint32Array): number => countBits(words, 0, words.length * 32);

/** What a case can restore of what is lost: only the words that hold anything, since a case hits few places of a large program. */
interface Offer {
  readonly at: Uint32Array;
  readonly words: Uint32Array;
}

function offerOf({ hits }: CaseReach, wanted: Uint32Array): Offer {
  const at: number[] = [];
  const words: number[] = [];
  for (let w = 0; w < wanted.length && w < hits.length; w++) {
    const word = (hits[w] & wanted[w]) >>> 0;
    if (!word) continue;
    at.push(w);
    words.push(word);
  }
  return { at: Uint32Array.from(at), words: Uint32Array.from(words) };
}

function gainOf({ at, words }: Offer, left: Uint32Array): number {
  let n = 0;
  for (let i = 0; i < at.length; i++) {
    const word = words[i] & left[at[i]];
    if (word) n += ones(word);
  }
  return n;
}

function take(left: Uint32Array, { at, words }: Offer): void {
  for (let i = 0; i < at.length; i++) left[at[i]] &= ~words[i];
}

/** Calls with the place of every point that is offered. */
function eachPoint({ at, words }: Offer, call: (p: number) => void): void {
  for (let i = 0; i < at.length; i++) for (let word = words[i]; word; word &= word - 1) call(at[i] * 32 + 31 - Math.clz32(word & -word));
}

/** A heap of cases by what they would add when last looked at: never less than what they would add now (lazy greedy, Minoux 1978, recalled). */
class Heap {
  private readonly items: { at: number; score: number }[] = [];

  push(at: number, score: number): void {
    const { items } = this;
    items.push({ at, score });
    for (let i = items.length - 1; i > 0;) {
      const up = (i - 1) >> 1;
      if (items[up].score >= items[i].score) break;
      [items[up], items[i]] = [items[i], items[up]];
      i = up;
    }
  }

  pop(): { at: number; score: number } | undefined {
    const { items } = this;
    const top = items[0];
    const last = items.pop();
    if (!last || top === last) return top;
    items[0] = last;
    for (let i = 0; ;) {
      const [l, r] = [2 * i + 1, 2 * i + 2];
      let most = i;
      if (l < items.length && items[l].score > items[most].score) most = l;
      if (r < items.length && items[r].score > items[most].score) most = r;
      if (most === i) return top;
      [items[most], items[i]] = [items[i], items[most]];
      i = most;
    }
  }

  get best(): number {
    return this.items[0]?.score ?? 0;
  }
}

/** Points that some case can restore, out of those lost. */
function restorable(lost: Uint32Array, cases: readonly CaseReach[]): Uint32Array {
  const any = new Uint32Array(lost.length);
  for (const { hits } of cases) for (let w = 0; w < any.length && w < hits.length; w++) any[w] |= hits[w];
  return any.map((word, w) => word & lost[w]);
}

const searchLimit = 200_000;

/**
 * The fewest cases that restore all lost coverage. Greedy first, cases that only later ones made idle taken out; then, for up to 24 cases that are still
 * in question, by trying. The bound is a set of points of which no case hits two: each needs a case of its own.
 */
export function fewestCases(lost: Uint32Array, cases: readonly CaseReach[]): CaseChoice {
  const wanted = restorable(lost, cases);
  const offers = cases.map((c) => offerOf(c, wanted));
  const left = wanted.slice();
  const heap = new Heap();
  offers.forEach((offer, i) => {
    const gain = gainOf(offer, left);
    if (gain) heap.push(i, gain);
  });
  let chosen: number[] = [];
  for (let top = heap.pop(); top; top = heap.pop()) {
    const gain = gainOf(offers[top.at], left);
    if (!gain) continue;
    if (gain < heap.best) {
      heap.push(top.at, gain);
      continue;
    }
    chosen.push(top.at);
    take(left, offers[top.at]);
  }
  chosen = withoutIdle(chosen, offers, wanted.length);
  let bound = apart(wanted, offers);
  if (bound < chosen.length) {
    const exact = byTrying(wanted, offers, chosen.length);
    if (exact) {
      if (exact.length < chosen.length) chosen = exact;
      bound = chosen.length;
    }
  }
  return choice(chosen, cases, offers, wanted, lost, bound, bound === chosen.length);
}

function choice(
  chosen: readonly number[],
  cases: readonly CaseReach[],
  offers: readonly Offer[],
  wanted: Uint32Array,
  lost: Uint32Array,
  bound: number,
  optimal: boolean,
): CaseChoice {
  const left = wanted.slice();
  for (const i of chosen) take(left, offers[i]);
  return {
    cases: chosen.map((i) => cases[i].key),
    covered: count(wanted) - count(left),
    of: count(lost),
    minutes: chosen.reduce((sum, i) => sum + cases[i].minutes, 0),
    bound,
    optimal,
  };
}

/** Takes out, the last chosen first, whatever the others cover as well. */
function withoutIdle(chosen: readonly number[], offers: readonly Offer[], size: number): number[] {
  const times = new Uint16Array(size * 32);
  for (const i of chosen) eachPoint(offers[i], (p) => times[p]++);
  const idle = new Set<number>();
  for (const i of [...chosen].reverse()) {
    let needed = false;
    eachPoint(offers[i], (p) => (needed ||= times[p] < 2));
    if (needed) continue;
    idle.add(i);
    eachPoint(offers[i], (p) => times[p]--);
  }
  return chosen.filter((i) => !idle.has(i));
}

/** Points of which no case hits two, those first that few cases hit: as many cases at least are needed. */
function apart(wanted: Uint32Array, offers: readonly Offer[]): number {
  const points = wanted.length * 32;
  const hitters = new Uint32Array(points);
  for (const offer of offers) eachPoint(offer, (p) => hitters[p]++);
  const order = Uint32Array.from({ length: points }, (_, p) => p)
    .filter((p) => hitters[p] > 0)
    .sort((a, b) => hitters[a] - hitters[b]);
  const blocked = new Uint8Array(points);
  // Which cases hit a point, in one list, point by point.
  const starts = new Uint32Array(points + 1);
  for (let p = 0; p < points; p++) starts[p + 1] = starts[p] + hitters[p];
  const by = new Uint32Array(starts[points]);
  const filled = starts.slice();
  offers.forEach((offer, i) => eachPoint(offer, (p) => (by[filled[p]++] = i)));
  let n = 0;
  for (const p of order) {
    if (blocked[p]) continue;
    n++;
    for (let i = starts[p]; i < starts[p + 1]; i++) eachPoint(offers[by[i]], (other) => (blocked[other] = 1));
  }
  return n;
}

/** Tries all sets of fewer cases, among those that are not hidden behind another; undefined where there are too many. */
function byTrying(wanted: Uint32Array, offers: readonly Offer[], known: number): number[] | undefined {
  const useful = offers.flatMap((offer, i) => (offer.at.length ? [i] : []));
  if (useful.length > 400) return undefined;
  const whole = new Map(
    useful.map((i) => {
      const words = new Uint32Array(wanted.length);
      offers[i].at.forEach((w, at) => (words[w] = offers[i].words[at]));
      return [i, words] as const;
    }),
  );
  const inside = (a: number, b: number): boolean => offers[a].at.every((w, at) => (offers[a].words[at] & ~(whole.get(b)?.[w] ?? 0)) === 0);
  const retained = useful.filter((a, at) => !useful.some((b, other) => a !== b && inside(a, b) && (!inside(b, a) || other < at)));
  if (retained.length > 24) return undefined;
  let best: number[] | undefined;
  let most = known;
  let steps = 0;
  const search = (left: Uint32Array, chosen: readonly number[]): void => {
    if (steps++ > searchLimit) return;
    const first = left.findIndex((word) => word !== 0);
    if (first < 0) {
      if (chosen.length < most || !best) [best, most] = [[...chosen], chosen.length];
      return;
    }
    if (chosen.length + 1 > most - (best ? 1 : 0)) return;
    const bit = left[first] & -left[first];
    for (const i of retained)
      if ((whole.get(i)?.[first] ?? 0) & bit) {
        const rest = left.slice();
        take(rest, offers[i]);
        search(rest, [...chosen, i]);
      }
  };
  search(wanted, []);
  return steps > searchLimit ? undefined : best;
}

/**
 * The best set of cases within so many minutes: greedy by points a minute, and the best single case, whichever is more. The bound is what the cases still
 * promise at the end of the greedy choice, filled into the minutes left by their points a minute: no set can have more (Leskovec et al. 2007, recalled).
 */
export function bestWithin(lost: Uint32Array, cases: readonly CaseReach[], minutes: number): CaseChoice {
  const wanted = restorable(lost, cases);
  const offers = cases.map((c) => offerOf(c, wanted));
  const left = wanted.slice();
  const cost = (i: number): number => Math.max(cases[i].minutes, 1e-9);
  const heap = new Heap();
  const usable = cases.map((_, i) => i).filter((i) => cases[i].minutes <= minutes);
  for (const i of usable) {
    const gain = gainOf(offers[i], left);
    if (gain) heap.push(i, gain / cost(i));
  }
  const chosen: number[] = [];
  let spent = 0;
  let bound = boundAfter(usable, cases, offers, left, minutes, 0);
  for (let top = heap.pop(); top; top = heap.pop()) {
    const gain = gainOf(offers[top.at], left);
    if (!gain) continue;
    const score = gain / cost(top.at);
    if (score < heap.best) {
      heap.push(top.at, score);
      continue;
    }
    if (spent + cases[top.at].minutes > minutes) continue;
    chosen.push(top.at);
    spent += cases[top.at].minutes;
    take(left, offers[top.at]);
    // Looking at all of them again costs as much as many choices: done at the 1st, 2nd, 4th, 8th …
    if ((chosen.length & (chosen.length - 1)) === 0)
      bound = Math.min(bound, boundAfter(usable, cases, offers, left, minutes, count(wanted) - count(left)));
  }
  const single = usable.reduce<number | undefined>(
    (best, i) => (best === undefined || gainOf(offers[i], wanted) > gainOf(offers[best], wanted) ? i : best),
    undefined,
  );
  const greedyCovered = count(wanted) - count(left);
  const alone = single === undefined ? 0 : gainOf(offers[single], wanted);
  const taken = alone > greedyCovered && single !== undefined ? [single] : chosen;
  const total = Math.min(Math.floor(bound), count(wanted));
  return choice(taken, cases, offers, wanted, lost, total, Math.max(alone, greedyCovered) >= total);
}

/** What was covered, and what the best cases by points a minute could add at most in all the minutes. */
function boundAfter(
  usable: readonly number[],
  cases: readonly CaseReach[],
  offers: readonly Offer[],
  left: Uint32Array,
  minutes: number,
  covered: number,
): number {
  const promised = usable
    .map((i) => ({ gain: gainOf(offers[i], left), minutes: Math.max(cases[i].minutes, 1e-9) }))
    .filter((o) => o.gain > 0)
    .sort((a, b) => b.gain / b.minutes - a.gain / a.minutes);
  let open = minutes;
  let sum = covered;
  for (const { gain, minutes: cost } of promised) {
    if (cost >= open) return sum + (gain * open) / cost;
    sum += gain;
    open -= cost;
  }
  return sum;
}

/** A case of a library that shows no code and no requirement which others do not show as well. */
export interface IdleCase {
  readonly key: string;
  /** What it still is evidence of, together with others: take it out of use only with that in mind. */
  readonly stillShows: { readonly points: number; readonly requirements: readonly { readonly key: string; readonly alsoBy: number }[] };
}

/** Cases that add nothing which others do not show. Each by itself: of two that show the same, either could go, not both. */
export function idleCases(cases: readonly CaseReach[]): IdleCase[] {
  const words = Math.max(0, ...cases.map((c) => c.hits.length));
  const [once, twice] = [new Uint32Array(words), new Uint32Array(words)];
  for (const { hits } of cases)
    for (let w = 0; w < hits.length; w++) {
      twice[w] |= once[w] & hits[w];
      once[w] |= hits[w];
    }
  const verifiedBy = new Map<string, number>();
  for (const { verifies } of cases) for (const key of verifies) verifiedBy.set(key, (verifiedBy.get(key) ?? 0) + 1);
  return cases
    .filter(
      ({ hits, verifies }) => hits.every((word, w) => (word & ~twice[w]) === 0) && verifies.every((key) => (verifiedBy.get(key) ?? 0) > 1),
    )
    .map(({ key, hits, verifies }) => ({
      key,
      stillShows: {
        points: count(hits),
        requirements: verifies.map((requirement) => ({ key: requirement, alsoBy: (verifiedBy.get(requirement) ?? 1) - 1 })),
      },
    }));
}
