import { createFeature, createReducer, on } from '@ngrx/store';
import { listCases, type CaseSummary } from '@contract/design';
import * as contract from '@contract/run';
import type { Problem, Round, RoundDetail, RunDetail } from '@contract/run';
import { command } from '../base';

export const runCommands = {
  addBuild: command('[Run] add build', contract.addBuild),
  listRounds: command('[Run] list rounds', contract.listRounds),
  getRound: command('[Run] get round', contract.getRound),
  addRound: command('[Run] add round', contract.addRound),
  getRun: command('[Run] get run', contract.getRun),
  startRun: command('[Run] start run', contract.startRun),
  recordStep: command('[Run] record step', contract.recordStep),
  finishRun: command('[Run] finish run', contract.finishRun),
  addEvidence: command('[Run] add evidence', contract.addEvidence),
  removeEvidence: command('[Run] remove evidence', contract.removeEvidence),
  signRun: command('[Run] sign run', contract.signRun),
  decideRun: command('[Run] decide run', contract.decideRun),
  listProblems: command('[Run] list problems', contract.listProblems),
  addProblem: command('[Run] add problem', contract.addProblem),
  saveProblem: command('[Run] save problem', contract.saveProblem),
  listCases: command('[Run] list cases', listCases),
};

interface RunState {
  readonly rounds: readonly Round[];
  readonly round: RoundDetail | null;
  readonly run: RunDetail | null;
  readonly problems: readonly Problem[];
  readonly cases: readonly CaseSummary[];
}
const first: RunState = { rounds: [], round: null, run: null, problems: [], cases: [] };
const c = runCommands;

export const runFeature = createFeature({
  name: 'run',
  reducer: createReducer(
    first,
    on(c.listRounds.done, (state, { answer }): RunState => ({ ...state, rounds: answer })),
    on(c.getRound.done, c.addRound.done, (state, { answer }): RunState => ({ ...state, round: answer })),
    // An answer that is older than what is shown is no news: several saves may be on their way at once.
    on(
      c.getRun.done,
      c.startRun.done,
      c.recordStep.done,
      c.finishRun.done,
      c.addEvidence.done,
      c.removeEvidence.done,
      c.signRun.done,
      c.decideRun.done,
      (state, { answer }): RunState =>
        state.run?.key === answer.key && state.run.revision > answer.revision ? state : { ...state, run: answer },
    ),
    on(c.listProblems.done, (state, { answer }): RunState => ({ ...state, problems: answer })),
    on(c.addProblem.done, (state, { answer }): RunState => ({ ...state, problems: [answer, ...state.problems] })),
    on(c.saveProblem.done, (state, { answer }): RunState => ({
      ...state,
      problems: state.problems.map((p) => (p.key === answer.key ? answer : p)),
    })),
    on(c.listCases.done, (state, { answer }): RunState => ({ ...state, cases: answer })),
  ),
});
