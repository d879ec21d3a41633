import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, createSelector, on, props, Store, type Action } from '@ngrx/store';
import type { Endpoint, ProblemDetails } from '@contract/base';
import { catchError, from, map, mergeMap, of } from 'rxjs';
import { Api, ApiFailure } from '../api';
import {
  openedTree,
  readAgain,
  withAnswer,
  withWaiting,
  type BranchPage,
  type TreeAnswer,
  type TreeQuestion,
  type TreeWindow,
} from './tree-window';

const endpoints = new Map<string, Endpoint>();
/** Says where the branches of a kind of tree are asked for. */
export function treeFrom(kind: string, endpoint: Endpoint): void {
  endpoints.set(kind, endpoint);
}

/** More changed rows than this are not fetched one by one: what is seen is read again. */
const mostPatched = 200;
const mostPages = 40;

export const treeActions = createActionGroup({
  source: 'Trees',
  events: {
    /** A tree is shown, or another one in its place: its top is read. */
    ask: props<{ tree: string; question: TreeQuestion; folded: readonly string[] }>(),
    /** These pages are seen: they are read where they are not there. */
    see: props<{ tree: string; pages: readonly BranchPage[] }>(),
    /** A row is to be shown, wherever it stands. */
    reveal: props<{ tree: string; key: string }>(),
    fold: props<{ tree: string; key: string; folded: boolean }>(),
    /** Records changed; null where they are too many to name. `seen` are the pages that are looked at. */
    changed: props<{ tree: string; keys: readonly string[] | null; seen: readonly BranchPage[] }>(),
    answered: props<{ tree: string; question: TreeQuestion; keys: readonly string[]; answer: TreeAnswer }>(),
    refused: props<{ tree: string; question: TreeQuestion; pages: readonly BranchPage[]; problem: ProblemDetails }>(),
    close: props<{ tree: string }>(),
  },
});
const a = treeActions;

type Trees = Readonly<Record<string, TreeWindow | undefined>>;

const changing = (trees: Trees, tree: string, change: (window: TreeWindow) => TreeWindow): Trees => {
  const window = trees[tree];
  return window ? { ...trees, [tree]: change(window) } : trees;
};
/** Changes a tree that still is the one that was asked for. */
const asking = (trees: Trees, tree: string, question: TreeQuestion, change: (window: TreeWindow) => TreeWindow): Trees =>
  trees[tree]?.question === question ? changing(trees, tree, change) : trees;
const tooMany = (keys: readonly string[] | null): keys is null => keys === null || keys.length > mostPatched;

export const treesFeature = createFeature({
  name: 'trees',
  reducer: createReducer(
    {} as Trees,
    on(a.ask, (trees, { tree, question, folded }): Trees => ({ ...trees, [tree]: openedTree(question, folded) })),
    on(a.close, (trees, { tree }): Trees => ({ ...trees, [tree]: undefined })),
    on(a.see, (trees, { tree, pages }): Trees => changing(trees, tree, (w) => withWaiting(w, pages))),
    on(a.fold, (trees, { tree, key, folded }): Trees =>
      changing(trees, tree, (w) => {
        const { [key]: _, ...others } = w.folded;
        return { ...w, folded: folded ? { ...others, [key]: true } : others };
      }),
    ),
    on(a.changed, (trees, { tree, keys, seen }): Trees => (tooMany(keys) ? changing(trees, tree, (w) => readAgain(w, seen)) : trees)),
    on(a.answered, (trees, { tree, question, keys, answer }): Trees => asking(trees, tree, question, (w) => withAnswer(w, answer, keys))),
    on(a.refused, (trees, { tree, question, pages, problem }): Trees =>
      asking(trees, tree, question, (w) => ({
        ...w,
        problem,
        waiting: w.waiting.filter((page) => !pages.some((other) => other.under === page.under && other.page === page.page)),
      })),
    ),
  ),
});

export const selectTree = (tree: string) => createSelector(treesFeature.selectTreesState, (trees) => trees[tree]);

/** Reads the branches that a tree waits for, rows that changed, and the way to one that is to be shown. */
const read = createEffect(
  (actions$ = inject(Actions), api = inject(Api), store = inject(Store)) => {
    const trees = store.selectSignal(treesFeature.selectTreesState);
    const sent = new Map<TreeQuestion, Set<string>>();
    const named = ({ under, page }: BranchPage): string => `${under}.${page}`;
    const ask = (tree: string, question: TreeQuestion, pages: readonly BranchPage[], keys: readonly string[], to?: string) => {
      const input = {
        ...question.of,
        ...(pages.length ? { at: pages.map(named).join(',') } : {}),
        ...(keys.length ? { of: keys.join(',') } : {}),
        ...(to ? { to } : {}),
      };
      const mine = sent.get(question) ?? new Set<string>();
      sent.set(question, mine);
      for (const page of pages) mine.add(named(page));
      const over = (): void => pages.forEach((page) => mine.delete(named(page)));
      return from(api.call(endpoints.get(question.kind) as Endpoint, input as never) as Promise<TreeAnswer>).pipe(
        map((answer): Action => {
          over();
          return a.answered({ tree, question, keys, answer });
        }),
        catchError((error: unknown) => {
          over();
          if (!(error instanceof ApiFailure)) throw error;
          return of<Action>(a.refused({ tree, question, pages, problem: error.problem }));
        }),
      );
    };
    return actions$.pipe(
      ofType(a.ask, a.see, a.reveal, a.changed, a.answered, a.close),
      mergeMap((action) => {
        const window = trees()[action.tree];
        for (const question of sent.keys()) if (!Object.values(trees()).some((w) => w?.question === question)) sent.delete(question);
        if (!window) return of();
        const { question } = window;
        const keys = action.type === a.changed.type && !tooMany(action.keys) ? action.keys : [];
        const to = action.type === a.reveal.type ? action.key : undefined;
        const pages = window.waiting.filter((page) => !sent.get(question)?.has(named(page)));
        const calls = [];
        for (let at = 0; at < pages.length || (at === 0 && (keys.length || to)); at += mostPages)
          calls.push(ask(action.tree, question, pages.slice(at, at + mostPages), at ? [] : keys, at ? undefined : to));
        return from(calls).pipe(mergeMap((call) => call));
      }),
    );
  },
  { functional: true },
);

export const treeEffects = { read };
