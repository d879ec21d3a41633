import { createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/run';
import type { Problem, Round, RoundDetail, RoundPreview, RunDetail } from '@contract/run';
import { command } from '../base';

export const runCommands = {
  addBuild: command('[Run] add build', contract.addBuild),
  /** The newest round of a build: what is usual there. */
  lastRound: command('[Run] last round', contract.listRounds),
  previewRound: command('[Run] preview round', contract.previewRound),
  getRound: command('[Run] get round', contract.getRound),
  addRound: command('[Run] add round', contract.addRound),
  getRun: command('[Run] get run', contract.getRun),
  startRun: command('[Run] start run', contract.startRun),
  recordStep: command('[Run] record step', contract.recordStep),
  finishRun: command('[Run] finish run', contract.finishRun),
  blockRun: command('[Run] block run', contract.blockRun),
  addEvidence: command('[Run] add evidence', contract.addEvidence),
  removeEvidence: command('[Run] remove evidence', contract.removeEvidence),
  signRun: command('[Run] sign run', contract.signRun),
  withdrawRound: command('[Run] withdraw round', contract.withdrawRound),
  reassignRun: command('[Run] reassign run', contract.reassignRun),
  decideRun: command('[Run] decide run', contract.decideRun),
  /** One problem report: the list's row of its key. */
  readProblem: command('[Run] read problem', contract.listProblems),
  addProblem: command('[Run] add problem', contract.addProblem),
  saveProblem: command('[Run] save problem', contract.saveProblem),
};

interface RunState {
  readonly lastRound: Round | null;
  /** What a round would be, and the question that it answers. */
  readonly roundPreview: { readonly of: string; readonly answer: RoundPreview | null };
  readonly round: RoundDetail | null;
  readonly run: RunDetail | null;
  readonly problem: Problem | null;
}
const first: RunState = { lastRound: null, roundPreview: { of: '', answer: null }, round: null, run: null, problem: null };
const c = runCommands;

export const runFeature = createFeature({
  name: 'run',
  reducer: createReducer(
    first,
    on(c.lastRound.done, (state, { answer }): RunState => ({ ...state, lastRound: answer.rows[0] ?? null })),
    on(c.previewRound.done, (state, { input, answer }): RunState => ({ ...state, roundPreview: { of: JSON.stringify(input), answer } })),
    on(c.getRound.done, c.withdrawRound.done, c.addRound.done, (state, { answer }): RunState => ({ ...state, round: answer })),
    // An answer that is older than what is shown is no news: several saves may be on their way at once.
    on(
      c.getRun.done,
      c.startRun.done,
      c.finishRun.done,
      c.addEvidence.done,
      c.removeEvidence.done,
      c.signRun.done,
      c.decideRun.done,
      c.reassignRun.done,
      (state, { answer }): RunState =>
        state.run?.key === answer.key && state.run.revision > answer.revision ? state : { ...state, run: answer },
    ),
    // A step is answered with itself: the run that is shown is brought up to date with it.
    on(c.recordStep.done, (state, { answer }): RunState => {
      const { run } = state;
      if (run?.key !== answer.key || run.revision > answer.revision) return state;
      const steps = run.steps.map((step, i) => (i === answer.step - 1 ? answer.result : step));
      const open = answer.reopened ? { verdict: null, finishedAt: null } : {};
      const begun = run.finishedAt && !answer.reopened ? run.state : ('onBench' as const);
      return {
        ...state,
        run: { ...run, ...open, steps, state: begun, seconds: answer.seconds, revision: answer.revision, startedAt: answer.startedAt },
      };
    }),
    on(c.readProblem.done, (state, { answer }): RunState => ({ ...state, problem: answer.rows[0] ?? null })),
    on(c.addProblem.done, c.saveProblem.done, (state, { answer }): RunState => ({ ...state, problem: answer })),
  ),
});
