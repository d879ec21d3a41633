/**
 * What an entry makes doubtful among the projections: records by id, source files, or everything. `texts` changed in content or state,
 * `results` changed what a case gives (runs, signatures, decisions, measurements), `files` changed what is measured or traced.
 */
export interface Touches {
  readonly all?: true;
  readonly texts?: readonly number[];
  /** Cases whose results changed. */
  readonly results?: readonly number[];
  /** Requirements against which something was raised or closed, or whose code traces changed. */
  readonly requirements?: readonly number[];
  /** Source rows whose points, measurements or traces changed. */
  readonly sources?: readonly number[];
}

/** The sum of several; undefined where nothing is touched. */
export function sumOfTouches(list: readonly (Touches | null | undefined)[]): Touches | undefined {
  if (list.some((t) => t?.all)) return { all: true };
  const sum = (part: 'texts' | 'results' | 'requirements' | 'sources'): number[] => [...new Set(list.flatMap((t) => t?.[part] ?? []))];
  const total = { texts: sum('texts'), results: sum('results'), requirements: sum('requirements'), sources: sum('sources') };
  return Object.values(total).some((ids) => ids.length) ? total : undefined;
}
