import { CdkDragDrop, DragDropModule } from '@angular/cdk/drag-drop';
import { CdkVirtualScrollViewport, ScrollingModule } from '@angular/cdk/scrolling';
import { NgTemplateOutlet } from '@angular/common';
import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  output,
  linkedSignal,
  signal,
  type TemplateRef,
  untracked,
  viewChild,
} from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Router } from '@angular/router';
import type { Picking } from '../picking';
import { Icon } from '../ui/icon';
import { RecordLink } from '../ui/record-link';
import type { ShownColumns } from './columns';
import type { ListColumn } from './kind';
import type { ListRow } from './state';

export interface CellWritten<R> {
  readonly row: R;
  readonly column: ListColumn<R>;
  readonly text: string;
}
const keyStep = 16;

/**
 * A list as a table: columns that are ordered by their heading, moved by dragging and by keys, drawn wider; cells that arrows go through
 * and that are written in place where the kind allows. A grid after the patterns of ARIA.
 */
@Component({
  selector: 'cp-record-table',
  imports: [DragDropModule, NgTemplateOutlet, ScrollingModule, Icon, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './record-table.html',
  styleUrl: './record-table.scss',
})
export class RecordTable<R extends ListRow> {
  readonly noun = input.required<string>();
  readonly columns = input.required<ShownColumns<ListColumn<R>>>();
  readonly rows = input.required<readonly (R | undefined)[]>();
  readonly rowHeight = input.required<number>();
  readonly picking = input.required<Picking>();
  readonly everything = input(false);
  readonly choosable = input(false);
  readonly fresh = input<ReadonlySet<string>>(new Set());
  readonly current = input<string>();
  /** How the list is ordered by a field: a sign, or nothing. */
  readonly ordered = input.required<(field: string) => string>();
  /** Cells and headings that the page draws itself, by their column's name. */
  readonly cells = input<ReadonlyMap<string, TemplateRef<unknown>>>(new Map());
  readonly heads = input<ReadonlyMap<string, TemplateRef<unknown>>>(new Map());
  /** The column that the keys begin in. */
  readonly startsAt = input<string>();
  /** Who writes here: without it nothing is written in its cell. */
  readonly mayWrite = input(false);
  readonly seen = output<number>();
  readonly pressed = output<{ event: MouseEvent; key: string; at: number }>();
  readonly opened = output<{ key: string; at: number }>();
  readonly sorted = output<{ event: MouseEvent; field: string }>();
  readonly left = output();
  readonly written = output<CellWritten<R>>();

  readonly view = viewChild(CdkVirtualScrollViewport);
  private readonly router = inject(Router);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  /** The column that the keys are at. */
  protected readonly column = linkedSignal(() => {
    const name = this.startsAt();
    return Math.max(
      0,
      untracked(() => this.columns().shown()).findIndex((c) => c.name === name),
    );
  });
  /** The cell that is being written: the key of its row, and its column's name. */
  protected readonly writing = signal<{ readonly key: string; readonly column: string } | null>(null);
  protected readonly template = computed(() =>
    [
      ...(this.choosable() ? ['30px'] : []),
      ...this.columns()
        .shown()
        .map(({ width, grows }) => (grows ? `minmax(${width}px, ${width}fr)` : `${width}px`)),
    ].join(' '),
  );
  protected readonly width = computed(
    () =>
      this.columns()
        .shown()
        .reduce((sum, { width }) => sum + width, this.choosable() ? 30 : 0) + 16,
  );
  protected readonly activeCell = computed(() => `cell-${this.picking().at()}-${this.column()}`);
  /** The rows that are drawn now. */
  private readonly drawn = signal({ start: 0, end: 0 });
  protected readonly activeDrawn = computed(() => {
    const at = this.picking().at();
    return at >= this.drawn().start && at < this.drawn().end && at < this.rows().length;
  });
  protected readonly byPlace = (i: number, row: R | undefined): string | number => row?.key ?? i;

  constructor() {
    const over = inject(DestroyRef);
    afterNextRender(() =>
      this.view()
        ?.renderedRangeStream.pipe(takeUntilDestroyed(over))
        .subscribe((range) => this.drawn.set(range)),
    );
    // The cell that the keys are at is seen, also where the table is wider than its place.
    effect(() => {
      const id = this.activeCell();
      untracked(() => document.getElementById(id)?.scrollIntoView({ block: 'nearest', inline: 'nearest' }));
    });
  }

  protected text(column: ListColumn<R>, row: R): string {
    return (column.text ?? column.show)(row);
  }

  protected editable(column: ListColumn<R>): boolean {
    return this.mayWrite() && column.edit !== undefined;
  }

  protected drop({ previousIndex, currentIndex }: CdkDragDrop<unknown>): void {
    this.columns().move(previousIndex, currentIndex);
  }

  /** Alt and an arrow move a column, Shift and an arrow draw it; Enter orders by it. */
  protected headKey(event: KeyboardEvent, at: number): void {
    const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (!step) return;
    event.preventDefault();
    const column = this.columns().shown()[at];
    if (event.altKey) this.columns().move(at, at + step);
    else if (event.shiftKey) this.columns().draw(column.name, column.width + step * keyStep);
    const to = event.shiftKey ? at : at + step;
    setTimeout(() => this.element.nativeElement.querySelectorAll<HTMLElement>('.head button')[to]?.focus());
  }

  protected draw(event: PointerEvent, column: { readonly name: string; readonly width: number }): void {
    event.preventDefault();
    event.stopPropagation();
    const handle = event.target as HTMLElement;
    handle.setPointerCapture(event.pointerId);
    const move = (to: PointerEvent): void => this.columns().draw(column.name, column.width + to.clientX - event.clientX);
    handle.addEventListener('pointermove', move);
    handle.addEventListener('pointerup', () => handle.removeEventListener('pointermove', move), { once: true });
  }

  protected press(event: KeyboardEvent): void {
    if (this.writing()) return;
    const columns = this.columns().shown();
    const row = this.rows()[this.picking().at()];
    const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (step) {
      event.preventDefault();
      return this.column.set(Math.max(0, Math.min(columns.length - 1, this.column() + step)));
    }
    if (event.key === 'Escape') return this.left.emit();
    const here = columns[this.column()];
    const to = row && event.key === 'Enter' && !event.ctrlKey ? here?.to?.(row) : undefined;
    if (to) {
      event.preventDefault();
      return void this.router.navigate([...to.path], { queryParams: to.query ?? {} });
    }
    if (row && here && this.editable(here) && (event.key === 'F2' || (event.key === 'Enter' && !event.ctrlKey))) {
      event.preventDefault();
      return this.begin(row, here);
    }
    this.picking().keys(event, this.view(), this.rowHeight(), (key, at) => this.opened.emit({ key, at }));
  }

  protected cellPressed(event: MouseEvent, row: R, at: number, column: number): void {
    this.column.set(column);
    this.pressed.emit({ event, key: row.key, at });
  }

  protected begin(row: R, column: ListColumn<R>): void {
    if (!this.editable(column)) return;
    this.writing.set({ key: row.key, column: column.name });
    setTimeout(() => {
      const box = this.element.nativeElement.querySelector<HTMLInputElement | HTMLSelectElement>('.writing');
      box?.focus();
      if (box instanceof HTMLInputElement) box.select();
    });
  }

  protected boxKey(event: KeyboardEvent, row: R, column: ListColumn<R>, at: number): void {
    event.stopPropagation();
    if (event.key === 'Escape') this.end();
    else if (event.key === 'Enter' || event.key === 'Tab') {
      event.preventDefault();
      this.take(row, column, (event.target as HTMLInputElement).value);
      if (event.key === 'Tab') this.column.set(Math.max(0, Math.min(this.columns().shown().length - 1, at + (event.shiftKey ? -1 : 1))));
    }
  }

  /** Takes what was written; what is as before is let go. */
  protected take(row: R, column: ListColumn<R>, text: string): void {
    if (!this.writing()) return;
    this.end();
    if (text !== this.text(column, row)) this.written.emit({ row, column, text });
  }

  private end(): void {
    this.writing.set(null);
    this.view()?.elementRef.nativeElement.focus();
  }
}
