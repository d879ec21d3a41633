import { computed, signal, type Signal } from '@angular/core';

/** Which rows of a list are chosen: one by one with Ctrl or Space, a stretch with Shift, all that are shown. */
export interface Picking {
  readonly keys: Signal<ReadonlySet<string>>;
  /** Those of them that the list still shows, in its order. */
  readonly shown: Signal<readonly string[]>;
  has(key: string): boolean;
  toggle(key: string, at: number): void;
  /** From the row that was chosen last to this one. */
  stretch(at: number): void;
  all(): void;
  none(): void;
}

export function usePicking(rows: Signal<readonly string[]>): Picking {
  const keys = signal<ReadonlySet<string>>(new Set());
  let anchor = 0;
  return {
    keys,
    shown: computed(() => rows().filter((key) => keys().has(key))),
    has: (key) => keys().has(key),
    toggle: (key, at) => {
      anchor = at;
      const next = new Set(keys());
      if (!next.delete(key)) next.add(key);
      keys.set(next);
    },
    stretch: (at) => {
      const [from, to] = [Math.min(anchor, at), Math.max(anchor, at)];
      keys.set(new Set([...keys(), ...rows().slice(from, to + 1)]));
    },
    all: () => keys.set(new Set(rows())),
    none: () => keys.set(new Set()),
  };
}
