import { DestroyRef, inject, Injectable, type Signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Actions, ofType } from '@ngrx/effects';
import { Store, type ActionCreator } from '@ngrx/store';
import { baseActions, baseFeature, type LiveEntry } from './state';

/** Keeps one event stream of the open project; the browser itself resumes it with Last-Event-ID. */
@Injectable({ providedIn: 'root' })
export class Live {
  private readonly store = inject(Store);
  private source: EventSource | undefined;

  follow(project: string, after: number): void {
    this.stop();
    this.source = new EventSource(`/api/projects/${encodeURIComponent(project)}/events?after=${after}`);
    this.source.addEventListener('open', () => this.store.dispatch(baseActions.liveState({ connected: true })));
    this.source.addEventListener('error', () => this.store.dispatch(baseActions.liveState({ connected: false })));
    this.source.addEventListener('entry', (event) =>
      this.store.dispatch(baseActions.liveEntry({ entry: JSON.parse((event as MessageEvent<string>).data) as LiveEntry })),
    );
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
    /** Grows with every ledger entry, anybody's: reading it in an effect keeps a screen true. */
    seq: store.selectSignal(baseFeature.selectSeq) as Signal<number>,
  };
}

/** Calls back for each such action while the component lives. */
export function onAction<A extends ActionCreator>(creator: A, then: (action: ReturnType<A>) => void): void {
  inject(Actions)
    .pipe(ofType(creator), takeUntilDestroyed(inject(DestroyRef)))
    .subscribe(then);
}
