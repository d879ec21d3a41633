import type { CarriedResult, CordCase, CordRun } from './cord-input';
import { combinations, inPresentForm, runPasses, type Combination } from './standing-runs';

/** The runs of one case on a build, sorted out once: a case may verify many requirements, and most of its runs are in order. */
export interface CaseRuns {
  /** Data rows and configurations that the case has now and for which runs were planned. */
  readonly wanted: readonly Combination<CordRun>[];
  /** Data rows for which no run was ever planned; a case without rows and without runs is `unplanned`. */
  readonly missingRows: readonly string[];
  readonly unplanned: boolean;
  /** Results that do not pass and that a change of the case took out of sight. */
  readonly outOfSight: readonly CordRun[];
  readonly mismatched: readonly string[];
  /** Carried from another build by a statement that does not match any more. */
  readonly carriedWrongly: readonly { readonly key: string; readonly carried: CarriedResult }[];
  readonly unsigned: readonly string[];
  /** Signed by the tester, and by nobody independent. */
  readonly unreviewed: readonly string[];
  /** Standing results that programs sent. */
  readonly ofPrograms: readonly CordRun[];
}

export function sortRuns(runs: readonly CordRun[], c: CordCase): CaseRuns {
  const all = combinations(runs);
  const wanted = all.filter((place) => inPresentForm(place, c));
  const standing = wanted.flatMap((place) => place.standing ?? []);
  return {
    wanted,
    missingRows: c.rows?.length && wanted.length ? c.rows.filter((row) => !wanted.some((place) => place.row === row)) : [],
    unplanned: wanted.length === 0,
    outOfSight: all.flatMap(({ standing: run, ...place }) =>
      run && !inPresentForm(place, c) && !run.setAside && !runPasses(run, run.caseRevision) ? [run] : [],
    ),
    mismatched: standing.filter((run) => run.signatures.some((s) => !s.matches)).map((run) => run.key),
    carriedWrongly: standing.flatMap(({ key, carried }) => (carried && !carried.matches ? [{ key, carried }] : [])),
    ofPrograms: standing.filter((run) => run.tool !== undefined),
    unsigned: standing.filter((run) => run.tool === undefined && !performedBy(run)).map((run) => run.key),
    unreviewed: standing.filter((run) => performedBy(run) && !reviewedByAnother(run)).map((run) => run.key),
  };
}

type Signed = Pick<CordRun, 'signatures' | 'tester'>;
export const performedBy = (run: Signed): boolean => run.signatures.some((s) => s.meaning === 'performed' && s.login === run.tester);
export const reviewedByAnother = (run: Signed): boolean => run.signatures.some((s) => s.meaning === 'reviewed' && s.login !== run.tester);
