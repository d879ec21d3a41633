import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  ElementRef,
  inject,
  Injector,
  input,
  linkedSignal,
  output,
  signal,
  viewChild,
} from '@angular/core';
import { cellAt, cellWords, columnSums, runAt, type CellState, type ColumnSum, type ComparedGroup, type ComparedRow } from '@core/run';
import { keyOf } from '@core/base';
import { CellWindow, RecordLink, toggled, usePeek } from '../../base';

const rowHeight = 36;
const headHeight = 104;
const columnWidth = 106;
const latestWidth = 170;

export interface GridColumn {
  /** Its place among all columns of the comparison. */
  readonly at: number;
  readonly key: string;
  readonly title: string;
  readonly build: string;
  readonly sum: ColumnSum;
}
/** A cell that somebody stands on. */
export interface CellChosen {
  readonly row: ComparedRow;
  readonly column: GridColumn;
  readonly state: CellState | undefined;
  readonly run: number | undefined;
}

type Line = { readonly group: ComparedGroup; readonly sums: readonly ColumnSum[] } | { readonly group: null; readonly row: ComparedRow };

/**
 * Cases down, builds, rounds or configurations across: heads frozen, lines and columns drawn only as far as they are seen. A grid by keys: arrows go
 * from cell to cell, Enter opens the run, Space opens or shuts the group.
 */
