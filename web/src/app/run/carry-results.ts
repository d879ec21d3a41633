import { ChangeDetectionStrategy, Component, computed, effect, input, linkedSignal, signal, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { RouterLink } from '@angular/router';
import type { CarriedResults, ResultOffer } from '@contract/run';
import { counted, fewOf } from '@core/base';
import { firstMissing, momentWords, Needs, onChanged, ProblemNote, RecordLink, toggled, useProject, useStatement } from '../base';
import { runCommands, runFeature } from './state';

const shown = 200;

/** Results of an earlier build that hold for a later one: a reviewer carries them, signed, with the argument that is shown here. */
@Component({
  selector: 'cp-carry-results',
  imports: [MatButtonModule, MatCheckboxModule, Needs, ProblemNote, RecordLink, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (offers(); as o) {
      <section class="sheet" aria-label="Results that hold for the later build">
        <div class="inner stack-s">
          <h2>Carry results of {{ before() }} to {{ after() }}</h2>
          @if (!o.allowedAt.length) {
            <p class="second">
              The project does not allow it at any level. An administrator can, signed, in the settings: “Results may be carried to a later
              build”.
            </p>
          } @else {
            <p>
              <strong>{{ counted(o.free, 'result') }}</strong> may be carried: no changed function was hit, case and requirements are as
              they were. {{ counted(o.held, 'result') }} may not.
              @if (o.outside.length) {
                Changed outside functions: {{ few(o.outside) }}. Say why that does not matter to them.
              }
            </p>
          }
        </div>
        @for (e of o.earlier; track e.build) {
          <p class="inner">
            {{ counted(e.results, 'result') }} that {{ e.results === 1 ? 'holds' : 'hold' }} on {{ before() }}
            {{ e.results === 1 ? 'was' : 'were' }} carried there: carry {{ e.results === 1 ? 'it' : 'them' }} on from where
            {{ e.results === 1 ? 'it was' : 'they were' }} run.
            <a class="chip" [routerLink]="[]" [queryParams]="{ from: e.build }" queryParamsHandling="merge">Compare with {{ e.build }}</a>
          </p>
        }
        @if (o.free) {
          <table class="list">
            <thead>
              <tr>
                <th scope="col">
                  <mat-checkbox
                    [checked]="chosen().length === free().length"
                    [indeterminate]="chosen().length > 0 && chosen().length < free().length"
                    (change)="chooseAll($event.checked)"
                    aria-label="All of them"
                  />
                </th>
                <th scope="col">Case</th>
                <th scope="col">Run on {{ before() }}</th>
                <th scope="col">Requirements, as they were</th>
                <th scope="col" class="num">Functions hit, none changed</th>
              </tr>
            </thead>
            <tbody>
              @for (offer of free().slice(0, most()); track offer.run) {
                <tr>
                  <td>
                    <mat-checkbox
                      [checked]="!leftOut().has(offer.run)"
                      (change)="choose(offer.run)"
                      [aria-label]="offer.run + ' of ' + offer.case"
                    />
                  </td>
                  <td><cp-record kind="case" [key]="offer.case" />&ngsp;{{ offer.title }}</td>
                  <td>
                    <cp-record kind="run" [key]="offer.run" [text]="offer.run" />
                    <span class="second small"> {{ place(offer) }}</span>
                  </td>
                  <td>
                    @for (r of offer.requirements; track r.key; let last = $last) {
                      <cp-record kind="requirement" [key]="r.key" />&ngsp;
                      <span class="second small">revision {{ r.revision }}{{ last ? '' : ', ' }}</span>
                    }
                  </td>
                  <td class="num">{{ offer.functionsHit ?? 'code is the same' }}</td>
                </tr>
              }
            </tbody>
          </table>
          @if (o.free > most()) {
            <p class="inner">
              <button class="chip" type="button" (click)="most.set(2000)">Show all {{ o.free }}</button>
            </p>
          }
          <div class="row end inner">
            @if (reviewer()) {
              <button mat-flat-button type="button" [cpNeeds]="missing" (click)="carry()">
                Carry {{ counted(chosen().length, 'result') }}
              </button>
            } @else {
              <span class="second small">A reviewer of the project can carry them.</span>
            }
          </div>
        }
        @if (held().length) {
          <details class="inner">
            <summary>{{ counted(o.held, 'result') }} may not be carried</summary>
            <ul class="stack-s">
              @for (offer of held().slice(0, 100); track offer.run) {
                <li>
                  <cp-record kind="run" [key]="offer.run" [text]="offer.run" /> of
                  <cp-record kind="case" [key]="offer.case" [text]="offer.case" />: {{ offer.why.join('; ') }}
                </li>
              }
            </ul>
            @if (o.held > 100) {
              <p class="second small">and {{ o.held - 100 }} more</p>
            }
          </details>
        }
      </section>
    }
    @for (c of carried(); track c.key) {
      <section class="sheet pad stack-s" [class.asked]="c.key === asked()" [attr.aria-label]="c.key">
        <div class="between">
          <span
            ><b>{{ c.key }}</b> · {{ counted(c.runs.length, 'result') }} of {{ c.from }} for {{ c.build }} · signed by {{ c.by }},
            {{ moment(c.at) }}
            @if (c.state === 'withdrawn') {
              <span class="t-broken"> withdrawn</span>
            }
          </span>
          @if (reviewer() && c.state === 'stands') {
            <button class="chip" type="button" (click)="withdraw(c.key)">Withdraw</button>
          }
        </div>
        <span>{{ c.argument }}</span>
        <span class="small second"
          >{{ runWords(c) }}. Between the two builds {{ counted(c.functions.length, 'function') }} changed{{ names(c)
          }}{{ c.outside.length ? ', and outside functions: ' + few(c.outside) : '' }}.</span
        >
      </section>
    }
    <cp-problem [of]="commands.carry" /><cp-problem [of]="commands.withdraw" />
  `,
  styles: `
    :host {
      display: grid;
      gap: 16px;
    }
    .asked {
      outline: 2px solid var(--cord);
    }
    .inner {
      padding: 14px 20px;
    }
    summary {
      cursor: pointer;
    }
  `,
})
export class CarryResults {
  readonly before = input.required<string>();
  readonly after = input.required<string>();
  /** A statement that somebody looks for. */
  readonly asked = input<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly statement = useStatement();
  protected readonly counted = counted;
  protected readonly moment = momentWords;
  protected readonly commands = { carry: runCommands.carryResults.name, withdraw: runCommands.withdrawCarriedResults.name };
  protected readonly offers = this.store.selectSignal(runFeature.selectResultOffers);
  protected readonly carried = this.store.selectSignal(runFeature.selectCarriedResults);
  protected readonly reviewer = computed(() => this.scope.roles().includes('reviewer'));
  protected readonly free = computed(() => (this.offers()?.rows ?? []).filter(({ why }) => !why.length));
  protected readonly held = computed(() => (this.offers()?.rows ?? []).filter(({ why }) => why.length));
  protected readonly most = signal(shown);
  /** All are chosen that somebody did not leave out of this comparison. */
  protected readonly leftOut = linkedSignal<string, ReadonlySet<string>>({
    source: () => `${this.before()}\n${this.after()}`,
    computation: () => new Set<string>(),
  });
  protected readonly chosen = computed(() => this.free().filter(({ run }) => !this.leftOut().has(run)));
  protected readonly missing = (): string => firstMissing([!this.chosen().length, 'Choose a result at least.']);

  constructor() {
    effect(() => {
      this.before();
      this.after();
      untracked(() => this.read());
    });
    // Other things that people do change little here: what they carry or take back does.
    onChanged(['carriedRuns'], () => this.read());
  }

  private read(): void {
    const [project, from, to] = [this.scope.slug(), this.before(), this.after()];
    if (!from || !to || from === to) return;
    this.store.dispatch(runCommands.offerResults.start({ project, from, to }));
    this.store.dispatch(runCommands.listCarriedResults.start({ project, build: to, limit: 200 }));
  }

  protected few(names: readonly string[]): string {
    return fewOf(names, 6);
  }
  protected place({ row, configuration }: Pick<ResultOffer, 'row' | 'configuration'>): string {
    return [row, configuration].filter(Boolean).join(', ');
  }
  protected runWords({ runs }: CarriedResults): string {
    return this.few(runs.map(({ run, case: of }) => `${run} of ${of}`));
  }
  protected names({ functions }: CarriedResults): string {
    return functions.length ? `: ${this.few(functions.map(({ name }) => name))}` : '';
  }
  protected choose(run: string): void {
    this.leftOut.update((set) => toggled(set, run));
  }
  protected chooseAll(chosen: boolean): void {
    this.leftOut.set(new Set(chosen ? [] : this.free().map(({ run }) => run)));
  }

  protected carry(): void {
    const runs = this.chosen().map(({ run }) => run);
    const [from, to] = [this.before(), this.after()];
    this.statement({
      title: `Carry ${counted(runs.length, 'result')} of ${from} to ${to}`,
      meaning: `You state, with your reason, that these results hold for ${to}: no changed function was hit by them, their cases and requirements are as they were. The cords and the pack say so, until the sources of ${to} are exchanged.`,
    }).subscribe(({ reason: argument, password }) =>
      this.store.dispatch(runCommands.carryResults.start({ project: this.scope.slug(), from, to, runs, argument, password })),
    );
  }
  protected withdraw(key: string): void {
    const meaning = `Its results do not count for ${this.after()} any more.`;
    this.statement({ title: `Withdraw ${key}`, meaning }).subscribe(({ reason, password }) =>
      this.store.dispatch(runCommands.withdrawCarriedResults.start({ project: this.scope.slug(), key, reason, password })),
    );
  }
}
