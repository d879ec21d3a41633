import { createFeature, createReducer, on } from '@ngrx/store';
import * as base from '@contract/base';
import type { Revision, TraceRow } from '@contract/base';
import { command } from '../../base';

export const traceCommands = {
  ends: command('[Trace] its end', base.getRecord),
  history: command('[Trace] what changed at its end', base.recordHistory, 'all'),
};
interface TraceState {
  readonly traces: readonly TraceRow[];
  readonly history: Readonly<Record<string, readonly Revision[]>>;
}
/** The trace that is looked at: read at one of its ends, with what the revised end said before. */
export const traceFeature = createFeature({
  name: 'trace',
  reducer: createReducer(
    { traces: [], history: {} } as TraceState,
    on(traceCommands.ends.done, (state, { answer }): TraceState => ({ ...state, traces: answer.traces })),
    on(traceCommands.history.done, (state, { input, answer }): TraceState => ({
      ...state,
      history: { ...state.history, [input.key]: answer },
    })),
  ),
});
