import type { StateTable, Walk } from '../rows';

/** How much of something a set covers, and what of it is missing, in words. */
export interface SetCoverage {
  readonly covered: number;
  readonly of: number;
  readonly missing: readonly string[];
}

const shown = (t: Walk[number]): string => `${t.from} –${t.event}→ ${t.to}`;

/** How many transitions (0-switch) or pairs of them (1-switch; Chow 1978, recalled) a set of walks goes through, of those that can be reached. */
export function switchCoverage({ initial, transitions }: StateTable, walks: readonly Walk[], switches: 0 | 1): SetCoverage {
  const reached = new Set([initial]);
  for (const state of reached) for (const t of transitions) if (t.from === state) reached.add(t.to);
  const possible = transitions.filter((t) => reached.has(t.from));
  const wanted = new Set(
    switches === 0
      ? possible.map(shown)
      : possible.flatMap((t) => possible.filter((next) => next.from === t.to).map((next) => `${shown(t)}, ${shown(next)}`)),
  );
  const gone = new Set(
    walks.flatMap((walk) => (switches === 0 ? walk.map(shown) : walk.slice(1).map((t, i) => `${shown(walk[i])}, ${shown(t)}`))),
  );
  const missing = [...wanted].filter((one) => !gone.has(one));
  return { covered: wanted.size - missing.length, of: wanted.size, missing };
}
