import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router } from '@angular/router';
import { listSpecifications } from '@contract/specify';
import { Api, firstMissing, Icon, Needs, ProblemNote, RecordLink, selectRequest, useProject } from '../../base';
import { DesignNav } from '../design-nav';
import { designCommands, designFeature } from '../state';

/** The fewest cases that show all that a scope shows, or the best within so many minutes; planned as a round at one press. */
@Component({
  selector: 'cp-selection-page',
  imports: [DesignNav, FormsModule, Icon, MatButtonModule, Needs, ProblemNote, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <h1>The fewest cases</h1>
      <cp-design-nav />
      <p class="second">
        All requirements of the scope that some approved case verifies, and all code of build {{ scope.build() }} that its cases reached,
        shown by as few cases as can be, or by the best that fit into so many minutes.
      </p>
      <form class="row end" (ngSubmit)="ask()">
        <label class="field"
          ><span>Scope</span
          ><select class="in" name="spec" [ngModel]="spec()" (ngModelChange)="spec.set($event)">
            <option value="">the whole project</option>
            @for (s of specifications(); track s.key) {
              <option [value]="s.key">{{ s.title }}</option>
            }
          </select></label
        >
        <label class="field"
          ><span>Within minutes; empty: the fewest</span
          ><input class="in" type="number" min="1" name="minutes" [ngModel]="minutes()" (ngModelChange)="minutes.set($event)"
        /></label>
        <button mat-flat-button type="submit" [disabled]="asking().pending > 0" [cpNeeds]="missing">
          {{ asking().pending ? 'Working it out …' : 'Work it out' }}
        </button>
      </form>
      <cp-problem [of]="name" />
      @if (plan(); as p) {
        <section class="sheet pad stack" aria-label="The chosen cases">
          <div class="row">
            <h2 class="grow" role="status">
              {{ p.cases.length }} {{ p.cases.length === 1 ? 'case' : 'cases' }}, {{ p.minutes }} min, show {{ p.covered }} of
              {{ p.of }} points
            </h2>
            <span [class]="'tag ' + (p.proved ? 'sound' : 'waiting')">{{ boundWords() }}</span>
            <button mat-stroked-button type="button" [cpNeeds]="noCase" (click)="round()">
              <cp-icon name="play_arrow" /> Plan a round of them
            </button>
          </div>
          <table class="list">
            <thead>
              <tr>
                <th scope="col">Case</th>
                <th scope="col">Title</th>
                <th scope="col" class="num">adds</th>
                <th scope="col" class="num">min</th>
              </tr>
            </thead>
            <tbody>
              @for (c of p.cases; track c.key) {
                <tr>
                  <td><cp-record kind="case" [key]="c.key" /></td>
                  <td>{{ c.title }}</td>
                  <td class="num">{{ c.adds }}</td>
                  <td class="num">{{ c.minutes }}</td>
                </tr>
              }
            </tbody>
          </table>
          @if (p.without.length) {
            <p>
              <span class="second">No approved case verifies:</span>
              @for (key of p.without.slice(0, 30); track key) {
                <cp-record kind="requirement" [key]="key" />{{ ' ' }}
              }
            </p>
          }
        </section>
      }
    </div>
  `,
})
export class SelectionPage {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly name = designCommands.select.name;
  protected readonly asking = this.store.selectSignal(selectRequest(this.name));
  protected readonly plan = this.store.selectSignal(designFeature.selectSelection);
  protected readonly specifications = signal<readonly { readonly key: string; readonly title: string }[]>([]);
  protected readonly spec = signal('');
  protected readonly minutes = signal<number | null>(null);
  private readonly timed = signal(false);
  protected readonly missing = (): string =>
    firstMissing([!this.scope.build(), 'Choose a build in the bar above: code is that of one build.']);
  protected readonly noCase = (): string => (this.plan()?.cases.length ? '' : 'No case shows any of it.');
  protected readonly boundWords = computed(() => {
    const p = this.plan();
    if (!p) return '';
    if (this.timed()) return p.proved ? 'proved best' : `no set can show more than ${p.bound}`;
    return p.proved ? 'proved fewest' : `at least ${p.bound} are needed`;
  });

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(
        () =>
          void this.api.call(listSpecifications, { project }).then(
            (list) => this.specifications.set(list),
            () => undefined,
          ),
      );
    });
  }
  protected ask(): void {
    const minutes = this.minutes();
    this.timed.set(Boolean(minutes));
    this.store.dispatch(
      designCommands.select.start({
        project: this.scope.slug(),
        build: this.scope.build(),
        ...(this.spec() ? { specification: this.spec() } : {}),
        ...(minutes ? { minutes } : {}),
      }),
    );
  }
  protected round(): void {
    const cases = this.plan()
      ?.cases.map((c) => c.key)
      .join(',');
    void this.router.navigate(['/', this.scope.slug(), 'run', 'plan'], { queryParams: { cases } });
  }
}
