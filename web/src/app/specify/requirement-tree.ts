import { CdkVirtualScrollViewport, ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal, untracked, viewChild } from '@angular/core';
import { treeRows } from '@core/specify';
import { Icon, keysFilter, onChanged, reviewWords, usePicking, useProject } from '../base';
import { specifyCommands, specifyFeature } from './state';

const rowHeight = 40;

/** One specification's requirements below their headings; nothing of the others is read. */
@Component({
  selector: 'cp-requirement-tree',
  imports: [ScrollingModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <label class="field"
      ><span class="hidden-visually">Filter</span
      ><input
        #wordsBox
        class="in"
        data-filter
        type="search"
        placeholder="Filter by key or words"
        [value]="words()"
        (input)="words.set(wordsBox.value)"
    /></label>
    <div class="row">
      <span class="second small grow" role="status"
        >{{ rows().length }} of {{ all().length }}{{ picking.shown().length ? ', ' + picking.shown().length + ' chosen' : '' }}</span
      >
      @if (picking.shown().length) {
        <button class="chip" type="button" [attr.aria-pressed]="acting()" (click)="acts.emit(!acting())">
          <cp-icon name="checklist" /> Act on them
        </button>
        <button class="chip" type="button" (click)="pickNone()">Choose none</button>
      } @else if (rows().length) {
        <button class="chip" type="button" (click)="picking.all()">Choose all shown</button>
      }
    </div>
    @if (rows().length) {
      <cdk-virtual-scroll-viewport
        [itemSize]="rowHeight"
        class="tree"
        tabindex="0"
        role="tree"
        aria-multiselectable="true"
        aria-label="Requirements: arrows move, Enter opens, Space chooses, with Shift a stretch"
        (keydown)="keys($event)"
      >
        <div
          *cdkVirtualFor="let row of rows(); let i = index"
          role="treeitem"
          tabindex="-1"
          [attr.aria-level]="row.depth + 1"
          [attr.aria-selected]="picking.has(row.item.key)"
          [attr.aria-current]="row.item.key === current() ? 'true' : null"
          class="item"
          [class.picked]="picking.has(row.item.key)"
          [class.on]="row.item.key === current()"
          [class.at]="i === picking.at()"
          [class.heading]="row.item.kind === 'heading'"
          [style.padding-left.px]="8 + row.depth * 16"
          (click)="pressed($event, row.item.key, i)"
          (keydown.enter)="open(row.item.key, i)"
        >
          <b class="key">{{ row.item.key }}</b><span class="name">{{ row.item.title }}</span>
          @if (row.item.kind === 'requirement' && row.item.state !== 'approved') {
            <span class="tag waiting">{{ reviewWords(row.item.state) }}</span>
          }
        </div>
      </cdk-virtual-scroll-viewport>
    } @else {
      <p class="empty">
        {{ words() ? 'Nothing has these words.' : read() === specification() ? 'This specification is empty.' : 'Reading …' }}
      </p>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 10px;
      flex: 1;
      min-height: 0;
    }
    .tree {
      flex: 1;
      min-height: 120px;
      margin: 0 -8px;
    }
    .item {
      display: flex;
      align-items: center;
      gap: 10px;
      height: 40px;
      padding-right: 8px;
      border-radius: 8px;
      cursor: pointer;
      font-size: 13.5px;
    }
    .item:hover {
      background: var(--cord-tint);
    }
    .item.at {
      box-shadow: inset 2px 0 0 var(--hairline-strong);
    }
    .item.picked {
      box-shadow: inset 3px 0 0 var(--cord);
    }
    .item.on {
      background: var(--pick);
      color: var(--on-pick);
    }
    .item.on .key {
      color: inherit;
    }
    .heading .name {
      font-weight: 650;
    }
    .heading .key {
      color: var(--ink-2);
      font-weight: 500;
      font-size: 12px;
    }
    .name {
      flex: 1;
      min-width: 0;
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
    }
  `,
})
export class RequirementTree {
  protected readonly reviewWords = reviewWords;
  readonly specification = input.required<string>();
  readonly current = input('');
  /** Are the acts on what is chosen shown beside it? */
  readonly acting = input(false);
  readonly opened = output<string>();
  readonly acts = output<boolean>();
  /** The keys that are chosen. */
  readonly chosen = output<readonly string[]>();
  protected readonly rowHeight = rowHeight;
  private readonly scope = useProject();
  private readonly view = viewChild(CdkVirtualScrollViewport);
  private readonly everything = this.scope.store.selectSignal(specifyFeature.selectRequirements);
  protected readonly read = this.scope.store.selectSignal(specifyFeature.selectRead);
  protected readonly words = signal('');
  protected readonly all = computed(() => this.everything().rows.filter((r) => r.specification === this.specification()));
  protected readonly rows = computed(() => {
    const rows = treeRows(this.all());
    const words = this.words().toLowerCase().split(/\s+/).filter(Boolean);
    return words.length
      ? rows.filter(({ item }) => words.every((word) => `${item.key} ${item.title} ${item.text}`.toLowerCase().includes(word)))
      : rows;
  });
  protected readonly picking = usePicking(computed(() => this.rows().map(({ item }) => item.key)));

  constructor() {
    const read = (keys: readonly string[] | null): void => {
      const of = untracked(() => ({ project: this.scope.slug(), specification: this.specification() }));
      this.scope.store.dispatch(specifyCommands.listRequirements.start({ ...of, ...(keys ? { filter: keysFilter(keys) } : {}) }));
    };
    effect(() => {
      this.specification();
      untracked(() => read(null));
    });
    onChanged(['requirement'], read);
    effect(() => this.chosen.emit(this.picking.shown()));
  }

  /** Ctrl adds to what is chosen, Shift a stretch; a plain press opens. */
  protected pressed(event: MouseEvent, key: string, at: number): void {
    if (!this.picking.pressed(event, key, at)) this.open(key, at);
  }

  protected pickNone(): void {
    this.picking.none();
    this.acts.emit(false);
  }

  protected open(key: string, at: number): void {
    this.picking.goTo(at);
    this.opened.emit(key);
  }

  protected keys(event: KeyboardEvent): void {
    this.picking.keys(event, this.view(), rowHeight, (key, at) => this.open(key, at));
  }
}
