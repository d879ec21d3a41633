import type { CdkVirtualScrollViewport } from '@angular/cdk/scrolling';

/** Where a key leads in a list whose last row is `last`, from row `at`; undefined for keys that do not move. */
export function listMove(key: string, at: number, last: number): number | undefined {
  switch (key) {
    case 'ArrowDown':
      return Math.min(last, at + 1);
    case 'ArrowUp':
      return Math.max(0, at - 1);
    case 'PageDown':
      return Math.min(last, at + 10);
    case 'PageUp':
      return Math.max(0, at - 10);
    case 'Home':
      return 0;
    case 'End':
      return last;
    default:
      return undefined;
  }
}

/** Scrolls a list so that a row is seen with some of its neighbours, where it is not already. */
export function showRow(view: CdkVirtualScrollViewport | undefined, row: number): void {
  const range = view?.getRenderedRange();
  if (view && range && (row <= range.start + 1 || row >= range.end - 5)) view.scrollToIndex(Math.max(0, row - 4));
}
