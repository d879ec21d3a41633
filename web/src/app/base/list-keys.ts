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

/** Records are dragged: whatever takes records finds their keys. */
export function dragKeys(event: DragEvent, keys: readonly string[]): void {
  event.dataTransfer?.setData('text/plain', keys.join(' '));
  if (event.dataTransfer) event.dataTransfer.effectAllowed = 'copyMove';
}

/** Scrolls a list of rows of one height so that a row is seen. What is rendered reaches beyond what is seen, so the offset decides. */
export function showRow(view: CdkVirtualScrollViewport | undefined, row: number, rowHeight: number): void {
  if (!view) return;
  const top = row * rowHeight;
  const offset = view.measureScrollOffset();
  const height = view.getViewportSize();
  if (top < offset) view.scrollToOffset(top);
  else if (top + rowHeight > offset + height) view.scrollToOffset(top + rowHeight - height);
}
