import { knots, type Knot } from '../base';
import type { KnotState } from './knot-state';

/** The knots of a requirement's cord, judged in one way. */
export interface JudgedStates {
  readonly key: string;
  readonly states: Readonly<Record<Knot, KnotState>>;
}

/** So many cords have another state at a knot. */
export interface KnotShift {
  readonly knot: Knot;
  readonly from: KnotState;
  readonly to: KnotState;
  readonly count: number;
  /** The first of them, in the order of what was judged. */
  readonly keys: readonly string[];
}

/** What becomes of the cords of a build where they are judged in another way. */
export interface CordShifts {
  /** Requirements that are judged either way. */
  readonly of: number;
  /** Those with another state at any knot. */
  readonly changed: number;
  /** Requirements that are proved: their last knot is sound. */
  readonly proved: { readonly before: number; readonly after: number };
  /** By knot along the cord, the most first. */
  readonly shifts: readonly KnotShift[];
}

const namedKeys = 8;

/** Compares two judgements of the same requirements, by key; one that is in one of them alone is not counted. */
export function shiftsOf(before: readonly JudgedStates[], after: readonly JudgedStates[]): CordShifts {
  const now = new Map(after.map((cord) => [cord.key, cord.states]));
  const both = before.flatMap(({ key, states }) => {
    const then = now.get(key);
    return then ? [{ key, was: states, is: then }] : [];
  });
  const shifts = new Map<string, { knot: Knot; from: KnotState; to: KnotState; count: number; keys: string[] }>();
  let changed = 0;
  for (const { key, was, is } of both) {
    const others = knots.filter((knot) => was[knot] !== is[knot]);
    if (others.length) changed++;
    for (const knot of others) {
      const [from, to] = [was[knot], is[knot]];
      const shift = shifts.get(`${knot} ${from} ${to}`) ?? { knot, from, to, count: 0, keys: [] };
      shift.count++;
      if (shift.keys.length < namedKeys) shift.keys.push(key);
      shifts.set(`${knot} ${from} ${to}`, shift);
    }
  }
  return {
    of: both.length,
    changed,
    proved: {
      before: both.filter(({ was }) => was.prove === 'sound').length,
      after: both.filter(({ is }) => is.prove === 'sound').length,
    },
    shifts: [...shifts.values()].sort((a, b) => knots.indexOf(a.knot) - knots.indexOf(b.knot) || b.count - a.count),
  };
}
