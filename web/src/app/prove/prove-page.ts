import { ChangeDetectionStrategy, Component, computed, effect, untracked } from '@angular/core';
import { DatePipe } from '@angular/common';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { knots } from '@core/base';
import { knotWords, metricWords, stateCountWords } from '@core/prove';
import { metrics } from '@core/measure';
import { baseCommands, firstMissing, Icon, KnotMark, Needs, onAction, ProblemNote, useProject } from '../base';
import { proveCommands, proveFeature } from './state';

/** Prove: would the build stand in an audit, and the pack that shows it. */
@Component({
  selector: 'cp-prove-page',
  imports: [DatePipe, MatButtonModule, MatProgressBarModule, Icon, KnotMark, ProblemNote, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head">
        <h1>Prove</h1>
        <span class="second grow">Build {{ scope.build() }}</span>
        <button mat-flat-button type="button" [cpNeeds]="missing" (click)="make()">
          <cp-icon name="folder_zip" /> Make the proof pack
        </button>
      </div>
      <cp-problem [of]="names.make" /><cp-problem [of]="names.cancel" />
      <div class="two">
        <section class="sheet pad stack" aria-labelledby="packs">
          <h2 id="packs">Proof packs of this build</h2>
          <p class="second">
            Everything that proves this build, in one archive that anybody checks with <code>sha256sum</code> and <code>openssl</code>:
            trace matrix, run records with evidence and signatures, coverage, cords, open breaks and the ledger. What is open is in it too.
          </p>
          @for (job of packs(); track job.id) {
            <div class="job">
              <cp-icon
                [name]="job.state === 'done' ? 'folder_zip' : job.state === 'failed' || job.state === 'cancelled' ? 'warning' : 'schedule'"
              />
              <div class="grow stack-s">
                @if (job.state === 'done') {
                  <div class="between">
                    <a [href]="'/api/projects/' + scope.slug() + '/packs/' + job.id + '/file'" [attr.download]="job.file?.name">{{
                      job.file?.name
                    }}</a><span class="second small">{{ ((job.file?.bytes ?? 0) / 1024).toFixed(0) }} kB</span>
                  </div>
                  <code class="hash second">SHA-256 {{ job.file?.sha256 }}</code>
                } @else {
                  <div class="between">
                    <span>{{ job.message }}</span>
                    @if (job.state === 'running' || job.state === 'queued') {
                      <button class="chip" type="button" (click)="cancel(job.id)"><cp-icon name="cancel" /> Cancel</button>
                    }
                  </div>
                  @if (job.state === 'running' || job.state === 'queued') {
                    <mat-progress-bar mode="determinate" [value]="job.progress * 100" [attr.aria-label]="'Progress: ' + job.message" />
                    <span class="second small">You can leave this page: the work goes on.</span>
                  }
                }
                <span class="second small">asked for by {{ job.by }}, {{ job.createdAt | date: 'yyyy-MM-dd HH:mm' }}</span>
              </div>
            </div>
          } @empty {
            <div class="empty">
              <h2>No pack yet</h2>
              <p>Make one at any time: it says of itself what is proved and what is not.</p>
            </div>
          }
        </section>
        <aside class="stack">
          @if (keys().at(-1); as key) {
            <section class="sheet pad stack-s">
              <h2>Fingerprint of the signing key</h2>
              <code class="hash">{{ key.fingerprint }}</code>
              <p class="second small">
                Key {{ key.id }}, made {{ key.madeAt | date: 'yyyy-MM-dd' }}. Give it to auditors on another way than the pack: it alone
                shows a pack that somebody made anew and signed with a key of their own.
              </p>
            </section>
          }
          @if (totals(); as t) {
            <section class="sheet pad stack-s">
              <h2>This build now</h2>
              @for (knot of knots; track knot) {
                <div class="between">
                  <span class="row"><cp-knot [state]="t.knots[knot].worst" /> {{ words[knot] }}</span
                  ><span
                    ><b>{{ t.knots[knot].states.sound }}</b> of {{ t.knots[knot].of }}</span
                  >
                </div>
                <span class="second small">{{ allStates(t.knots[knot]) }}</span>
              }
            </section>
          }
          @if (scope.project(); as p) {
            <section class="sheet pad stack-s">
              <h2>What {{ p.profile.standard }} asks here</h2>
              <table class="list">
                <thead>
                  <tr>
                    <th scope="col">Level</th>
                    @for (m of asked(); track m) {
                      <th scope="col" class="num">{{ metricWords[m] }}</th>
                    }
                  </tr>
                </thead>
                <tbody>
                  @for (level of p.profile.levels; track level) {
                    <tr>
                      <th scope="row">{{ level }}</th>
                      @for (m of asked(); track m) {
                        <td class="num">{{ p.profile.targets[level]?.[m] !== undefined ? p.profile.targets[level]?.[m] + ' %' : '–' }}</td>
                      }
                    </tr>
                  }
                </tbody>
              </table>
              <p class="second small">{{ p.profile.note }}</p>
            </section>
          }
        </aside>
      </div>
    </div>
  `,
  styles: `
    .two {
      display: grid;
      grid-template-columns: minmax(0, 1fr) 400px;
      gap: 16px;
      align-items: start;
    }
    @media (max-width: 1023px) {
      .two {
        grid-template-columns: minmax(0, 1fr);
      }
    }
    aside .list th,
    aside .list td {
      padding: 8px 6px;
    }
    aside .list th:first-child {
      padding-left: 0;
    }
    .job {
      display: flex;
      gap: 12px;
      padding: 12px 0;
      border-top: 1px solid var(--hairline);
    }
    .hash {
      font-size: 11.5px;
      overflow-wrap: anywhere;
    }
  `,
})
export class ProvePage {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly packs = this.store.selectSignal(proveFeature.selectPacks);
  protected readonly keys = this.store.selectSignal(proveFeature.selectKeys);
  protected readonly totals = this.store.selectSignal(proveFeature.selectTotals);
  protected readonly knots = knots;
  protected readonly words = knotWords;
  protected readonly allStates = stateCountWords;
  /** Metrics that some level asks for. */
  protected readonly asked = computed(() => {
    const targets = Object.values(this.scope.project()?.profile.targets ?? {});
    return metrics.filter((metric) => targets.some((target) => target[metric] !== undefined));
  });
  protected readonly metricWords = metricWords;
  protected readonly names = { make: proveCommands.makePack.name, cancel: baseCommands.cancelJob.name };
  protected readonly missing = (): string =>
    firstMissing([!this.scope.build(), 'No build is chosen.'], [this.running(), 'One is being made.']);
  private readonly running = () => this.packs().some((job) => job.state === 'running' || job.state === 'queued');

  constructor() {
    onAction(baseCommands.cancelJob.done, () => this.reload());
    effect(() => {
      const project = this.scope.slug();
      if (project) untracked(() => this.store.dispatch(proveCommands.listPackKeys.start({ project })));
    });
    effect(() => {
      this.scope.judged();
      const at = { project: this.scope.slug(), build: this.scope.build() };
      if (!at.build) return;
      untracked(() => {
        this.store.dispatch(proveCommands.listPacks.start(at));
        this.store.dispatch(proveCommands.getBoard.start(at));
      });
    });
    // Progress is not in the ledger: it is asked for while a pack is being made.
    effect((onCleanup) => {
      if (!this.running()) return;
      const timer = setInterval(() => this.reload(), 800);
      onCleanup(() => clearInterval(timer));
    });
  }

  private reload(): void {
    this.store.dispatch(proveCommands.listPacks.start({ project: this.scope.slug(), build: this.scope.build() }));
  }

  protected make(): void {
    this.store.dispatch(proveCommands.makePack.start({ project: this.scope.slug(), build: this.scope.build() }));
  }

  protected cancel(id: number): void {
    this.store.dispatch(baseCommands.cancelJob.start({ project: this.scope.slug(), id }));
  }
}
