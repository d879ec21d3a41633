import { CdkVirtualScrollViewport, ScrollingModule } from '@angular/cdk/scrolling';
import { NgTemplateOutlet } from '@angular/common';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  contentChild,
  DestroyRef,
  effect,
  inject,
  input,
  linkedSignal,
  output,
  signal,
  TemplateRef,
  untracked,
  viewChild,
} from '@angular/core';
import { ActivatedRoute } from '@angular/router';
import type { Filter, Selection } from '@contract/base';
import { keepInAddress } from '../address';
import { useDeviceMemory } from '../device-memory';
import { useKeys, type KeyName } from '../keys';
import { dragKeys, showRow } from '../list-keys';
import { FilterBar } from '../list/filter-bar';
import { filterOf, readFilter, together, type FilterField } from '../list/filter-text';
import { useFilterFields } from '../list/filter-fields';
import { useOfferedValues } from '../list/offered-values';
import { listActions, listFrom, selectList, type ListQuestion } from '../list/state';
import { onChanged, useProject } from '../live';
import { usePicking } from '../picking';
import { Icon } from '../ui/icon';
import { NodeTemplate, type Placing, type TreeKind } from './kind';
import { selectTree, treeActions, treeFrom } from './state';
import { pagesOf, rowsOf, stepOf, type TreeNode, type TreeQuestion, type TreeRow } from './tree-window';

const steps = { rowUp: 'up', rowDown: 'down', rowIn: 'in', rowOut: 'out' } as const satisfies Partial<Record<KeyName, string>>;
const stepNames = Object.keys(steps) as (keyof typeof steps)[];

/** Where a dragged row would go: before a row, behind it, or under it. */
interface Drop {
  readonly key: string;
  readonly zone: 'before' | 'behind' | 'under';
}

/**
 * Records in a tree, read branch by branch as far as somebody looks: folded, searched, chosen, moved by keys and by drag. The page tells
 * the kind and draws a row; where rows are put, it is told.
 */
