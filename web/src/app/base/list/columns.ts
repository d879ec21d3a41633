import { computed, inject, Injectable, signal, type Signal } from '@angular/core';

export interface ColumnChoice {
  /** Names of the columns that are shown, in their order. */
  readonly shown: readonly string[];
  /** Widths in pixels that somebody drew, by name. */
  readonly widths: Readonly<Record<string, number>>;
}
export const narrowest = 56;
const widest = 900;
const place = (list: string): string => `cord-proof.columns.${list}`;

/** Which columns lists show as tables on this device, in which order and how wide. */
@Injectable({ providedIn: 'root' })
export class ColumnMemory {
  private readonly chosen = signal<Readonly<Record<string, ColumnChoice>>>({});

  of(list: string): ColumnChoice | undefined {
    const known = this.chosen()[list];
    if (known) return known;
    try {
      return JSON.parse(localStorage.getItem(place(list)) ?? 'null') as ColumnChoice | undefined;
    } catch {
      return undefined;
    }
  }

  keep(list: string, choice: ColumnChoice): void {
    localStorage.setItem(place(list), JSON.stringify(choice));
    this.chosen.set({ ...this.chosen(), [list]: choice });
  }

  forget(list: string): void {
    localStorage.removeItem(place(list));
    const { [list]: _, ...others } = this.chosen();
    this.chosen.set(others);
  }
}

interface AnyColumn {
  readonly name: string;
  readonly width: number;
  readonly usual?: boolean;
}

export type ShownColumns<C extends AnyColumn> = ReturnType<typeof useColumns<C>>;

/** The columns of a list as its person chose them: shown and hidden, moved, drawn wider. */
export function useColumns<C extends AnyColumn>(list: () => string, all: Signal<readonly C[]>) {
  const memory = inject(ColumnMemory);
  const now = (): ColumnChoice => {
    const known = memory.of(list());
    return {
      shown:
        known?.shown ??
        all()
          .filter(({ usual }) => usual)
          .map(({ name }) => name),
      widths: known?.widths ?? {},
    };
  };
  const shown = computed(() => {
    const byName = new Map(all().map((column) => [column.name, column]));
    const { shown: names, widths } = now();
    return names
      .map((name) => byName.get(name))
      .filter((column) => column !== undefined)
      .map((column) => ({ ...column, width: widths[column.name] ?? column.width }));
  });
  const order = (names: readonly string[]): void => memory.keep(list(), { ...now(), shown: names });
  return {
    shown,
    has: (name: string): boolean => shown().some((column) => column.name === name),
    /** Shows a column at the end, or hides it; the last one stays. */
    toggle: (name: string): void => {
      const names = shown().map((column) => column.name);
      const next = names.includes(name) ? names.filter((other) => other !== name) : [...names, name];
      if (next.length) order(next);
    },
    /** Moves the column at one place to another. */
    move: (from: number, to: number): void => {
      const names = shown().map((column) => column.name);
      const [moved] = names.splice(from, 1);
      if (moved === undefined || to < 0 || to > names.length) return;
      names.splice(to, 0, moved);
      order(names);
    },
    draw: (name: string, width: number): void =>
      memory.keep(list(), { ...now(), widths: { ...now().widths, [name]: Math.round(Math.min(widest, Math.max(narrowest, width))) } }),
    asUsual: (): void => memory.forget(list()),
  };
}
