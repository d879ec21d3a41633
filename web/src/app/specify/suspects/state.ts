import { createFeature, createReducer, on } from '@ngrx/store';
import * as base from '@contract/base';
import type { AnswerOf, SuspectTrace } from '@contract/base';
import { command } from '../../base';

export const suspectCommands = {
  list: command('[Suspect] list', base.listSuspects),
  confirm: command('[Suspect] confirm', base.confirmTraces),
  remove: command('[Suspect] break', base.removeTraces),
};

interface SuspectState {
  readonly found: (Omit<AnswerOf<typeof base.listSuspects>, 'traces'> & { readonly traces: readonly SuspectTrace[] }) | null;
}

/** Traces in doubt, as far as they were read: pages come one behind the other, and what is done with goes. */
export const suspectFeature = createFeature({
  name: 'suspects',
  reducer: createReducer(
    { found: null } as SuspectState,
    on(suspectCommands.list.done, ({ found }, { input, answer }): SuspectState => ({
      found: { ...answer, traces: Number(input.after ?? 0) && found ? [...found.traces, ...answer.traces] : answer.traces },
    })),
    on(suspectCommands.confirm.done, (state, { input }): SuspectState => without(state, new Set(input.traces.map(({ id }) => id)))),
    on(suspectCommands.remove.done, (state, { input }): SuspectState => without(state, new Set(input.ids))),
  ),
});

function without({ found }: SuspectState, ids: ReadonlySet<number>): SuspectState {
  if (!found) return { found };
  const traces = found.traces.filter(({ trace }) => !ids.has(trace.id));
  return { found: { ...found, traces, total: found.total - (found.traces.length - traces.length) } };
}