@Component({
  selector: 'cp-record-tree',
  imports: [ScrollingModule, NgTemplateOutlet, FilterBar, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './record-tree.html',
  styleUrl: './record-tree.scss',
})
export class RecordTree<R extends TreeNode> {
  readonly kind = input.required<TreeKind<R>>();
  /** What the tree is of, as its branches are asked for. */
  readonly of = input.required<Readonly<Record<string, string>>>();
  /** The same, as the list of its records is asked. */
  readonly listOf = input.required<Readonly<Record<string, string>>>();
  /** Fields whose values only the page knows. */
  readonly moreFields = input<readonly FilterField[]>([]);
  readonly current = input('');
  readonly acting = input(false);
  /** Records are chosen here for somebody who asks for them: no acts on them are offered. */
  readonly choosing = input(false);
  /** May rows be moved? */
  readonly movable = input(false);
  readonly bulk = input<'requirement' | 'case'>();
  readonly opened = output<string>();
  readonly acts = output<boolean>();
  /** What is chosen, for acts on many; null for nothing. */
  readonly chosen = output<Selection | null>();
  readonly placed = output<Placing>();
  /** The rows that are on the screen. */
  readonly seen = output<readonly R[]>();
  /** What is looked for, so that just that is exported. */
  readonly asked = output<Filter | undefined>();

  private readonly keyNames = useKeys('Lists');
  protected readonly node = contentChild.required(NodeTemplate, { read: TemplateRef });
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly foldedHere = useDeviceMemory<readonly string[]>('folded');
  protected readonly view = viewChild(CdkVirtualScrollViewport);
  private readonly inAddress = inject(ActivatedRoute).snapshot.queryParamMap.get('f') ?? '';
  /** What is looked for, as text: in the address, but for somebody who chooses. */
  protected readonly text = linkedSignal(() => (this.choosing() ? '' : this.inAddress));
  protected readonly everything = signal(false);
  protected readonly drop = signal<Drop | null>(null);
  private dragged: readonly string[] = [];
  /** The range of what was found that the list was told of. */
  private listed = '';
  /** The rows that are on the screen, first and last. */
  private readonly range = signal<readonly [number, number]>([0, 30]);

  private readonly question = computed((): TreeQuestion => ({
    kind: this.kind().name,
    of: { project: this.scope.slug(), ...this.of() },
  }));
  private readonly place = computed(() => Object.values(this.of()).join('/'));
  private readonly selectWindow = computed(() => this.store.selectSignal(selectTree(this.kind().name)));
  protected readonly tree = computed(() => this.selectWindow()());
  protected readonly fields = useFilterFields(
    () => this.kind().list,
    () => this.moreFields(),
  );
  protected readonly offered = useOfferedValues({
    kind: () => this.kind().list,
    of: () => this.listOf(),
    within: () => undefined,
    text: this.text,
    fields: this.fields,
  });
  private readonly filter = computed(() => filterOf(readFilter(this.text(), this.fields())), {
    equal: (a, b) => JSON.stringify(a) === JSON.stringify(b),
  });
  private readonly searched = computed(() => this.filter() !== undefined);
  private readonly listName = computed(() => `${this.kind().list.name}#tree`);
  private readonly selectFound = computed(() => this.store.selectSignal(selectList(this.listName())));
  private readonly found = computed(() => (this.searched() ? this.selectFound()() : undefined));
  /** The tree, or what has the words that are looked for. */
  protected readonly rows = computed((): readonly TreeRow[] => {
    const found = this.found();
    if (found)
      return found.rows.map((row, at) => ({
        node: row && ({ ...row, children: 0 } as unknown as TreeNode),
        under: '',
        at,
        of: found.rows.length,
        depth: 0,
      }));
    const tree = this.tree();
    return tree ? rowsOf(tree) : [];
  });
  private readonly keys = computed(() => this.rows().map(({ node }) => node?.key ?? ''));
  protected readonly picking = usePicking(this.keys);
  protected readonly total = computed(() => (this.searched() ? (this.found()?.total ?? null) : (this.tree()?.total ?? null)));
  protected readonly count = computed(() => (this.everything() ? (this.total() ?? 0) : this.picking.shown().length));
  protected readonly fresh = computed(() => new Set(this.tree()?.fresh));
  protected readonly problem = computed(() => this.found()?.problem ?? this.tree()?.problem);

  constructor() {
    effect(() => {
      const question = this.question();
      untracked(() => {
        treeFrom(question.kind, this.kind().branches);
        this.store.dispatch(treeActions.ask({ tree: question.kind, question, folded: this.foldedHere.read(this.place()) ?? [] }));
        this.none();
      });
    });
    effect(() => {
      const filter = this.filter();
      const of = { project: this.scope.slug(), ...this.listOf() };
      untracked(() => {
        const list = this.listName();
        const { name, endpoint } = this.kind().list;
        listFrom(name, endpoint);
        const question: ListQuestion = { kind: name, of, filter, sort: 'key' };
        this.store.dispatch(filter ? listActions.ask({ list, question }) : listActions.close({ list }));
        this.asked.emit(filter);
        this.none();
        this.view()?.scrollToOffset(0);
      });
    });
    keepInAddress(
      computed(() => ({ f: this.text() })),
      () => this.choosing(),
    );
    this.showWhatIsOpen();
    // What is seen is read.
    effect((onCleanup) => {
      const sub = this.view()?.renderedRangeStream.subscribe(({ start, end }) => this.range.set([start, end]));
      onCleanup(() => sub?.unsubscribe());
    });
    effect(() => {
      const [from, to] = this.range();
      const rows = this.rows();
      if (this.problem()) return;
      untracked(() => {
        this.see(rows, from, to);
        this.seen.emit(rows.slice(from, to + 1).flatMap(({ node }) => (node ? [node as R] : [])));
      });
    });
    onChanged(
      () => this.kind().changedBy,
      (keys) => {
        this.store.dispatch(treeActions.changed({ tree: this.kind().name, keys, seen: this.seenPages() }));
        if (this.searched()) this.store.dispatch(listActions.changed({ list: this.listName(), keys }));
      },
    );
    effect(() => {
      const keys = [...this.picking.shown()];
      const all = this.everything();
      const filter = this.filter();
      const kind = this.bulk();
      untracked(() => this.chosen.emit(kind && (all || keys.length) ? (all ? this.whole(kind, filter) : { kind, keys }) : null));
    });
    inject(DestroyRef).onDestroy(() => {
      this.store.dispatch(treeActions.close({ tree: this.kind().name }));
      this.store.dispatch(listActions.close({ list: this.listName() }));
    });
  }

  /** The row that is open is brought into sight once, wherever in the tree it stands. */
  private showWhatIsOpen(): void {
    let asked = '';
    let shown = '';
    effect(() => {
      const current = this.current();
      const question = this.question();
      if (!current || this.tree()?.question !== question || this.tree()?.total === null) return;
      const at = this.keys().indexOf(current);
      if (at >= 0 && shown !== current) {
        shown = asked = current;
        untracked(() => {
          this.picking.goTo(at);
          setTimeout(() => showRow(this.view(), at, this.kind().rowHeight));
        });
      } else if (at < 0 && asked !== current && !this.searched()) {
        asked = current;
        untracked(() => this.store.dispatch(treeActions.reveal({ tree: question.kind, key: current })));
      }
    });
  }

  /** All that is shown, as a question: also what was never read here. */
  private whole(kind: 'requirement' | 'case', filter: Filter | undefined): Selection {
    const parts = Object.entries(this.listOf()).map(([field, value]): Filter => ({ field, is: [value] }));
    return { kind, filter: JSON.stringify(together([...parts, filter]) ?? { and: [] }) };
  }

  private seenPages() {
    const [from, to] = this.range();
    return pagesOf(
      this.rows()
        .slice(from, to + 1)
        .map((row) => ({ ...row, node: undefined })),
    );
  }

  private see(rows: readonly TreeRow[], from: number, to: number): void {
    if (this.searched()) {
      // The list answers to each of these, also where it changes nothing: once is enough.
      const last = Math.min(to, Math.max(0, rows.length - 1));
      const range = `${from} ${last} ${JSON.stringify(this.filter())}`;
      if (range !== this.listed) this.store.dispatch(listActions.see({ list: this.listName(), first: from, last }));
      this.listed = range;
      return;
    }
    const pages = pagesOf(rows.slice(from, to + 10));
    if (pages.length) this.store.dispatch(treeActions.see({ tree: this.kind().name, pages }));
  }

  protected again(): void {
    this.store.dispatch(treeActions.changed({ tree: this.kind().name, keys: null, seen: this.seenPages() }));
  }

  protected isFolded(row: TreeRow): boolean | null {
    return row.node?.children && !this.searched() ? (this.tree()?.folded[row.node.key] ?? false) : null;
  }

  protected fold(key: string, folded: boolean): void {
    this.store.dispatch(treeActions.fold({ tree: this.kind().name, key, folded }));
    this.foldedHere.keep(this.place(), Object.keys(this.tree()?.folded ?? {}));
  }

  /** A press on the box, or with Ctrl, chooses; with Shift a stretch; anywhere else it opens. */
  protected pressed(event: MouseEvent, key: string, at: number): void {
    this.everything.set(false);
    if (!this.picking.pressed(event, key, at)) this.open(key, at);
  }

  protected open(key: string, at: number): void {
    this.picking.goTo(at);
    if (key) this.opened.emit(key);
  }

  protected all(): void {
    this.everything.set(true);
    this.picking.none();
  }

  protected none(): void {
    this.everything.set(false);
    this.picking.none();
    this.acts.emit(false);
  }

  /** Arrows move; right opens a branch and goes into it, left folds it and goes to what it stands under. */
  protected press(event: KeyboardEvent): void {
    const at = this.picking.at();
    const row = this.rows()[at] as TreeRow | undefined;
    const step = this.keyNames.among(event, stepNames);
    if (step && row?.node) {
      event.preventDefault();
      return this.step(row.node.key, steps[step]);
    }
    const folded = row && this.isFolded(row);
    const plain = !event.altKey && !event.ctrlKey && !event.shiftKey;
    if (plain && row?.node && (event.key === 'ArrowRight' || event.key === 'ArrowLeft')) {
      event.preventDefault();
      const right = event.key === 'ArrowRight';
      if (folded !== null && folded === right) return this.fold(row.node.key, !right);
      const to = right ? (folded === false ? at + 1 : at) : this.keys().indexOf(row.node.under ?? '');
      if (to >= 0) this.goTo(to);
      return;
    }
    if (event.key === 'Escape' && this.count()) {
      event.preventDefault();
      return this.none();
    }
    this.everything.set(false);
    this.picking.keys(event, this.view(), this.kind().rowHeight, (key, place) => this.open(key, place));
  }

  private goTo(at: number): void {
    this.picking.goTo(at);
    showRow(this.view(), at, this.kind().rowHeight);
  }

  private step(key: string, step: 'up' | 'down' | 'in' | 'out'): void {
    const tree = this.tree();
    const to = tree && this.movable() && !this.searched() ? stepOf(tree, key, step, (node) => this.kind().holds(node as R)) : undefined;
    if (to) this.placed.emit({ keys: [key], ...to });
  }

  protected drag(event: DragEvent, key: string): void {
    this.dragged = this.picking.has(key) ? this.picking.shown() : [key];
    dragKeys(event, this.dragged);
  }

  protected over(event: DragEvent, { node }: TreeRow): void {
    if (!node || !this.movable() || this.searched() || !this.dragged.length || this.dragged.includes(node.key)) return this.drop.set(null);
    event.preventDefault();
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const share = (event.clientY - box.top) / box.height;
    const holds = this.kind().holds(node as R);
    this.drop.set({ key: node.key, zone: holds && share > 0.3 && share < 0.7 ? 'under' : share < 0.5 ? 'before' : 'behind' });
  }

  protected dropped(event: DragEvent): void {
    event.preventDefault();
    const drop = this.drop();
    const tree = this.tree();
    const node = drop && tree?.nodes[drop.key];
    const keys = this.dragged;
    this.dragOver();
    if (!drop || !tree || !node || !keys.length) return;
    const beside = tree.branches[node.under ?? ''] ?? [];
    const next = beside.slice(beside.indexOf(node.key) + 1).find((key) => key !== undefined && !keys.includes(key)) ?? null;
    this.placed.emit(
      drop.zone === 'under'
        ? { keys, under: node.key, before: null }
        : { keys, under: node.under, before: drop.zone === 'before' ? node.key : next },
    );
  }

  protected dragOver(): void {
    this.dragged = [];
    this.drop.set(null);
  }

  protected readonly byKey = (_: number, row: TreeRow): string => row.node?.key ?? `${row.under}.${row.at}`;
  protected readonly shown = (row: TreeRow): R => row.node as R;
}
