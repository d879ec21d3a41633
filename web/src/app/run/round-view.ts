import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatMenuModule } from '@angular/material/menu';
import { RouterLink } from '@angular/router';
import type { RunSummary } from '@contract/run';
import { askReason, ExportMenu, Icon, MadeFor, onChanged, ProblemNote, RecordLink, useProject, useStatement } from '../base';
import { RoundAdd, RoundPlace } from './round-keeping';
import { RoundProgressView } from './round-progress';
import { runStateWords } from './words';
import { runCommands, runFeature } from './state';

/** One round: its runs, with the state of each and the next thing to do. */
@Component({
  selector: 'cp-round',
  imports: [
    RouterLink,
    MatButtonModule,
    MatMenuModule,
    ExportMenu,
    Icon,
    MadeFor,
    ProblemNote,
    RecordLink,
    RoundAdd,
    RoundPlace,
    RoundProgressView,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (round(); as r) {
      <div class="stack">
        <div class="page-head">
          <h2 class="title">{{ r.title }}</h2>
          <span class="second grow">{{ r.key }} · {{ r.build }} · {{ r.configuration }}{{ r.unit ? ' · ' + r.unit : '' }}</span>
          @if (r.state !== 'open') {
            <span [class]="'tag ' + (r.state === 'closed' ? 'sound' : 'broken')">{{ r.state }}</span>
          }
          @if (may()) {
            <button class="chip" type="button" [matMenuTriggerFor]="more" aria-label="More to do with this round">
              <cp-icon name="more_horiz" />
            </button>
            <mat-menu #more="matMenu">
              @if (r.state === 'open') {
                <button mat-menu-item type="button" (click)="keeping.set(!keeping())">Folder, day, pattern</button>
                <button mat-menu-item type="button" (click)="adding.set(!adding())">Add cases</button>
                <button mat-menu-item type="button" (click)="close()">Close the round</button>
                @if (mayWithdraw()) {
                  <button mat-menu-item type="button" (click)="withdraw()">Withdraw the round</button>
                }
              }
              @if (r.state === 'closed') {
                <button mat-menu-item type="button" (click)="reopen()">Open it again</button>
              }
              <a mat-menu-item [routerLink]="['/', scope.slug(), 'run', 'plan']" [queryParams]="{ round: r.key }">Plan it again</a>
              <a mat-menu-item [routerLink]="['/', scope.slug(), 'run', 'plan']" [queryParams]="{ round: r.key, part: 'failed' }"
                >Plan what failed or was blocked</a
              >
              <a mat-menu-item [href]="document('pdf')" download>Results as PDF</a>
              <a mat-menu-item [href]="document('docx')" download>Results as DOCX</a>
              <a mat-menu-item [href]="document('sheets')" download>Run sheets to print</a>
            </mat-menu>
          }
          @if (next(); as run) {
            <a mat-flat-button [routerLink]="['/', scope.slug(), 'run', 'bench', run.key]"
              ><cp-icon name="play_arrow" /> {{ run.state === 'onBench' ? 'Go on with' : 'Record' }} {{ run.caseKey }}</a
            >
          }
        </div>
        <cp-problem [of]="withdrawing" /><cp-problem [of]="names.close" /><cp-problem [of]="names.reopen" /><cp-problem
          [of]="names.order"
        />
        <div class="row">
          @if (r.folder) {
            <span class="tag"><cp-icon name="folder" /> {{ r.folder }}</span>
          }
          @if (r.due) {
            <span class="tag" [class.broken]="late(r.due)">wanted by {{ r.due }}</span>
          }
          @if (r.isPattern) {
            <span class="tag">a pattern</span>
          }
          <cp-made-for [key]="r.key" />
        </div>
        @if (keeping()) {
          <cp-round-place [of]="r" (closed)="keeping.set(false)" />
        }
        @if (adding()) {
          <cp-round-add [key]="r.key" />
        }
        @if (r.runs > 1) {
          <cp-round-progress [key]="r.key" [recorded]="r.recorded" (asked)="picked.set($event)" />
        }
        <div class="row" role="group" aria-label="Show">
          @for (f of filters(); track f.name) {
            <button class="chip" type="button" [attr.aria-pressed]="filter() === f.name" (click)="filter.set(f.name)">
              {{ f.name }} {{ f.count }}
            </button>
          }
          @if (picked(); as p) {
            <button
              class="chip"
              type="button"
              aria-pressed="true"
              [attr.aria-label]="'No longer only ' + p.verdict + ' of ' + p.name"
              (click)="picked.set(null)"
            >
              {{ p.name }}: {{ p.verdict }} <cp-icon name="close" />
            </button>
          }
          <span class="grow"></span>
          <cp-export-menu list="runs" [shown]="shownKeys()" [total]="items().length + 1" />
        </div>
        <section class="sheet">
          <table class="list">
            <thead>
              <tr>
                <th scope="col">Run</th>
                <th scope="col">Case</th>
                <th scope="col">Title</th>
                <th scope="col">Tester</th>
                <th scope="col">State</th>
                <th scope="col" class="num">Minutes</th>
                <th scope="col"><span class="hidden-visually">Do</span></th>
              </tr>
            </thead>
            <tbody>
              @for (run of items(); track run.key; let i = $index, first = $first, last = $last) {
                <tr [class.second]="run.state === 'superseded'">
                  <td class="nowrap">
                    <cp-record kind="run" [key]="run.key" />
                    @if (mayOrder() && !run.verdict) {
                      <button class="tiny" type="button" [disabled]="first" [attr.aria-label]="run.key + ' earlier'" (click)="move(i, -1)">
                        <cp-icon name="arrow_upward" />
                      </button>
                      <button class="tiny" type="button" [disabled]="last" [attr.aria-label]="run.key + ' later'" (click)="move(i, 1)">
                        <cp-icon name="arrow_downward" />
                      </button>
                    }
                  </td>
                  <td>
                    <cp-record kind="case" [key]="run.caseKey" />&ngsp;<span class="second small">r{{ run.caseRevision }}</span>
                  </td>
                  <td>{{ run.caseTitle }}{{ run.row === null ? '' : ' · row ' + run.row }}</td>
                  <td>{{ run.testerName }}</td>
                  <td>
                    <span [class]="'tag ' + tone(run)">{{ words(run) }}</span>
                    @if (run.outdated) {
                      <span class="tag suspect">case revised: decide</span>
                    }
                    @if (run.carriedOver) {
                      <span class="tag">carried over</span>
                    }
                    @if (run.due && !run.verdict) {
                      <span class="tag" [class.broken]="late(run.due)">by {{ run.due }}</span>
                    }
                    @if (run.priority && !run.verdict) {
                      <span class="tag">{{ run.priority }}</span>
                    }
                    @if (r.items.length && several()) {
                      <span class="second small">{{ run.configuration }}</span>
                    }
                  </td>
                  <td class="num nowrap">{{ run.seconds ? (run.seconds / 60).toFixed(0) : '–' }} of {{ run.plannedMinutes }}</td>
                  <td class="nowrap">
                    @if (run.state === 'planned' || run.state === 'onBench') {
                      <a [routerLink]="['/', scope.slug(), 'run', 'bench', run.key]">Bench ›</a>
                    } @else {
                      <a [routerLink]="['/', scope.slug(), 'run', 'record', run.key]">{{
                        run.state === 'recorded' ? 'Sign ›' : run.state === 'performed' ? 'Review ›' : 'Open ›'
                      }}</a>
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        </section>
      </div>
    } @else {
      <p class="empty" role="status">Opening {{ key() }} …</p>
    }
  `,
  styles: `
    a[mat-flat-button] {
      color: var(--on-cord);
    }
    .title {
      font-size: 22px;
    }
    .nowrap {
      white-space: nowrap;
    }
    .tiny {
      padding: 2px;
      color: var(--ink-2);
      cursor: pointer;
      background: none;
      border: 0;
    }
    .tiny:disabled {
      opacity: 0.3;
    }
    tr.second td {
      opacity: 0.75;
    }
  `,
})
export class RoundView {
  readonly key = input.required<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly statement = useStatement();
  protected readonly withdrawing = runCommands.withdrawRound.name;
  protected readonly mayWithdraw = computed(() => {
    const r = this.round();
    const mine = this.scope.roles().some((role) => role === 'author' || role === 'tester' || role === 'reviewer');
    return mine && !!r && r.runs > 0 && r.items.every((run) => run.verdict === null);
  });
  private readonly loaded = this.store.selectSignal(runFeature.selectRound);
  protected readonly round = computed(() => (this.loaded()?.key === this.key() ? this.loaded() : null));
  protected readonly filter = signal('All');
  private readonly groups: readonly { readonly name: string; readonly keep: (run: RunSummary) => boolean }[] = [
    { name: 'All', keep: () => true },
    { name: 'To record', keep: (run) => run.state === 'planned' || run.state === 'onBench' },
    { name: 'To sign', keep: (run) => run.state === 'recorded' },
    { name: 'To review', keep: (run) => run.state === 'performed' },
    { name: 'Failed', keep: (run) => run.verdict === 'failed' && run.state !== 'superseded' },
    { name: 'To decide', keep: (run) => run.outdated },
  ];
  protected readonly filters = computed(() =>
    this.groups.map(({ name, keep }) => ({ name, count: (this.round()?.items ?? []).filter(keep).length })),
  );
  protected readonly shownKeys = computed(() => this.items().map((run) => run.key));
  /** A segment of a chart that was pressed: only its runs are shown. */
  protected readonly picked = signal<{
    readonly by: 'person' | 'configuration' | 'folder';
    readonly name: string;
    readonly verdict: string;
  } | null>(null);
  protected readonly items = computed(() => {
    const picked = this.picked();
    return (this.round()?.items ?? [])
      .filter(this.groups.find((g) => g.name === this.filter())?.keep ?? (() => true))
      .filter((run) => !picked || (this.placeOf(run, picked.by) === picked.name && (run.verdict ?? 'planned') === picked.verdict));
  });
  private readonly progress = this.store.selectSignal(runFeature.selectProgress);
  /** Where a run stands in the bars of the round's progress. */
  private placeOf(run: RunSummary, by: 'person' | 'configuration' | 'folder'): string | undefined {
    if (by === 'person') return run.testerName;
    return by === 'configuration' ? run.configuration : this.progress()?.of.folders[run.caseKey];
  }
  protected readonly several = computed(() => new Set((this.round()?.items ?? []).map((run) => run.configuration)).size > 1);
  protected readonly names = {
    close: runCommands.closeRound.name,
    reopen: runCommands.reopenRound.name,
    order: runCommands.orderRuns.name,
  };
  private readonly dialogs = inject(MatDialog);
  protected readonly may = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'tester' || role === 'reviewer'));
  protected readonly mayOrder = computed(
    () =>
      this.round()?.state === 'open' &&
      this.filter() === 'All' &&
      !this.picked() &&
      this.scope.roles().some((role) => role === 'author' || role === 'tester'),
  );
  protected readonly keeping = signal(false);
  protected readonly adding = signal(false);
  protected late(day: string): boolean {
    return day < new Date().toISOString().slice(0, 10);
  }
  protected document(format: string): string {
    return `/api/projects/${this.scope.slug()}/rounds/${this.key()}/document?format=${format}`;
  }
  protected readonly next = computed(() => {
    const mine = (this.round()?.items ?? []).filter((run) => run.tester === this.scope.session()?.person.login);
    return mine.find((run) => run.state === 'onBench') ?? mine.find((run) => run.state === 'planned');
  });

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      untracked(() => this.store.dispatch(runCommands.getRound.start(at)));
    });
    onChanged(['run', 'round'], (keys) => {
      const mine = new Set([this.key(), ...(this.round()?.items.map((item) => item.key) ?? [])]);
      if (!keys || keys.some((key) => mine.has(key)))
        this.store.dispatch(runCommands.getRound.start({ project: this.scope.slug(), key: this.key() }));
    });
  }

  /** One place earlier or later among those that are shown; what is recorded keeps its place. */
  protected move(at: number, by: number): void {
    const keys = this.items().map(({ key }) => key);
    const [key] = keys.splice(at, 1);
    keys.splice(at + by, 0, key);
    this.store.dispatch(
      runCommands.orderRuns.start({ project: this.scope.slug(), key: this.key(), runs: keys.map((of) => ({ key: of })) }),
    );
  }

  protected close(): void {
    const r = this.round();
    if (!r) return;
    const open = r.runs - r.recorded;
    this.statement({
      title: `Close ${r.key}`,
      meaning: `It is done: ${r.recorded} of ${r.runs} runs are recorded${open ? `, ${open} stay as they are, without a result` : ''}. Nothing is recorded in it any more until somebody opens it again.`,
    }).subscribe(({ reason, password }) =>
      this.store.dispatch(runCommands.closeRound.start({ project: this.scope.slug(), key: r.key, reason, password })),
    );
  }

  protected reopen(): void {
    askReason(this.dialogs, { title: `Open ${this.key()} again`, text: 'Its closing stays in its history.', confirm: 'Open it' }).subscribe(
      (reason) => this.store.dispatch(runCommands.reopenRound.start({ project: this.scope.slug(), key: this.key(), reason })),
    );
  }

  /** Planned by mistake: nobody has recorded anything in it. */
  protected withdraw(): void {
    const r = this.round();
    if (!r) return;
    this.statement({
      title: `Withdraw ${r.key}`,
      meaning: `It was planned by mistake: its ${r.runs === 1 ? 'run is' : `${r.runs} runs are`} withdrawn with it. They stay readable, and count for nothing.`,
    }).subscribe(({ reason, password }) =>
      this.store.dispatch(runCommands.withdrawRound.start({ project: this.scope.slug(), key: r.key, reason, password })),
    );
  }

  protected words(run: RunSummary): string {
    return runStateWords(run);
  }

  protected tone(run: RunSummary): string {
    return run.verdict === 'failed' ? 'broken' : run.state === 'reviewed' ? 'sound' : run.state === 'superseded' ? '' : 'waiting';
  }
}
