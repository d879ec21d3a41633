import { computed, effect, inject, signal, untracked, type Signal } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { setPresence, type PresentPerson } from '@contract/base';
import type { RunDetail } from '@contract/run';
import { Api, askReason, presentEvery, useProject } from '../base';
import { runCommands } from './state';

/** Who else has a run open on a bench, told to each of them; and how a run of somebody else is taken over, while nobody has begun it. */
export function useCompany(key: Signal<string>, run: Signal<RunDetail | null>) {
  const scope = useProject();
  const api = inject(Api);
  const dialogs = inject(MatDialog);
  const present = signal<readonly PresentPerson[]>([]);
  const say = (at: { project: string; key: string }, here = true): void =>
    void api.call(setPresence, { ...at, field: 'steps', ...(here ? {} : { here }) }).then(
      (people) => here && at.key === key() && present.set(people),
      // Whoever cannot be told that one is here is told with the next word.
      () => undefined,
    );
  effect((onCleanup) => {
    const at = { project: scope.slug(), key: key() };
    if (!at.project || run()?.key !== at.key) return;
    untracked(() => {
      present.set([]);
      say(at);
    });
    const timer = setInterval(() => say(at), presentEvery);
    onCleanup(() => {
      clearInterval(timer);
      say(at, false);
    });
  });
  const others = computed(() => {
    const me = scope.session()?.person.login;
    const names = present()
      .filter(({ login }) => login !== me)
      .map(({ printedName }) => printedName);
    return names.length ? `${names.join(', ')} ${names.length === 1 ? 'has' : 'have'}` : '';
  });
  const mayTake = computed(() => {
    const now = run();
    return (
      now?.state === 'planned' && now.startedAt === null && now.tester !== scope.session()?.person.login && scope.roles().includes('tester')
    );
  });
  const takeOver = (): void => {
    const now = run();
    const tester = scope.session()?.person.login;
    if (!now || !tester) return;
    askReason(dialogs, {
      title: `Take ${now.key} over`,
      text: `It is planned for ${now.testerName}, who is told of it in its history.`,
      confirm: 'Take it over',
    }).subscribe((reason) => scope.store.dispatch(runCommands.reassignRun.start({ project: scope.slug(), key: now.key, tester, reason })));
  };
  return { others, mayTake, takeOver };
}
