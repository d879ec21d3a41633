import { BreakpointObserver } from '@angular/cdk/layout';
import { CdkVirtualScrollViewport, ScrollingModule } from '@angular/cdk/scrolling';
import { NgTemplateOutlet } from '@angular/common';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  contentChild,
  contentChildren,
  DestroyRef,
  effect,
  inject,
  input,
  output,
  signal,
  TemplateRef,
  untracked,
  viewChild,
} from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { MatMenuModule } from '@angular/material/menu';
import { ActivatedRoute } from '@angular/router';
import type { Filter, Selection } from '@contract/base';
import { map } from 'rxjs';
import { keepInAddress } from '../address';
import { useKeys } from '../keys';
import { dragKeys, showRow } from '../list-keys';
import { onAction, onChanged, useProject } from '../live';
import { baseActions, baseCommands, baseFeature } from '../state';
import { usePicking } from '../picking';
import { useKnownFields } from '../record/known-fields';
import { ownColumns } from '../record/own-words';
import { ExportMenu } from '../ui/export-menu';
import { Icon } from '../ui/icon';
import { Density } from './density';
import { FilterBar } from './filter-bar';
import { useFilterFields } from './filter-fields';
import { askedValues, filterOf, readFilter, together, withValue, type FilterField } from './filter-text';
import { groupable, Groups } from './groups';
import { SavedFilters } from './saved-filters';
import { CellWriter } from './cell-writer';
import { useColumns } from './columns';
import { CellTemplate, HeadTemplate, RowTemplate, type ListColumn, type ListKind } from './kind';
import { useOfferedValues } from './offered-values';
import { ListPrinter } from './print-list';
import { RecordTable, type CellWritten } from './record-table';
import { listActions, listFrom, selectList, type FoundPassage, type ListQuestion, type ListRow } from './state';

const usualTableRow = 36;
/** Counts of views and groups go over all rows: they are read again no oftener than so many milliseconds. */
const countedEvery = 2000;
const shapeOf = (asked: string | null): '1' | '0' | '' => (asked === '1' || asked === '0' ? asked : '');

/**
 * A list of records, whatever their kind: what is asked is answered by the server a page at a time, so that a hundred thousand are as
 * quick as ten. The page tells the kind and draws a row; filter, order, views with counts, choosing, export, keys and news are here.
 */
@Component({
  selector: 'cp-record-list',
  imports: [ScrollingModule, NgTemplateOutlet, MatMenuModule, ExportMenu, FilterBar, Groups, Icon, RecordTable, SavedFilters],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './record-list.html',
  styleUrl: './record-list.scss',
  host: { '[class.one-line]': 'density.dense()', '[class.as-table]': 'asTable()', '(document:keydown)': 'step($event)' },
})
export class RecordList<R extends ListRow> {
  readonly kind = input.required<ListKind<R>>();
  /** What the list is of, beside the project: a specification, a build. */
  readonly of = input<Readonly<Record<string, string>>>({});
  /** What always holds of its rows, beside what is asked: a folder that they stand in. */
  readonly within = input<Filter>();
  readonly current = input<string>();
  /** Fields beside those of the kind: the project's own. */
  readonly moreFields = input<readonly FilterField[]>([]);
  /** Columns beside those of the kind, or instead of one of the same name: what only the project knows. */
  readonly moreColumns = input<readonly ListColumn<R>[]>([]);
  /** How many each view holds, where the page knows: they are not asked for then. */
  readonly counts = input<Readonly<Record<string, number>>>();
  readonly opened = output<string>();
  /** What is chosen, for acts on many; null for nothing. */
  readonly chosen = output<Selection | null>();

