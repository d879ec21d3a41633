import { CdkVirtualScrollViewport, ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { Router } from '@angular/router';
import { compareKeys } from '@core/base';
import { emptyCase, plainContent } from '@core/design';
import type { Selection } from '@contract/base';
import { BulkPanel, ExportMenu, Icon, keysFilter, onAction, onChanged, ProblemNote, reviewChoices, usePicking, useProject } from '../base';
import { CaseRecord } from './case-record';
import { designCommands, designFeature } from './state';

const views = [
  ['all', 'All'],
  ['draft', 'Not approved'],
  ['suspect', 'Suspect'],
  ['untraced', 'Verify nothing'],
] as const;

const rowHeight = 50;

/** Design: the verification cases on the left, the chosen one beside them. */
@Component({
  selector: 'cp-design-page',
  imports: [ScrollingModule, MatButtonModule, BulkPanel, ExportMenu, Icon, ProblemNote, CaseRecord],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panes">
      <section class="pane pane-left side" aria-label="Cases">
        <div class="row">
          <h1 class="grow">Design</h1>
          @if (author()) {
            <button mat-stroked-button type="button" (click)="add()"><cp-icon name="add" /> Case</button>
          }
        </div>
        <div class="row" role="group" aria-label="Show">
          @for (v of views; track v[0]) {
            <button class="chip" type="button" [attr.aria-pressed]="view() === v[0]" (click)="view.set(v[0])">
              {{ v[1] }} {{ counts()[v[0]] }}
            </button>
          }
        </div>
        <label class="field"
          ><span class="hidden-visually">Filter</span
          ><input
            #wordsBox
            class="in"
            data-filter
            type="search"
            placeholder="Filter by key, words or requirement"
            [value]="words()"
            (input)="words.set(wordsBox.value)"
        /></label>
        <div class="row">
          <span class="second small grow" role="status"
            >{{ rows().length }} of {{ cases().length }}{{ picking.shown().length ? ', ' + picking.shown().length + ' chosen' : '' }}</span
          >
          @if (picking.shown().length) {
            <button class="chip" type="button" (click)="plan()"><cp-icon name="play_arrow" /> Plan a round</button
            ><button class="chip" type="button" [attr.aria-pressed]="acting()" (click)="acting.set(!acting())">
              <cp-icon name="checklist" /> Act on them</button
            ><button class="chip" type="button" (click)="pickNone()">Choose none</button>
          } @else {
            <button class="chip" type="button" (click)="picking.all()">Choose all shown</button>
          }
          <cp-export-menu list="cases" [shown]="shownKeys()" [total]="cases().length" />
        </div>
        @if (rows().length) {
          <cdk-virtual-scroll-viewport
            [itemSize]="rowHeight"
            class="cases"
            tabindex="0"
            role="listbox"
            aria-multiselectable="true"
            aria-label="Cases: arrows move, Enter opens, Space chooses, with Shift a stretch"
            (keydown)="keys($event)"
          >
            <div
              *cdkVirtualFor="let c of rows(); let i = index"
              role="option"
              tabindex="-1"
              class="item"
              [attr.aria-selected]="picking.has(c.key)"
              [class.on]="c.key === record()"
              [class.at]="i === picking.at()"
              (click)="pressed($event, c.key, i)"
              (keydown.enter)="open(c.key, i)"
            >
              <span class="box" aria-hidden="true">
                @if (picking.has(c.key)) {
                  <cp-icon name="check" />
                }
              </span>
              <span class="grow two"
                ><span class="one"
                  ><b class="key">{{ c.key }}</b> {{ c.title }}</span
                ><span class="small sub"
                  >{{ c.verifies.join(', ') || 'verifies nothing' }} · {{ c.steps }} steps · {{ c.plannedMinutes }} min</span
                ></span
              >
              @if (c.suspect) {
                <span class="tag suspect">suspect</span>
              } @else if (c.state !== 'approved') {
                <span class="tag waiting">{{ c.state === 'review' ? 'in review' : 'draft' }}</span>
              }
            </div>
          </cdk-virtual-scroll-viewport>
        } @else {
          <div class="empty">
            <h2>{{ cases().length ? 'Nothing matches' : 'No case yet' }}</h2>
            <p>{{ cases().length ? 'Change the filter.' : 'A case says what to do, step by step, and what must be seen.' }}</p>
          </div>
        }
        <cp-problem [of]="addName" />
      </section>
      <section class="pane" aria-label="Case">
        @if (acting() && picking.shown().length) {
          <cp-bulk-panel [of]="selection()" [choices]="choices()" (closed)="acting.set(false)" />
        } @else if (record(); as key) {
          <cp-case-record [key]="key" />
        } @else {
          <div class="empty">
            <h2>Choose a case</h2>
            <p>Its objective, steps and the requirements that it verifies stand here.</p>
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
    .cases {
      flex: 1;
      min-height: 120px;
      margin: 0 -8px;
    }
    .item {
      display: flex;
      align-items: center;
      gap: 10px;
      height: 50px;
      padding: 0 8px;
      border-radius: 8px;
      cursor: pointer;
    }
    .box {
      display: grid;
      place-items: center;
      width: 17px;
      height: 17px;
      border: 1.5px solid var(--hairline-strong);
      border-radius: 4px;
      flex: none;
      font-size: 12px;
    }
    .item:hover {
      background: var(--cord-tint);
    }
    .item.at {
      box-shadow: inset 2px 0 0 var(--hairline-strong);
    }
    .item.on {
      background: var(--pick);
      color: var(--on-pick);
    }
    .item.on .key {
      color: inherit;
    }
    .two {
      min-width: 0;
      display: flex;
      flex-direction: column;
    }
    .one,
    .sub {
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
    }
    .sub {
      opacity: 0.8;
      font-size: 12.5px;
    }
  `,
})
export class DesignPage {
  readonly record = input<string>();
  /** From the address: requirements for which a case is to be designed. */
  readonly for = input<string>();
  protected readonly scope = useProject();
  protected readonly rowHeight = rowHeight;
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  private readonly list = viewChild(CdkVirtualScrollViewport);
  private readonly paged = this.store.selectSignal(designFeature.selectCases);
  protected readonly cases = computed(() => this.paged().rows);
  protected readonly views = views;
  protected readonly view = signal<(typeof views)[number][0]>('all');
  protected readonly words = signal('');
  protected readonly addName = designCommands.addCase.name;
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  private readonly inView = computed(() => ({
    all: this.cases(),
    draft: this.cases().filter((c) => c.state !== 'approved'),
    suspect: this.cases().filter((c) => c.suspect),
    untraced: this.cases().filter((c) => !c.verifies.length),
  }));
  protected readonly counts = computed(() => Object.fromEntries(views.map(([name]) => [name, this.inView()[name].length])));
  protected readonly rows = computed(() => {
    const words = this.words().toLowerCase().split(/\s+/).filter(Boolean);
    const rows = this.inView()[this.view()].filter((c) =>
      words.every((word) => `${c.key} ${c.title} ${c.verifies.join(' ')}`.toLowerCase().includes(word)),
    );
    return [...rows].sort((a, b) => compareKeys(a.key, b.key));
  });
  protected readonly shownKeys = computed(() => this.rows().map((row) => row.key));
  protected readonly picking = usePicking(this.shownKeys);
  protected readonly acting = signal(false);
  protected readonly selection = computed((): Selection => ({ kind: 'case', keys: [...this.picking.shown()] }));
  protected readonly choices = computed(() => reviewChoices(this.scope.roles()));

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.store.dispatch(designCommands.listCases.start({ project })));
    });
    onChanged(['case', 'requirement'], (keys) =>
      this.store.dispatch(designCommands.listCases.start({ project: this.scope.slug(), ...(keys ? { filter: keysFilter(keys) } : {}) })),
    );
    effect(() => {
      const requirement = this.for();
      if (requirement) untracked(() => this.add([requirement]));
    });
    onAction(
      designCommands.addCase.done,
      ({ answer }) => void this.router.navigate(['/', this.scope.slug(), 'design', answer.key], { queryParams: { edit: 1 } }),
    );
  }

  protected add(verifies: string[] = []): void {
    this.store.dispatch(
      designCommands.addCase.start({
        project: this.scope.slug(),
        content: { ...plainContent(emptyCase), title: verifies.length ? `Case for ${verifies.join(', ')}` : 'New case' },
        verifies,
      }),
    );
  }

  protected open(key: string, at: number): void {
    this.picking.goTo(at);
    this.acting.set(false);
    void this.router.navigate(['/', this.scope.slug(), 'design', key]);
  }

  /** A press on the box, or with Ctrl, chooses; with Shift a stretch; anywhere else it opens. */
  protected pressed(event: MouseEvent, key: string, at: number): void {
    if (this.picking.pressed(event, key, at)) return;
    if (!(event.target as HTMLElement).closest('.box')) return this.open(key, at);
    this.picking.toggle(key, at);
    this.picking.goTo(at);
  }

  protected pickNone(): void {
    this.picking.none();
    this.acting.set(false);
  }

  protected plan(): void {
    void this.router.navigate(['/', this.scope.slug(), 'run'], { queryParams: { plan: this.picking.shown().join(',') } });
  }

  protected keys(event: KeyboardEvent): void {
    this.picking.keys(event, this.list(), rowHeight, (key, at) => this.open(key, at));
  }
}
