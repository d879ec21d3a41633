import { createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/specify';
import type { ReviewDetail } from '@contract/specify';
import { command } from '../../base';

export const reviewCommands = {
  get: command('[Reviews] get', contract.getReview),
  add: command('[Reviews] add', contract.addReview),
  answer: command('[Reviews] answer', contract.answerReview),
  sign: command('[Reviews] sign', contract.signReview),
  close: command('[Reviews] close', contract.closeReview),
};

interface ReviewState {
  readonly detail: ReviewDetail | null;
}
const first: ReviewState = { detail: null };
const c = reviewCommands;

export const reviewFeature = createFeature({
  name: 'reviews',
  reducer: createReducer(
    first,
    on(c.get.done, c.add.done, c.answer.done, c.sign.done, c.close.done, (state, { answer }): ReviewState => ({
      ...state,
      detail: answer,
    })),
  ),
});
