import type { RunDetail, StepSaved } from '@contract/run';

/** A run with a step as the server answered it: opened again where it was finished and is corrected. */
export function withStep(run: RunDetail, { step, result, seconds, revision, startedAt, reopened }: StepSaved): RunDetail {
  return {
    ...run,
    ...(reopened ? { verdict: null, finishedAt: null } : {}),
    steps: run.steps.map((before, i) => (i === step - 1 ? result : before)),
    state: run.finishedAt && !reopened ? run.state : 'onBench',
    seconds,
    revision,
    startedAt,
  };
}
