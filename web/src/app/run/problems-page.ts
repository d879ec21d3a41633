import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { DatePipe } from '@angular/common';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router, RouterLink } from '@angular/router';
import type { Filter } from '@contract/base';
import { listProblems, type Problem } from '@contract/run';
import { listRequirements } from '@contract/specify';
import { MatDialog } from '@angular/material/dialog';
import {
  askSignature,
  type FilterField,
  Icon,
  keysFilter,
  Needs,
  onAction,
  onChanged,
  OwnFields,
  type PickedRow,
  Opening,
  ProblemNote,
  recordCommands,
  RecordLink,
  RecordList,
  RecordPanels,
  RecordPicker,
  RowLines,
  RowTemplate,
  type SignRequest,
  useProject,
} from '../base';
import { ProblemBoard, type BoardMove } from './problem-board';
import { ProblemFiguresView } from './problem-figures';
import { problemKind } from './problem-list';
import { ProblemStageForm, type StageAsked } from './problem-stage';
import { OutsideLinkView } from './outside-link';
import { RunNav } from './run-nav';
import { runCommands, runFeature } from './state';

const empty = { title: '', description: '', blocking: true, requirements: [] as string[] };

/** Problem reports: the list, and the chosen one beside it. */
@Component({
  selector: 'cp-problems-page',
  imports: [
    DatePipe,
    FormsModule,
    MatButtonModule,
    Icon,
    Opening,
    ProblemNote,
    RecordLink,
    RecordList,
    RecordPanels,
    RecordPicker,
    RowLines,
    RowTemplate,
    Needs,
    OutsideLinkView,
    OwnFields,
    ProblemBoard,
    ProblemFiguresView,
    ProblemStageForm,
    RouterLink,
    RunNav,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panes beside" [class.one]="adding() || key()">
      <section class="pane pane-left side" aria-label="Problem reports">
        <cp-run-nav />
        <div class="row">
          <h1 class="grow">Problem reports</h1>
          @if (may()) {
            <button class="chip" type="button" (click)="adding.set(true)"><cp-icon name="add" /> Report</button>
          }
        </div>
        <cp-record-list [kind]="kind" [moreFields]="fields()" [current]="key()" (opened)="open($event)">
          <ng-template [cpRow]="kind" let-p let-found="found">
            <cp-row-lines
              [row]="p"
              [found]="found"
              [below]="p.build + (p.requirements.length ? ' · against ' + p.requirements.join(', ') : '')"
            />
            <span [class]="'tag ' + (p.state === 'closed' ? 'sound' : p.blocking ? 'broken' : 'waiting')">{{ stageTitle(p.stage) }}</span>
          </ng-template>
          <ng-container empty>
            <h2>No problem report</h2>
            <p>A failed step opens one, filled from its run.</p>
          </ng-container>
        </cp-record-list>
      </section>
      <section class="pane stack" aria-label="Problem report">
        <button class="chip back" type="button" (click)="open('')"><cp-icon name="chevron_left" /> Reports</button>
        @if (adding()) {
          <form class="sheet pad stack" (ngSubmit)="add()">
            <h2>Report a problem on {{ scope.build() }}</h2>
            <label class="field"
              ><span>Title</span><input class="in" name="title" [ngModel]="draft().title" (ngModelChange)="put({ title: $event })"
            /></label>
            <label class="field"
              ><span>What happened</span
              ><textarea
                class="in"
                rows="5"
                name="text"
                [ngModel]="draft().description"
                (ngModelChange)="put({ description: $event })"
              ></textarea>
            </label>
            <div class="field">
              <span>Requirements that it stands against</span>
              <div class="row">
                @for (r of draft().requirements; track r) {
                  <span class="chip"
                    ><cp-record kind="requirement" [key]="r" /><button
                      type="button"
                      class="chip"
                      [attr.aria-label]="'Not against ' + r"
                      (click)="against(draft().requirements, r)"
                    >
                      <cp-icon name="close" /></button
                  ></span>
                }
              </div>
              <cp-record-picker
                [from]="requirementsFrom"
                [without]="draft().requirements"
                [where]="tracedKind"
                label="Requirement that it stands against"
                (picked)="put({ requirements: draft().requirements.concat(keysOf($event)) })"
              />
            </div>
            <label class="check"
              ><input type="checkbox" name="blocks" [ngModel]="draft().blocking" (ngModelChange)="put({ blocking: $event })" /> It blocks
              their proof until it is closed</label
            >
            <cp-problem [of]="names.add" />
            <div class="row">
              <button mat-flat-button type="submit" [cpNeeds]="titleMissing">Raise it</button
              ><button mat-button type="button" (click)="adding.set(false)">Cancel</button>
            </div>
          </form>
        } @else if (problem(); as p) {
          <article class="stack">
            <section class="sheet pad stack">
              <div class="row">
                <span class="key">{{ p.key }}</span><span [class]="'tag ' + (p.state === 'open' ? 'broken' : 'sound')">{{ p.state }}</span>
                @if (p.blocking) {
                  <span class="tag waiting">blocks</span>
                }
                <span class="second small">{{ p.raisedBy }}, {{ p.raisedAt | date: 'yyyy-MM-dd HH:mm' }}</span>
              </div>
              <h1>{{ p.title }}</h1>
              <p class="text">{{ p.description }}</p>
              <dl class="facts">
                <dt>Build</dt>
                <dd>{{ p.build }}</dd>
                @if (p.run) {
                  <dt>Run</dt>
                  <dd><cp-record kind="run" [key]="p.run" />{{ p.step ? ', step ' + p.step : '' }}</dd>
                }
                @if (p.caseKey) {
                  <dt>Case</dt>
                  <dd><cp-record kind="case" [key]="p.caseKey" /></dd>
                }
                <dt>Stands against</dt>
                <dd>
                  @for (r of p.requirements; track r) {
                    <cp-record kind="requirement" [key]="r" />&ngsp;
                  } @empty {
                    no requirement
                  }
                </dd>
                @if (p.fixedIn) {
                  <dt>Fixed in</dt>
                  <dd>
                    {{ p.fixedIn }}{{ p.state === 'closed' ? ': it stands no longer from there on' : ', as is said: to be shown there' }}
                  </dd>
                  <dt>Shown by</dt>
                  <dd>
                    @for (s of p.shownBy; track s.key) {
                      <cp-record kind="run" [key]="s.key" [text]="s.key" /> {{ s.verdict ?? 'not run yet' }}{{ ' ' }}
                    } @empty {
                      no run of its case on {{ p.fixedIn }} yet
                      @if (p.caseKey) {
                        <a [routerLink]="['/', scope.slug(), 'run', 'plan']" [queryParams]="{ cases: p.caseKey }">plan one ›</a>
                      }
                    }
                  </dd>
                }
                @for (fact of factsOf(p); track fact[0]) {
                  <dt>{{ fact[0] }}</dt>
                  <dd>{{ fact[1] }}</dd>
                }
                @if (p.closedReason) {
                  <dt>Closed because</dt>
                  <dd>{{ p.closedReason }}</dd>
                }
              </dl>
              <cp-problem [of]="names.stage" /><cp-problem [of]="names.link" />
              @if (may() && life()) {
                <cp-problem-stage [of]="p" [life]="life()!" [to]="to()" (asked)="stage(p, $event)" />
                <div class="row end">
                  <label class="field"
                    ><span>Another report</span
                    ><select class="in" name="linkKind" [ngModel]="linkKind()" (ngModelChange)="linkKind.set($event)">
                      @for (k of linkKinds; track k[0]) {
                        <option [value]="k[0]">{{ k[1] }}</option>
                      }
                    </select></label
                  ><cp-record-picker
                    [from]="problemsFrom"
                    [without]="[p.key]"
                    label="The other report"
                    placeholder="Key or words"
                    (picked)="link(p, $event)"
                  />
                </div>
              }
            </section>
            <cp-outside-link [of]="p.key" />
            <cp-own-fields kind="problem" [of]="p" />
            <cp-record-panels [key]="p.key" />
          </article>
        } @else if (key(); as k) {
          <cp-opening [key]="k" [by]="opens" [otherwise]="'There is no problem report ' + k + '.'" />
        } @else {
          <div class="row" role="group" aria-label="Shown">
            <button class="chip" type="button" [attr.aria-pressed]="!board()" (click)="showBoard(false)">
              <cp-icon name="trending_up" /> Figures
            </button>
            <button class="chip" type="button" [attr.aria-pressed]="!!board()" (click)="showBoard(true)">
              <cp-icon name="view_column" /> By stage
            </button>
          </div>
          @if (board()) {
            <cp-problem [of]="names.stage" />
            @if (life(); as l) {
              <cp-problem-board [life]="l" (opened)="open($event)" (moved)="move($event)" />
            }
          } @else {
            <cp-problem-figures />
          }
        }
      </section>
    </div>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
    }
    .text {
      white-space: pre-line;
    }
  `,
})
export class ProblemsPage {
  readonly key = input<string>();
  protected readonly opens = runCommands.readProblem.name;
  /** From the address: reports by stage in place of figures; the stage that a report is wanted to come to. */
  readonly board = input<string>();
  readonly to = input<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly kind = problemKind;
  protected readonly fields = computed((): FilterField[] => [
    { name: 'build', words: 'Build that it was found in', type: 'text', values: this.scope.project()?.builds.map((b) => b.name) ?? [] },
    { name: 'stage', words: 'Stage', type: 'text', values: (this.life()?.stages ?? []).map(({ name }) => name) },
    { name: 'severity', words: 'Severity', type: 'text', values: this.life()?.severities ?? [] },
    { name: 'priority', words: 'Priority', type: 'text', grouped: true },
    { name: 'area', words: 'Area', type: 'text', values: this.life()?.areas ?? [] },
    { name: 'assigned', words: 'Assigned to (sign-in name)', type: 'text', grouped: true },
    { name: 'due', words: 'Due', type: 'text' },
    { name: 'requirement', words: 'Requirement that it stands against', type: 'text' },
  ]);
  protected readonly requirementsFrom = listRequirements;
  protected readonly tracedKind: Filter = { field: 'kind', is: ['requirement'] };
  protected readonly keysOf = (rows: readonly PickedRow[]): string[] => rows.map((row) => row.key);
  private readonly shown = this.store.selectSignal(runFeature.selectProblem);
  private asked: { readonly p: Problem; readonly asked: StageAsked } | undefined;
  protected readonly life = this.store.selectSignal(runFeature.selectLife);
  protected readonly problemsFrom = listProblems;
  protected readonly linkKinds = [
    ['sameAs', 'is the same'],
    ['causedBy', 'is its cause'],
    ['blocks', 'is blocked by it'],
    ['relates', 'relates to it'],
  ] as const;
  protected readonly linkKind = signal<string>('sameAs');
  private readonly dialogs = inject(MatDialog);
  protected readonly adding = signal(false);
  protected readonly draft = signal(empty);
  protected readonly titleMissing = (): string => (this.draft().title.trim() ? '' : 'Give it a title.');
  protected readonly names = {
    add: runCommands.addProblem.name,
    stage: runCommands.saveProblem.name,
    link: recordCommands.addTrace.name,
  };
  protected readonly may = computed(() => this.scope.roles().some((r) => r === 'author' || r === 'tester' || r === 'reviewer'));
  protected readonly problem = computed(() => (this.shown()?.key === this.key() ? this.shown() : null));

  constructor() {
    const read = (): void => {
      const key = this.key();
      const project = this.scope.slug();
      if (key) untracked(() => this.store.dispatch(runCommands.readProblem.start({ project, filter: keysFilter([key]) })));
    };
    effect(read);
    onChanged(['problem'], (keys) => (keys === null || keys.includes(this.key() ?? '')) && read());
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.store.dispatch(runCommands.problemLife.start({ project })));
    });
    onAction(runCommands.saveProblem.failed, ({ problem }) => {
      if (this.asked && problem.fields?.some((f) => f.path === 'password')) this.sign(problem.detail ?? problem.title);
    });
    onAction(runCommands.addProblem.done, ({ answer }) => {
      this.adding.set(false);
      this.draft.set(empty);
      this.open(answer.key);
    });
  }

  protected against(keys: readonly string[], without: string): void {
    this.put({ requirements: keys.filter((key) => key !== without) });
  }

  protected put(change: Partial<typeof empty>): void {
    this.draft.update((draft) => ({ ...draft, ...change }));
  }

  protected open(key: string): void {
    this.adding.set(false);
    void this.router.navigate(['/', this.scope.slug(), 'run', 'problems', ...(key ? [key] : [])], {
      queryParams: { to: null },
      queryParamsHandling: 'merge',
    });
  }

  protected add(): void {
    this.store.dispatch(runCommands.addProblem.start({ project: this.scope.slug(), ...this.draft(), build: this.scope.build() }));
  }

  protected stage(p: Problem, asked: StageAsked, password = ''): void {
    // With a password it is what was asked for: a refusal is told, and not asked about again.
    this.asked = password ? undefined : { p, asked };
    this.store.dispatch(runCommands.saveProblem.start({ project: this.scope.slug(), key: p.key, basedOn: p.revision, ...asked, password }));
  }

  protected showBoard(board: boolean): void {
    void this.router.navigate([], { queryParams: { board: board ? '1' : null }, queryParamsHandling: 'merge' });
  }

  /** Moves a report where nothing more is to be said; else its own page asks for it. */
  protected move({ problem: p, stage, asks }: BoardMove): void {
    if (asks)
      return void this.router.navigate(['/', this.scope.slug(), 'run', 'problems', p.key], {
        queryParams: { to: stage },
        queryParamsHandling: 'merge',
      });
    const { title, description, blocking, severity, priority, area, assigned, due, fixedIn, closedReason } = p;
    this.stage(p, { title, description, blocking, severity, priority, area, assigned, due, fixedIn, closedReason, stage });
  }

  /** Signs what the server does not change without a signature. */
  private sign(why: string): void {
    const last = this.asked;
    this.asked = undefined;
    if (!last) return;
    const data: SignRequest = {
      title: `Sign the change of ${last.p.key}`,
      meaning: `${why} My reason: ${last.asked.closedReason}`,
      printedName: this.scope.session()?.person.printedName ?? '',
      needsReason: false,
    };
    askSignature(this.dialogs, data).subscribe(({ password }) => this.stage(last.p, last.asked, password));
  }

  protected stageTitle(name: string): string {
    return this.life()?.stages.find((stage) => stage.name === name)?.title ?? name;
  }

  protected factsOf(p: Problem): [string, string][] {
    const who = this.scope.project()?.members.find(({ login }) => login === p.assigned)?.printedName ?? p.assigned ?? '';
    const facts: [string, string][] = [
      ['Stage', this.stageTitle(p.stage)],
      ['Severity', p.severity],
      ['Priority', p.priority],
      ['Area', p.area],
      ['Assigned to', who],
      ['Due', p.due ?? ''],
    ];
    return facts.filter(([, value]) => value);
  }

  protected link(p: Problem, rows: readonly PickedRow[]): void {
    for (const { key: to } of rows)
      this.store.dispatch(recordCommands.addTrace.start({ project: this.scope.slug(), kind: this.linkKind(), from: p.key, to }));
  }
}
