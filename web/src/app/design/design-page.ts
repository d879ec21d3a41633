import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { Router } from '@angular/router';
import { emptyCase } from '@core/design';
import type { Selection } from '@contract/base';
import { BulkPanel, Icon, onAction, ProblemNote, RecordList, reviewChoices, reviewWords, RowLines, RowTemplate, useProject } from '../base';
import { caseKind } from './case-list';
import { CaseRecord } from './case-record';
import { designCommands } from './state';

/** Design: the verification cases on the left, the chosen one beside them. */
@Component({
  selector: 'cp-design-page',
  imports: [MatButtonModule, BulkPanel, CaseRecord, Icon, ProblemNote, RecordList, RowLines, RowTemplate],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panes beside" [class.one]="record()">
      <section class="pane pane-left side" aria-label="Cases">
        <div class="row">
          <h1 class="grow">Design</h1>
          @if (author()) {
            <button mat-stroked-button type="button" (click)="add()"><cp-icon name="add" /> Case</button>
          }
        </div>
        <cp-record-list [kind]="kind" [current]="record()" (opened)="open($event)" (chosen)="selection.set($event)">
          <ng-container acts>
            @if (selection()?.keys) {
              <button class="chip" type="button" (click)="plan()"><cp-icon name="play_arrow" /> Plan a round</button>
            }
            <button class="chip" type="button" [attr.aria-pressed]="acting()" (click)="acting.set(!acting())">
              <cp-icon name="checklist" /> Act on them
            </button>
          </ng-container>
          <ng-template [cpRow]="kind" let-c let-found="found">
            <cp-row-lines
              [row]="c"
              [found]="found"
              [below]="
                (c.verifies.join(', ') || 'verifies nothing') +
                ' · ' +
                c.steps +
                (c.steps === 1 ? ' step · ' : ' steps · ') +
                c.plannedMinutes +
                ' min'
              "
            />
            @if (c.suspect) {
              <span class="tag suspect">suspect</span>
            } @else if (c.state !== 'approved') {
              <span class="tag waiting">{{ reviewWords(c.state) }}</span>
            }
          </ng-template>
          <ng-container empty>
            <h2>No case yet</h2>
            <p>A case says what to do, step by step, and what must be seen.</p>
          </ng-container>
        </cp-record-list>
        <cp-problem [of]="addName" />
      </section>
      <section class="pane" aria-label="Case">
        <button class="chip back" type="button" (click)="list()?.none(); open('')"><cp-icon name="chevron_left" /> Cases</button>
        @if (acting() && selection(); as chosen) {
          <cp-bulk-panel [of]="chosen" [choices]="choices()" (closed)="acting.set(false)" />
        } @else if (record(); as key) {
          <cp-case-record [key]="key" />
        } @else {
          <div class="empty">
            <h2>Choose a case</h2>
            <p>Its objective, steps and the requirements that it verifies stand here.</p>
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
  `,
})
export class DesignPage {
  protected readonly reviewWords = reviewWords;
  readonly record = input<string>();
  /** From the address: requirements for which a case is to be designed. */
  readonly for = input<string>();
  /** And under which title. */
  readonly title = input<string>();
  protected readonly scope = useProject();
  protected readonly kind = caseKind;
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly list = viewChild(RecordList);
  protected readonly addName = designCommands.addCase.name;
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly acting = signal(false);
  protected readonly selection = signal<Selection | null>(null);
  protected readonly choices = computed(() => reviewChoices(this.scope.roles()));

  constructor() {
    effect(() => {
      const requirement = this.for();
      if (requirement) untracked(() => this.add([requirement]));
    });
    onAction(
      designCommands.addCase.done,
      ({ answer }) =>
        void this.router.navigate(['/', this.scope.slug(), 'design', answer.key], {
          queryParams: { edit: 1, for: null, title: null },
          queryParamsHandling: 'merge',
        }),
    );
  }

  protected add(verifies: string[] = []): void {
    this.store.dispatch(
      designCommands.addCase.start({
        project: this.scope.slug(),
        content: { ...emptyCase, title: this.title() ?? (verifies.length ? `Case for ${verifies.join(', ')}` : 'New case') },
        verifies,
      }),
    );
  }

  protected open(key: string): void {
    this.acting.set(false);
    void this.router.navigate(['/', this.scope.slug(), 'design', ...(key ? [key] : [])], {
      queryParams: { edit: null },
      queryParamsHandling: 'merge',
    });
  }

  protected plan(): void {
    void this.router.navigate(['/', this.scope.slug(), 'run', 'plan'], { queryParams: { cases: this.selection()?.keys?.join(',') } });
    this.list()?.none();
  }
}
