import { createFeature, createReducer, on } from '@ngrx/store';
import { retireRecord } from '@contract/base';
import * as contract from '@contract/specify';
import type { Passage } from '@contract/specify';
import { command } from '../../base';

export const readingCommands = {
  read: command('[Reading] read', contract.readSpecification, 'all'),
  save: command('[Reading] save', contract.saveRequirement, 'all'),
  add: command('[Reading] add', contract.addRequirement, 'all'),
  place: command('[Reading] place', contract.placeRequirement, 'all'),
  retire: command('[Reading] retire', retireRecord, 'all'),
};

interface ReadingState {
  readonly of: string;
  readonly rows: readonly Passage[];
  readonly total: number;
}
const first: ReadingState = { of: '', rows: [], total: 0 };

/** A specification as far as it was read: stretches come one behind the other. */
export const readingFeature = createFeature({
  name: 'reading',
  reducer: createReducer(
    first,
    on(readingCommands.read.done, (state, { input, answer }): ReadingState => {
      const before = state.of === input.key ? state.rows.slice(0, answer.skip) : [];
      const behind =
        state.of === input.key ? state.rows.slice(answer.skip + answer.rows.length, Math.min(state.rows.length, answer.total)) : [];
      return { of: input.key, rows: [...before, ...answer.rows, ...behind], total: answer.total };
    }),
    on(readingCommands.save.done, (state, { answer }): ReadingState => ({
      ...state,
      rows: state.rows.map((row) => (row.key === answer.key ? { ...row, ...answer } : row)),
    })),
  ),
});
