export const stepVerdicts = ['pass', 'fail', 'deviation', 'blocked'] as const;
export type StepVerdict = (typeof stepVerdicts)[number];
export type RunVerdict = 'passed' | 'failed' | 'blocked' | 'deviation';

/**
 * The verdict of a run from its steps (common practice): any step fails, the run fails; else a step that cannot be done
 * blocks it; else a minor remark makes it passed with deviation; all steps pass, it passes.
 * A failed or blocked step ends a run: the steps after it may be without a verdict. Undefined while the run is open.
 */
export function rollUp(steps: readonly (StepVerdict | null)[]): RunVerdict | undefined {
  if (!steps.length) return undefined;
  if (steps.includes('fail')) return 'failed';
  if (steps.includes('blocked')) return 'blocked';
  if (steps.includes(null)) return undefined;
  return steps.includes('deviation') ? 'deviation' : 'passed';
}

export const verdictWords: Record<RunVerdict, string> = {
  passed: 'Passed',
  failed: 'Failed',
  blocked: 'Blocked',
  deviation: 'Passed with deviation',
};
