import { createFeature, createReducer, on } from '@ngrx/store';
import { listCases, type CaseSummary } from '@contract/design';
import * as contract from '@contract/run';
import type { Problem, Round, RoundDetail, RunDetail } from '@contract/run';
import { compareKeys } from '@core/base';
import { command, noList, pagedCommand, withPage, type PagedList } from '../base';

export const runCommands = {
  addBuild: command('[Run] add build', contract.addBuild),
  listRounds: pagedCommand('[Run] list rounds', contract.listRounds),
  getRound: command('[Run] get round', contract.getRound),
  addRound: command('[Run] add round', contract.addRound),
  getRun: command('[Run] get run', contract.getRun),
  startRun: command('[Run] start run', contract.startRun),
  recordStep: command('[Run] record step', contract.recordStep),
  finishRun: command('[Run] finish run', contract.finishRun),
  addEvidence: command('[Run] add evidence', contract.addEvidence),
  removeEvidence: command('[Run] remove evidence', contract.removeEvidence),
  signRun: command('[Run] sign run', contract.signRun),
  reassignRun: command('[Run] reassign run', contract.reassignRun),
  decideRun: command('[Run] decide run', contract.decideRun),
  /** One problem report: the list's row of its key. */
  readProblem: command('[Run] read problem', contract.listProblems),
  addProblem: command('[Run] add problem', contract.addProblem),
  saveProblem: command('[Run] save problem', contract.saveProblem),
  listCases: pagedCommand('[Run] list cases', listCases),
};

interface RunState {
  readonly rounds: PagedList<Round>;
  readonly round: RoundDetail | null;
  readonly run: RunDetail | null;
  readonly problem: Problem | null;
  readonly cases: PagedList<CaseSummary>;
}
const first: RunState = { rounds: noList, round: null, run: null, problem: null, cases: noList };
const c = runCommands;
const newestFirst = (a: { readonly key: string }, b: { readonly key: string }): number => compareKeys(b.key, a.key);

export const runFeature = createFeature({
  name: 'run',
  reducer: createReducer(
    first,
    on(c.listRounds.done, (state, { input, answer }): RunState => ({
      ...state,
      rounds: withPage(state.rounds, input, answer, newestFirst),
    })),
    on(c.getRound.done, c.addRound.done, (state, { answer }): RunState => ({ ...state, round: answer })),
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
    on(c.listCases.done, (state, { input, answer }): RunState => ({
      ...state,
      cases: withPage(state.cases, input, answer, (a, b) => compareKeys(a.key, b.key)),
    })),
  ),
});
