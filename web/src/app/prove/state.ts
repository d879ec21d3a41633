import { createFeature, createReducer, on } from '@ngrx/store';
import type { Job } from '@contract/base';
import * as contract from '@contract/prove';
import type { Board } from '@contract/prove';
import { command } from '../base';

export const proveCommands = {
  getBoard: command('[Prove] get board', contract.getBoard),
  listPacks: command('[Prove] list packs', contract.listPacks),
  makePack: command('[Prove] make pack', contract.makePack),
  listPackKeys: command('[Prove] list pack keys', contract.listPackKeys),
};

interface ProveState {
  readonly seq: number;
  readonly totals: Board['totals'] | null;
  readonly packs: readonly Job[];
  /** Keys that packs were signed with, the oldest first. */
  readonly keys: readonly { readonly id: number; readonly fingerprint: string; readonly madeAt: string }[];
}
const first: ProveState = { seq: 0, totals: null, packs: [], keys: [] };
const c = proveCommands;

export const proveFeature = createFeature({
  name: 'prove',
  reducer: createReducer(
    first,
    on(c.getBoard.done, (state, { answer }): ProveState => ({ ...state, seq: answer.seq, totals: answer.totals })),
    on(c.listPacks.done, (state, { answer }): ProveState => ({ ...state, packs: answer })),
    on(c.listPackKeys.done, (state, { answer }): ProveState => ({ ...state, keys: answer })),
    on(c.makePack.done, (state, { answer }): ProveState => ({ ...state, packs: [answer, ...state.packs] })),
  ),
});
