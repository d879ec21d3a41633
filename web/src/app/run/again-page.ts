import { ChangeDetectionStrategy, Component, computed, effect, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import { counted, fewOf } from '@core/base';
import { Icon, ProblemNote, RecordLink, selectRequest, useAddress, useProject } from '../base';
import { CarryResults } from './carry-results';
import { RunNav } from './run-nav';
import { runCommands, runFeature } from './state';

/** What a change makes necessary: what differs between two builds, the runs that no longer stand because of it, and the fewest cases that show it again. */
@Component({
  selector: 'cp-again-page',
  imports: [CarryResults, FormsModule, MatButtonModule, RouterLink, Icon, ProblemNote, RecordLink, RunNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head"><h1 class="grow">What is needed again</h1></div>
      <cp-run-nav />
      <div class="row end">
        <label class="field"
          ><span>Results of</span
          ><select class="in" name="from" [ngModel]="before()" (ngModelChange)="go({ from: $event })">
            @for (b of builds(); track b) {
              <option [value]="b">{{ b }}</option>
            }
          </select></label
        >
        <label class="field"
          ><span>for</span
          ><select class="in" name="to" [ngModel]="after()" (ngModelChange)="go({ to: $event })">
            @for (b of builds(); track b) {
              <option [value]="b">{{ b }}</option>
            }
          </select></label
        >
        <label class="field"
          ><span>Within so many minutes</span
          ><input
            class="in"
            type="number"
            min="1"
            name="minutes"
            placeholder="the fewest"
            [ngModel]="minutes()"
            (ngModelChange)="minutes.set($event)"
        /></label>
      </div>
      <cp-problem [of]="name" />
      @if (before() === after()) {
        <p class="empty">Choose two builds.</p>
      } @else if (found(); as f) {
        <p role="status">
          <strong>{{ counted(f.again.length, 'case') }}</strong> no longer {{ f.again.length === 1 ? 'stands' : 'stand' }} for
          {{ after() }}; {{ f.untouched.length }} {{ f.untouched.length === 1 ? 'was' : 'were' }} touched by nothing. Changed were
          {{ counted(f.requirements.length, 'requirement') }}, {{ counted(f.cases.length, 'case') }} and
          {{ counted(f.functions.length, 'function') }}.
        </p>
        @if (!f.measured) {
          <p class="note waiting">
            <cp-icon name="warning" /><span
              >No coverage of {{ before() }} tells which code the cases reach: changes of code ask for none of them here.</span
            >
          </p>
        }
        <section class="sheet pad row" aria-label="The choice">
          <span class="grow"
            >{{ minutes() ? 'The best within ' + minutes() + ' min' : 'The fewest cases that show it again' }}:
            <strong>{{ counted(f.choice.cases.length, 'case') }}, {{ f.choice.minutes }} min</strong>, {{ f.choice.covered }} of
            {{ f.choice.of }} of what was lost{{ f.choice.proved ? ', proved' : ', at best ' + f.choice.bound }}.</span
          >
          @if (mayPlan()) {
            @if (f.choice.cases.length) {
              <a mat-flat-button [routerLink]="['/', scope.slug(), 'run', 'plan']" [queryParams]="{ cases: f.choice.cases.join(',') }"
                >Plan these {{ f.choice.cases.length }}</a
              >
            }
            @if (open().length) {
              <a mat-stroked-button [routerLink]="['/', scope.slug(), 'run', 'plan']" [queryParams]="{ cases: open().join(',') }"
                >Plan all {{ open().length }}</a
              >
            }
          }
        </section>
        <section class="sheet" aria-label="Runs that no longer stand">
          <table class="list">
            <thead>
              <tr>
                <th scope="col">Case</th>
                <th scope="col">Run on {{ before() }}</th>
                <th scope="col">Because</th>
                <th scope="col" class="num">Minutes</th>
                <th scope="col">On {{ after() }}</th>
              </tr>
            </thead>
            <tbody>
              @for (c of f.again; track c.key) {
                <tr>
                  <td><cp-record kind="case" [key]="c.key" />&ngsp;{{ c.title }}</td>
                  <td><cp-record kind="run" [key]="c.run" [text]="c.run" /></td>
                  <td>
                    @for (reason of c.reasons; track $index) {
                      <div>{{ reason }}</div>
                    }
                  </td>
                  <td class="num">{{ c.minutes }}</td>
                  <td>
                    @if (c.done) {
                      <cp-record kind="run" [key]="c.done" [text]="c.done" /> passed
                    } @else if (f.choice.cases.includes(c.key)) {
                      <span class="tag waiting">chosen</span>
                    } @else {
                      <span class="second">open</span>
                    }
                  </td>
                </tr>
              } @empty {
                <tr>
                  <td colspan="5" class="second">Everything that was run on {{ before() }} stands for {{ after() }} too.</td>
                </tr>
              }
            </tbody>
          </table>
        </section>
        <div class="three">
          <section class="sheet pad" aria-label="Requirements that changed">
            <h2>Requirements</h2>
            @for (r of f.requirements; track r.key) {
              <div>
                <cp-record kind="requirement" [key]="r.key" />&ngsp;<span class="second small">revision {{ r.before }} to {{ r.now }}</span>
              </div>
            } @empty {
              <p class="second">None that those cases verify.</p>
            }
          </section>
          <section class="sheet pad" aria-label="Cases that changed">
            <h2>Cases</h2>
            @for (c of f.cases; track c.key) {
              <div>
                <cp-record kind="case" [key]="c.key" />&ngsp;<span class="second small">revision {{ c.before }} to {{ c.now }}</span>
              </div>
            } @empty {
              <p class="second">None.</p>
            }
          </section>
          <section class="sheet pad" aria-label="Functions that changed">
            <h2>Code</h2>
            @for (c of f.functions.slice(0, 60); track c.path + c.name) {
              <div>
                <code>{{ c.name }}</code>&ngsp;<span class="second small">{{ c.path }}, {{ c.what }}</span>
              </div>
            } @empty {
              <p class="second">No function: the texts of both are the same.</p>
            }
          </section>
        </div>
        <cp-carry-results [before]="before()" [after]="after()" [asked]="carried()" />
        @if (f.neverRun.length) {
          <p class="second small">{{ counted(f.neverRun.length, 'case') }} never ran on {{ before() }}: {{ never() }}.</p>
        }
      } @else {
        <p class="empty" role="status">{{ asking().pending ? 'Comparing two builds …' : '' }}</p>
      }
    </div>
  `,
  styles: `
    .three {
      display: grid;
      grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
      gap: 16px;
      align-items: start;
    }
    td div + div {
      margin-top: 3px;
    }
  `,
})
export class AgainPage {
  readonly from = input<string>();
  readonly to = input<string>();
  /** The key of a statement that carried results, where somebody comes for it. */
  readonly carried = input<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly go = useAddress();
  protected readonly counted = counted;
  protected readonly name = runCommands.neededAgain.name;
  protected readonly asking = this.store.selectSignal(selectRequest(this.name));
  protected readonly found = this.store.selectSignal(runFeature.selectNeededAgain);
  protected readonly minutes = signal<number | null>(null);
  protected readonly builds = computed(() => (this.scope.project()?.builds ?? []).map(({ name }) => name));
  protected readonly after = computed(() => this.to() ?? this.scope.build());
  /** The build before the one that is asked for, as they were named. */
  protected readonly before = computed(() => {
    const at = this.builds().indexOf(this.after());
    return this.from() ?? this.builds()[at > 0 ? at - 1 : this.builds().length - 1] ?? '';
  });
  protected readonly mayPlan = computed(() => this.scope.roles().some((role) => role === 'tester' || role === 'author'));
  protected readonly open = computed(() => (this.found()?.again ?? []).flatMap(({ key, done }) => (done ? [] : [key])));
  protected readonly never = computed(() => {
    const keys = (this.found()?.neverRun ?? []).map(({ key }) => key);
    return fewOf(keys, 12);
  });

  constructor() {
    effect((onCleanup) => {
      const [project, from, to, minutes] = [this.scope.slug(), this.before(), this.after(), this.minutes()];
      if (!from || !to || from === to) return;
      const timer = setTimeout(
        () => untracked(() => this.store.dispatch(runCommands.neededAgain.start({ project, from, to, ...(minutes ? { minutes } : {}) }))),
        200,
      );
      onCleanup(() => clearTimeout(timer));
    });
  }
}
