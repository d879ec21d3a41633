import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatMenuModule } from '@angular/material/menu';
import { Router } from '@angular/router';
import { keyOf } from '@core/base';
import {
  cellWords,
  columnSums,
  comparedGroups,
  comparisonGroups,
  comparisonParts,
  partCounts,
  type CellState,
  type ComparisonGroup,
  type ComparisonPart,
} from '@core/run';
import { Icon, onNews, ProblemNote, RecordLink, toggled, useAddress, useProject } from '../../base';
import { RunNav } from '../run-nav';
import { runCommands, runFeature } from '../state';
import { ComparisonGrid, type CellChosen, type GridColumn } from './comparison-grid';

const acrossWords = { builds: 'Builds', rounds: 'Rounds', configurations: 'Configurations' } as const;
type Across = keyof typeof acrossWords;
const byWords: Readonly<Record<ComparisonGroup, string>> = {
  folder: 'by folder',
  requirement: 'by requirement',
  level: 'by level',
  none: 'in one list',
};
const partWords: Readonly<Record<ComparisonPart, string>> = {
  all: 'All',
  failing: 'Failing now',
  changed: 'Changed between',
  flips: 'Flips on one build',
  planned: 'Planned, not run',
  never: 'Never planned',
};
const shownStates: readonly CellState[] = ['passed', 'deviation', 'failed', 'blocked', 'outdated', 'planned'];

