import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { DatePipe } from '@angular/common';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router } from '@angular/router';
import type { Filter } from '@contract/base';
import type { Problem } from '@contract/run';
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
  ProblemNote,
  RecordLink,
  RecordList,
  RecordPanels,
  RecordPicker,
  RowLines,
  RowTemplate,
  type SignRequest,
  useProject,
} from '../base';
import { problemKind } from './problem-list';
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
    ProblemNote,
    RecordLink,
    RecordList,
    RecordPanels,
    RecordPicker,
    RowLines,
    RowTemplate,
    Needs,
    OwnFields,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panes beside" [class.one]="adding() || key()">
      <section class="pane pane-left side" aria-label="Problem reports">
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
            <span [class]="'tag ' + (p.state === 'closed' ? 'sound' : p.blocking ? 'broken' : 'waiting')">{{
              p.state === 'open' && p.blocking ? 'blocks' : p.state
            }}</span>
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
                <dd>{{ p.fixedIn }}: it stands no longer from there on</dd>
              }
              @if (p.closedReason) {
                <dt>Closed because</dt>
                <dd>{{ p.closedReason }}</dd>
              }
            </dl>
            <cp-problem [of]="names.save" />
            @if (may()) {
              @if (p.state === 'open') {
                <form class="row closing" (ngSubmit)="close(p)">
                  <label class="field reason"><span>Why it can be closed</span><input class="in" name="why" [(ngModel)]="reason" /></label
                  ><label class="field"
                    ><span>Fixed in</span
                    ><select class="in" name="fixedIn" [(ngModel)]="fixedIn">
                      <option value="">no build: no fault after all</option>
                      @for (b of scope.project()?.builds; track b.name) {
                        <option [value]="b.name">{{ b.name }}</option>
                      }
                    </select></label
                  ><button mat-stroked-button type="submit" [cpNeeds]="reasonMissing">Close it</button>
                </form>
              } @else {
                <div><button mat-stroked-button type="button" (click)="reopen(p)">Reopen</button></div>
              }
            }
          </section>
          <cp-own-fields kind="problem" [of]="p" />
          <cp-record-panels [key]="p.key" />
        } @else {
          <div class="empty">
            <h2>Choose a report</h2>
            <p>A failed step opens one, filled from its run.</p>
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
    .text {
      white-space: pre-line;
    }
    .closing {
      align-items: end;
    }
    .reason {
      flex: 0 1 420px;
    }
  `,
})
export class ProblemsPage {
  readonly key = input<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly kind = problemKind;
  protected readonly fields = computed((): FilterField[] => [
    { name: 'build', words: 'Build that it was found in', type: 'text', values: this.scope.project()?.builds.map((b) => b.name) ?? [] },
  ]);
  protected readonly requirementsFrom = listRequirements;
  protected readonly tracedKind: Filter = { field: 'kind', is: ['requirement'] };
  protected readonly keysOf = (rows: readonly PickedRow[]): string[] => rows.map((row) => row.key);
  private readonly shown = this.store.selectSignal(runFeature.selectProblem);
  protected readonly reason = signal('');
  protected readonly reasonMissing = (): string => (this.reason().trim().length < 3 ? 'Say why it can be closed.' : '');
  protected readonly fixedIn = signal('');
  private asked: { readonly p: Problem; readonly reason: string; readonly fixedIn: string | null } | undefined;
  private readonly dialogs = inject(MatDialog);
  protected readonly adding = signal(false);
  protected readonly draft = signal(empty);
  protected readonly titleMissing = (): string => (this.draft().title.trim() ? '' : 'Give it a title.');
  protected readonly names = { add: runCommands.addProblem.name, save: runCommands.saveProblem.name };
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
    void this.router.navigate(['/', this.scope.slug(), 'run', 'problems', ...(key ? [key] : [])], { queryParamsHandling: 'preserve' });
  }

  protected add(): void {
    this.store.dispatch(runCommands.addProblem.start({ project: this.scope.slug(), ...this.draft(), build: this.scope.build() }));
  }

  private change(p: Problem, state: 'open' | 'closed', closedReason: string, fixedIn: string | null, password = ''): void {
    this.store.dispatch(
      runCommands.saveProblem.start({
        project: this.scope.slug(),
        key: p.key,
        basedOn: p.revision,
        title: p.title,
        description: p.description,
        blocking: p.blocking,
        state,
        closedReason,
        fixedIn,
        password,
      }),
    );
    this.reason.set('');
  }

  /** Closes with a signature what the server does not close without one. */
  private sign(why: string): void {
    const asked = this.asked;
    this.asked = undefined;
    if (!asked) return;
    const data: SignRequest = {
      title: `Close ${asked.p.key}`,
      meaning: `${why} I close it because: ${asked.reason}`,
      printedName: this.scope.session()?.person.printedName ?? '',
      needsReason: false,
    };
    askSignature(this.dialogs, data).subscribe(({ password }) => this.change(asked.p, 'closed', asked.reason, asked.fixedIn, password));
  }

  protected close(p: Problem): void {
    const reason = this.reason().trim();
    const fixedIn = this.fixedIn() || null;
    this.change(p, 'closed', reason, fixedIn);
    // While a run that showed it fails, closing is signed; whether one does, the server knows.
    if (p.blocking && p.run) this.asked = { p, reason, fixedIn };
  }

  protected reopen(p: Problem): void {
    this.change(p, 'open', '', null);
  }
}