  private readonly keyNames = useKeys('Lists');
  protected readonly row = contentChild.required(RowTemplate, { read: TemplateRef });
  protected readonly scope = useProject();
  protected readonly density = inject(Density);
  private readonly cellsDrawn = contentChildren<CellTemplate<R>>(CellTemplate);
  private readonly headsDrawn = contentChildren(HeadTemplate);
  protected readonly cellTemplates = computed(
    () => new Map(this.cellsDrawn().map((cell) => [cell.cpCellColumn(), cell.template] as const)),
  );
  protected readonly headTemplates = computed(() => new Map(this.headsDrawn().map((head) => [head.cpHead(), head.template] as const)));
  protected readonly rowHeight = computed(() => {
    const { tableRow = usualTableRow, rowHeight } = this.kind();
    return this.asTable() ? tableRow : this.density.height(rowHeight);
  });
  /** A phone and a tablet show rows: a table begins where there is room for its columns. */
  private readonly narrow = toSignal(
    inject(BreakpointObserver)
      .observe('(max-width: 1023px)')
      .pipe(map(({ matches }) => matches)),
    {
      initialValue: false,
    },
  );
  private readonly store = this.scope.store;
  private readonly rowsView = viewChild(CdkVirtualScrollViewport);
  private readonly table = viewChild<RecordTable<R>>(RecordTable);
  private readonly view = (): CdkVirtualScrollViewport | undefined => this.table()?.view() ?? this.rowsView();
  private readonly cells = inject(CellWriter);
  private readonly printer = inject(ListPrinter);
  private readonly at = inject(ActivatedRoute).snapshot.queryParamMap;
  readonly text = signal(this.at.get('f') ?? '');
  protected readonly viewName = signal(this.at.get('v') ?? '');
  protected readonly order = signal(this.at.get('s') ?? '');
  protected readonly grouped = signal(this.at.get('g') ?? '');
  /** As somebody asked for it: a table, rows, or as the kind is usually shown. */
  private readonly shape = signal<'1' | '0' | ''>(shapeOf(this.at.get('t')));
  private readonly tabled = computed(() => (this.shape() ? this.shape() === '1' : this.kind().tableFirst === true && !this.narrow()));
  /** Saved filters are shown. */
  protected readonly saving = signal(false);
  private readonly address = computed(() => ({
    f: this.text(),
    v: this.viewName(),
    s: this.order(),
    g: this.grouped(),
    t: this.shape(),
  }));
  /** The question as an address holds it. */
  protected readonly asked = computed(() => new URLSearchParams(Object.entries(this.address()).filter(([, value]) => value)).toString());
  private readonly filters = this.store.selectSignal(baseFeature.selectFilters);
  /** All that the question finds is chosen, also what was never scrolled to. */
  protected readonly everything = signal(false);

