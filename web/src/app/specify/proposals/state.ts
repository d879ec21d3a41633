import { createFeature, createReducer, on } from '@ngrx/store';
import * as base from '@contract/base';
import type { AnswerOf } from '@contract/base';
import * as contract from '@contract/specify';
import type { Proposal } from '@contract/specify';
import { command, recordCommands } from '../../base';

export const proposalCommands = {
  list: command('[Proposals] list', contract.listProposals),
  add: command('[Proposals] link', base.addTraces),
};

interface ProposalState {
  readonly found: AnswerOf<typeof contract.listProposals> | null;
}

/** Traces that are likely. What was linked is not told again. */
export const proposalFeature = createFeature({
  name: 'proposals',
  reducer: createReducer(
    { found: null } as ProposalState,
    on(proposalCommands.list.done, (state, { answer }): ProposalState => ({ ...state, found: answer })),
    on(recordCommands.addTrace.done, (state, { input }): ProposalState => linked(state, [input])),
    on(proposalCommands.add.done, (state, { input }): ProposalState => linked(state, input.pairs)),
  ),
});

function linked(state: ProposalState, pairs: readonly { readonly from: string; readonly to: string }[]): ProposalState {
  const made = new Set(pairs.map(({ from, to }) => `${from} ${to}`));
  const left = (list: readonly Proposal[]): Proposal[] => list.filter(({ from, to }) => !made.has(`${from.key} ${to.key}`));
  return {
    found: state.found && { ...state.found, proposals: left(state.found.proposals) },
  };
}
