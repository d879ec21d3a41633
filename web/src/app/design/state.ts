import { createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/design';
import type { CaseDetail } from '@contract/design';
import { command } from '../base';

export const designCommands = {
  getCase: command('[Design] get case', contract.getCase),
  addCase: command('[Design] add case', contract.addCase),
  saveCase: command('[Design] save case', contract.saveCase),
  setState: command('[Design] set state', contract.setCaseState),
  approve: command('[Design] approve', contract.approveCase),
};

interface DesignState {
  readonly detail: CaseDetail | null;
}
const first: DesignState = { detail: null };
const c = designCommands;

export const designFeature = createFeature({
  name: 'design',
  reducer: createReducer(
    first,
    on(c.getCase.done, c.addCase.done, c.saveCase.done, c.setState.done, c.approve.done, (state, { answer }): DesignState => ({
      ...state,
      detail: answer,
    })),
  ),
});
