import type { CdkVirtualScrollViewport } from '@angular/cdk/scrolling';
import { computed, signal, type Signal } from '@angular/core';
import { listMove, showRow } from './list-keys';

/** Which rows of a list are chosen: one by one with Ctrl or Space, a stretch with Shift, all that are shown. */
export interface Picking {
  /** Those of them that the list still shows, in its order. */
  readonly shown: Signal<readonly string[]>;
  /** The row that the keys are at. */
  readonly at: Signal<number>;
  goTo(at: number): void;
  has(key: string): boolean;
  toggle(key: string, at: number): void;
  /** From the row that was chosen last to this one. */
  stretch(at: number): void;
  /** A press on the box, or with Ctrl, chooses, with Shift a stretch: false for a plain one, which the list answers. */
  pressed(event: MouseEvent, key: string, at: number): boolean;
  /** Arrows move, with Shift a stretch is chosen; Space chooses, Enter opens. */
  keys(event: KeyboardEvent, view: CdkVirtualScrollViewport | undefined, rowHeight: number, open: (key: string, at: number) => void): void;
  all(): void;
  none(): void;
}

/** A set with one taken in that was out, or out that was in. */
export function toggled<T>(set: ReadonlySet<T>, one: T): ReadonlySet<T> {
  const next = new Set(set);
  if (!next.delete(one)) next.add(one);
  return next;
}

export function usePicking(rows: Signal<readonly string[]>): Picking {
  const chosen = signal<ReadonlySet<string>>(new Set());
  const at = signal(0);
  let anchor = 0;
  const toggle = (key: string, row: number): void => {
    anchor = row;
    chosen.set(toggled(chosen(), key));
  };
  const stretch = (row: number): void => {
    const [from, to] = [Math.min(anchor, row), Math.max(anchor, row)];
    chosen.set(
      new Set([
        ...chosen(),
        ...rows()
          .slice(from, to + 1)
          .filter(Boolean),
      ]),
    );
  };
  return {
    // Where nothing is chosen the list need not be gone through.
    shown: computed(() => (chosen().size ? rows().filter((key) => chosen().has(key)) : [])),
    at: at.asReadonly(),
    goTo: (row) => at.set(row),
    has: (key) => chosen().has(key),
    toggle,
    stretch,
    pressed: (event, key, row) => {
      if (event.shiftKey) stretch(row);
      else if (event.ctrlKey || event.metaKey || (event.target as HTMLElement | null)?.closest('.box')) toggle(key, row);
      else return false;
      at.set(row);
      return true;
    },
    keys: (event, view, rowHeight, open) => {
      const to = listMove(event.key, at(), rows().length - 1);
      const here = rows()[at()];
      if (to !== undefined) {
        if (event.shiftKey) stretch(to);
        at.set(to);
        showRow(view, to, rowHeight);
      } else if (event.key === 'Enter' && here) open(here, at());
      else if (event.key === ' ' && here) toggle(here, at());
      else return;
      event.preventDefault();
    },
    all: () => chosen.set(new Set(rows().filter(Boolean))),
    none: () => chosen.set(new Set()),
  };
}
