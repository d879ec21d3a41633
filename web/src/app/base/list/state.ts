import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, createSelector, on, props, Store, type Action } from '@ngrx/store';
import type { Endpoint, Filter, Page, ProblemDetails } from '@contract/base';
import { catchError, concat, defer, EMPTY, filter, finalize, from, map, mergeMap, of, takeUntil, tap, type Observable } from 'rxjs';
import { Api, ApiFailure } from '../api';
import { together } from './filter-text';

/** Rows of any list, by their keys. */
export interface ListRow {
  readonly key: string;
}

/** What is asked of a list, but for the page: which list of the server, of what, with which filter, in which order. */
export interface ListQuestion {
  /** The kind's name: the endpoint goes by it, since no store holds functions. */
  readonly kind: string;
  /** The project and whatever else the list is of. */
  readonly of: Readonly<Record<string, string>>;
  readonly filter: Filter | undefined;
  readonly sort: string;
  /** Only how many there are; by the values of a field, with sums of another, where that is asked. */
  readonly count?: boolean;
  readonly groups?: string;
  readonly sum?: string;
}

/** Where words were found in a record, and which of its characters are words of the search. */
export interface FoundPassage {
  readonly text: string;
  readonly marks: readonly (readonly [number, number])[];
}

/** How many records have one value of a field, and what they sum up to. */
export interface ListGroup {
  readonly value: string | number | null;
  readonly count: number;
  readonly sum?: number | undefined;
}

/** A list on a screen: as many places as the question finds, filled as far as somebody looked. */
export interface ListWindow {
  readonly question: ListQuestion;
  readonly total: number | null;
  readonly rows: readonly (ListRow | undefined)[];
  /** Where each page that was read ended, by its number. */
  readonly ends: Readonly<Record<number, string>>;
  /** The pages that are looked at, first and last. */
  readonly seen: readonly [number, number];
  readonly waiting: readonly number[];
  /** Keys that changed under one's eyes, to be marked for a moment. */
  readonly fresh: readonly string[];
  /** Where words were found, by key. */
  readonly found: Readonly<Record<string, FoundPassage>>;
  readonly groups: readonly ListGroup[];
  readonly problem: ProblemDetails | null;
}

export const pageSize = 100;

const endpoints = new Map<string, Endpoint>();
/** Says where the lists of a kind are asked for. */
export function listFrom(kind: string, endpoint: Endpoint): void {
  endpoints.set(kind, endpoint);
}

/** More changed rows than this are not fetched one by one: what is seen is read again. */
const mostPatched = 200;

export const listActions = createActionGroup({
  source: 'Lists',
  events: {
    /** A list is shown, or asks another question: its first page is read. */
    ask: props<{ list: string; question: ListQuestion }>(),
    /** These rows are seen: their pages are read where they are not there. */
    see: props<{ list: string; first: number; last: number }>(),
    /** Records changed; null where they are too many to name. */
    changed: props<{ list: string; keys: readonly string[] | null }>(),
    page: props<{ list: string; question: ListQuestion; page: number; answer: Page<ListRow> }>(),
    patched: props<{ list: string; question: ListQuestion; keys: readonly string[]; answer: Page<ListRow> }>(),
    refused: props<{ list: string; question: ListQuestion; page: number | null; problem: ProblemDetails }>(),
    close: props<{ list: string }>(),
  },
});

type Lists = Readonly<Record<string, ListWindow | undefined>>;
const a = listActions;

const opened = (question: ListQuestion): ListWindow => ({
  question,
  total: null,
  rows: [],
  ends: {},
  seen: [0, 0],
  waiting: [0],
  fresh: [],
  found: {},
  groups: [],
  problem: null,
});

/** Changes a list that is still asking this question. */
function asking(lists: Lists, list: string, question: ListQuestion, change: (window: ListWindow) => ListWindow): Lists {
  const window = lists[list];
  return window?.question === question ? { ...lists, [list]: change(window) } : lists;
}

function withPage(window: ListWindow, page: number, answer: Page<ListRow>): ListWindow {
  const total = answer.total ?? window.total ?? 0;
  if (window.question.count) return { ...window, total, groups: answer.groups ?? [], waiting: [], problem: null };
  const rows = window.rows.slice(0, total);
  while (rows.length < total) rows.push(undefined);
  const at = page * pageSize;
  // A row stands once: where pages moved against each other, the newer page tells where.
  const here = new Set(answer.rows.map((row) => row.key));
  for (let i = 0; i < rows.length; i++) if (rows[i] && here.has(rows[i]?.key ?? '')) rows[i] = undefined;
  for (let i = 0; i < pageSize && at + i < total; i++) rows[at + i] = answer.rows[i];
  return {
    ...window,
    total,
    rows,
    ends: answer.next === null ? window.ends : { ...window.ends, [page]: answer.next },
    waiting: window.waiting.filter((other) => other !== page),
    found: { ...window.found, ...answer.found },
    problem: null,
  };
}

/**
 * The rows that were asked for anew are put where they stand; what is no more of the list goes; `moved` says that others came or went. One pass:
 * a list may have many thousand places, and change many times a second.
 */
