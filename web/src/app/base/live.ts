import { DestroyRef, inject, Injectable, type Signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Actions, ofType } from '@ngrx/effects';
import { Store, type ActionCreator } from '@ngrx/store';
import { throttleTime } from 'rxjs';
import { baseActions, baseFeature, type LiveEntry, type LiveJudged } from './state';

/** What happens on a bench all day and moves nothing for others. */
export const quietActions: ReadonlySet<string> = new Set(['step recorded', 'clock', 'evidence added', 'evidence taken off']);
const gatherFor = 100;

interface LiveNews {
  readonly entries: readonly LiveEntry[];
  readonly judged: readonly LiveJudged[];
}

/** Keeps one event stream of the open project; the browser itself resumes it with Last-Event-ID. */
@Injectable({ providedIn: 'root' })
export class Live {
  private readonly store = inject(Store);
  private source: EventSource | undefined;
  private held: LiveNews | undefined;

  follow(project: string, after: number): void {
    this.stop();
    this.source = new EventSource(`/api/projects/${encodeURIComponent(project)}/events?after=${after}`);
    this.source.addEventListener('open', () => this.store.dispatch(baseActions.liveState({ connected: true })));
    this.source.addEventListener('error', () => this.store.dispatch(baseActions.liveState({ connected: false })));
    this.source.addEventListener('entry', (event) =>
      this.gather({ entries: [JSON.parse((event as MessageEvent<string>).data) as LiveEntry], judged: [] }),
    );
    this.source.addEventListener('judged', (event) =>
      this.gather({ entries: [], judged: [JSON.parse((event as MessageEvent<string>).data) as LiveJudged] }),
    );
  }

  /** Ten events in one moment are one piece of news. */
  private gather(more: LiveNews): void {
    const news = this.held ?? { entries: [], judged: [] };
    if (!this.held)
      setTimeout(() => {
        const held = this.held ?? news;
        this.held = undefined;
        this.store.dispatch(baseActions.liveNews(held));
      }, gatherFor);
    this.held = { entries: [...news.entries, ...more.entries], judged: [...news.judged, ...more.judged] };
  }

  stop(): void {
    this.source?.close();
    this.source = undefined;
  }
}

/** What every screen needs from the store, in one place. */
export function useProject() {
  const store = inject(Store);
  return {
    store,
    slug: store.selectSignal(baseFeature.selectSlug),
    build: store.selectSignal(baseFeature.selectBuild),
    project: store.selectSignal(baseFeature.selectProject),
    roles: store.selectSignal(baseFeature.selectRoles),
    session: store.selectSignal(baseFeature.selectSession),
    /** Printed names of the project's members by their sign-in names. */
    names: store.selectSignal(baseFeature.selectNames),
    /** The last ledger number that this window was told. */
    seq: store.selectSignal(baseFeature.selectSeq) as Signal<number>,
    /** The ledger number for which the build that is shown was last judged anew: reading it in an effect keeps a screen true. */
    judged: store.selectSignal(baseFeature.selectJudgedSeq) as Signal<number>,
  };
}

/** Calls back for each such action while the component lives. */
export function onAction<A extends ActionCreator>(creator: A, then: (action: ReturnType<A>) => void): void {
  inject(Actions)
    .pipe(ofType(creator), takeUntilDestroyed(inject(DestroyRef)))
    .subscribe(then);
}

/** Calls back when there is news while the component lives: at once, and then no oftener than so many milliseconds. */
export function onNews(every: number, then: () => void): void {
  inject(Actions)
    .pipe(
      ofType(baseActions.liveNews),
      throttleTime(every, undefined, { leading: true, trailing: true }),
      takeUntilDestroyed(inject(DestroyRef)),
    )
    .subscribe(() => then());
}

/**
 * Calls back with the keys of the records of these kinds (asked for when there is news) that somebody changed, while the component lives;
 * null where they are too many to name. At once, and then no oftener than so many milliseconds, with all that came meanwhile: twenty
 * changes a second are not twenty questions.
 */
export function onChanged(
  kinds: readonly string[] | (() => readonly string[]),
  then: (keys: readonly string[] | null) => void,
  every = 400,
): void {
  let held: Set<string> | null | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const tell = (): void => {
    timer = undefined;
    if (held === undefined) return;
    const keys = held && [...held];
    held = undefined;
    timer = setTimeout(tell, every);
    then(keys);
  };
  inject(DestroyRef).onDestroy(() => clearTimeout(timer));
  onAction(baseActions.liveNews, ({ entries }) => {
    const many = entries.some((entry) => /imported|further rows|upgraded/.test(entry.action));
    const wanted = typeof kinds === 'function' ? kinds() : kinds;
    const keys = entries.flatMap((entry) => {
      if (wanted.includes(entry.kind)) return entry.key;
      // A trace's entry names both of its ends.
      return entry.kind === 'trace' ? entry.key.split(' → ') : [];
    });
    if (!many && !keys.length) return;
    held = many || held === null ? null : new Set([...(held ?? []), ...keys]);
    if (timer === undefined) tell();
  });
}
