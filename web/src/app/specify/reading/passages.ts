import { computed, type Signal } from '@angular/core';
import type { Passage } from '@contract/specify';
import { usePicking, type Placing } from '../../base';
import { droppedPlace, uppermost } from './places';

/** Which passages of a document are chosen, and where they go when one of them is dragged. `at`: the one that the keys are at; `focus` goes to another. */
export function usePassages(rows: Signal<readonly Passage[]>, at: Signal<number>, focus: (at: number) => void) {
  const picking = usePicking(computed(() => rows().map(({ key }) => key)));
  return {
    has: picking.has,
    chosen: picking.shown,
    /** How many go along with one that is dragged; 0 where only that one does. */
    several: computed(() => {
      const many = picking.shown().length;
      return many > 1 ? many : 0;
    }),
    /** A press with Shift or Ctrl chooses; a plain one lets go of all, but on one of them: it may begin to drag them. */
    pressed(event: MouseEvent, key: string, place: number): void {
      if (picking.pressed(event, key, place)) {
        // No text is marked on the way.
        event.preventDefault();
        focus(place);
      } else if (!picking.has(key)) picking.none();
    },
    /** Space chooses the passage that one is at, Shift with an arrow a stretch, Escape none: false for any other key. */
    keys({ key, shiftKey, altKey, target }: KeyboardEvent, here: string): boolean {
      if (altKey || !(target as HTMLElement).classList.contains('block')) return false;
      if (key === ' ') picking.toggle(here, at());
      else if (shiftKey && (key === 'ArrowDown' || key === 'ArrowUp')) {
        const to = Math.max(0, Math.min(at() + (key === 'ArrowDown' ? 1 : -1), rows().length - 1));
        picking.stretch(to);
        focus(to);
      } else if (key === 'Escape' && picking.shown().length) picking.none();
      else return false;
      return true;
    },
    /** What is put where, once a passage was dropped; undefined where all stay. */
    dropped({ previousIndex, currentIndex }: { readonly previousIndex: number; readonly currentIndex: number }): Placing | undefined {
      const dragged = rows().at(previousIndex)?.key ?? '';
      const keys = uppermost(rows(), picking.has(dragged) ? picking.shown() : [dragged]);
      const place = droppedPlace(rows(), previousIndex, currentIndex, keys);
      return place && { keys, ...place };
    },
  };
}
