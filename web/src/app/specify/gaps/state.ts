import { createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/specify';
import type { AnswerOf } from '@contract/base';
import type { Gaps } from '@contract/specify';
import { command } from '../../base';

export const gapCommands = {
  list: command('[Gaps] list', contract.listGaps),
  grant: command('[Gaps] grant exception', contract.grantException),
  end: command('[Gaps] end exception', contract.endException),
  rules: command('[Gaps] rules', contract.getTraceRules),
  tryRules: command('[Gaps] try rules', contract.tryTraceRules),
  saveRules: command('[Gaps] save rules', contract.saveTraceRules),
};

interface GapState {
  readonly found: Gaps | null;
  readonly rules: AnswerOf<typeof contract.getTraceRules> | null;
  /** How many gaps the rules as they are being written would find. */
  readonly tried: Readonly<Record<string, number>>;
}

/** What lacks and what contradicts, as far as it was asked for: pages come one behind the other. */
export const gapFeature = createFeature({
  name: 'gaps',
  reducer: createReducer(
    { found: null, rules: null, tried: {} } as GapState,
    on(gapCommands.list.done, (state, { input, answer }): GapState => ({
      ...state,
      found: { ...answer, rows: [...(state.found?.rows ?? []).slice(0, Number(input.skip ?? 0)), ...answer.rows] },
    })),
    on(gapCommands.rules.done, gapCommands.saveRules.done, (state, { answer }): GapState => ({
      ...state,
      rules: answer,
      tried: answer.found,
    })),
    on(gapCommands.tryRules.done, (state, { answer }): GapState => ({ ...state, tried: answer.found })),
  ),
});
