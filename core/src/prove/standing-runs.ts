import type { Policies } from './policy';
import type { CordCase, CordRun } from './cord-input';

type Placed = Pick<CordRun, 'row' | 'configuration' | 'finished'>;

/** Does a run belong to the rows that the case has now? */
export function inPresentForm({ row }: Pick<CordRun, 'row'>, { rows }: Pick<CordCase, 'rows'>): boolean {
  return rows?.length ? row !== null && rows.includes(row) : row === null;
}

/** Data row and configuration for which a result is wanted, with what stands there. */
export interface Combination<T extends Placed> {
  readonly row: string | null;
  readonly configuration: string;
  /** The newest finished run; undefined while there is none. */
  readonly standing: T | undefined;
  /** A run that is planned or on the bench now. */
  readonly open: T | undefined;
}

/**
 * The standing results of one case on one build (DESIGN.md section 3, rule 3): for each data row and configuration that runs were
 * planned for, the newest that was finished. Planning again neither hides nor removes it.
 */
export function combinations<T extends Placed>(runs: readonly T[]): Combination<T>[] {
  const found: { row: string | null; configuration: string; standing: T | undefined; open: T | undefined }[] = [];
  for (const run of runs) {
    // Few runs a case are the rule: comparing them with each other is quicker than keys made of their names.
    let place = found.find((f) => f.row === run.row && f.configuration === run.configuration);
    if (!place) found.push((place = { row: run.row, configuration: run.configuration, standing: undefined, open: undefined }));
    if (run.finished === null) place.open = run;
    else if (!place.standing || (place.standing.finished ?? 0) < run.finished) place.standing = run;
  }
  return found;
}

/** Recorded against an older revision of its case, and nobody has decided since. */
export function runOutdated(run: Pick<CordRun, 'caseRevision' | 'carriedOverTo'>, caseRevision: number): boolean {
  return Math.max(run.caseRevision, run.carriedOverTo ?? 0) < caseRevision;
}

/** Does a standing result pass: passed, or with a deviation that a reviewer accepted; not returned; of the case as it is now, or carried over. */
export function runPasses(
  run: Pick<CordRun, 'verdict' | 'deviationAccepted' | 'caseRevision' | 'carriedOverTo' | 'returned'>,
  caseRevision: number,
): boolean {
  const passed = run.verdict === 'passed' || (run.verdict === 'deviation' && run.deviationAccepted);
  return passed && !run.returned && !runOutdated(run, caseRevision);
}

/**
 * The runs of a case that give credit: standing, passing, and signed by their tester where the policy asks for it. A failed
 * configuration or row takes away its own credit and no more.
 */
export function creditingRuns(
  runs: readonly CordRun[],
  c: CordCase,
  policies: Pick<Policies, 'creditNeedsSignature' | 'qualifiedTools'>,
  deviations = true,
): CordRun[] {
  return combinations(runs).flatMap(({ standing }) => {
    if (!standing || !inPresentForm(standing, c) || !runPasses(standing, c.revision)) return [];
    if (standing.verdict === 'deviation' && !deviations) return [];
    // What a program did is answered for by whoever reviewed it, or by its tool's qualification.
    if (standing.tool !== undefined) {
      const reviewed = standing.signatures.some((s) => s.meaning === 'reviewed' && s.login !== standing.tester && s.matches);
      return reviewed || (policies.qualifiedTools ?? []).includes(standing.tool) ? [standing] : [];
    }
    const signed = standing.signatures.some((s) => s.meaning === 'performed' && s.login === standing.tester && s.matches);
    return signed || !policies.creditNeedsSignature ? [standing] : [];
  });
}
