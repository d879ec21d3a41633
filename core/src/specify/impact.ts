import { compareKeys, groupBy } from '../base';

/** A requirement or case as far as a change reaches it. */
export interface ImpactRecord {
  readonly kind: 'requirement' | 'case';
  readonly key: string;
  readonly title: string;
  readonly state: string;
  /** Of a case: planned minutes of one run, and how many runs of it stand on the build. */
  readonly minutes: number;
  readonly runs: number;
}
/** A trace between two of them: of a requirement to its parent, of a case to what it verifies, of a case to one that it calls. */
export interface ImpactTrace {
  readonly id: number;
  readonly kind: 'parent' | 'verifies' | 'calls';
  readonly from: string;
  readonly to: string;
  readonly suspect: boolean;
}
export interface ImpactFacts {
  readonly records: readonly ImpactRecord[];
  readonly traces: readonly ImpactTrace[];
}

/** What a change of one requirement reaches: how far away, over which record. */
export interface Reached extends ImpactRecord {
  readonly distance: number;
  readonly from: string;
}

export interface Impact {
  /** Traces that a new revision makes doubtful at once; those that are doubtful already are told apart. */
  readonly suspect: readonly (ImpactTrace & { readonly other: string })[];
  /** What is below it, near first: requirements derived from it, cases that verify any of them, cases that call those. */
  readonly reached: readonly Reached[];
  /** Planned minutes of running again: of the cases that verify the requirement itself, and of those further off. */
  readonly minutes: { readonly near: number; readonly far: number };
  /** What of it is still to be done: traces among all that it reaches that are doubtful now. */
  readonly toDo: readonly ImpactTrace[];
}

/** Minutes of running a case again as often as it stands; once, where it has not been run. */
const costOf = ({ minutes, runs }: ImpactRecord): number => minutes * Math.max(1, runs);

/**
 * What a change of a requirement makes doubtful and to whom it may matter. A new revision makes each trace at it suspect; what is derived
 * from it, and the cases that verify that, are looked at when those traces are. Circles are walked once.
 */
export function impactOf(key: string, { records, traces }: ImpactFacts): Impact {
  const byKey = new Map(records.map((record) => [record.key, record]));
  // Whoever rests on a record, by that record: children, cases, callers.
  const resting = groupBy(
    traces,
    (t) => t.to,
    (t) => t.from,
  );
  // Keys are compared once, not for each trace at them.
  const place = new Map([...byKey.keys()].sort(compareKeys).map((of, i) => [of, i]));
  const placeOf = (of: string): number => place.get(of) ?? 0;
  const distances = new Map([[key, 0]]);
  const reached: Reached[] = [];
  // The map grows while it is walked: near first.
  for (const [at, distance] of distances)
    for (const next of [...(resting.get(at) ?? [])].sort((a, b) => placeOf(a) - placeOf(b))) {
      const record = byKey.get(next);
      if (!record || distances.has(next)) continue;
      distances.set(next, distance + 1);
      reached.push({ ...record, distance: distance + 1, from: at });
    }
  const cases = reached.filter(({ kind }) => kind === 'case');
  const near = cases.filter(({ from }) => from === key);
  const sum = (list: readonly ImpactRecord[]): number => list.reduce((minutes, record) => minutes + costOf(record), 0);
  const suspect = traces
    .filter((t) => t.kind !== 'calls' && (t.from === key || t.to === key))
    .map((t) => ({ ...t, other: t.from === key ? t.to : t.from }))
    .sort((a, b) => compareKeys(a.other, b.other));
  return {
    suspect,
    reached,
    minutes: { near: sum(near), far: sum(cases) - sum(near) },
    toDo: traces
      .filter((t) => t.suspect && (distances.has(t.to) || t.from === key))
      .sort((a, b) => compareKeys(a.from, b.from) || compareKeys(a.to, b.to)),
  };
}