/** Results beside each other: how each case stands on builds, in rounds or configurations; what fails, what changed, what was never planned. */
@Component({
  selector: 'cp-comparison-page',
  imports: [ComparisonGrid, FormsModule, Icon, MatMenuModule, ProblemNote, RecordLink, RunNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page whole">
      <div class="page-head">
        <h1 class="grow">Results beside each other</h1>
        <button
          class="chip"
          type="button"
          [disabled]="!wide()"
          [attr.aria-pressed]="part() === 'changed'"
          (click)="go({ only: part() === 'changed' ? null : 'changed' })"
        >
          <cp-icon name="difference" /> What changed
        </button>
        <button class="chip" type="button" [matMenuTriggerFor]="more"><cp-icon name="download" /> Take out</button>
        <mat-menu #more="matMenu">
          @for (f of ['csv', 'xlsx', 'html']; track f) {
            <a mat-menu-item [href]="file(f)" download>{{ f.toUpperCase() }}</a>
          }
        </mat-menu>
      </div>
      <cp-run-nav />
      <div class="row" role="group" aria-label="What stands across and how it is grouped">
        @for (a of acrosses; track a) {
          <button
            class="chip"
            type="button"
            [attr.aria-pressed]="over() === a"
            (click)="go({ across: a === 'builds' ? null : a, of: null, hide: null })"
          >
            {{ acrossWords[a] }}
          </button>
        }
        @if (over() !== 'builds') {
          <label class="row small"
            ><input type="checkbox" [checked]="of() === 'all'" (change)="go({ of: of() === 'all' ? null : 'all' })" /> of all builds</label
          >
        }
        <label class="row small"
          ><span class="second">Cases</span
          ><select
            class="in"
            aria-label="How cases are grouped"
            name="by"
            [ngModel]="grouping()"
            (ngModelChange)="go({ by: $event === 'folder' ? null : $event })"
          >
            @for (g of groupNames; track g) {
              <option [value]="g">{{ byWords[g] }}</option>
            }
          </select></label
        >
        <button class="chip" type="button" [matMenuTriggerFor]="cols">Columns {{ columns().length }}</button>
        <mat-menu #cols="matMenu">
          @for (c of all(); track c.at) {
            <button
              mat-menu-item
              type="button"
              role="menuitemcheckbox"
              [attr.aria-checked]="!hidden().has(c.at)"
              (click)="$event.stopPropagation(); hideColumn(c.at)"
            >
              {{ hidden().has(c.at) ? '☐' : '☑' }} {{ c.key }}
            </button>
          }
        </mat-menu>
        <input
          class="in grow"
          type="search"
          aria-label="Filter cases by key or words"
          placeholder="Filter"
          name="q"
          [ngModel]="q() ?? ''"
          (ngModelChange)="go({ q: $event || null })"
        />
      </div>
      <div class="row" role="group" aria-label="Which cases">
        @for (p of parts; track p) {
          <button class="chip" type="button" [attr.aria-pressed]="part() === p" (click)="go({ only: p === 'all' ? null : p })">
            {{ partWords[p] }} {{ counts()[p] }}
          </button>
        }
        @if (part() === 'changed' && wide()) {
          <select class="in" aria-label="From" name="from" [ngModel]="between()[0]" (ngModelChange)="from.set($event)">
            @for (c of all(); track c.at) {
              <option [ngValue]="c.at">{{ c.key }}</option>
            }
          </select>
          <span class="second">and</span>
          <select class="in" aria-label="To" name="to" [ngModel]="between()[1]" (ngModelChange)="to.set($event)">
            @for (c of all(); track c.at) {
              <option [ngValue]="c.at">{{ c.key }}</option>
            }
          </select>
        }
        <span class="grow"></span>
        <span class="row small second legend">
          @for (s of states; track s) {
            <span><i [class]="'v v-' + s"></i> {{ words[s] }}</span>
          }
          <span>empty: not planned</span>
        </span>
      </div>
      <cp-problem [of]="name" />
      @if (loaded(); as l) {
        @if (l.more) {
          <p class="note waiting small">There are more cases or columns than are shown: at most 5,000 by 100.</p>
        }
        <cp-comparison-grid
          class="fill"
          [groups]="groups()"
          [columns]="columns()"
          [grouped]="grouping() !== 'none'"
          [kind]="over() === 'rounds' ? 'round' : null"
          [corner]="corner()"
          [none]="grouping() === 'folder' ? 'In no folder' : 'Verifies nothing'"
          (chosen)="chosen.set($event)"
          (opened)="open($event)"
        />
        <p class="row small status" role="status">
          @if (chosen(); as c) {
            <b>{{ c.row.key }}</b>&ngsp;<span class="second">on {{ c.column.key }}:</span>
            @if (c.state) {
              <i [class]="'v v-' + c.state"></i> {{ words[c.state] }}
              @if (c.run) {
                <cp-record kind="run" [key]="runKey(c.run)" [text]="runKey(c.run)" />
                <button class="plain" type="button" (click)="open(c.run)">Open run ›</button>
              }
              @if (c.row.flips.includes(c.column.at)) {
                <span class="t-suspect">Its verdicts flip there: it passed and failed in the same configuration.</span>
              }
            } @else {
              not planned
            }
          } @else {
            <span class="second">Arrows go from cell to cell, Enter opens the run, Space shuts a group.</span>
          }
        </p>
      } @else {
        <p class="empty" role="status">Laying results beside each other …</p>
      }
    </div>
  `,
  styleUrl: './comparison-page.scss',
})
export class ComparisonPage {
  /** From the address. */
  readonly across = input<string>();
  readonly of = input<string>();
  readonly by = input<string>();
  readonly only = input<string>();
  readonly q = input<string>();
  readonly hide = input<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly go = useAddress();
  protected readonly name = runCommands.comparison.name;
  protected readonly acrossWords = acrossWords;
  protected readonly acrosses = Object.keys(acrossWords) as Across[];
  protected readonly byWords = byWords;
  protected readonly groupNames = comparisonGroups;
  protected readonly parts = comparisonParts;
  protected readonly partWords = partWords;
  protected readonly words = cellWords;
  protected readonly states = shownStates;
  private readonly answer = this.store.selectSignal(runFeature.selectComparison);
  protected readonly over = computed((): Across => this.acrosses.find((a) => a === this.across()) ?? 'builds');
  protected readonly grouping = computed((): ComparisonGroup => comparisonGroups.find((g) => g === this.by()) ?? 'folder');
  protected readonly part = computed((): ComparisonPart => comparisonParts.find((p) => p === this.only()) ?? 'all');
  protected readonly loaded = computed(() => (this.answer()?.of === this.asked() ? this.answer()?.answer : null));
  protected readonly hidden = computed(() => new Set((this.hide() ?? '').split(',').filter(Boolean).map(Number)));
  protected readonly from = signal<number | null>(null);
  protected readonly to = signal<number | null>(null);
  protected readonly chosen = signal<CellChosen | null>(null);
  protected readonly all = computed(() => (this.loaded()?.columns ?? []).map((column, at) => ({ ...column, at })));
  /** At least two columns can be compared. */
  protected readonly wide = computed(() => this.all().length > 1);
  protected readonly between = computed((): [number, number] => {
    const last = Math.max(0, this.all().length - 1);
    return [Math.min(this.from() ?? Math.max(0, last - 1), last), Math.min(this.to() ?? last, last)];
  });
  protected readonly counts = computed(() => partCounts(this.loaded()?.rows ?? [], this.between()));
  protected readonly groups = computed(() =>
    comparedGroups(this.loaded()?.rows ?? [], { by: this.grouping(), only: this.part(), between: this.between(), words: this.q() ?? '' }),
  );
  protected readonly columns = computed((): GridColumn[] => {
    const rows = [...new Map(this.groups().flatMap((g) => g.rows.map((row) => [row.key, row] as const))).values()];
    const sums = columnSums(rows, this.all().length);
    return this.all().flatMap(({ at, key, title, build }) => (this.hidden().has(at) ? [] : [{ at, key, title, build, sum: sums[at] }]));
  });
  protected readonly corner = computed(() => {
    const rows = this.loaded()?.rows ?? [];
    return `${rows.length} cases, ${rows.filter((row) => row.latest).length} with a result`;
  });

  constructor() {
    effect(() => {
      this.asked();
      untracked(() => this.read());
    });
    onNews(4000, () => this.read());
  }

  private readonly question = computed(() => {
    const build = this.over() === 'builds' || this.of() === 'all' ? '' : this.scope.build();
    return { project: this.scope.slug(), across: this.over(), ...(build ? { build } : {}) };
  });
  private readonly asked = computed(() => JSON.stringify(this.question()));
  private read(): void {
    this.store.dispatch(runCommands.comparison.start(this.question()));
  }

  protected hideColumn(at: number): void {
    this.go({ hide: [...toggled(this.hidden(), at)].join(',') || null });
  }
  protected readonly runKey = (number: number): string => keyOf('RUN', number);
  protected open(run: number): void {
    void this.router.navigate(['/', this.scope.slug(), 'run', 'record', this.runKey(run)]);
  }
  protected file(format: string): string {
    const { project, ...question } = this.question();
    const [from, to] = this.between();
    const asked = {
      ...question,
      by: this.grouping(),
      only: this.part(),
      from: String(from),
      to: String(to),
      words: this.q() ?? '',
      columns: this.columns()
        .map(({ at }) => at)
        .join(','),
      format,
    };
    return `/api/projects/${project}/comparison/file?${new URLSearchParams(asked)}`;
  }
}
