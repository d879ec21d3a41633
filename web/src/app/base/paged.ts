import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createAction, props, type Action } from '@ngrx/store';
import type { CallOf, Endpoint, Filter, Page, ProblemDetails } from '@contract/base';
import { filter, mergeMap, Observable, takeUntil } from 'rxjs';
import { Api, ApiFailure } from './api';

interface Phase {
  readonly command: string;
  readonly phase: 'start' | 'done' | 'failed';
}

/** The question that a page answers: all that was asked but for the place in the list. */
export function questionOf(input: object): string {
  const { after: _after, limit: _limit, ...rest } = input as { after?: string; limit?: unknown };
  return JSON.stringify(Object.entries(rest).sort(([a], [b]) => (a < b ? -1 : 1)));
}

/** Rows of some keys, whatever else a list shows: for patching what changed under one's eyes. */
export const keysFilter = (keys: readonly string[]): string => JSON.stringify({ field: 'key', is: keys } satisfies Filter);

const patchKeys = (input: object): readonly string[] | undefined => {
  const { filter: text } = input as { filter?: string };
  const found = text?.startsWith('{"field":"key","is":') ? (JSON.parse(text) as { is: string[] }) : undefined;
  return found?.is;
};

/**
 * One list of the server as NgRx sees it: `start` asks for its first page, the effect answers each page with `done` and goes on until the
 * list is whole. Asked again, the same question begins anew; other questions, and patches of some rows, go on beside it.
 */
export function pagedCommand<E extends Endpoint>(name: string, endpoint: E) {
  const start = createAction(name, (input: CallOf<E>) => ({ input, command: name, phase: 'start' as const }));
  const done = createAction(`${name}: done`, props<Phase & { input: CallOf<E>; answer: Page<RowOf<E>> }>());
  const failed = createAction(`${name}: failed`, props<Phase & { input: CallOf<E>; problem: ProblemDetails }>());
  const effect = createEffect(
    (actions$ = inject(Actions), api = inject(Api)) =>
      actions$.pipe(
        ofType(start),
        mergeMap((asked) => {
          const question = questionOf(asked.input as object);
          const again = actions$.pipe(
            ofType(start),
            filter((other) => other !== asked && questionOf(other.input as object) === question),
          );
          return pages(api, endpoint, asked.input, name, done, failed).pipe(takeUntil(again));
        }),
      ),
    { functional: true },
  );
  return { name, start, done, failed, effect };
}

/** A row of a list endpoint. */
export type RowOf<E extends Endpoint> = E['answer'] extends { _output: { rows: (infer R)[] } } ? R : never;

function pages<E extends Endpoint>(
  api: Api,
  endpoint: E,
  input: CallOf<E>,
  command: string,
  done: (given: Phase & { input: CallOf<E>; answer: Page<RowOf<E>> }) => Action,
  failed: (given: Phase & { input: CallOf<E>; problem: ProblemDetails }) => Action,
): Observable<Action> {
  return new Observable((subscriber) => {
    const read = async (): Promise<void> => {
      for (let after: string | undefined; !subscriber.closed;) {
        const now = { limit: 500, ...(input as object), ...(after === undefined ? {} : { after }) } as CallOf<E>;
        const answer = (await api.call(endpoint, now)) as Page<RowOf<E>>;
        subscriber.next(done({ input: now, answer, command, phase: answer.next === null ? 'done' : 'start' }));
        if (answer.next === null) return;
        after = answer.next;
      }
    };
    read().then(
      () => subscriber.complete(),
      (error: unknown) => {
        if (!(error instanceof ApiFailure)) return subscriber.error(error);
        subscriber.next(failed({ input, problem: error.problem, command, phase: 'failed' }));
        subscriber.complete();
      },
    );
  });
}

/** A list as the store holds it: the rows of one question, in the server's order. */
export interface PagedList<R> {
  readonly question: string;
  readonly rows: readonly R[];
  readonly total: number | null;
  /** Have all pages come? */
  readonly whole: boolean;
}

export const noList: PagedList<never> = { question: '', rows: [], total: null, whole: false };

/**
 * The list with a page added. The first page of the same question asked again replaces what it names and keeps the rest until all has come,
 * so that nothing jumps; a patch replaces, adds and takes away the rows that it was asked for, and no other.
 */
export function withPage<R extends { readonly key: string }>(
  list: PagedList<R>,
  input: object,
  answer: Page<R>,
  order: (a: R, b: R) => number = () => 0,
): PagedList<R> {
  const patched = patchKeys(input);
  if (patched) {
    const fresh = new Map(answer.rows.map((row) => [row.key, row]));
    const asked = new Set(patched);
    const retained = list.rows.flatMap((row) => (asked.has(row.key) ? (fresh.get(row.key) ?? []) : row));
    const known = new Set(list.rows.map((row) => row.key));
    const added = answer.rows.filter((row) => !known.has(row.key));
    const rows = added.length ? [...retained, ...added].sort(order) : retained;
    return { ...list, rows, total: list.total === null ? null : list.total + rows.length - list.rows.length };
  }
  const question = questionOf(input);
  const whole = answer.next === null;
  const first = !('after' in input);
  if (first) return { question, rows: answer.rows, total: answer.total, whole };
  if (question !== list.question) return list;
  return { ...list, rows: [...list.rows, ...answer.rows], whole };
}
