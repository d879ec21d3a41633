import { computed, effect, untracked, type Signal } from '@angular/core';
import { baseActions, onAction, quietActions, useProject } from '../base';
import { runCommands, runFeature } from './state';

/** The run on the Bench with its round: asked for, and asked for again when others change them. */
export function useBenchRun(key: Signal<string>) {
  const scope = useProject();
  const loaded = scope.store.selectSignal(runFeature.selectRun);
  const loadedRound = scope.store.selectSignal(runFeature.selectRound);
  const run = computed(() => (loaded()?.key === key() ? loaded() : null));
  const round = computed(() => (loadedRound()?.key === run()?.round ? loadedRound() : null));
  const items = computed(() => (round()?.items ?? []).filter((item) => item.state !== 'superseded'));
  const askRun = (): void => scope.store.dispatch(runCommands.getRun.start({ project: scope.slug(), key: key() }));
  const askRound = (of: string): void => scope.store.dispatch(runCommands.getRound.start({ project: scope.slug(), key: of }));
  effect(() => {
    scope.slug();
    key();
    untracked(askRun);
  });
  effect(() => {
    const of = run()?.round;
    if (of) untracked(() => askRound(of));
  });
  onAction(baseActions.deviceSent, (sent) => {
    if (sent.key === key()) askRun();
  });
  onAction(baseActions.liveNews, ({ entries }) => {
    const me = scope.session()?.person.login;
    const keys = new Set(items().map((item) => item.key));
    // One's own steps come back with their answers; of others' runs the list beside shows only how far they are.
    if (entries.some((entry) => entry.key === key() && (entry.who !== me || !quietActions.has(entry.action)))) askRun();
    const of = run()?.round;
    if (of && entries.some((entry) => keys.has(entry.key) && !quietActions.has(entry.action))) askRound(of);
  });
  const folders = computed(() => round()?.folders ?? {});
  return { run, round, items, folders };
}
