import { createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/specify';
import type { BaselineComparison, BaselineDetail, BaselineRow } from '@contract/specify';
import { command } from '../../base';

export const baselineCommands = {
  get: command('[Baselines] get', contract.getBaseline),
  add: command('[Baselines] add', contract.addBaseline),
  read: command('[Baselines] read', contract.readBaseline),
  compare: command('[Baselines] compare', contract.compareBaseline),
};

interface BaselineState {
  readonly detail: BaselineDetail | null;
  readonly rows: readonly BaselineRow[];
  readonly total: number;
  readonly comparison: BaselineComparison | null;
}
const first: BaselineState = { detail: null, rows: [], total: 0, comparison: null };
const c = baselineCommands;

/** The baseline that is open, as it was, and what it is compared with. Pages come one behind the other. */
export const baselineFeature = createFeature({
  name: 'baselines',
  reducer: createReducer(
    first,
    on(c.get.start, (state, { input }): BaselineState => (state.detail?.key === input.key ? state : first)),
    on(c.get.done, c.add.done, (state, { answer }): BaselineState => ({ ...state, detail: answer })),
    on(c.read.done, (state, { input, answer }): BaselineState => ({
      ...state,
      total: answer.total,
      rows: [...state.rows.slice(0, Number(input.skip ?? 0)), ...answer.rows],
    })),
    on(c.compare.done, (state, { input, answer }): BaselineState => ({
      ...state,
      comparison: { ...answer, rows: [...(state.comparison?.rows ?? []).slice(0, Number(input.skip ?? 0)), ...answer.rows] },
    })),
  ),
});
