import { fewOf, textHash } from '../base';
import { performedBy, reviewedByAnother } from './case-runs';
import type { CordRun } from './cord-input';
import { runPasses } from './standing-runs';

/** A standing result of the earlier build, with what decides whether it may be carried to the later one. */
export interface ResultToCarry {
  readonly run: Pick<
    CordRun,
    'verdict' | 'deviationAccepted' | 'caseRevision' | 'carriedOverTo' | 'returned' | 'tester' | 'tool' | 'signatures'
  >;
  readonly caseRevision: number;
  readonly caseApproved: boolean;
  /** What its case verifies: its level, and whether it was revised since the run was finished. */
  readonly requirements: readonly { readonly key: string; readonly level: string; readonly revised: boolean }[];
  /** Functions that were measured as hit by the case on the earlier build; undefined where nothing of it is measured there. */
  readonly hit: readonly { readonly path: string; readonly name: string; readonly changed: boolean }[] | undefined;
  /** What there is on the later build for its data row and configuration; `otherwise` where its case is planned there, in other configurations only. */
  readonly there: 'nothing' | 'finished' | 'carried' | 'otherwise';
}

/** What changed of the code from the earlier build to the later one. */
export interface CodeChange {
  /** Functions that are changed, new or gone. */
  readonly functions: number;
  /** Files of which something outside their functions is another, or that only one of the builds has. */
  readonly outside: readonly string[];
}

/**
 * Why a result may not be carried from one build to another; empty where it may. It may where it stands, passes and is signed, where its case and the requirements
 * are as they were, where the project allows it at each of their levels, and where no changed function was hit by its case: what was measured has to say so, or
 * nothing of the code changed at all. A file that changed outside its functions counts for whatever hit a function of it.
 */
export function whyNotCarried(result: ResultToCarry, change: CodeChange, allowedAt: readonly string[]): string[] {
  const { run, requirements, hit, there } = result;
  const reasons: string[] = [];
  if (there === 'finished') reasons.push('it was run on the later build');
  if (there === 'otherwise') reasons.push('its case is planned there in other configurations');
  if (there === 'carried') reasons.push('it is carried already');
  if (!result.caseApproved) reasons.push('its case is not approved');
  if (!runPasses(run, result.caseRevision))
    reasons.push(run.caseRevision < result.caseRevision ? 'its case was revised' : 'it does not pass');
  const answered = run.tool === undefined ? performedBy(run) : reviewedByAnother(run);
  if (!answered || run.signatures.some((s) => !s.matches))
    reasons.push(run.tool === undefined ? 'it is not signed by its tester' : 'nobody reviewed it');
  if (!requirements.length) reasons.push('its case verifies nothing');
  const revised = requirements.filter((r) => r.revised);
  if (revised.length)
    reasons.push(
      `${fewOf(
        revised.map(({ key }) => key),
        4,
      )} ${revised.length === 1 ? 'was' : 'were'} revised`,
    );
  const forbidden = [...new Set(requirements.flatMap(({ level }) => (allowedAt.includes(level) ? [] : [level || 'no level'])))];
  if (forbidden.length) reasons.push(`the project does not allow it at ${forbidden.join(', ')}`);
  if (hit === undefined) {
    if (change.functions || change.outside.length) reasons.push('nothing measured tells which code its case reaches');
    return reasons;
  }
  const changed = hit.filter((f) => f.changed).map(({ path, name }) => `${name} in ${path}`);
  if (changed.length) reasons.push(`it hit ${fewOf(changed, 4)}, which changed`);
  const outside = change.outside.filter((path) => hit.some((f) => f.path === path));
  if (outside.length) reasons.push(`it hit ${fewOf(outside, 4)}, which changed outside its functions`);
  return reasons;
}

/** The hash of a build's sources as a whole: of each path with its SHA-256, in the order of the paths. */
export function sourcesDigest(sources: readonly { readonly path: string; readonly sha256: string }[]): string {
  const lines = sources.map(({ path, sha256 }) => `${sha256}  ${path}\n`);
  return textHash(lines.sort().join(''));
}
