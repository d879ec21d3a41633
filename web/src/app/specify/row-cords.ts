import { computed, signal, type Signal } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import type { BoardRow } from '@contract/prove';
import { debounceTime, throttleTime, merge, Subject } from 'rxjs';
import { baseActions, keysFilter, onAction, useProject } from '../base';
import { specifyCommands, specifyFeature } from './state';

/** So long rows stand still before their cords are asked for, and so often they are asked for again while they are judged, in milliseconds. */
const still = 150;
const again = 400;
/** More rows are on no screen. */
const most = 100;

type States = BoardRow['states'];

/** The cords of the requirements that are on the screen, on the build that is shown: read as they are reached, and again once judged anew. */
export function useRowCords(): {
  readonly shown: (keys: readonly string[]) => void;
  readonly of: Signal<Readonly<Record<string, States>>>;
} {
  const { store, slug, build } = useProject();
  const keys = signal<readonly string[]>([], { equal: (a, b) => a.join() === b.join() });
  const judged = new Subject<void>();
  const place = computed(() => [slug(), build(), keys()] as const);
  merge(toObservable(place).pipe(debounceTime(still)), judged.pipe(throttleTime(again, undefined, { leading: true, trailing: true })))
    .pipe(takeUntilDestroyed())
    .subscribe(() => {
      const on = build();
      const asked = keys().slice(0, most);
      if (on && asked.length)
        store.dispatch(specifyCommands.cordsOf.start({ project: slug(), build: on, limit: most, filter: keysFilter(asked) }));
    });
  onAction(baseActions.liveNews, (news) => {
    const here = news.judged.filter((one) => one.build === build());
    if (here.some((one) => one.keys === null || one.keys.some((key) => keys().includes(key)))) judged.next();
  });
  const cords = store.selectSignal(specifyFeature.selectCords);
  return { shown: (some) => keys.set(some), of: computed(() => (cords().build === build() ? cords().of : {})) };
}