@Component({
  selector: 'cp-comparison-grid',
  imports: [RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div
      #box
      class="box sheet"
      role="grid"
      tabindex="0"
      [attr.aria-label]="'Results, ' + lines().length + ' lines by ' + columns().length + ' columns'"
      [attr.aria-rowcount]="lines().length + 1"
      [attr.aria-colcount]="columns().length + 2"
      [attr.aria-activedescendant]="'result-' + at().line + '-' + at().column"
      (scroll)="window.scrolled(); peek.close()"
      (keydown)="press($event)"
      (blur)="peek.close()"
    >
      <div class="inner" [style.height.px]="headHeight + lines().length * rowHeight" [style.width.px]="width()">
        <div class="heads" role="row" aria-rowindex="1" [style.width.px]="width()" [style.height.px]="headHeight">
          <span class="corner second small" role="columnheader" [style.width.px]="headWidth()">{{ corner() }}</span>
          <span class="cells" [style.width.px]="columns().length * columnWidth">
            @for (c of seenColumns(); track c.at) {
              <span
                class="column"
                role="columnheader"
                [style.left.px]="c.place * columnWidth"
                [attr.aria-colindex]="c.place + 2"
                [title]="c.key + ' ' + c.title"
              >
                @if (kind(); as k) {
                  <cp-record [kind]="k" [key]="c.key" [text]="c.key" />
                } @else {
                  <b>{{ c.key }}</b>
                }
                @if (c.build && c.build !== c.key) {
                  <span>{{ c.build }}</span>
                }
                @if (c.title !== c.key) {
                  <span class="second small">{{ c.title }}</span>
                }
                <span class="share" aria-hidden="true"><i [style.width.%]="share(c.sum) ?? 0"></i></span>
                <span class="small">
                  @if (share(c.sum) !== null) {
                    <b>{{ share(c.sum) }} %</b> passed
                  } @else {
                    nothing planned
                  }
                </span>
              </span>
            }
          </span>
          <span class="latest" role="columnheader"><b>Latest</b><span class="second small">on any build</span></span>
        </div>
        @for (l of seenLines(); track l.id) {
          <div
            class="line"
            role="row"
            [class.group]="l.line.group"
            [class.on]="l.at === at().line"
            [style.top.px]="headHeight + l.at * rowHeight"
            [style.width.px]="width()"
            [attr.aria-rowindex]="l.at + 2"
          >
            @if (l.line.group; as g) {
              <span class="head" role="rowheader" [style.width.px]="headWidth()"
                ><button type="button" class="fold" tabindex="-1" [attr.aria-expanded]="!shut().has(g.name)" (click)="fold(g.name)">
                  {{ shut().has(g.name) ? '▸' : '▾' }} <b>{{ g.name || none() }}</b>
                  <span class="second small">{{ g.rows.length }} {{ g.rows.length === 1 ? 'case' : 'cases' }}</span>
                </button></span
              >
              <span class="cells" [style.width.px]="columns().length * columnWidth">
                @for (c of seenColumns(); track c.at) {
                  <span
                    class="cell second small"
                    role="gridcell"
                    [id]="'result-' + l.at + '-' + c.place"
                    [class.here]="l.at === at().line && c.place === at().column"
                    [style.left.px]="c.place * columnWidth"
                    (mousedown)="go(l.at, c.place)"
                    >{{ share(sumOf(l.line, c.place)) === null ? '' : share(sumOf(l.line, c.place)) + ' %' }}</span
                  >
                }
              </span>
              <span class="latest" role="gridcell"></span>
            } @else if (rowOf(l.line); as row) {
              <span class="head" role="rowheader" [style.width.px]="headWidth()"
                ><cp-record kind="case" [key]="row.key" />&ngsp;<span class="title" [title]="row.title">{{ row.title }}</span></span
              >
              <span class="cells" [style.width.px]="columns().length * columnWidth">
                @for (c of seenColumns(); track c.at) {
                  <span
                    #cell
                    class="cell"
                    role="gridcell"
                    [id]="'result-' + l.at + '-' + c.place"
                    [class.here]="l.at === at().line && c.place === at().column"
                    [style.left.px]="c.place * columnWidth"
                    [attr.aria-label]="row.key + ', ' + c.key + ': ' + said(row, c.at)"
                    (mousedown)="go(l.at, c.place)"
                    (mouseenter)="peekAt(row, c.at, cell)"
                    (mouseleave)="peek.close()"
                    (dblclick)="open()"
                  >
                    @if (state(row, c.at); as s) {
                      <i [class]="'v v-' + s" [title]="words[s]"></i>
                      @if (row.flips.includes(c.at)) {
                        <span class="flip" title="Its verdicts flip here">↕</span>
                      }
                    }
                  </span>
                }
              </span>
              <span class="latest" role="gridcell">
                @if (row.latest; as latest) {
                  <i [class]="'v v-' + latest.state"></i> {{ words[latest.state] }}
                } @else {
                  <span class="second">no result</span>
                }
              </span>
            }
          </div>
        }
      </div>
    </div>
  `,
  styleUrl: './comparison-grid.scss',
})
export class ComparisonGrid {
  readonly groups = input.required<readonly ComparedGroup[]>();
  readonly columns = input.required<readonly GridColumn[]>();
  /** Rows come in groups with a line each. */
  readonly grouped = input(true);
  readonly kind = input<'round' | null>(null);
  readonly corner = input('');
  /** What a group without a name is called. */
  readonly none = input('In no folder');
  readonly chosen = output<CellChosen>();
  readonly opened = output<number>();
  private readonly box = viewChild.required<ElementRef<HTMLElement>>('box');
  private readonly injector = inject(Injector);
  protected readonly rowHeight = rowHeight;
  protected readonly columnWidth = columnWidth;
  protected readonly headHeight = headHeight;
  protected readonly words = cellWords;
  protected readonly shut = signal<ReadonlySet<string>>(new Set());
  protected readonly window: CellWindow = new CellWindow(this.box, () => ({
    rowHeight,
    columnWidth,
    rows: this.lines().length,
    columns: this.columns().length,
    tall: headHeight,
    wide: this.headWidth() + latestWidth,
  }));
  /** What the columns leave is the cases'. */
  protected readonly headWidth = computed((): number => {
    const width = this.window.width();
    return Math.max(width < 700 ? 180 : 372, width - this.columns().length * columnWidth - latestWidth - 2);
  });
  protected readonly width = computed(() => this.headWidth() + this.columns().length * columnWidth + latestWidth);
  protected readonly lines = computed((): Line[] =>
    this.groups().flatMap((group): Line[] => {
      const rows = group.rows.map((row): Line => ({ group: null, row }));
      if (!this.grouped()) return rows;
      const all = columnSums(group.rows, (this.columns().at(-1)?.at ?? -1) + 1);
      const sums = this.columns().map(({ at }) => all[at]);
      return [{ group, sums }, ...(this.shut().has(group.name) ? [] : rows)];
    }),
  );
  protected readonly at = linkedSignal<number, { line: number; column: number }>({
    source: () => this.lines().length,
    computation: (count, before) => ({
      line: Math.min(before?.value.line ?? 0, Math.max(0, count - 1)),
      column: before?.value.column ?? 0,
    }),
  });

  protected readonly seenColumns = computed(() => {
    const [from, to] = this.window.seen().columns;
    return this.columns()
      .slice(from, to)
      .map((column, i) => ({ ...column, place: from + i }));
  });
  protected readonly seenLines = computed(() => {
    const [from, to] = this.window.seen().rows;
    return this.lines()
      .slice(from, to)
      .map((line, i) => ({ line, at: from + i, id: line.group ? `group ${line.group.name}` : `${from + i} ${line.row.key}` }));
  });

  protected rowOf(line: Line): ComparedRow | null {
    return line.group ? null : line.row;
  }
  protected sumOf(line: Line, place: number): ColumnSum {
    return line.group ? line.sums[place] : { planned: 0, passed: 0, failed: 0, open: 0 };
  }
  protected readonly peek = usePeek();
  /** The run of a cell, beside it. */
  protected peekAt(row: ComparedRow, column: number, cell: Element): void {
    const run = runAt(row, column);
    if (run === undefined) this.peek.close();
    else this.peek.soon({ kind: 'run', key: keyOf('RUN', run) }, cell);
  }
  protected readonly state = cellAt;
  protected said(row: ComparedRow, column: number): string {
    const state = cellAt(row, column);
    return state ? cellWords[state] : 'not planned';
  }
  /** Passing share in percent: rounded down, so that only all is 100. */
  protected share({ planned, passed }: ColumnSum): number | null {
    return planned ? Math.floor((100 * passed) / planned) : null;
  }

  protected fold(name: string): void {
    this.shut.update((set) => toggled(set, name));
  }

  protected go(toLine: number, toColumn: number): void {
    const { row: line, column } = this.window.reach(toLine, toColumn);
    this.at.set({ line, column });
    this.tell();
  }
  /** The cell that one stands on; none on the line of a group. */
  private here(): CellChosen | undefined {
    const line = this.lines().at(this.at().line);
    const row = line && this.rowOf(line);
    const column = this.columns().at(this.at().column);
    return row && column ? { row, column, state: cellAt(row, column.at), run: runAt(row, column.at) } : undefined;
  }
  /** The same for the cell that one came to by keys, once it is drawn. */
  private peekHere(): void {
    this.peek.close();
    afterNextRender(
      () => {
        const here = this.here();
        const cell = document.getElementById(`result-${this.at().line}-${this.at().column}`);
        if (here && cell) this.peekAt(here.row, here.column.at, cell);
      },
      { injector: this.injector },
    );
  }
  private tell(): void {
    const here = this.here();
    if (here) this.chosen.emit(here);
  }
  protected open(): void {
    const run = this.here()?.run;
    if (run !== undefined) this.opened.emit(run);
  }

  protected press(event: KeyboardEvent): void {
    const { line, column } = this.at();
    if (event.altKey || event.metaKey) return;
    const here = this.lines().at(line);
    const to = this.window.next(event, line, column);
    if (to) {
      this.go(...to);
      this.peekHere();
    } else if (event.key === 'Escape') this.peek.close();
    else if (event.key === 'Enter') this.open();
    else if (event.key === ' ' && here?.group) this.fold(here.group.name);
    else return;
    event.preventDefault();
  }
}
