import {
  afterNextRender,
  computed,
  DestroyRef,
  effect,
  inject,
  Injectable,
  Injector,
  linkedSignal,
  PendingTasks,
  signal,
  untracked,
  type Signal,
} from '@angular/core';

/** What one part may take, from its rows to its picture, before the next is smaller, in milliseconds. */
const patience = 40;
const quick = 24;

/**
 * The first of many rows at once, the rest in parts, as large as they are drawn quickly, whenever nothing else is to be done: a long record stands there, and
 * answers, before all of it is drawn. Another `of` begins again; rows that change under the same one stay as far as they are shown. Where `asked` says how many
 * are wanted, no more are drawn. `drawn` is told when all of them stand.
 */
export function gradually<T>(
  rows: Signal<readonly T[]>,
  of: Signal<unknown>,
  { first = 20, asked, drawn = () => undefined as void }: { first?: number; asked?: Signal<number>; drawn?: () => void } = {},
): Signal<readonly T[]> {
  const injector = inject(Injector);
  const upTo = linkedSignal({ source: of, computation: () => first });
  let portion = first;
  let [frame, timer] = [0, 0];
  const later = (work: () => void): void => {
    frame = requestAnimationFrame(() => (timer = window.setTimeout(work)));
  };
  const stop = (): void => {
    cancelAnimationFrame(frame);
    clearTimeout(timer);
  };
  effect(() => {
    const [shown, all] = [upTo(), rows().length];
    if (shown === Infinity || (shown < all && shown >= (asked?.() ?? all))) return;
    const begun = performance.now();
    const next = (): void => {
      if (shown >= all) {
        // What is added from now on is one row or two, and is there at once.
        upTo.set(Infinity);
        drawn();
        return;
      }
      stop();
      later(() => {
        const took = performance.now() - begun;
        portion =
          took > patience ? Math.max(Math.ceil(first / 2), Math.round(portion / 2)) : took < quick ? Math.round(portion * 1.5) : portion;
        upTo.update((n) => n + portion);
      });
    };
    untracked(() => afterNextRender(next, { injector }));
  });
  inject(DestroyRef).onDestroy(stop);
  return computed(() => (upTo() >= rows().length ? rows() : rows().slice(0, upTo())));
}

/** One part of a page a task, wherever on the page it belongs: parts of different components do not come together. */
@Injectable({ providedIn: 'root' })
class Turns {
  private last: Promise<void> = Promise.resolve();

  take(step: () => void): void {
    this.last = this.last.then(
      () =>
        new Promise((done) =>
          setTimeout(() => {
            step();
            // Behind the task in which it is drawn.
            setTimeout(done);
          }),
        ),
    );
  }
}

/**
 * How many of several parts of a page stand, from 0: one more in a task of its own each time that what stood before was drawn, from when `ready` says so. A page
 * of many parts so answers in between.
 */
export function inTurn(ready: Signal<boolean>, parts: number): Signal<number> {
  const injector = inject(Injector);
  const tasks = inject(PendingTasks);
  const turns = inject(Turns);
  const standing = signal(0);
  let gone = false;
  effect(() => {
    if (!ready() || standing() >= parts) return;
    const done = tasks.add();
    const next = (): void => {
      if (!gone) standing.update((n) => n + 1);
      done();
    };
    untracked(() => afterNextRender(() => turns.take(next), { injector }));
  });
  inject(DestroyRef).onDestroy(() => (gone = true));
  return standing.asReadonly();
}
