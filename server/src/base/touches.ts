/**
 * What an entry makes doubtful among the projections: records by id, source files, or everything. `texts` changed in content or state,
 * `results` changed what a case gives (runs, signatures, decisions, measurements), `files` changed what is measured or traced.
 */
export interface Touches {
  /** The only build of which anything is made doubtful; any build where it is not said. */
  readonly build?: number;
  readonly all?: true;
  readonly texts?: readonly number[];
  /** Cases whose results changed. */
  readonly results?: readonly number[];
  /** Requirements against which something was raised or closed, or whose code traces changed. */
  readonly requirements?: readonly number[];
  /** Source rows whose points, measurements or traces changed. */
  readonly sources?: readonly number[];
}

/**
 * The sum of several, for one build or whichever build they are of; undefined where nothing of it is touched. `others` are builds whose results
 * this one rests on: what is said of those alone touches it too.
 */
export function sumOfTouches(all: readonly (Touches | null)[], build?: number, others?: ReadonlySet<number>): Touches | undefined {
  const list = all.filter(
    (touches) => build === undefined || touches?.build === undefined || touches.build === build || others?.has(touches.build),
  );
  if (list.some((t) => t?.all)) return { all: true };
  const sum = (part: 'texts' | 'results' | 'requirements' | 'sources'): number[] => [...new Set(list.flatMap((t) => t?.[part] ?? []))];
  const total = { texts: sum('texts'), results: sum('results'), requirements: sum('requirements'), sources: sum('sources') };
  return Object.values(total).some((ids) => ids.length) ? total : undefined;
}
