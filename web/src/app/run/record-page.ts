import { ChangeDetectionStrategy, Component, computed, effect, inject, input, untracked } from '@angular/core';
import { DatePipe } from '@angular/common';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { RouterLink } from '@angular/router';
import type { RunDetail } from '@contract/run';
import { verdictWords } from '@core/run';
import {
  Icon,
  onChanged,
  ProblemNote,
  ReasonDialog,
  RecordLink,
  SignDialog,
  useProject,
  type ReasonRequest,
  type SignAnswer,
  type SignRequest,
} from '../base';
import { clockWords, runStateWords } from './words';
import { runCommands, runFeature } from './state';

/** A run record, whole, as a reviewer signs it and an auditor reads it. */
@Component({
  selector: 'cp-record-page',
  imports: [DatePipe, MatButtonModule, RouterLink, Icon, ProblemNote, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (run(); as r) {
      <div class="page stack">
        <div class="page-head">
          <h1>{{ r.case.title }}</h1>
          <span class="second grow">{{ r.key }} · {{ r.build }} · {{ r.configuration }}</span>
          @if (mayRecord()) {
            <a mat-stroked-button [routerLink]="['/', scope.slug(), 'run', 'bench', r.key]">{{
              r.verdict ? 'Correct on the bench' : 'Go to the bench'
            }}</a>
          }
          @if (mayPerform()) {
            <button mat-flat-button type="button" (click)="sign('performed')"><cp-icon name="signature" /> Sign: performed</button>
          }
          @if (mayReview()) {
            <button mat-flat-button type="button" (click)="sign('reviewed')"><cp-icon name="signature" /> Sign: reviewed</button>
          }
          @if (mayDecide()) {
            @if (r.outdated && others()) {
              <button mat-flat-button type="button" (click)="decide('carryOver')">Carry over</button>
            }
            @if (r.verdict === 'deviation' && !r.deviationAccepted && signedReview() && others()) {
              <button mat-flat-button type="button" (click)="decide('acceptDeviation')">Accept the deviation</button>
            }
            @if (r.state !== 'returned' && others()) {
              <button mat-stroked-button type="button" (click)="decide('return')"><cp-icon name="undo" /> Return</button>
            }
            <button mat-stroked-button type="button" (click)="rerun()"><cp-icon name="refresh" /> Rerun</button>
          }
        </div>
        <cp-problem [of]="names.sign" /><cp-problem [of]="names.decide" />
        @if (r.outdated) {
          <div class="note suspect">
            <cp-icon name="difference" /><span
              ><b>{{ r.caseKey }} was revised after this run</b> (recorded against revision {{ r.caseRevision }}, now {{ r.caseNow }}).
              Decide, with a reason, whether the result is carried over or the case is run again.</span
            >
          </div>
        }
        @if (r.supersededBy) {
          <div class="note waiting">
            <cp-icon name="history" /><span>Superseded by <cp-record kind="run" [key]="r.supersededBy" />. It stays readable.</span>
          </div>
        }
        @if (r.plannedAgain) {
          <div class="note">
            <cp-icon name="refresh" /><span
              >Planned again as <cp-record kind="run" [key]="r.plannedAgain" />. This result stands until that one is finished.</span
            >
          </div>
        }
        @if (r.state === 'returned') {
          <div class="note broken">
            <cp-icon name="undo" /><span>A reviewer returned this run: it is done again, and stays readable as it is.</span>
          </div>
        }
        @for (c of r.corrections; track c.at) {
          <div class="note">
            <cp-icon name="history" /><span
              >Corrected {{ c.at | date: 'yyyy-MM-dd HH:mm' }} before it was signed: {{ c.reason }} It said before:
              {{ c.verdict ?? 'no verdict' }}.</span
            >
          </div>
        }
        @if (waitsForOther()) {
          <div class="note">
            <cp-icon name="person" /><span>{{ waitsForOther() }}</span>
          </div>
        }
        <div class="two">
          <section class="sheet pad stack">
            <div class="row">
              <span [class]="'tag ' + tone(r)">{{ words(r) }}</span>
              @if (r.deviationAccepted) {
                <span class="tag sound">deviation accepted</span>
              }
              @if (r.carriedOver) {
                <span class="tag">carried over</span>
              }
            </div>
            <div>
              <h3>Objective</h3>
              <p>{{ r.case.objective }}</p>
            </div>
            @if (r.case.preconditions) {
              <div>
                <h3>Preconditions</h3>
                <p>{{ r.case.preconditions }}</p>
              </div>
            }
            <table class="list">
              <thead>
                <tr>
                  <th scope="col" class="num">Step</th>
                  <th scope="col">Action</th>
                  <th scope="col">Expected</th>
                  <th scope="col">Observed</th>
                  <th scope="col">Verdict</th>
                </tr>
              </thead>
              <tbody>
                @for (s of r.case.steps; track $index; let i = $index) {
                  <tr>
                    <td class="num">{{ i + 1 }}</td>
                    <td>
                      {{ s.action }}
                      @if (s.from) {
                        <span class="second small">from {{ s.from }}</span>
                      }
                    </td>
                    <td>{{ s.expected }}</td>
                    <td>
                      {{ r.steps[i].observed || '–' }}
                      @for (e of r.evidence; track e.id) {
                        @if (e.step === i + 1) {
                          <div class="ev">
                            <a [href]="'/api/projects/' + scope.slug() + '/evidence/' + e.id" target="_blank" rel="noopener"
                              ><cp-icon name="attach_file" />{{ e.name }}</a
                            >
                            @if (e.mime.startsWith('image/')) {
                              <img [src]="'/api/projects/' + scope.slug() + '/evidence/' + e.id" [alt]="'Evidence ' + e.name" />
                            }
                            <code class="second">{{ e.sha256.slice(0, 16) }}…</code>
                          </div>
                        }
                      }
                    </td>
                    <td>
                      <span
                        [class]="'tag ' + (r.steps[i].verdict === 'pass' ? 'sound' : r.steps[i].verdict === 'fail' ? 'broken' : 'waiting')"
                        >{{ r.steps[i].verdict ?? 'open' }}</span
                      >
                    </td>
                  </tr>
                }
              </tbody>
            </table>
          </section>
          <aside class="stack">
            <section class="sheet pad">
              <dl class="facts">
                <dt>Case</dt>
                <dd><cp-record kind="case" [key]="r.caseKey" /> revision {{ r.caseRevision }}</dd>
                <dt>Verifies</dt>
                <dd>
                  @for (v of r.verifies; track v.key) {
                    <cp-record kind="requirement" [key]="v.key" />&ngsp;
                  }
                </dd>
                <dt>Round</dt>
                <dd><cp-record kind="round" [key]="r.round" /></dd>
                <dt>Tester</dt>
                <dd>{{ r.testerName }}</dd>
                <dt>Begun</dt>
                <dd>{{ r.startedAt ? (r.startedAt | date: 'yyyy-MM-dd HH:mm') : 'not yet' }}</dd>
                <dt>Finished</dt>
                <dd>{{ r.finishedAt ? (r.finishedAt | date: 'yyyy-MM-dd HH:mm') : 'not yet' }}</dd>
                <dt>Time</dt>
                <dd>{{ clock(r.seconds) }} of {{ r.plannedMinutes }} min</dd>
                <dt>Unit under test</dt>
                <dd>{{ r.unit || 'not given' }}</dd>
                <dt>Tools</dt>
                <dd>{{ r.tools || 'not given' }}</dd>
                @for (p of r.problems; track p.key) {
                  <dt>Problem</dt>
                  <dd><cp-record kind="problem" [key]="p.key" /> {{ p.state }}</dd>
                }
                @if (r.supersedes) {
                  <dt>Supersedes</dt>
                  <dd><cp-record kind="run" [key]="r.supersedes" /></dd>
                }
              </dl>
            </section>
            <section class="sheet pad stack-s">
              <h2>Signatures</h2>
              @for (s of r.signatures; track s.at + s.meaning) {
                <div class="sig">
                  <cp-icon [name]="s.matches ? 'draw' : 'warning'" />
                  <div>
                    <b>{{ s.printedName }}</b><br />{{ s.meaning }}, {{ s.at | date: 'yyyy-MM-dd HH:mm:ss' }}
                    @if (s.reason) {
                      <br /><span class="second">{{ s.reason }}</span>
                    }
                    @if (!s.matches) {
                      <br /><span class="fault">The record no longer matches this signature.</span>
                    }
                  </div>
                </div>
              } @empty {
                <p class="second">Not signed yet.</p>
              }
              <h3>Hash of this record</h3>
              <code class="hash">{{ r.hash }}</code>
            </section>
            @if (r.decisions.length) {
              <section class="sheet pad stack-s">
                <h2>Decisions</h2>
                @for (d of r.decisions; track d.at) {
                  <p>
                    <b>{{ d.choice }}</b> by {{ d.login }}, {{ d.at | date: 'yyyy-MM-dd' }}<br /><span class="second">{{ d.reason }}</span>
                  </p>
                }
              </section>
            }
          </aside>
        </div>
      </div>
    } @else {
      <p class="empty" role="status">Opening {{ key() }} …</p>
    }
  `,
  styles: `
    .two {
      display: grid;
      grid-template-columns: minmax(0, 1fr) 320px;
      gap: 16px;
      align-items: start;
    }
    .facts {
      display: grid;
      grid-template-columns: 100px 1fr;
      gap: 6px 12px;
    }
    dt {
      color: var(--ink-2);
    }
    .sig {
      display: flex;
      gap: 10px;
      padding: 6px 0;
      border-top: 1px solid var(--hairline);
    }
    .hash {
      font-size: 11px;
      overflow-wrap: anywhere;
    }
    .ev {
      margin-top: 4px;
      font-size: 12.5px;
      display: flex;
      flex-direction: column;
      gap: 2px;
    }
    .ev a {
      display: inline-flex;
      align-items: center;
      gap: 4px;
    }
    .ev img {
      max-width: 200px;
      border-radius: 6px;
      border: 1px solid var(--hairline);
    }
    a[mat-stroked-button] {
      color: var(--cord);
    }
  `,
})
export class RecordPage {
  readonly key = input.required<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialogs = inject(MatDialog);
  private readonly loaded = this.store.selectSignal(runFeature.selectRun);
  protected readonly run = computed(() => (this.loaded()?.key === this.key() ? this.loaded() : null));
  protected readonly names = { sign: runCommands.signRun.name, decide: runCommands.decideRun.name };
  private readonly me = computed(() => this.scope.session()?.person);
  private readonly has = (role: 'tester' | 'reviewer'): boolean => this.scope.roles().includes(role);
  private readonly signed = (meaning: string): boolean => this.run()?.signatures.some((s) => s.meaning === meaning) ?? false;
  protected readonly mayRecord = computed(
    () => this.run()?.tester === this.me()?.login && this.has('tester') && !this.run()?.signatures.length && !this.run()?.supersededBy,
  );
  protected readonly mayPerform = computed(
    () =>
      this.run()?.verdict != null &&
      !this.run()?.supersededBy &&
      this.run()?.tester === this.me()?.login &&
      this.has('tester') &&
      !this.signed('performed'),
  );
  protected readonly mayReview = computed(
    () =>
      this.signed('performed') &&
      !this.signed('reviewed') &&
      !this.run()?.supersededBy &&
      this.has('reviewer') &&
      this.run()?.tester !== this.me()?.login,
  );
  protected readonly mayDecide = computed(
    () => this.run()?.verdict != null && !this.run()?.supersededBy && (this.has('tester') || this.has('reviewer')),
  );
  /** A reviewer who is not the tester. */
  protected readonly others = computed(() => this.has('reviewer') && this.run()?.tester !== this.me()?.login);
  protected readonly signedReview = computed(() => this.signed('reviewed'));
  protected readonly waitsForOther = computed(() => {
    if (this.signed('performed') && !this.signed('reviewed') && this.run()?.tester === this.me()?.login && this.has('reviewer'))
      return 'You recorded this run, so another person must review it.';
    return '';
  });

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      untracked(() => this.store.dispatch(runCommands.getRun.start(at)));
    });
    onChanged(['run', 'case', 'problem'], (keys) => {
      const run = this.run();
      const mine = new Set([this.key(), run?.caseKey, run?.plannedAgain, ...(run?.problems.map((p) => p.key) ?? [])]);
      if (!keys || keys.some((key) => mine.has(key) || key.startsWith('PR-')))
        this.store.dispatch(runCommands.getRun.start({ project: this.scope.slug(), key: this.key() }));
    });
  }

  protected sign(meaning: 'performed' | 'reviewed'): void {
    const run = this.run();
    if (!run) return;
    const remark = run.steps
      .map((s, i) => (s.verdict === 'deviation' ? `step ${i + 1}: ${s.observed}` : ''))
      .filter(Boolean)
      .join('; ');
    const data: SignRequest = {
      title: `Sign ${run.key}`,
      meaning:
        meaning === 'performed'
          ? `I performed this run of ${run.caseKey} on ${run.build} and recorded what I observed. Verdict: ${run.verdict ? verdictWords[run.verdict] : ''}.`
          : `I reviewed this record of ${run.caseKey} on ${run.build}, its observations and its evidence. Verdict: ${run.verdict ? verdictWords[run.verdict] : ''}.`,
      printedName: this.me()?.printedName ?? '',
      hash: run.hash,
      needsReason: false,
      ...(meaning === 'reviewed' && run.verdict === 'deviation' ? { deviation: remark } : {}),
    };
    this.ask(data, ({ password, reason, acceptDeviation }) =>
      this.store.dispatch(
        runCommands.signRun.start({ project: this.scope.slug(), key: run.key, meaning, password, hash: run.hash, reason, acceptDeviation }),
      ),
    );
  }

  protected decide(choice: 'carryOver' | 'return' | 'acceptDeviation'): void {
    const run = this.run();
    if (!run) return;
    const asks = {
      carryOver: [
        `Carry ${run.key} over`,
        `${run.caseKey} is now at revision ${run.caseNow}. I state that the result recorded against revision ${run.caseRevision} stands for it.`,
      ],
      return: [`Return ${run.key}`, `I do not accept this record of ${run.caseKey}. It stays as it is, and the case is run again.`],
      acceptDeviation: [`Accept the deviation of ${run.key}`, `I accept the deviation with which ${run.caseKey} passed on ${run.build}.`],
    } as const;
    const [title, meaning] = asks[choice];
    const data: SignRequest = { title, meaning, printedName: this.me()?.printedName ?? '', hash: run.hash, needsReason: true };
    this.ask(data, ({ password, reason }) =>
      this.store.dispatch(runCommands.decideRun.start({ project: this.scope.slug(), key: run.key, choice, reason, password })),
    );
  }

  private ask(data: SignRequest, then: (answer: SignAnswer) => void): void {
    this.dialogs
      .open<SignDialog, SignRequest, SignAnswer>(SignDialog, { data })
      .afterClosed()
      .subscribe((answer) => answer && then(answer));
  }

  protected rerun(): void {
    const run = this.run();
    if (!run) return;
    const data: ReasonRequest = {
      title: `Run ${run.caseKey} again`,
      text: `A new run of ${run.caseKey} revision ${run.caseNow} is planned for ${run.testerName}. ${run.key} stands until that one is finished, and stays readable.`,
      confirm: 'Plan the rerun',
    };
    this.dialogs
      .open<ReasonDialog, ReasonRequest, string>(ReasonDialog, { data })
      .afterClosed()
      .subscribe((reason) => {
        if (reason) this.store.dispatch(runCommands.decideRun.start({ project: this.scope.slug(), key: run.key, choice: 'rerun', reason }));
      });
  }

  protected words(run: RunDetail): string {
    return runStateWords(run);
  }

  protected tone(run: RunDetail): string {
    return run.verdict === 'failed' || run.state === 'returned' ? 'broken' : run.state === 'reviewed' ? 'sound' : 'waiting';
  }

  protected clock(seconds: number): string {
    return clockWords(seconds);
  }
}
