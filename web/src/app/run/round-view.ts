import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { DragDropModule } from '@angular/cdk/drag-drop';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatMenuModule } from '@angular/material/menu';
import { Router, RouterLink } from '@angular/router';
import type { Filter, Selection } from '@contract/base';
import { listRounds, type Round, type RunSummary } from '@contract/run';
import {
  Api,
  askReason,
  BulkPanel,
  CellTemplate,
  Icon,
  MadeFor,
  onChanged,
  Opening,
  ProblemNote,
  RecordList,
  RowLines,
  RowTemplate,
  setChoice,
  useProject,
  useStatement,
  type BulkChoice,
} from '../base';
import { RoundHands } from './round-hands';
import { RoundAdd, RoundPlace } from './round-keeping';
import { RoundProgressView } from './round-progress';
import { dayOver, nextWords, runKind, runTone } from './run-list';
import { runStateWords } from './words';
import { runCommands, runFeature } from './state';
import { useTesters } from './testers';

/** One round: its runs, with the state of each and the next thing to do. */
@Component({
  selector: 'cp-round',
  imports: [
    Opening,
    RouterLink,
    MatButtonModule,
    DragDropModule,
    MatMenuModule,
    BulkPanel,
    CellTemplate,
    Icon,
    MadeFor,
    ProblemNote,
    RecordList,
    RowLines,
    RowTemplate,
    RoundAdd,
    RoundHands,
    RoundPlace,
    RoundProgressView,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (round(); as r) {
      <div class="stack" cdkDropListGroup>
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
          @if (next()) {
            <a class="chip" [routerLink]="['/', scope.slug(), 'run', 'device']"><cp-icon name="download" /> Take along</a>
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
        @if (picked(); as p) {
          <div class="row">
            <button
              class="chip"
              type="button"
              aria-pressed="true"
              [attr.aria-label]="'No longer only ' + p.verdict + ' of ' + p.name"
              (click)="picked.set(null)"
            >
              {{ p.name }}: {{ p.verdict }} <cp-icon name="close" />
            </button>
          </div>
        }
        @if (mayShare()) {
          <cp-round-hands [round]="r" [selection]="selection()" />
        }
        @if (acting() && selection(); as chosen) {
          <cp-bulk-panel [of]="chosen" [choices]="choices()" (closed)="acting.set(false)" />
        }
        <cp-record-list class="runs" [kind]="kind" [of]="of()" [within]="within()" (opened)="open($event)" (chosen)="selection.set($event)">
          <button acts class="chip" type="button" [attr.aria-pressed]="acting()" (click)="acting.set(!acting())">Act on them</button>
          <ng-template [cpRow]="kind" let-run let-found="found">
            <cp-row-lines [row]="{ key: run.key, title: run.caseKey + ' ' + run.caseTitle }" [found]="found" [below]="run.testerName">
              <span class="row"
                ><span [class]="'tag ' + tone(run)">{{ words(run) }}</span></span
              >
            </cp-row-lines>
          </ng-template>
          <ng-template [cpCell]="kind" cpCellColumn="tester" let-run>
            @if (mayShare() && run.state === 'planned') {
              <span cdkDropList [cdkDropListEnterPredicate]="never" [cdkDropListSortingDisabled]="true">
                <span class="hand" cdkDrag [cdkDragData]="run"><cp-icon name="drag_indicator" />{{ run.testerName }}</span>
              </span>
            } @else {
              {{ run.testerName }}
            }
          </ng-template>
          <ng-template [cpCell]="kind" cpCellColumn="state" let-run>
            <span [class]="'tag ' + tone(run)">{{ words(run) }}</span>
            @if (run.outdated) {
              <span class="tag suspect">decide</span>
            }
            @if (run.due && !run.verdict) {
              <span class="tag" [class.broken]="late(run.due)">by {{ run.due }}</span>
            }
          </ng-template>
          <ng-template [cpCell]="kind" cpCellColumn="next" let-run>
            <a [routerLink]="placeOf(run)" (click)="$event.stopPropagation()">{{ nextOf(run) }}</a>
            @if (mayOrder() && !run.verdict) {
              <button
                class="tiny"
                type="button"
                [attr.aria-label]="run.key + ' earlier'"
                (click)="$event.stopPropagation(); move(run.key, -1)"
              >
                <cp-icon name="arrow_upward" />
              </button>
              <button
                class="tiny"
                type="button"
                [attr.aria-label]="run.key + ' later'"
                (click)="$event.stopPropagation(); move(run.key, 1)"
              >
                <cp-icon name="arrow_downward" />
              </button>
            }
          </ng-template>
          <ng-container empty>
            <p>No run is planned in this round.</p>
          </ng-container>
        </cp-record-list>
      </div>
    } @else {
      <cp-opening [key]="key()" [by]="opens" />
    }
  `,
  styles: `
    a[mat-flat-button] {
      color: var(--on-cord);
    }
    .title {
      font-size: 22px;
    }
    .tiny {
      padding: 2px;
      color: var(--ink-2);
      cursor: pointer;
      background: none;
      border: 0;
    }
    .hand {
      display: inline-flex;
      gap: 2px;
      align-items: center;
      vertical-align: middle;
      cursor: grab;
      touch-action: none;
    }
    .runs {
      display: flex;
      flex-direction: column;
      gap: 10px;
      flex: none;
      height: clamp(380px, calc(100dvh - 300px), 1200px);
    }
  `,
})
export class RoundView {
  readonly key = input.required<string>();
  protected readonly opens = runCommands.getRound.name;
  protected readonly scope = useProject();
  private readonly testers = useTesters();
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
  protected readonly kind = runKind;
  protected readonly of = computed(() => ({ build: this.round()?.build ?? this.scope.build() }));
  /** A segment of a chart that was pressed: only its runs are shown. */
  protected readonly picked = signal<{
    readonly by: 'person' | 'configuration' | 'folder';
    readonly name: string;
    readonly verdict: string;
  } | null>(null);
  protected readonly within = computed((): Filter => {
    const picked = this.picked();
    const round: Filter = { field: 'round', is: [this.key()] };
    if (!picked) return round;
    const { by, name, verdict } = picked;
    const login = [...this.scope.names()].find(([, printed]) => printed === name)?.[0] ?? name;
    return {
      and: [
        round,
        { field: by === 'person' ? 'tester' : by, is: [by === 'person' ? login : name] },
        { field: 'superseded', is: [false] },
        verdict === 'planned' ? { field: 'verdict', empty: true } : { field: 'verdict', is: [verdict] },
      ],
    };
  });
  protected readonly acting = signal(false);
  /** The other open rounds of the build, read when somebody wants to act. */
  private readonly others = signal<readonly Pick<Round, 'key' | 'title'>[]>([]);
  protected readonly selection = signal<Selection | null>(null);
  /** What may be done with several runs at once. */
  protected readonly choices = computed((): BulkChoice[] => {
    const roles = this.scope.roles();
    if (!roles.some((role) => role === 'author' || role === 'tester')) return [];
    return [
      ...this.testers().map(({ login, printedName }): BulkChoice => ({
        words: `Give to ${printedName}`,
        act: { act: 'reassign', tester: login },
        asks: 'reason',
      })),
      ...['high', ''].map((priority): BulkChoice => setChoice('priority', 'Priority', priority)),
      ...this.others().map(({ key, title }): BulkChoice => ({ ...setChoice('round', 'Round', key), words: `Move to ${key} ${title}` })),
      { words: 'Withdraw', act: { act: 'withdraw' }, asks: 'signature' },
    ];
  });
  protected readonly names = {
    close: runCommands.closeRound.name,
    reopen: runCommands.reopenRound.name,
    order: runCommands.moveRun.name,
  };
  private readonly dialogs = inject(MatDialog);
  private readonly router = inject(Router);
  private readonly api = inject(Api);
  protected readonly may = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'tester' || role === 'reviewer'));
  protected readonly mayOrder = computed(
    () => this.round()?.state === 'open' && this.scope.roles().some((role) => role === 'author' || role === 'tester'),
  );
  /** There is somebody else to give what nobody began. */
  protected readonly mayShare = computed(
    () => this.mayOrder() && this.testers().length > 1 && (this.round()?.items ?? []).some((run) => run.state === 'planned'),
  );
  /** A cell takes nothing in: runs are dropped on people. */
  protected readonly never = (): boolean => false;
  protected readonly keeping = signal(false);
  protected readonly adding = signal(false);
  protected readonly late = dayOver;
  protected readonly tone = runTone;
  protected readonly words = runStateWords;
  protected readonly nextOf = nextWords;
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
    effect(() => {
      const [acting, build] = [this.acting(), this.round()?.build];
      if (!acting || build === undefined) return;
      const filter = JSON.stringify({ field: 'state', is: ['open'] });
      untracked(() =>
        this.api
          .call(listRounds, { project: this.scope.slug(), build, filter, limit: 60 })
          .then(({ rows }) => this.others.set(rows.filter(({ key }) => key !== this.key())))
          // Without them runs stay where they are.
          .catch(() => this.others.set([])),
      );
    });
    onChanged(['run', 'round'], (keys) => {
      const mine = new Set([this.key(), ...(this.round()?.items.map((item) => item.key) ?? [])]);
      if (!keys || keys.some((key) => mine.has(key)))
        this.store.dispatch(runCommands.getRound.start({ project: this.scope.slug(), key: this.key() }));
    });
  }

  /** One place earlier or later. */
  protected move(run: string, by: -1 | 1): void {
    this.store.dispatch(runCommands.moveRun.start({ project: this.scope.slug(), key: this.key(), run, by }));
  }

  /** Where one goes on with a run: the Bench, or its record. */
  protected placeOf({ key, state }: RunSummary): readonly string[] {
    return ['/', this.scope.slug(), 'run', state === 'planned' || state === 'onBench' ? 'bench' : 'record', key];
  }

  protected open(key: string): void {
    void this.router.navigate(['/', this.scope.slug(), 'run', 'record', key]);
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
}
