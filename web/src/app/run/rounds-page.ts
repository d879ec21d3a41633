import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { DatePipe } from '@angular/common';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router, RouterLink } from '@angular/router';
import { compareKeys } from '@core/base';
import { baseActions, baseCommands, Icon, keysFilter, onAction, onChanged, ProblemNote, useProject } from '../base';
import { runCommands, runFeature } from './state';

/** Run: the rounds of the build, a new build, a new round. */
@Component({
  selector: 'cp-rounds-page',
  imports: [DatePipe, FormsModule, RouterLink, MatButtonModule, Icon, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head">
        <h1>Run</h1>
        <span class="second grow">Rounds on {{ scope.build() || 'no build yet' }}</span>
        <a class="chip" [routerLink]="['/', scope.slug(), 'run', 'problems']"><cp-icon name="bug_report" /> Problem reports</a>
        @if (mayBuild()) {
          <button class="chip" type="button" (click)="naming.set(!naming())" [attr.aria-expanded]="naming()">
            <cp-icon name="deployed_code" /> Name a build
          </button>
        }
        @if (mayPlan() && scope.build()) {
          <button mat-flat-button type="button" (click)="planning.set(!planning())" [attr.aria-expanded]="planning()">
            <cp-icon name="add" /> Plan a round
          </button>
        }
      </div>
      @if (naming()) {
        <form class="sheet pad stack" (ngSubmit)="addBuild()">
          <h2>Name a build of the product</h2>
          <div class="row">
            <label class="field"><span>Name, such as 2.4.0-rc3</span><input class="in" name="name" [(ngModel)]="buildName" /></label
            ><label class="field grow"><span>Description</span><input class="in" name="about" [(ngModel)]="buildAbout" /></label
            ><button mat-flat-button type="submit" [disabled]="!buildName().trim()">Name it</button>
          </div>
          <cp-problem [of]="names.build" />
        </form>
      }
      @if (planning()) {
        <form class="sheet pad stack" (ngSubmit)="send()">
          <h2>Plan a round on {{ scope.build() }}</h2>
          <div class="form">
            <label class="field"><span>Title</span><input class="in" name="title" [(ngModel)]="title" /></label>
            <label class="field"
              ><span>Configuration</span
              ><input class="in" name="configuration" placeholder="rig 2 · cold chamber" [(ngModel)]="configuration"
            /></label>
            <label class="field"><span>Unit under test</span><input class="in" name="unit" [(ngModel)]="unit" /></label>
            <label class="field"><span>Tools</span><input class="in" name="tools" [(ngModel)]="tools" /></label>
            <label class="field"
              ><span>Done by</span
              ><select class="in" name="tester" [(ngModel)]="tester">
                @for (t of testers(); track t.login) {
                  <option [value]="t.login">{{ t.printedName }}</option>
                }
              </select></label
            >
          </div>
          <div class="between">
            <h3>Cases: {{ chosen().size }} chosen, {{ minutes() }} min planned</h3>
            <span class="row"
              ><input
                #wordsBox
                class="in find"
                type="search"
                placeholder="Filter cases"
                aria-label="Filter cases"
                [value]="words()"
                (input)="words.set(wordsBox.value)"
              /><button class="chip" type="button" (click)="chooseAll()">All shown</button
              ><button class="chip" type="button" (click)="chosen.set(none)">None</button></span
            >
          </div>
          <ul class="cases">
            @for (c of shownCases(); track c.key) {
              <li>
                <label class="check"
                  ><input type="checkbox" [checked]="chosen().has(c.key)" [disabled]="c.state !== 'approved'" (change)="toggle(c.key)" /><b
                    class="key"
                    >{{ c.key }}</b
                  >
                  {{ c.title }}
                  <span class="second small">{{
                    c.state !== 'approved' ? 'not approved: cannot be run' : (c.rows ? c.rows + ' rows · ' : '') + c.plannedMinutes + ' min'
                  }}</span></label
                >
              </li>
            } @empty {
              <li class="second">No case yet: design one first.</li>
            }
          </ul>
          <label class="check"
            ><input type="checkbox" name="leaveOut" [(ngModel)]="leaveOut" /> Leave out what already passed on this build in this
            configuration and still stands</label
          >
          <label class="field"
            ><span>Why again, where something has a result here already</span
            ><input class="in" name="why" maxlength="2000" [(ngModel)]="why"
          /></label>
          <cp-problem [of]="names.round" />
          <div class="row">
            <button mat-flat-button type="submit" [disabled]="!chosen().size || !title().trim() || !configuration().trim()">
              Plan {{ runCount() }} {{ runCount() === 1 ? 'run' : 'runs' }}</button
            ><button mat-button type="button" (click)="planning.set(false)">Cancel</button>
          </div>
        </form>
      }
      @for (round of rounds(); track round.key) {
        <a class="sheet pad round" [routerLink]="['/', scope.slug(), 'run', 'round', round.key]">
          <div class="between">
            <h2>{{ round.title }}</h2>
            <span class="second small">{{ round.key }} · {{ round.createdAt | date: 'yyyy-MM-dd' }}</span>
          </div>
          <div class="second small">{{ round.configuration }} · {{ round.unit }}</div>
          <div class="bar" role="img" [attr.aria-label]="round.recorded + ' of ' + round.runs + ' recorded'">
            <i [style.width.%]="round.runs ? (100 * round.recorded) / round.runs : 0"></i>
          </div>
          <div class="row small">
            <b>{{ round.recorded }} of {{ round.runs }} runs recorded</b><span class="second">{{ round.reviewed }} reviewed</span>
            @if (round.failed) {
              <span class="tag broken">{{ round.failed }} failed</span>
            }
          </div>
        </a>
      } @empty {
        <div class="sheet empty">
          <h2>No round on this build yet</h2>
          <p>A round is a set of runs planned for one build, with a configuration and who does them.</p>
        </div>
      }
    </div>
  `,
  styles: `
    .round {
      display: flex;
      flex-direction: column;
      gap: 6px;
      color: inherit;
      font-weight: 400;
    }
    .round:hover {
      text-decoration: none;
      border-color: var(--hairline-strong);
    }
    .form {
      display: grid;
      grid-template-columns: 1.4fr 1fr 1fr 1fr 1fr;
      gap: 12px;
    }
    .cases {
      max-height: 300px;
      overflow: auto;
      columns: 2;
      column-gap: 24px;
    }
    .cases li {
      padding: 3px 0;
      break-inside: avoid;
    }
    .find {
      width: 200px;
      padding: 3px 10px;
    }
  `,
})
export class RoundsPage {
  /** From the address: cases to plan, and whether a build is to be named. */
  readonly plan = input<string>();
  readonly build = input<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  private readonly roundList = this.store.selectSignal(runFeature.selectRounds);
  private readonly caseList = this.store.selectSignal(runFeature.selectCases);
  protected readonly rounds = computed(() => this.roundList().rows);
  private readonly cases = computed(() => this.caseList().rows);
  protected readonly naming = signal(false);
  protected readonly planning = signal(false);
  protected readonly buildName = signal('');
  protected readonly buildAbout = signal('');
  protected readonly title = signal('');
  protected readonly configuration = signal('');
  protected readonly unit = signal('');
  protected readonly tools = signal('');
  protected readonly tester = signal('');
  protected readonly words = signal('');
  protected readonly none: ReadonlySet<string> = new Set();
  protected readonly chosen = signal<ReadonlySet<string>>(this.none);
  protected readonly names = { build: runCommands.addBuild.name, round: runCommands.addRound.name };
  protected readonly mayPlan = computed(() => this.scope.roles().some((r) => r === 'tester' || r === 'author'));
  protected readonly mayBuild = computed(() => this.scope.roles().some((r) => r === 'tester' || r === 'author' || r === 'administrator'));
  protected readonly testers = computed(() => (this.scope.project()?.members ?? []).filter((m) => m.roles.includes('tester')));
  protected readonly shownCases = computed(() => {
    const words = this.words().toLowerCase().split(/\s+/).filter(Boolean);
    return [...this.cases()]
      .filter((c) => words.every((w) => `${c.key} ${c.title} ${c.verifies.join(' ')}`.toLowerCase().includes(w)))
      .sort((a, b) => compareKeys(a.key, b.key));
  });
  protected readonly minutes = computed(() =>
    this.cases()
      .filter((c) => this.chosen().has(c.key))
      .reduce((sum, c) => sum + c.plannedMinutes * Math.max(1, c.rows), 0),
  );
  /** A run for each data row; what is left out is known when it is planned. */
  protected readonly runCount = computed(() =>
    this.cases()
      .filter((c) => this.chosen().has(c.key))
      .reduce((sum, c) => sum + Math.max(1, c.rows), 0),
  );
  protected readonly leaveOut = signal(false);
  protected readonly why = signal('');

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), build: this.scope.build() };
      untracked(() => {
        if (at.build) this.store.dispatch(runCommands.listRounds.start(at));
        this.store.dispatch(runCommands.listCases.start({ project: at.project }));
      });
    });
    onChanged(['round', 'run'], () => {
      const at = { project: this.scope.slug(), build: this.scope.build() };
      if (at.build) this.store.dispatch(runCommands.listRounds.start(at));
    });
    onChanged(['case'], (keys) =>
      this.store.dispatch(runCommands.listCases.start({ project: this.scope.slug(), ...(keys ? { filter: keysFilter(keys) } : {}) })),
    );
    effect(() => {
      const wanted = this.plan();
      if (wanted)
        untracked(() => {
          this.planning.set(true);
          this.chosen.set(new Set(wanted.split(',')));
        });
    });
    effect(() => {
      if (this.build() === 'new') untracked(() => this.naming.set(true));
    });
    // Nothing is typed twice: the last round tells what is usual here.
    effect(() => {
      const last = this.rounds()[0];
      const testers = this.testers();
      untracked(() => {
        if (last && !this.configuration()) this.configuration.set(last.configuration);
        if (last && !this.unit()) this.unit.set(last.unit);
        if (last && !this.tools()) this.tools.set(last.tools);
        const me = this.scope.session()?.person.login;
        if (!this.tester()) this.tester.set(testers.find((t) => t.login === me)?.login ?? testers[0]?.login ?? '');
      });
    });
    onAction(runCommands.addBuild.done, ({ answer }) => {
      this.naming.set(false);
      this.buildName.set('');
      this.store.dispatch(baseCommands.getProject.start({ project: this.scope.slug() }));
      this.store.dispatch(baseActions.buildChosen({ build: answer.name }));
    });
    onAction(runCommands.addRound.done, ({ answer }) => void this.router.navigate(['/', this.scope.slug(), 'run', 'round', answer.key]));
  }

  protected addBuild(): void {
    this.store.dispatch(
      runCommands.addBuild.start({ project: this.scope.slug(), name: this.buildName().trim(), description: this.buildAbout().trim() }),
    );
  }

  protected toggle(key: string): void {
    const next = new Set(this.chosen());
    if (!next.delete(key)) next.add(key);
    this.chosen.set(next);
  }

  protected chooseAll(): void {
    this.chosen.set(
      new Set(
        this.shownCases()
          .filter((c) => c.state === 'approved')
          .map((c) => c.key),
      ),
    );
  }

  protected send(): void {
    this.store.dispatch(
      runCommands.addRound.start({
        project: this.scope.slug(),
        build: this.scope.build(),
        title: this.title(),
        configuration: this.configuration(),
        unit: this.unit(),
        tools: this.tools(),
        tester: this.tester(),
        cases: [...this.chosen()],
        ...(this.leaveOut() ? { leaveOut: 'passed' as const } : {}),
        reason: this.why().trim(),
      }),
    );
  }
}
