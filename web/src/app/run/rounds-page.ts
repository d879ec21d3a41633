import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router, RouterLink } from '@angular/router';
import type { Round } from '@contract/run';
import { baseActions, baseCommands, Icon, Needs, onAction, ProblemNote, RecordList, RowLines, RowTemplate, useProject } from '../base';
import { roundKind } from './round-list';
import { RoundView } from './round-view';
import { RunNav } from './run-nav';
import { runCommands } from './state';

/** Run: the rounds of the build, and the chosen one beside them. */
@Component({
  selector: 'cp-rounds-page',
  imports: [FormsModule, RouterLink, MatButtonModule, Icon, ProblemNote, RecordList, RoundView, RowLines, RowTemplate, RunNav, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panes beside" [class.one]="key() || naming()">
      <section class="pane pane-left side" aria-label="Rounds">
        <div class="row">
          <h1 class="grow">Run</h1>
          @if (mayPlan() && scope.build()) {
            <a mat-stroked-button [routerLink]="['/', scope.slug(), 'run', 'plan']"><cp-icon name="add" /> Plan a round</a>
          }
        </div>
        <div class="row">
          @if (mayBuild()) {
            <button class="chip" type="button" (click)="naming.set(!naming())" [attr.aria-expanded]="naming()">
              <cp-icon name="deployed_code" /> Name a build
            </button>
          }
        </div>
        <cp-run-nav />
        @if (scope.build(); as build) {
          <cp-record-list [kind]="kind" [of]="of()" [current]="key()" (opened)="open($event)">
            <ng-template [cpRow]="kind" let-round let-found="found">
              <cp-row-lines [row]="round" [found]="found" [below]="about(round)">
                <span class="row small progress">
                  <span class="bar" role="img" [attr.aria-label]="round.recorded + ' of ' + round.runs + ' recorded'"
                    ><i [style.width.%]="round.runs ? (100 * round.recorded) / round.runs : 0"></i
                  ></span>
                  <span class="few">{{ round.recorded }} of {{ round.runs }}</span>
                  @if (round.state === 'withdrawn') {
                    <span class="tag broken">withdrawn</span>
                  } @else if (round.failed) {
                    <span class="tag broken">{{ round.failed }} failed</span>
                  }
                </span>
              </cp-row-lines>
            </ng-template>
            <ng-container empty>
              <h2>No round on {{ build }} yet</h2>
              <p>A round is a set of runs planned for one build, with a configuration and who does them.</p>
            </ng-container>
          </cp-record-list>
        } @else {
          <div class="empty">
            <h2>No build yet</h2>
            <p>Runs are recorded on a build of the product: name one first.</p>
          </div>
        }
      </section>
      <section class="pane" aria-label="Round">
        <button class="chip back" type="button" (click)="naming.set(false); open('')"><cp-icon name="chevron_left" /> Rounds</button>
        @if (naming()) {
          <form class="sheet pad stack" (ngSubmit)="addBuild()">
            <h2>Name a build of the product</h2>
            <label class="field"><span>Name, such as 2.4.0-rc3</span><input class="in" name="name" [(ngModel)]="buildName" /></label>
            <label class="field"><span>Description</span><input class="in" name="about" [(ngModel)]="buildAbout" /></label>
            <cp-problem [of]="buildCommand" />
            <div class="row">
              <button mat-flat-button type="submit" [cpNeeds]="missing">Name it</button
              ><button mat-button type="button" (click)="naming.set(false)">Cancel</button>
            </div>
          </form>
        } @else if (key(); as round) {
          <cp-round [key]="round" />
        } @else {
          <div class="empty">
            <h2>Choose a round</h2>
            <p>Its runs stand here, with the next one to record.</p>
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
    .few {
      opacity: 0.8;
    }
    .one-line .progress {
      display: none;
    }
    .progress {
      flex-wrap: nowrap;
      gap: 8px;
    }
    .progress .bar {
      width: 110px;
    }
  `,
})
export class RoundsPage {
  readonly key = input<string>();
  /** From the address: a build is to be named. */
  readonly build = input<string>();
  protected readonly scope = useProject();
  protected readonly kind = roundKind;
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly of = computed(() => ({ build: this.scope.build() }));
  protected readonly naming = signal(false);
  protected readonly buildName = signal('');
  protected readonly missing = (): string => (this.buildName().trim() ? '' : 'Name the build.');
  protected readonly buildAbout = signal('');
  protected readonly buildCommand = runCommands.addBuild.name;
  protected readonly mayPlan = computed(() => this.scope.roles().some((r) => r === 'tester' || r === 'author'));
  protected readonly mayBuild = computed(() => this.scope.roles().some((r) => r === 'tester' || r === 'author' || r === 'administrator'));

  constructor() {
    effect(() => {
      if (this.build() === 'new') untracked(() => this.naming.set(true));
    });
    onAction(runCommands.addBuild.done, ({ answer }) => {
      this.naming.set(false);
      this.buildName.set('');
      this.store.dispatch(baseCommands.getProject.start({ project: this.scope.slug() }));
      this.store.dispatch(baseActions.buildChosen({ build: answer.name }));
    });
  }

  protected about({ folder, configuration, unit, createdAt }: Round): string {
    return [folder, configuration, unit, createdAt.slice(0, 10)].filter(Boolean).join(' · ');
  }

  protected open(key: string): void {
    void this.router.navigate(['/', this.scope.slug(), 'run', ...(key ? ['round', key] : [])], { queryParamsHandling: 'preserve' });
  }

  protected addBuild(): void {
    this.store.dispatch(
      runCommands.addBuild.start({ project: this.scope.slug(), name: this.buildName().trim(), description: this.buildAbout().trim() }),
    );
  }
}
