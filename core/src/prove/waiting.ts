import { compareKeys } from '../base';

/** Something that waits for a person. */
export interface Waits {
  readonly key: string;
  /** How many requirements cannot be proved before it is done. */
  readonly holds: number;
  /** Planned minutes; null where nobody planned any. */
  readonly minutes: number | null;
}

/** What holds up most first; of what holds up as much, the quickest first. */
export function inOrderOfHolding<T extends Waits>(items: readonly T[]): T[] {
  const quick = ({ minutes }: T): number => minutes ?? Number.POSITIVE_INFINITY;
  return [...items].sort((a, b) => b.holds - a.holds || (quick(a) === quick(b) ? 0 : quick(a) - quick(b)) || compareKeys(a.key, b.key));
}