  private readonly ownKind = computed(() => this.kind().bulk ?? this.kind().own);
  private readonly ownFields = useKnownFields();
  protected readonly fields = useFilterFields(
    () => this.kind(),
    () => this.moreFields(),
  );
  /** All columns that there are: those of the kind, and the project's own fields. */
  protected readonly columns = computed((): readonly ListColumn<R>[] => {
    const { columns = [] } = this.kind();
    const kind = this.ownKind();
    const own = kind ? (ownColumns(this.ownFields(), kind) as unknown as ListColumn<R>[]) : [];
    const more = new Map(this.moreColumns().map((column) => [column.name, column]));
    const known = columns.map((column) => more.get(column.name) ?? column);
    return [...known, ...[...more.values()].filter(({ name }) => !columns.some((column) => column.name === name)), ...own];
  });
  protected readonly shownColumns = useColumns(() => this.kind().name, this.columns);
  protected readonly asTable = computed(() => this.tabled() && this.columns().length > 0);
  protected readonly mayWrite = computed(() => this.scope.roles().includes('author'));
  protected readonly orderedBy = (field: string): string => this.ordered(field);
  protected readonly pieces = computed(() => readFilter(this.text(), this.fields()));
  protected readonly shownView = computed(() => this.kind().views.find((v) => v.name === this.viewName()) ?? this.kind().views[0]);
  protected readonly sorts = computed(() => this.kind().sorts);
  protected readonly groupables = computed(() => groupable(this.fields()));
  /** The field by which the list is grouped. */
  protected readonly by = computed(() => this.groupables().find(({ name }) => name === this.grouped()));
  protected readonly sort = computed(() => this.order() || this.kind().sorts[0][0]);
  protected readonly filter = computed(() => together([this.within(), this.shownView().filter, filterOf(this.pieces())]), {
    equal: (a, b) => JSON.stringify(a) === JSON.stringify(b),
  });
  /** The same fields, with what stands in the list for the one that is being typed. */
  protected readonly offered = useOfferedValues({
    kind: () => this.kind(),
    of: () => this.of(),
    within: () => this.within(),
    text: this.text,
    fields: this.fields,
  });
  private readonly question = computed((): ListQuestion => ({
    kind: this.kind().name,
    of: { project: this.scope.slug(), ...this.of() },
    filter: this.filter(),
    sort: this.sorted(),
  }));
  /** Groups stand together; within them the order is the list's own. */
  private readonly sorted = computed(() => {
    const by = this.by();
    const field = by && (by.field ?? by.name);
    const own = this.sort().split(',');
    return [...(field ? [field] : []), ...own.filter((name) => name.replace('-', '') !== field)].slice(0, 4).join(',');
  });
  /** Groups are counted over what the list is asked, but for their own field: so that another one can be chosen. */
  private readonly groupQuestion = computed((): ListQuestion | undefined => {
    const by = this.by();
    if (!by) return undefined;
    const pieces = this.pieces().filter(({ text }) => !text.toLowerCase().startsWith(`${by.name.toLowerCase()}:`));
    const { name: kind, sorts, sum } = this.kind();
    return {
      kind,
      of: { project: this.scope.slug(), ...this.of() },
      filter: together([this.within(), this.shownView().filter, filterOf(pieces)]),
      sort: sorts[0][0],
      count: true,
      groups: by.field ?? by.name,
      ...(sum ? { sum: sum[0] } : {}),
    };
  });
  private readonly selectGroups = computed(() => this.store.selectSignal(selectList(`${this.kind().name}#groups`)));
  protected readonly groups = computed(() => this.selectGroups()()?.groups ?? []);
  protected readonly inGroups = computed(() => askedValues(this.text(), this.by()?.name ?? ''));
  private readonly selectWindow = computed(() => this.store.selectSignal(selectList(this.kind().name)));
  protected readonly window = computed(() => this.selectWindow()());
  protected readonly rows = computed(() => (this.window()?.rows ?? []) as readonly (R | undefined)[]);
  protected readonly total = computed(() => this.window()?.total ?? null);
  protected readonly fresh = computed(() => new Set(this.window()?.fresh));
  protected readonly keys = computed(() => this.rows().map((row) => row?.key ?? ''));
  protected readonly picking = usePicking(this.keys);
  protected readonly count = computed(() => (this.everything() ? (this.total() ?? 0) : this.picking.shown().length));
  protected readonly exportOf = computed(() => {
    const filter = this.filter();
    return { ...this.of(), sort: this.sort(), ...(filter ? { filter: JSON.stringify(filter) } : {}) };
  });

