import { groupBy } from '../base';
import { usualPolicy, type CreditPolicy } from '../measure';
import type { CordCase, CordRun } from './cord-input';

/** Runs of the rows that the case has now: a row that was taken out no longer counts, and its runs stay readable. */
export function currentRuns<T extends { readonly row: string | null }>(runs: readonly T[], { rows }: Pick<CordCase, 'rows'>): readonly T[] {
  const counts = (run: T): boolean => (rows?.length ? run.row !== null && rows.includes(run.row) : run.row === null);
  for (const run of runs) if (!counts(run)) return runs.filter(counts);
  return runs;
}

/** Of runs of one case, the latest of each data row and configuration. */
export function latestRuns<T extends { readonly row: string | null; readonly configuration: string }>(runs: readonly T[]): readonly T[] {
  if (runs.length < 2) return runs;
  // Few runs a case are the rule: comparing them with each other is quicker than keys made of their names.
  const overtaken = (run: T, i: number): boolean => {
    for (let later = i + 1; later < runs.length; later++)
      if (runs[later].configuration === run.configuration && runs[later].row === run.row) return true;
    return false;
  };
  return runs.some(overtaken) ? runs.filter((run, i) => !overtaken(run, i)) : runs;
}

/** The runs by which a case is judged, for its knot and for credit alike: of the rows that it has now, the latest. */
export function standingRuns(runs: readonly CordRun[], c: CordCase): readonly CordRun[] {
  return latestRuns(currentRuns(runs, c));
}

/** Does a run count as passed: passed, or passed with a deviation that a reviewer accepted; and recorded against the case as it is now, or carried over. */
export function runPasses(
  run: Pick<CordRun, 'verdict' | 'deviationAccepted' | 'caseRevision' | 'carriedOverTo'>,
  caseRevision: number,
): boolean {
  const passed = run.verdict === 'passed' || (run.verdict === 'deviation' && run.deviationAccepted);
  return passed && !runOutdated(run, caseRevision);
}

/** Recorded against an older revision of its case, and nobody has decided since. */
export function runOutdated(run: Pick<CordRun, 'caseRevision' | 'carriedOverTo'>, caseRevision: number): boolean {
  return Math.max(run.caseRevision, run.carriedOverTo ?? 0) < caseRevision;
}

/** Cases whose latest valid runs all passed and are current: the ones that give credit. The policy says whether an accepted deviation is a pass. */
export function passingCases(cases: readonly CordCase[], runs: readonly CordRun[], policy: CreditPolicy = usualPolicy): Set<string> {
  const counts = (run: CordRun, revision: number): boolean =>
    runPasses(run, revision) && (policy.deviations || run.verdict !== 'deviation');
  const runsOf = groupBy(runs, (run) => run.caseKey);
  return new Set(
    cases
      .filter((c) => {
        const standing = standingRuns(runsOf.get(c.key) ?? [], c);
        return standing.length > 0 && standing.every((run) => counts(run, c.revision));
      })
      .map((c) => c.key),
  );
}
