import { createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/design';
import type { CaseDetail, CaseSummary } from '@contract/design';
import type { Revision } from '@contract/specify';
import { addTrace, confirmTrace, removeTrace } from '@contract/specify';
import { command } from '../base';

export const designCommands = {
  listCases: command('[Design] list cases', contract.listCases),
  getCase: command('[Design] get case', contract.getCase),
  history: command('[Design] history', contract.caseHistory),
  addCase: command('[Design] add case', contract.addCase),
  saveCase: command('[Design] save case', contract.saveCase),
  setState: command('[Design] set state', contract.setCaseState),
  addTrace: command('[Design] add trace', addTrace),
  confirmTrace: command('[Design] confirm trace', confirmTrace),
  removeTrace: command('[Design] remove trace', removeTrace),
};

interface DesignState {
  readonly cases: readonly CaseSummary[];
  readonly detail: CaseDetail | null;
  readonly history: readonly Revision[];
}
const first: DesignState = { cases: [], detail: null, history: [] };
const c = designCommands;

export const designFeature = createFeature({
  name: 'design',
  reducer: createReducer(
    first,
    on(c.listCases.done, (state, { answer }): DesignState => ({ ...state, cases: answer })),
    on(c.getCase.done, c.addCase.done, c.saveCase.done, c.setState.done, (state, { answer }): DesignState => ({
      ...state,
      detail: answer,
    })),
    on(c.history.done, (state, { answer }): DesignState => ({ ...state, history: answer })),
  ),
});
