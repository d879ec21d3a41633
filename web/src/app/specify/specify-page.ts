import { CdkVirtualScrollViewport, ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatMenuModule } from '@angular/material/menu';
import { Router, RouterLink } from '@angular/router';
import { emptyRequirement, treeRows, verificationMethods } from '@core/specify';
import type { Selection } from '@contract/base';
import {
  BulkPanel,
  ExportMenu,
  Icon,
  keysFilter,
  onAction,
  onChanged,
  ProblemNote,
  reviewChoices,
  setChoice,
  usePicking,
  useProject,
  type BulkChoice,
} from '../base';
import { RequirementRecord } from './requirement-record';
import { specifyCommands, specifyFeature } from './state';

const rowHeight = 40;

/** Specify: a specification's tree on the left, the chosen requirement beside it. */
@Component({
  selector: 'cp-specify-page',
  imports: [
    ScrollingModule,
    FormsModule,
    RouterLink,
    MatMenuModule,
    MatButtonModule,
    BulkPanel,
    ExportMenu,
    Icon,
    ProblemNote,
    RequirementRecord,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panes">
      <section class="pane pane-left side" aria-label="Specification">
        <div class="row">
          <h1 class="grow">Specify</h1>
          @if (author()) {
            <a class="chip" [routerLink]="['/', scope.slug(), 'specify', 'import']" [queryParams]="{ into: specification() }"
              ><cp-icon name="upload_file" /> Import</a
            >
          }
          <cp-export-menu
            list="requirements"
            [of]="{ specification: specification() }"
            [shown]="keysOf(rows())"
            [total]="all().length"
            [again]="'/api/projects/' + scope.slug() + '/requirements.csv?specification=' + specification()"
          />
        </div>
        <div class="row tabs" role="group" aria-label="Specifications">
          @for (s of specifications(); track s.key) {
            <button class="chip" type="button" [attr.aria-pressed]="s.key === specification()" (click)="chosen.set(s.key)">
              {{ s.title }} {{ s.requirements }}
            </button>
          }
          @if (author()) {
            <button
              class="chip"
              type="button"
              [attr.aria-expanded]="beginning()"
              (click)="beginning.set(!beginning())"
              aria-label="Begin a specification"
            >
              <cp-icon name="add" />
            </button>
          }
        </div>
        @if (beginning() || (!specifications().length && author())) {
          <form class="stack-s sheet pad" (ngSubmit)="begin()">
            <h2>Begin a specification</h2>
            <label class="field"><span>Title</span><input class="in" name="title" [(ngModel)]="title" /></label>
            <div class="row">
              <label class="field grow"><span>Key, such as BRK</span><input class="in" name="key" [(ngModel)]="key" /></label
              ><label class="field grow"
                ><span>Prefix of its requirements</span><input class="in" name="prefix" [(ngModel)]="prefix"
              /></label>
            </div>
            <cp-problem [of]="names.begin" />
            <div><button mat-flat-button type="submit" [disabled]="!title().trim() || !key()">Begin</button></div>
          </form>
        }
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
            <button class="chip" type="button" [attr.aria-pressed]="acting()" (click)="acting.set(!acting())">
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
              [attr.aria-current]="row.item.key === shownKey() ? 'true' : null"
              class="item"
              [class.picked]="picking.has(row.item.key)"
              [class.on]="row.item.key === shownKey()"
              [class.at]="i === picking.at()"
              [class.heading]="row.item.kind === 'heading'"
              [style.padding-left.px]="8 + row.depth * 16"
              (click)="pressed($event, row.item.key, i)"
              (keydown.enter)="open(row.item.key, i)"
            >
              <b class="key">{{ row.item.key }}</b><span class="name">{{ row.item.title }}</span>
              @if (row.item.kind === 'requirement' && row.item.state !== 'approved') {
                <span class="tag waiting">{{ row.item.state === 'review' ? 'in review' : 'draft' }}</span>
              }
            </div>
          </cdk-virtual-scroll-viewport>
        } @else if (specifications().length) {
          <p class="empty">{{ words() ? 'Nothing has these words.' : 'This specification is empty.' }}</p>
        }
        @if (author() && specification()) {
          <div class="row">
            <button mat-stroked-button type="button" (click)="add('requirement')"><cp-icon name="add" /> Requirement</button
            ><button mat-button type="button" (click)="add('heading')">Heading</button>
          </div>
        }
        <cp-problem [of]="names.add" />
      </section>
      <section class="pane" aria-label="Requirement">
        @if (acting() && picking.shown().length) {
          <cp-bulk-panel [of]="selection()" [choices]="choices()" (closed)="acting.set(false)" />
        } @else if (shownKey(); as key) {
          <cp-requirement-record [key]="key" />
        } @else {
          <div class="empty">
            <h2>Choose a requirement</h2>
            <p>Its text, what it comes from and everything that proves it stand here.</p>
          </div>
        }
      </section>
    </div>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
    }
    .panes {
      grid-template-columns: 400px minmax(0, 1fr);
    }
    .side {
      display: flex;
      flex-direction: column;
      gap: 10px;
      overflow: hidden;
    }
    .side h1 {
      flex: 1;
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
export class SpecifyPage {
  /** From the address: a specification, or a requirement. */
  readonly spec = input<string>();
  readonly record = input<string>();
  protected readonly scope = useProject();
  protected readonly rowHeight = rowHeight;
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  private readonly view = viewChild(CdkVirtualScrollViewport);
  protected readonly specifications = this.store.selectSignal(specifyFeature.selectSpecifications);
  private readonly everything = this.store.selectSignal(specifyFeature.selectRequirements);
  private readonly detail = this.store.selectSignal(specifyFeature.selectDetail);
  protected readonly chosen = signal('');
  protected readonly words = signal('');
  protected readonly beginning = signal(false);
  protected readonly title = signal('');
  protected readonly key = signal('');
  protected readonly prefix = signal('');
  protected readonly names = { begin: specifyCommands.addSpecification.name, add: specifyCommands.addRequirement.name };
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly keysOf = (rows: readonly { readonly item: { readonly key: string } }[]): string[] => rows.map((row) => row.item.key);
  protected readonly shownKey = computed(() => this.record() ?? '');
  protected readonly specification = computed(() => this.chosen() || this.specifications()[0]?.key || '');
  protected readonly all = computed(() => this.everything().rows.filter((r) => r.specification === this.specification()));
  protected readonly rows = computed(() => {
    const rows = treeRows(this.all());
    const words = this.words().toLowerCase().split(/\s+/).filter(Boolean);
    return words.length
      ? rows.filter(({ item }) => words.every((word) => `${item.key} ${item.title} ${item.text}`.toLowerCase().includes(word)))
      : rows;
  });

  protected readonly picking = usePicking(computed(() => this.keysOf(this.rows())));
  protected readonly acting = signal(false);
  protected readonly selection = computed((): Selection => ({ kind: 'requirement', keys: [...this.picking.shown()] }));
  protected readonly choices = computed((): BulkChoice[] => [
    ...reviewChoices(this.scope.roles()),
    ...(this.author()
      ? [
          ...(this.scope.project()?.profile.levels ?? []).map((level) => setChoice('level', 'Level', level)),
          ...verificationMethods.map((method) => setChoice('method', 'Method', method)),
          ...this.specifications()
            .filter((s) => s.key !== this.specification())
            .map((s): BulkChoice => ({
              words: `Move to ${s.title}`,
              act: { act: 'move', specification: s.key, under: null },
              asks: 'nothing',
            })),
        ]
      : []),
  ]);

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => {
        this.store.dispatch(specifyCommands.listSpecifications.start({ project }));
        this.store.dispatch(specifyCommands.listRequirements.start({ project }));
      });
    });
    onChanged(['requirement'], (keys) =>
      this.store.dispatch(
        specifyCommands.listRequirements.start({ project: this.scope.slug(), ...(keys ? { filter: keysFilter(keys) } : {}) }),
      ),
    );
    onChanged(['specification'], () => this.store.dispatch(specifyCommands.listSpecifications.start({ project: this.scope.slug() })));
    // The tree shows the specification in which the opened requirement stands.
    effect(() => {
      const found = this.everything().rows.find((r) => r.key === this.record());
      if (found) untracked(() => this.chosen.set(found.specification));
      else if (this.spec()) untracked(() => this.chosen.set(this.spec() ?? ''));
    });
    onAction(
      specifyCommands.addRequirement.done,
      ({ answer }) =>
        void this.router.navigate(['/', this.scope.slug(), 'specify', 'requirement', answer.key], { queryParams: { edit: 1 } }),
    );
    onAction(specifyCommands.addSpecification.done, ({ answer }) => {
      this.beginning.set(false);
      this.chosen.set(answer.key);
    });
  }

  /** Ctrl adds to what is chosen, Shift a stretch; a plain press opens. */
  protected pressed(event: MouseEvent, key: string, at: number): void {
    if (!this.picking.pressed(event, key, at)) this.open(key, at);
  }

  protected pickNone(): void {
    this.picking.none();
    this.acting.set(false);
  }

  protected open(key: string, at: number): void {
    this.acting.set(false);
    this.picking.goTo(at);
    void this.router.navigate(['/', this.scope.slug(), 'specify', 'requirement', key]);
  }

  protected keys(event: KeyboardEvent): void {
    this.picking.keys(event, this.view(), rowHeight, (key, at) => this.open(key, at));
  }

  protected begin(): void {
    const key = this.key().trim().toUpperCase();
    this.store.dispatch(
      specifyCommands.addSpecification.start({
        project: this.scope.slug(),
        title: this.title().trim(),
        key,
        prefix: (this.prefix().trim() || key).toUpperCase(),
      }),
    );
  }

  /** A new requirement stands where the opened one stands. */
  protected add(kind: 'requirement' | 'heading'): void {
    const here = this.detail()?.specification === this.specification() ? this.detail() : null;
    const under = kind === 'heading' ? null : here?.kind === 'heading' ? here.key : (here?.under ?? null);
    const level = here?.level || (kind === 'requirement' ? (this.scope.project()?.level ?? '') : '');
    this.store.dispatch(
      specifyCommands.addRequirement.start({
        project: this.scope.slug(),
        specification: this.specification(),
        under,
        content: {
          ...emptyRequirement,
          kind,
          title: kind === 'heading' ? 'New heading' : 'New requirement',
          level,
          method: kind === 'heading' ? '' : 'test',
        },
      }),
    );
  }
}
