import { createFeature, createReducer, on } from '@ngrx/store';
import type { Job } from '@contract/base';
import * as contract from '@contract/prove';
import type { Board, BoardRow } from '@contract/prove';
import { command } from '../base';

export const proveCommands = {
  getBoard: command('[Prove] get board', contract.getBoard),
  listPacks: command('[Prove] list packs', contract.listPacks),
  makePack: command('[Prove] make pack', contract.makePack),
  listPackKeys: command('[Prove] list pack keys', contract.listPackKeys),
};

interface ProveState {
  /** Which question the rows answer: build, filter, words and order. */
  readonly question: string;
  readonly seq: number;
  readonly rows: readonly (BoardRow | undefined)[];
  readonly total: number;
  readonly totals: Board['totals'] | null;
  readonly packs: readonly Job[];
  /** Keys that packs were signed with, the oldest first. */
  readonly keys: readonly { readonly id: number; readonly fingerprint: string; readonly madeAt: string }[];
}
const first: ProveState = { question: '', seq: 0, rows: [], total: 0, totals: null, packs: [], keys: [] };
const c = proveCommands;

export const questionOf = (input: { build: string; filter?: string; q?: string; sort?: string }): string =>
  [input.build, input.filter, input.q, input.sort].join('\n');

export const proveFeature = createFeature({
  name: 'prove',
  reducer: createReducer(
    first,
    on(c.getBoard.done, (state, { input, answer }): ProveState => {
      const question = questionOf(input);
      // Rows of the same question stay where they are until their page is read again: nothing jumps under the eyes.
      const same = question === state.question && answer.total === state.total;
      const rows = same ? [...state.rows] : Array.from<BoardRow | undefined>({ length: answer.total });
      answer.rows.forEach((row, i) => (rows[(Number(input.offset) || 0) + i] = row));
      return { ...state, question, seq: answer.seq, rows, total: answer.total, totals: answer.totals };
    }),
    on(c.listPacks.done, (state, { answer }): ProveState => ({ ...state, packs: answer })),
    on(c.listPackKeys.done, (state, { answer }): ProveState => ({ ...state, keys: answer })),
    on(c.makePack.done, (state, { answer }): ProveState => ({ ...state, packs: [answer, ...state.packs] })),
  ),
});
