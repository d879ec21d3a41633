import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, output, signal, viewChild } from '@angular/core';
import { matrixSums, type Matrix, type MatrixCell } from '@core/specify';
import { KnotMark, RecordLink, useProject } from '../../base';

const rowHeight = 34;
const columnWidth = 44;
const headWidth = 420;
const headHeight = 150;
const sumWidth = 84;
const footHeight = 34;

export interface CellPlace {
  readonly row: number;
  readonly column: number;
}

/**
 * The cells of a matrix, heads frozen, rows and columns drawn only as far as they are seen. A grid by keys: arrows go from cell to cell,
 * Space links, Delete breaks, Enter opens, N goes to the next suspect trace.
 */
@Component({
  selector: 'cp-matrix-grid',
  imports: [KnotMark, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div
      #box
      class="box sheet"
      role="grid"
      tabindex="0"
      [attr.aria-label]="'Matrix, ' + of().rows.length + ' by ' + of().columns.length"
      [attr.aria-rowcount]="of().rows.length + 2"
      [attr.aria-colcount]="of().columns.length + 2"
      [attr.aria-activedescendant]="'cell-' + at().row + '-' + at().column"
      (scroll)="scrolled()"
      (keydown)="press($event)"
    >
      <div class="inner" [style.height.px]="height()" [style.width.px]="width()">
        <div class="heads" role="row" aria-rowindex="1" [style.width.px]="width()">
          <span class="corner" role="columnheader">
            <span class="second small">{{ corner() }}</span>
          </span>
          <span class="cells" [style.width.px]="of().columns.length * columnWidth">
            @for (c of columns(); track c.at) {
              <span
                class="column"
                role="columnheader"
                [class.on]="c.at === at().column"
                [style.left.px]="c.at * columnWidth"
                [attr.aria-colindex]="c.at + 2"
                [title]="c.head.key + ' ' + c.head.title"
              >
                <span class="turned"><cp-record [kind]="columnKind()" [key]="c.head.key" /> {{ c.head.title }}</span>
              </span>
            }
          </span>
          <span class="sum" role="columnheader">Traces</span>
        </div>
        @for (r of rows(); track r.head.key) {
          <div
            class="row-of"
            role="row"
            [class.on]="r.at === at().row"
            [style.top.px]="headHeight + r.at * rowHeight"
            [style.width.px]="width()"
            [attr.aria-rowindex]="r.at + 2"
          >
            <span class="head" role="rowheader"
              ><cp-record [kind]="rowKind()" [key]="r.head.key" /> <span class="title">{{ r.head.title }}</span></span
            >
            <span class="cells" [style.width.px]="of().columns.length * columnWidth">
              @for (c of r.cells; track c.at) {
                <span
                  class="cell"
                  role="gridcell"
                  [id]="'cell-' + r.at + '-' + c.at"
                  [class.on]="r.at === at().row && c.at === at().column"
                  [class.across]="c.at === at().column"
                  [style.left.px]="c.at * columnWidth"
                  [attr.aria-colindex]="c.at + 2"
                  [attr.aria-label]="r.head.key + ', ' + c.key + ': ' + (c.cell ? words[c.cell.state] : 'none')"
                  (mousedown)="go({ row: r.at, column: c.at })"
                  (dblclick)="linked.emit({ row: r.at, column: c.at })"
                >
                  @if (c.cell) {
                    <cp-knot [state]="c.cell.state" />
                  } @else {
                    <span class="dot"></span>
                  }
                </span>
              }
            </span>
            <span class="sum" role="gridcell" [class.t-broken]="!r.sum">
              @if (r.sum) {
                {{ r.sum }}
              } @else {
                <cp-knot state="broken" /> none
              }
            </span>
          </div>
        }
        <div class="foot" role="row" [style.width.px]="width()">
          <span class="head second small">Traces</span>
          <span class="cells" [style.width.px]="of().columns.length * columnWidth">
            @for (c of columns(); track c.at) {
              <span class="cell" role="gridcell" [class.t-broken]="!c.sum" [style.left.px]="c.at * columnWidth">{{ c.sum }}</span>
            }
          </span>
          <span class="sum" role="gridcell">{{ sums().traces }}</span>
        </div>
      </div>
    </div>
  `,
  styleUrl: './matrix-grid.scss',
})
export class MatrixGrid {
  readonly of = input.required<Matrix>();
  readonly rowKind = input.required<'requirement' | 'case'>();
  readonly columnKind = input.required<'requirement' | 'case'>();
  /** What stands in the corner. */
  readonly corner = input('');
  readonly chosen = output<CellPlace>();
  /** A trace is to be made, or taken back, in a cell. */
  readonly linked = output<CellPlace>();
  readonly broken = output<CellPlace>();
  readonly opened = output<CellPlace>();
  private readonly box = viewChild.required<ElementRef<HTMLElement>>('box');
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  protected readonly scope = useProject();
  protected readonly rowHeight = rowHeight;
  protected readonly columnWidth = columnWidth;
  protected readonly headHeight = headHeight;
  protected readonly words = { sound: 'traced', waiting: 'traced, waits to be confirmed', suspect: 'traced, suspect' } as const;
  protected readonly at = signal<CellPlace>({ row: 0, column: 0 });
  private readonly view = signal({ top: 0, left: 0, width: 1600, height: 900 });
  protected readonly sums = computed(() => matrixSums(this.of()));
  protected readonly width = computed(() => headWidth + this.of().columns.length * columnWidth + sumWidth);
  protected readonly height = computed(() => headHeight + this.of().rows.length * rowHeight + footHeight);
  private readonly byPlace = computed(
    () => new Map(this.of().cells.map((cell) => [cell.row * this.of().columns.length + cell.column, cell])),
  );

  private range(from: number, size: number, step: number, count: number): readonly [number, number] {
    // Nobody sees more than a wall of screens: a box that has no size yet is not filled to its end.
    const seen = Math.min(size, 4400);
    return [Math.max(0, Math.floor(from / step) - 3), Math.min(count, Math.ceil((from + seen) / step) + 3)];
  }

  private readonly seen = computed(
    () => {
      const { top, left, width, height } = this.view();
      return {
        rows: this.range(top, height - headHeight, rowHeight, this.of().rows.length),
        columns: this.range(left, width - headWidth, columnWidth, this.of().columns.length),
      };
    },
    { equal: (a, b) => String([a.rows, a.columns]) === String([b.rows, b.columns]) },
  );
  protected readonly columns = computed(() => {
    const [from, to] = this.seen().columns;
    return this.of()
      .columns.slice(from, to)
      .map((head, i) => ({ head, at: from + i, sum: this.sums().columns[from + i].traces }));
  });
  protected readonly rows = computed(() => {
    const [from, to] = this.seen().rows;
    const columns = this.columns();
    const byPlace = this.byPlace();
    const wide = this.of().columns.length;
    return this.of()
      .rows.slice(from, to)
      .map((head, i) => ({
        head,
        at: from + i,
        sum: this.sums().rows[from + i].traces,
        cells: columns.map((c) => ({ at: c.at, key: c.head.key, cell: byPlace.get((from + i) * wide + c.at) })),
      }));
  });

  constructor() {
    const watch = new ResizeObserver(() => this.scrolled());
    watch.observe(this.host);
  }

  protected scrolled(): void {
    const { scrollTop: top, scrollLeft: left, clientWidth: width, clientHeight: height } = this.box().nativeElement;
    this.view.set({ top, left, width, height });
  }

  cellAt({ row, column }: CellPlace): MatrixCell | undefined {
    return this.byPlace().get(row * this.of().columns.length + column);
  }

  go(to: CellPlace): void {
    const row = Math.max(0, Math.min(this.of().rows.length - 1, to.row));
    const column = Math.max(0, Math.min(this.of().columns.length - 1, to.column));
    this.at.set({ row, column });
    this.chosen.emit({ row, column });
    const box = this.box().nativeElement;
    const top = row * rowHeight;
    const left = column * columnWidth;
    const [tall, wide] = [box.clientHeight - headHeight - footHeight, box.clientWidth - headWidth - sumWidth];
    if (top < box.scrollTop) box.scrollTop = top;
    else if (top + rowHeight > box.scrollTop + tall) box.scrollTop = top + rowHeight - tall;
    if (left < box.scrollLeft) box.scrollLeft = left;
    else if (left + columnWidth > box.scrollLeft + wide) box.scrollLeft = left + columnWidth - wide;
  }

  /** The next suspect trace in reading order, from where one stands; around at the end. */
  nextSuspect(): void {
    const wide = this.of().columns.length;
    const here = this.at().row * wide + this.at().column;
    const places = this.of()
      .cells.filter(({ state }) => state === 'suspect')
      .map(({ row, column }) => row * wide + column)
      .sort((a, b) => a - b);
    const next = places.find((place) => place > here) ?? places.at(0);
    if (next !== undefined) this.go({ row: Math.floor(next / wide), column: next % wide });
  }

  protected press(event: KeyboardEvent): void {
    const { row, column } = this.at();
    const page = Math.max(1, Math.floor((this.box().nativeElement.clientHeight - headHeight) / rowHeight) - 2);
    const steps: Record<string, CellPlace> = {
      ArrowUp: { row: row - 1, column },
      ArrowDown: { row: row + 1, column },
      ArrowLeft: { row, column: column - 1 },
      ArrowRight: { row, column: column + 1 },
      PageUp: { row: row - page, column },
      PageDown: { row: row + page, column },
      Home: { row: event.ctrlKey ? 0 : row, column: 0 },
      End: { row: event.ctrlKey ? this.of().rows.length - 1 : row, column: this.of().columns.length - 1 },
    };
    if (event.altKey || event.metaKey) return;
    if (event.key in steps) this.go(steps[event.key]);
    else if (event.key === ' ') this.linked.emit({ row, column });
    else if (event.key === 'Delete') this.broken.emit({ row, column });
    else if (event.key === 'Enter') this.opened.emit({ row, column });
    else if (event.key === 'n' && !event.ctrlKey) this.nextSuspect();
    else return;
    event.preventDefault();
  }
}
