import { computed, ElementRef, inject, signal, type Signal } from '@angular/core';

/** How big a grid of cells is, in pixels and in cells; what is frozen around the cells counts apart. */
export interface GridSize {
  readonly rowHeight: number;
  readonly columnWidth: number;
  readonly rows: number;
  readonly columns: number;
  /** Frozen above and below the cells, together. */
  readonly tall: number;
  /** Frozen left and right of them, together. */
  readonly wide: number;
}
export type CellRange = readonly [from: number, to: number];

/** What somebody sees of the box of a grid with very many cells, and how one stands and goes in it. Made where an effect may live. */
export class CellWindow {
  private readonly view = signal({ top: 0, left: 0, width: 1600, height: 900 });

  constructor(
    private readonly box: Signal<ElementRef<HTMLElement>>,
    private readonly size: () => GridSize,
  ) {
    const watch = new ResizeObserver(() => this.scrolled());
    watch.observe(inject<ElementRef<HTMLElement>>(ElementRef).nativeElement);
  }

  /** Rows and columns that are drawn: those that are seen and a few around them. */
  readonly seen = computed(
    (): { readonly rows: CellRange; readonly columns: CellRange } => {
      const { top, left, width, height } = this.view();
      const size = this.size();
      return {
        rows: range(top, height - size.tall, size.rowHeight, size.rows),
        columns: range(left, width - size.wide, size.columnWidth, size.columns),
      };
    },
    { equal: (a, b) => String([a.rows, a.columns]) === String([b.rows, b.columns]) },
  );
  /** The width of the box. */
  readonly width = computed(() => this.view().width);

  scrolled(): void {
    const { scrollTop: top, scrollLeft: left, clientWidth: width, clientHeight: height } = this.box().nativeElement;
    this.view.set({ top, left, width, height });
  }

  /** The cell nearest to a place that may lie outside, brought into sight. */
  reach(toRow: number, toColumn: number): { readonly row: number; readonly column: number } {
    const { rows, columns, rowHeight, columnWidth, tall, wide } = this.size();
    const row = Math.max(0, Math.min(rows - 1, toRow));
    const column = Math.max(0, Math.min(columns - 1, toColumn));
    const box = this.box().nativeElement;
    box.scrollTop = inSight(box.scrollTop, row * rowHeight, rowHeight, box.clientHeight - tall);
    box.scrollLeft = inSight(box.scrollLeft, column * columnWidth, columnWidth, box.clientWidth - wide);
    return { row, column };
  }

  /** Where a key leads from a cell; nowhere where it is none that moves. */
  next({ key, ctrlKey }: KeyboardEvent, row: number, column: number): readonly [row: number, column: number] | undefined {
    const { rows, columns, rowHeight } = this.size();
    const page = Math.max(1, Math.floor((this.box().nativeElement.clientHeight - this.size().tall) / rowHeight) - 2);
    const steps: Readonly<Record<string, readonly [number, number]>> = {
      ArrowUp: [row - 1, column],
      ArrowDown: [row + 1, column],
      ArrowLeft: [row, column - 1],
      ArrowRight: [row, column + 1],
      PageUp: [row - page, column],
      PageDown: [row + page, column],
      Home: [ctrlKey ? 0 : row, 0],
      End: [ctrlKey ? rows - 1 : row, columns - 1],
    };
    return Object.hasOwn(steps, key) ? steps[key] : undefined;
  }
}

function range(from: number, size: number, step: number, count: number): CellRange {
  // Nobody sees more than a wall of screens: a box that has no size yet is not filled to its end.
  // Where what is frozen leaves no room, as on a phone, a cell is there all the same.
  const seen = Math.max(step, Math.min(size, 4400));
  return [Math.max(0, Math.floor(from / step) - 3), Math.min(count, Math.ceil((from + seen) / step) + 3)];
}

/** How far a box is scrolled so that something of a size at a place is seen in the room that there is. */
const inSight = (scrolled: number, at: number, size: number, room: number): number =>
  at < scrolled ? at : at + size > scrolled + room ? at + size - room : scrolled;
