import { createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/design';
import type { MadePlanned, ModelDetail } from '@contract/design';
import { command } from '../../base';

export const modelCommands = {
  get: command('[Models] get', contract.getModel),
  add: command('[Models] add', contract.addModel),
  save: command('[Models] save', contract.saveModel),
  setState: command('[Models] set state', contract.setModelState),
  approve: command('[Models] approve', contract.approveModel),
  plan: command('[Models] plan cases', contract.planCasesOf),
  make: command('[Models] make cases', contract.makeCasesOf),
};

interface ModelsState {
  readonly detail: ModelDetail | null;
  readonly plan: MadePlanned | null;
  /** What the last making of cases did. */
  readonly made: { readonly written: readonly string[]; readonly changed: readonly string[]; readonly retired: readonly string[] } | null;
}
const first: ModelsState = { detail: null, plan: null, made: null };
const c = modelCommands;

export const modelFeature = createFeature({
  name: 'models',
  reducer: createReducer(
    first,
    // A plan is of a revision: read again as it was, the model still has it.
    on(c.get.done, c.add.done, c.save.done, c.setState.done, c.approve.done, (state, { answer }): ModelsState => ({
      ...state,
      detail: answer,
      plan: state.detail?.key === answer.key && state.detail.revision === answer.revision ? state.plan : null,
    })),
    on(c.plan.start, (state): ModelsState => ({ ...state, made: null })),
    on(c.plan.done, (state, { answer }): ModelsState => ({ ...state, plan: answer })),
    on(c.make.done, (state, { answer: { model, ...made } }): ModelsState => ({ ...state, detail: model, plan: null, made })),
  ),
});
