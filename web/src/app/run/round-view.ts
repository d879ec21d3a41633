import { ChangeDetectionStrategy, Component, computed, effect, input, signal, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import type { RunSummary } from '@contract/run';
import { ExportMenu, Icon, MadeFor, onChanged, ProblemNote, RecordLink, useProject, useStatement } from '../base';
import { runStateWords } from './words';
import { runCommands, runFeature } from './state';

/** One round: its runs, with the state of each and the next thing to do. */
@Component({
  selector: 'cp-round',
  imports: [RouterLink, MatButtonModule, ExportMenu, Icon, MadeFor, ProblemNote, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (round(); as r) {
      <div class="stack">
        <div class="page-head">
          <h2 class="title">{{ r.title }}</h2>
          <span class="second grow">{{ r.key }} · {{ r.build }} · {{ r.configuration }}{{ r.unit ? ' · ' + r.unit : '' }}</span>
          @if (r.state === 'withdrawn') {
            <span class="tag broken">withdrawn</span>
          } @else if (mayWithdraw()) {
            <button mat-button type="button" (click)="withdraw()">Withdraw the round</button>
          }
          @if (next(); as run) {
            <a mat-flat-button [routerLink]="['/', scope.slug(), 'run', 'bench', run.key]"
              ><cp-icon name="play_arrow" /> {{ run.state === 'onBench' ? 'Go on with' : 'Record' }} {{ run.caseKey }}</a
            >
          }
        </div>
        <cp-problem [of]="withdrawing" />
        <cp-made-for [key]="r.key" />
        <div class="row" role="group" aria-label="Show">
          @for (f of filters(); track f.name) {
            <button class="chip" type="button" [attr.aria-pressed]="filter() === f.name" (click)="filter.set(f.name)">
              {{ f.name }} {{ f.count }}
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
              @for (run of items(); track run.key) {
                <tr [class.second]="run.state === 'superseded'">
                  <td><cp-record kind="run" [key]="run.key" /></td>
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
  protected readonly items = computed(() =>
    (this.round()?.items ?? []).filter(this.groups.find((g) => g.name === this.filter())?.keep ?? (() => true)),
  );
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