export function patch(window: ListWindow, keys: readonly string[], answer: Page<ListRow>): { window: ListWindow; moved: boolean } {
  const fresh = new Map(answer.rows.map((row) => [row.key, row]));
  const asked = new Set(keys);
  const rows = window.rows.slice();
  const came = new Set(fresh.keys());
  let gone = 0;
  for (let i = 0; i < rows.length; i++) {
    const row = rows[i];
    if (!row) continue;
    const now = fresh.get(row.key);
    if (now) {
      rows[i] = now;
      came.delete(row.key);
    } else if (asked.has(row.key)) gone++;
  }
  return {
    window: { ...window, rows, fresh: [...fresh.keys()] },
    moved: gone > 0 || came.size > 0,
  };
}

/** Pages that are seen and not there; those on their way are not asked for again. */
function missing(window: ListWindow): number[] {
  const pages: number[] = [];
  for (let page = window.seen[0]; page <= window.seen[1]; page++) {
    const last = Math.min((page + 1) * pageSize, window.rows.length);
    let whole = true;
    for (let i = page * pageSize; i < last; i++) whole &&= window.rows[i] !== undefined;
    if (!whole && !window.waiting.includes(page)) pages.push(page);
  }
  return pages;
}

/** Pages that somebody scrolled past before they came are waited for no more; what they were to replace is forgotten with them. */
function past(window: ListWindow): ListWindow {
  const [first, last] = window.seen;
  const left = window.total === null ? [] : window.waiting.filter((page) => page < first || page > last);
  if (!left.length) return window;
  const rows = [...window.rows];
  for (const page of left) rows.fill(undefined, page * pageSize, (page + 1) * pageSize);
  return { ...window, rows, waiting: window.waiting.filter((page) => !left.includes(page)) };
}

/** What is seen is read again; what is not is forgotten, and read when somebody goes there. */
function again(window: ListWindow): ListWindow {
  const [first, last] = window.seen;
  const rows = window.rows.slice();
  rows.fill(undefined, 0, first * pageSize);
  rows.fill(undefined, (last + 1) * pageSize);
  return {
    ...window,
    rows,
    ends: {},
    waiting: Array.from({ length: last - first + 1 }, (_, i) => first + i),
  };
}

export const listsFeature = createFeature({
  name: 'lists',
  reducer: createReducer(
    {} as Lists,
    on(a.ask, (lists, { list, question }): Lists => ({ ...lists, [list]: opened(question) })),
    on(a.close, (lists, { list }): Lists => ({ ...lists, [list]: undefined })),
    on(a.see, (lists, { list, first, last }): Lists => {
      const window = lists[list];
      if (!window) return lists;
      const next = past({ ...window, seen: [Math.floor(first / pageSize), Math.floor(Math.max(first, last) / pageSize)] });
      return { ...lists, [list]: { ...next, waiting: [...next.waiting, ...missing(next)] } };
    }),
    on(a.page, (lists, { list, question, page, answer }): Lists => asking(lists, list, question, (w) => withPage(w, page, answer))),
    on(a.patched, (lists, { list, question, keys, answer }): Lists =>
      asking(lists, list, question, (w) => {
        // Its first page is on its way, and tells more.
        if (w.total === null) return w;
        const { window, moved } = patch(w, keys, answer);
        return moved ? again(window) : window;
      }),
    ),
    on(a.changed, (lists, { list, keys }): Lists => {
      const window = lists[list];
      return window && (keys === null || keys.length > mostPatched || window.question.count) ? { ...lists, [list]: again(window) } : lists;
    }),
    on(a.refused, (lists, { list, question, page, problem }): Lists =>
      asking(lists, list, question, (w) => ({ ...w, problem, waiting: w.waiting.filter((other) => other !== page) })),
    ),
  ),
});

export const selectList = (list: string) => createSelector(listsFeature.selectListsState, (lists) => lists[list]);

const inputOf = ({ of, sort, count, groups, sum }: ListQuestion, filter: Filter | undefined): object => ({
  ...of,
  sort,
  limit: count ? 1 : pageSize,
  ...(groups ? { groups } : {}),
  ...(sum ? { sum } : {}),
  ...(filter ? { filter: JSON.stringify(filter) } : {}),
});

function call<A extends Action>(
  api: Api,
  question: ListQuestion,
  input: object,
  done: (answer: Page<ListRow>) => A,
  failed: (problem: ProblemDetails) => Action,
) {
  return defer(() => {
    // A question that is given up is no more waited for: it stands before no other in the browser's few connections.
    const given = new AbortController();
    const asked = api.call(endpoints.get(question.kind) as Endpoint, input as never, undefined, { signal: given.signal });
    return from(asked as Promise<Page<ListRow>>).pipe(
      map((answer): Action => done(answer)),
      catchError((error: unknown) => {
        if (!(error instanceof ApiFailure)) throw error;
        return of(failed(error.problem));
      }),
      finalize(() => {
        given.abort();
      }),
    );
  });
}

