import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createAction, createFeature, createSelector, props, type Action } from '@ngrx/store';
import type { AnswerOf, CallOf, Endpoint, ProblemDetails } from '@contract/base';
import { catchError, from, map, mergeMap, of, switchMap } from 'rxjs';
import { Api, ApiFailure } from './api';

interface Phase {
  readonly command: string;
  readonly phase: 'start' | 'done' | 'failed';
}

/**
 * One call of the server as NgRx sees it: `start` asks, the effect calls, `done` or `failed` answers. A reading command
 * forgets its earlier call when it is asked again, unless `all` answers are wanted; a writing one never does.
 */
export function command<E extends Endpoint>(name: string, endpoint: E, reading: 'latest' | 'all' = 'latest') {
  const start = createAction(name, (input: CallOf<E>, files?: readonly File[]) => ({
    input,
    files,
    command: name,
    phase: 'start' as const,
  }));
  const done = createAction(`${name}: done`, props<Phase & { input: CallOf<E>; answer: AnswerOf<E> }>());
  const failed = createAction(`${name}: failed`, props<Phase & { input: CallOf<E>; problem: ProblemDetails }>());
  const effect = createEffect(
    (actions$ = inject(Actions), api = inject(Api)) => {
      const flat = endpoint.method === 'GET' && reading === 'latest' ? switchMap : mergeMap;
      return actions$.pipe(
        ofType(start),
        flat(({ input, files }) =>
          from(api.call(endpoint, input, files)).pipe(
            map((answer): Action => done({ input, answer, command: name, phase: 'done' })),
            catchError((error: unknown) => {
              if (!(error instanceof ApiFailure)) throw error;
              return of(failed({ input, problem: error.problem, command: name, phase: 'failed' }));
            }),
          ),
        ),
      );
    },
    { functional: true },
  );
  return { name, start, done, failed, effect };
}

export type Command<E extends Endpoint = Endpoint> = ReturnType<typeof command<E>>;

/** The functional effects of some commands, under names of their own. */
export function effectsOf(commands: Readonly<Record<string, { readonly effect: Command['effect'] }>>): Record<string, Command['effect']> {
  return Object.fromEntries(Object.entries(commands).map(([name, { effect }]) => [name, effect]));
}

export interface RequestState {
  readonly pending: number;
  readonly problem: ProblemDetails | null;
}
const idle: RequestState = { pending: 0, problem: null };

export const forgetProblem = createAction('[Requests] forget problem', props<{ name: string }>());

const isPhase = (action: Action): action is Action & Phase & { problem?: ProblemDetails } => 'phase' in action && 'command' in action;

/** What each command is doing, and how its last call failed. */
export const requestsFeature = createFeature({
  name: 'requests',
  reducer: (state: Readonly<Record<string, RequestState>> = {}, action: Action): Readonly<Record<string, RequestState>> => {
    if (action.type === forgetProblem.type) return { ...state, [(action as ReturnType<typeof forgetProblem>).name]: idle };
    if (!isPhase(action)) return state;
    const known = state[action.command] ?? idle;
    if (action.phase === 'start') return { ...state, [action.command]: { pending: known.pending + 1, problem: known.problem } };
    return {
      ...state,
      [action.command]: { pending: Math.max(0, known.pending - 1), problem: action.phase === 'failed' ? (action.problem ?? null) : null },
    };
  },
});

export const selectRequest = (name: string) => createSelector(requestsFeature.selectRequestsState, (state) => state[name] ?? idle);
