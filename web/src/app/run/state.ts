import { createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/run';
import type {
  CarriedResults,
  Comparison,
  ConfigurationPlanBody,
  NeededAgain,
  OutsideLink,
  Problem,
  ProblemFigures,
  ProblemLife,
  ResultDetail,
  ResultOffers,
  ResultRuleRow,
  ResultUpload,
  Round,
  RoundDetail,
  RoundPreview,
  RoundProgress,
  RunDetail,
  Signable,
  Tracker,
} from '@contract/run';
import { command } from '../base';
import { withStep } from './with-step';

export const runCommands = {
  addBuild: command('[Run] add build', contract.addBuild),
  /** The newest round of a build: what is usual there. */
  lastRound: command('[Run] last round', contract.listRounds),
  previewRound: command('[Run] preview round', contract.previewRound),
  getRound: command('[Run] get round', contract.getRound),
  addRound: command('[Run] add round', contract.addRound),
  addLargeRound: command('[Run] add large round', contract.addLargeRound),
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
  recordShort: command('[Run] record whole', contract.recordShort),
  correctClock: command('[Run] correct clock', contract.correctClock),
  addRedline: command('[Run] redline', contract.addRedline),
  lookAtRun: command('[Run] look at run', contract.lookAtRun),
  listSignable: command('[Run] list to sign', contract.listSignable),
  signMany: command('[Run] sign many', contract.signMany),
  comparison: command('[Run] comparison', contract.getComparison),
  configurations: command('[Run] configurations', contract.getConfigurations),
  saveConfigurations: command('[Run] save configurations', contract.saveConfigurations),
  placeRound: command('[Run] place round', contract.placeRound),
  closeRound: command('[Run] close round', contract.closeRound),
  reopenRound: command('[Run] reopen round', contract.reopenRound),
  addToRound: command('[Run] add to round', contract.addToRound),
  moveRun: command('[Run] move run', contract.moveRun),
  progress: command('[Run] progress of a round', contract.getRoundProgress),
  sendResults: command('[Run] send results', contract.sendResults),
  listResults: command('[Run] list results', contract.listResults),
  getResults: command('[Run] get results', contract.getResults),
  matchResults: command('[Run] match results', contract.matchResults),
  dismissResult: command('[Run] dismiss result', contract.dismissResult),
  listPrograms: command('[Run] list programs', contract.listRecordingPrograms),
  listResultRules: command('[Run] list rules of results', contract.listResultRules),
  addResultRule: command('[Run] add rule of results', contract.addResultRule),
  removeResultRule: command('[Run] remove rule of results', contract.removeResultRule),
  neededAgain: command('[Run] needed again', contract.getNeededAgain),
  offerResults: command('[Run] offer results to carry', contract.offerResults),
  carryResults: command('[Run] carry results', contract.carryResults),
  listCarriedResults: command('[Run] list carried results', contract.listCarriedResults),
  withdrawCarriedResults: command('[Run] withdraw carried results', contract.withdrawCarriedResults),
  getTracker: command('[Run] tracker outside', contract.getTracker),
  saveTracker: command('[Run] save tracker outside', contract.saveTracker),
  getOutside: command('[Run] what stands outside', contract.getOutside),
  linkOutside: command('[Run] link outside', contract.linkOutside),
  endOutside: command('[Run] end link outside', contract.endOutside),
  decideOutside: command('[Run] decide outside', contract.decideOutside),
  problemLife: command('[Run] life of problem reports', contract.getProblemLife),
  saveProblem: command('[Run] save problem', contract.saveProblem),
  problemFigures: command('[Run] figures of problem reports', contract.getProblemFigures),
  /** One problem report: the list's row of its key. */
  readProblem: command('[Run] read problem', contract.listProblems),
  addProblem: command('[Run] add problem', contract.addProblem),
  linkProblem: command('[Run] link problem', contract.linkProblem),
};

interface RunState {
  readonly lastRound: Round | null;
  /** What a round would be, and the question that it answers. */
  readonly roundPreview: { readonly of: string; readonly answer: RoundPreview | null };
  readonly round: RoundDetail | null;
  readonly run: RunDetail | null;
  readonly problem: Problem | null;
  /** Results beside each other, and the question that they answer. */
  readonly comparison: { readonly of: string; readonly answer: Comparison } | null;
  readonly signable: Signable | null;
  readonly configurations: ConfigurationPlanBody | null;
  readonly progress: { readonly key: string; readonly of: RoundProgress } | null;
  readonly results: readonly ResultUpload[] | null;
  readonly resultDetail: ResultDetail | null;
  readonly programs: readonly string[];
  readonly resultRules: readonly ResultRuleRow[];
  readonly neededAgain: NeededAgain | null;
  readonly resultOffers: ResultOffers | null;
  readonly carriedResults: readonly CarriedResults[];
  readonly tracker: Tracker | null;
  /** What stands outside for a problem report, by the report's key. */
  readonly outside: {
    readonly key: string;
    readonly answer: { readonly tracker: string | null; readonly link: OutsideLink | null };
  } | null;
  readonly life: ProblemLife | null;
  readonly figures: ProblemFigures | null;
}
const first: RunState = {
  lastRound: null,
  roundPreview: { of: '', answer: null },
  round: null,
  run: null,
  problem: null,
  comparison: null,
  signable: null,
  configurations: null,
  progress: null,
  results: null,
  resultDetail: null,
  programs: [],
  resultRules: [],
  neededAgain: null,
  resultOffers: null,
  carriedResults: [],
  tracker: null,
  outside: null,
  life: null,
  figures: null,
};
const c = runCommands;

export const runFeature = createFeature({
  name: 'run',
  reducer: createReducer(
    first,
    on(c.lastRound.done, (state, { answer }): RunState => ({ ...state, lastRound: answer.rows[0] ?? null })),
    on(c.previewRound.done, (state, { input, answer }): RunState => ({ ...state, roundPreview: { of: JSON.stringify(input), answer } })),
    on(
      c.getRound.done,
      c.withdrawRound.done,
      c.addRound.done,
      c.placeRound.done,
      c.closeRound.done,
      c.reopenRound.done,
      c.addToRound.done,
      (state, { answer }): RunState => ({ ...state, round: answer }),
    ),
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
      c.blockRun.done,
      c.recordShort.done,
      c.correctClock.done,
      c.addRedline.done,
      (state, { answer }): RunState =>
        state.run?.key === answer.key && state.run.revision > answer.revision ? state : { ...state, run: answer },
    ),
    // A step is answered with itself: the run that is shown is brought up to date with it.
    on(c.recordStep.done, (state, { answer }): RunState => {
      const { run } = state;
      if (run?.key !== answer.key || run.revision > answer.revision) return state;
      return { ...state, run: withStep(run, answer) };
    }),
    on(c.readProblem.done, (state, { answer }): RunState => ({ ...state, problem: answer.rows[0] ?? null })),
    on(c.addProblem.done, c.saveProblem.done, (state, { answer }): RunState => ({ ...state, problem: answer })),
    on(c.comparison.done, (state, { input, answer }): RunState => ({ ...state, comparison: { of: JSON.stringify(input), answer } })),
    on(c.listSignable.done, (state, { answer }): RunState => ({ ...state, signable: answer })),
    on(c.configurations.done, c.saveConfigurations.done, (state, { answer }): RunState => ({ ...state, configurations: answer })),
    on(c.progress.done, (state, { input, answer }): RunState => ({ ...state, progress: { key: input.key, of: answer } })),
    on(c.listResults.done, (state, { answer }): RunState => ({ ...state, results: answer })),
    on(c.getResults.done, c.dismissResult.done, (state, { answer }): RunState => ({ ...state, resultDetail: answer })),
    on(c.listPrograms.done, (state, { answer }): RunState => ({ ...state, programs: answer })),
    on(c.listResultRules.done, c.addResultRule.done, (state, { answer }): RunState => ({ ...state, resultRules: answer })),
    on(c.removeResultRule.done, (state, { input }): RunState => ({
      ...state,
      resultRules: state.resultRules.filter((rule) => rule.id !== input.id),
    })),
    on(c.neededAgain.done, (state, { answer }): RunState => ({ ...state, neededAgain: answer })),
    on(c.offerResults.start, (state): RunState => ({ ...state, resultOffers: null })),
    on(c.offerResults.done, (state, { answer }): RunState => ({ ...state, resultOffers: answer })),
    on(c.listCarriedResults.done, (state, { answer }): RunState => ({ ...state, carriedResults: answer.rows })),
    on(c.carryResults.done, (state, { answer }): RunState => ({ ...state, carriedResults: [...state.carriedResults, answer] })),
    on(c.withdrawCarriedResults.done, (state, { answer }): RunState => ({
      ...state,
      carriedResults: state.carriedResults.map((carried) => (carried.key === answer.key ? answer : carried)),
    })),
    on(c.getTracker.done, c.saveTracker.done, (state, { answer }): RunState => ({ ...state, tracker: answer })),
    on(c.getOutside.done, (state, { input, answer }): RunState => ({ ...state, outside: { key: input.key, answer } })),
    on(c.linkOutside.done, c.decideOutside.done, (state, { input, answer }): RunState => ({
      ...state,
      outside: { key: input.key, answer: { tracker: state.outside?.answer.tracker ?? null, link: answer } },
    })),
    on(c.problemLife.done, (state, { answer }): RunState => ({ ...state, life: answer })),
    on(c.problemFigures.done, (state, { answer }): RunState => ({ ...state, figures: answer })),
  ),
});