interface Sent {
  readonly question: ListQuestion;
}
/** Pages that are on their way, with whether each was asked for again meanwhile. */
interface SentPages extends Sent {
  readonly pages: Map<number, boolean>;
}
/** Keys that changed while others are on their way. */
interface SentKeys extends Sent {
  readonly keys: Set<string>;
  patching: boolean;
}

/**
 * What is on its way, by list, for the question that it asks: where things change faster than they are answered, one request is on its way and one
 * behind it.
 */
function sentByList<S extends Sent>(nothing: (question: ListQuestion) => S) {
  const lists = inject(Store).selectSignal(listsFeature.selectListsState);
  const actions$ = inject(Actions);
  const sent = new Map<string, S>();
  const of = (list: string): { window: ListWindow; mine: S } | undefined => {
    const window = lists()[list];
    if (!window) return undefined;
    const before = sent.get(list);
    const mine = before?.question === window.question ? before : nothing(window.question);
    sent.set(list, mine);
    return { window, mine };
  };
  const still = (list: string, { question }: S): boolean => lists()[list]?.question === question;
  /** The moment at which the list asks something else or is closed. */
  const givenUp = (list: string, mine: S): Observable<Action> =>
    actions$.pipe(
      ofType(a.ask, a.close),
      filter((action) => action.list === list && !still(list, mine)),
      tap(() => {
        if (sent.get(list) === mine) sent.delete(list);
      }),
    );
  /** The moment at which the list waits for this page no more. */
  const scrolledPast = (list: string, page: number): Observable<Action> =>
    actions$.pipe(
      ofType(a.see),
      filter((action) => action.list === list && !lists()[list]?.waiting.includes(page)),
    );
  return { of, still, givenUp, scrolledPast };
}

/** Reads the pages that a list waits for: behind the page before where that is known, else by its place. */
const readPages = createEffect(
  (actions$ = inject(Actions), api = inject(Api), sent = sentByList((question): SentPages => ({ question, pages: new Map() }))) => {
    const send = (list: string, mine: SentPages, page: number): Observable<Action> => {
      mine.pages.set(page, false);
      const { question } = mine;
      const end = sent.of(list)?.window.ends[page - 1];
      const input = { ...inputOf(question, question.filter), ...(end ? { after: end } : page ? { skip: page * pageSize } : {}) };
      return call(
        api,
        question,
        input,
        (answer): Action => a.page({ list, question, page, answer }),
        (problem) => a.refused({ list, question, page, problem }),
      ).pipe(
        takeUntil(sent.givenUp(list, mine)),
        takeUntil(sent.scrolledPast(list, page).pipe(tap(() => mine.pages.delete(page)))),
        mergeMap((action) => {
          const again = mine.pages.get(page) === true && sent.still(list, mine);
          mine.pages.delete(page);
          return again
            ? concat(
                of(action),
                defer(() => send(list, mine, page)),
              )
            : of(action);
        }),
      );
    };
    return actions$.pipe(
      ofType(a.ask, a.see, a.patched, a.changed),
      mergeMap(({ list, type }) => {
        const now = sent.of(list);
        if (!now) return EMPTY;
        const { window, mine } = now;
        // What changed meanwhile is asked for again once it is answered.
        if (type === a.changed.type || type === a.patched.type)
          for (const page of window.waiting) if (mine.pages.has(page)) mine.pages.set(page, true);
        return from(window.waiting.filter((page) => !mine.pages.has(page))).pipe(mergeMap((page) => send(list, mine, page)));
      }),
    );
  },
  { functional: true },
);

/** Reads the rows that changed, as far as the question finds them; what changes meanwhile is asked for together. */
const readChanged = createEffect(
  (
    actions$ = inject(Actions),
    api = inject(Api),
    sent = sentByList((question): SentKeys => ({ question, keys: new Set(), patching: false })),
  ) => {
    const send = (list: string, mine: SentKeys): Observable<Action> => {
      const keys = [...mine.keys];
      mine.keys.clear();
      mine.patching = keys.length > 0 && keys.length <= mostPatched && sent.still(list, mine);
      if (!mine.patching) return keys.length > mostPatched ? of(a.changed({ list, keys: null })) : EMPTY;
      const { question } = mine;
      return concat(
        call(
          api,
          question,
          { ...inputOf(question, together([question.filter, { field: 'key', is: keys }])), limit: mostPatched },
          (answer): Action => a.patched({ list, question, keys, answer }),
          (problem) => a.refused({ list, question, page: null, problem }),
        ).pipe(takeUntil(sent.givenUp(list, mine))),
        defer(() => send(list, mine)),
      );
    };
    return actions$.pipe(
      ofType(a.changed),
      mergeMap(({ list, keys }) => {
        const now = sent.of(list);
        if (!now || now.window.question.count || keys === null || keys.length > mostPatched) return EMPTY;
        const { mine } = now;
        for (const key of keys) mine.keys.add(key);
        return mine.patching ? EMPTY : send(list, mine);
      }),
    );
  },
  { functional: true },
);

export const listEffects = { readPages, readChanged };
