import { ChangeDetectionStrategy, Component, computed, ElementRef, input, output, signal, viewChild } from '@angular/core';
import { matrixSums, type Matrix, type MatrixCell } from '@core/specify';
import { CellWindow, KnotMark, RecordLink, useProject } from '../../base';

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
      (scroll)="window.scrolled()"
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
              ><cp-record [kind]="rowKind()" [key]="r.head.key" />&ngsp;<span class="title">{{ r.head.title }}</span></span
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
  protected readonly scope = useProject();
  protected readonly rowHeight = rowHeight;
  protected readonly columnWidth = columnWidth;
  protected readonly headHeight = headHeight;
  protected readonly words = { sound: 'traced', waiting: 'traced, waits to be confirmed', suspect: 'traced, suspect' } as const;
  protected readonly at = signal<CellPlace>({ row: 0, column: 0 });
  protected readonly window = new CellWindow(this.box, () => ({
    rowHeight,
    columnWidth,
    rows: this.of().rows.length,
    columns: this.of().columns.length,
    tall: headHeight + footHeight,
    wide: headWidth + sumWidth,
  }));
  protected readonly sums = computed(() => matrixSums(this.of()));
  protected readonly width = computed(() => headWidth + this.of().columns.length * columnWidth + sumWidth);
  protected readonly height = computed(() => headHeight + this.of().rows.length * rowHeight + footHeight);
  private readonly byPlace = computed(
    () => new Map(this.of().cells.map((cell) => [cell.row * this.of().columns.length + cell.column, cell])),
  );

  protected readonly columns = computed(() => {
    const [from, to] = this.window.seen().columns;
    return this.of()
      .columns.slice(from, to)
      .map((head, i) => ({ head, at: from + i, sum: this.sums().columns[from + i].traces }));
  });
  protected readonly rows = computed(() => {
    const [from, to] = this.window.seen().rows;
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

  cellAt({ row, column }: CellPlace): MatrixCell | undefined {
    return this.byPlace().get(row * this.of().columns.length + column);
  }

  go(to: CellPlace): void {
    const reached = this.window.reach(to.row, to.column);
    this.at.set(reached);
    this.chosen.emit(reached);
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
    if (event.altKey || event.metaKey) return;
    const to = this.window.next(event, row, column);
    if (to) this.go({ row: to[0], column: to[1] });
    else if (event.key === ' ') this.linked.emit({ row, column });
    else if (event.key === 'Delete') this.broken.emit({ row, column });
    else if (event.key === 'Enter') this.opened.emit({ row, column });
    else if (event.key === 'n' && !event.ctrlKey) this.nextSuspect();
    else return;
    event.preventDefault();
  }
}