  constructor() {
    const name = (): string => untracked(() => this.kind().name);
    effect(() => {
      const question = this.question();
      untracked(() => {
        listFrom(this.kind().name, this.kind().endpoint);
        this.store.dispatch(listActions.ask({ list: name(), question }));
        this.view()?.scrollToOffset(0);
        this.everything.set(false);
        this.picking.none();
        this.picking.goTo(0);
      });
    });
    // The keys begin at what is open, also where the page was made anew to open it.
    let placed = '';
    effect(() => {
      const current = this.current() ?? '';
      const at = current === placed ? -1 : this.keys().indexOf(current);
      if (at < 0) return;
      placed = current;
      untracked(() => this.picking.goTo(at));
    });
    // Where nothing is asked by the address, the list begins with the filter that its person said.
    if (!this.asked()) this.beginAsSaved();
    // Views tell how many of the place they hold, whatever else is asked.
    effect(() => {
      const { name: kind, views, sorts } = this.kind();
      const within = this.within();
      const of = { project: this.scope.slug(), ...this.of() };
      if (this.counts()) return;
      untracked(() => {
        for (const { name: view, filter } of views) {
          const question = { kind, of, filter: together([within, filter]), sort: sorts[0][0], count: true };
          this.store.dispatch(listActions.ask({ list: `${name()}#${view}`, question }));
        }
      });
    });
    effect(() => {
      const question = this.groupQuestion();
      untracked(() => {
        const list = `${name()}#groups`;
        this.store.dispatch(question ? listActions.ask({ list, question }) : listActions.close({ list }));
      });
    });
    effect(() => {
      const keys = [...this.picking.shown()];
      const filter = this.filter();
      const kind = this.kind().bulk;
      const all = this.everything();
      untracked(() =>
        this.chosen.emit(
          !kind || (!all && !keys.length) ? null : all ? { kind, filter: JSON.stringify(filter ?? { and: [] }) } : { kind, keys },
        ),
      );
    });
    keepInAddress(this.address, () => this.kind().aside);
    onChanged(
      () => this.kind().changedBy,
      (keys) => {
        this.store.dispatch(listActions.changed({ list: name(), keys }));
      },
    );
    onChanged(
      () => this.kind().changedBy,
      (keys) => {
        for (const counted of ['groups', ...this.kind().views.map((view) => view.name)])
          this.store.dispatch(listActions.changed({ list: `${name()}#${counted}`, keys }));
      },
      countedEvery,
    );
    onAction(baseActions.liveNews, ({ judged }) => {
      const here = judged.filter(({ build }) => build === this.scope.build());
      if (!this.kind().judged || !here.length) return;
      const keys =
        this.kind().judged === 'all' || here.some((one) => one.keys === null) ? null : [...new Set(here.flatMap((one) => one.keys ?? []))];
      if (keys?.length === 0) return;
      for (const list of [name(), `${name()}#groups`]) this.store.dispatch(listActions.changed({ list, keys }));
    });
    inject(DestroyRef).onDestroy(() => {
      this.store.dispatch(listActions.close({ list: name() }));
      for (const counted of ['groups', ...this.kind().views.map((view) => view.name)])
        this.store.dispatch(listActions.close({ list: `${name()}#${counted}` }));
    });
  }

  private beginAsSaved(): void {
    const at = (): { project: string; list: string } => ({ project: this.scope.slug(), list: this.kind().name });
    let begun = false;
    effect(() => {
      const { project, list } = at();
      if (project && !this.kind().aside) untracked(() => this.store.dispatch(baseCommands.listFilters.start({ project, list })));
    });
    effect(() => {
      const first = this.filters()[at().list]?.find((filter) => filter.first);
      untracked(() => {
        if (first && !begun && !this.asked()) this.ask(first.question);
        begun ||= first !== undefined;
      });
    });
  }

  /** Asks what an address or a saved filter holds. */
  ask(question: string): void {
    const asked = new URLSearchParams(question);
    this.text.set(asked.get('f') ?? '');
    this.viewName.set(asked.get('v') ?? '');
    this.order.set(asked.get('s') ?? '');
    this.grouped.set(asked.get('g') ?? '');
    this.shape.set(shapeOf(asked.get('t')));
  }

  protected toTable(): void {
    this.shape.set(this.tabled() ? '0' : '1');
  }

  protected countOf(view: string): number | null {
    const known = this.counts();
    return known ? (known[view] ?? null) : (this.store.selectSignal(selectList(`${this.kind().name}#${view}`))()?.total ?? null);
  }

