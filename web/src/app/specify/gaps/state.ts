import { createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/specify';
import type { Gaps } from '@contract/specify';
import { command } from '../../base';

export const gapCommands = {
  list: command('[Gaps] list', contract.listGaps),
  grant: command('[Gaps] grant exception', contract.grantException),
  end: command('[Gaps] end exception', contract.endException),
};

interface GapState {
  readonly found: Gaps | null;
}

/** What lacks and what contradicts, as far as it was asked for: pages come one behind the other. */
export const gapFeature = createFeature({
  name: 'gaps',
  reducer: createReducer(
    { found: null } as GapState,
    on(gapCommands.list.done, (state, { input, answer }): GapState => ({
      found: { ...answer, rows: [...(state.found?.rows ?? []).slice(0, Number(input.skip ?? 0)), ...answer.rows] },
    })),
  ),
});
