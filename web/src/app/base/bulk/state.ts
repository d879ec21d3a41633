import { createAction, createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/base';
import type { AnswerOf, Bulk } from '@contract/base';
import { command } from '../command';

const calls = {
  preview: command('[Bulk] preview', contract.previewBulk),
  do: command('[Bulk] do', contract.doBulk),
  get: command('[Bulk] get', contract.getBulk),
  undo: command('[Bulk] undo', contract.undoBulk),
  list: command('[Bulk] list', contract.listBulk),
  cancel: command('[Bulk] cancel', contract.cancelJob),
};
export const bulkCommands = { ...calls, forget: createAction('[Bulk] forget') };
export const bulkCalls = calls;

export interface BulkState {
  readonly preview: AnswerOf<typeof contract.previewBulk> | null;
  readonly done: Bulk | null;
  /** The newest acts on many records, imports among them. */
  readonly list: readonly Bulk[];
}
const first: BulkState = { preview: null, done: null, list: [] };

/** The act on many records that is being prepared, or was just done. */
export const bulkFeature = createFeature({
  name: 'bulk',
  reducer: createReducer(
    first,
    on(bulkCommands.forget, ({ list }): BulkState => ({ ...first, list })),
    on(calls.preview.start, (state): BulkState => ({ ...state, preview: null, done: null })),
    on(calls.preview.done, (state, { answer }): BulkState => ({ ...state, preview: answer })),
    on(calls.list.done, (state, { answer }): BulkState => ({ ...state, list: answer })),
    on(calls.undo.done, (state, { input, answer }): BulkState => ({
      ...state,
      done: answer,
      list: state.list.map((bulk) => (bulk.id === input.id ? { ...bulk, undone: true } : bulk)),
    })),
    on(calls.do.done, calls.get.done, (state, { answer }): BulkState => ({ ...state, done: answer })),
  ),
});