  /** Chosen among what is seen, with those that the next row stands by. */
  protected see(first: number): void {
    const height = this.view()?.getViewportSize() ?? 600;
    const last = first + Math.ceil(height / this.rowHeight()) + 10;
    this.store.dispatch(listActions.see({ list: this.kind().name, first, last: Math.min(last, Math.max(0, this.rows().length - 1)) }));
  }

  protected foundIn(row: R): FoundPassage | null {
    return this.filter() ? (this.window()?.found[row.key] ?? null) : null;
  }

  /** Orders by a field, the other way round where it is so already; with Shift behind what it is ordered by. */
  protected sortBy(event: MouseEvent, field: string): void {
    const now = this.sort().split(',');
    const at = now.findIndex((name) => name.replace('-', '') === field.replace('-', ''));
    const turned = at < 0 ? field : now[at].startsWith('-') ? now[at].slice(1) : `-${now[at]}`;
    if (!event.shiftKey) return this.order.set(turned);
    this.order.set((at < 0 ? [...now, turned] : now.map((name, i) => (i === at ? turned : name))).slice(0, 3).join(','));
  }

  /** How the list is ordered by a field: its direction, and its place among several. */
  protected ordered(field: string): string {
    const now = this.sort().split(',');
    const at = now.findIndex((name) => name.replace('-', '') === field.replace('-', ''));
    return at < 0 ? '' : ` ${now[at].startsWith('-') ? '↓' : '↑'}${now.length > 1 ? at + 1 : ''}`;
  }

  protected groupBy(field: string): void {
    this.grouped.set(this.grouped() === field ? '' : field);
  }

  protected narrowTo(value: string): void {
    this.text.set(withValue(this.text(), this.by()?.name ?? '', value));
  }

  protected open(key: string, at: number): void {
    this.picking.goTo(at);
    if (key) this.opened.emit(key);
  }

  /** A press on the box, or with Ctrl, chooses; with Shift a stretch; anywhere else it opens. */
  protected pressed(event: MouseEvent, key: string, at: number): void {
    this.everything.set(false);
    if (!this.picking.pressed(event, key, at)) this.open(key, at);
  }

  protected press(event: KeyboardEvent): void {
    if (event.key === 'Escape' && this.count()) {
      event.preventDefault();
      return this.none();
    }
    this.picking.keys(event, this.view(), this.rowHeight(), (key, at) => this.open(key, at));
  }

  /** A row is dragged, with all that are chosen where it is one of them: onto whatever takes records by their keys. */
  protected drag(event: DragEvent, key: string): void {
    dragKeys(event, this.picking.has(key) ? this.picking.shown() : [key]);
  }

  protected write(written: CellWritten<R>): void {
    const { bulk, noun } = this.kind();
    if (bulk) void this.cells.write(bulk, noun[0], written);
  }

  /** Prints all that is found, as the table shows it. */
  protected print(): void {
    const filter = this.filter();
    void this.printer.print(
      this.kind(),
      { ...this.question().of, sort: this.sorted(), ...(filter ? { filter: JSON.stringify(filter) } : {}) },
      this.shownColumns.shown(),
      [this.shownView().words, this.text()].filter(Boolean).join(' · '),
    );
  }

  /** Opens the next record of the list, or the one before, wherever one is on the page. */
  protected step(event: KeyboardEvent): void {
    const name = this.keyNames.among(event, ['next', 'before']);
    const here = this.keys().indexOf(this.current() ?? '');
    const to = here + (name === 'next' ? 1 : -1);
    const key = name && here >= 0 ? this.keys()[to] : undefined;
    if (!key) return;
    event.preventDefault();
    showRow(this.view(), to, this.rowHeight());
    this.open(key, to);
  }

  protected all(): void {
    this.everything.set(true);
    this.picking.none();
  }

  /** Nothing is chosen any more. */
  none(): void {
    this.everything.set(false);
    this.picking.none();
  }

  protected readonly byPlace = (i: number, row: R | undefined): string | number => row?.key ?? i;
}
