import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router } from '@angular/router';
import { listRequirements } from '@contract/specify';
import {
  firstMissing,
  Icon,
  Needs,
  onAction,
  type PickedRow,
  ProblemNote,
  RecordList,
  RecordPicker,
  RowLines,
  RowTemplate,
  useProject,
} from '../../base';
import { SpecifyNav } from '../specify-nav';
import { specifyCommands, specifyFeature } from '../state';
import { reviewKind } from './review-list';
import { ReviewRecord } from './review-record';
import { reviewCommands } from './state';

/** Reviews: the list, and the chosen one beside it; or a new one, with who is asked about what. */
@Component({
  selector: 'cp-reviews-page',
  imports: [
    FormsModule,
    MatButtonModule,
    Icon,
    Needs,
    ProblemNote,
    RecordList,
    RecordPicker,
    ReviewRecord,
    RowLines,
    RowTemplate,
    SpecifyNav,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panes beside" [class.one]="adding() || key()">
      <section class="pane pane-left side" aria-label="Reviews">
        <div class="row">
          <h1 class="grow">Reviews</h1>
          @if (may()) {
            <button class="chip" type="button" (click)="begin()"><cp-icon name="add" /> Review</button>
          }
        </div>
        <cp-specify-nav />
        <cp-record-list [kind]="kind" [current]="key() ?? ''" (opened)="open($event)">
          <ng-template [cpRow]="kind" let-r let-found="found">
            <cp-row-lines
              [row]="r"
              [found]="found"
              [below]="r.items + ' requirements, ' + r.people.join(', ') + (r.due ? ', by ' + r.due : '')"
            />
            @if (r.state === 'open') {
              <span class="tag waiting">open</span>
            }
          </ng-template>
          <ng-container empty>
            <h2>No review here</h2>
            <p>Ask people to read requirements by a date: each agrees or asks for a change, one by one.</p>
          </ng-container>
        </cp-record-list>
      </section>
      <section class="pane" aria-label="Review">
        <button class="chip back" type="button" (click)="open('')"><cp-icon name="chevron_left" /> Reviews</button>
        @if (adding()) {
          <form class="sheet pad stack" (ngSubmit)="add()">
            <h1>Ask for a review</h1>
            <label class="field"><span>Title</span><input class="in" name="title" [(ngModel)]="title" /></label>
            <label class="field"
              ><span>What you ask</span
              ><textarea
                class="in"
                rows="2"
                name="question"
                placeholder="Is it complete? Can each be verified?"
                [(ngModel)]="question"
              ></textarea>
            </label>
            <label class="field"><span>By when</span><input class="in" type="date" name="due" [(ngModel)]="due" /></label>
            <fieldset class="plain">
              <legend class="second small">Who is asked</legend>
              <div class="row">
                @for (m of members(); track m.login) {
                  <label class="check"
                    ><input type="checkbox" [checked]="people().includes(m.login)" (change)="person(m.login)" /> {{ m.printedName }}</label
                  >
                }
              </div>
            </fieldset>
            <fieldset class="plain">
              <legend class="second small">What is reviewed: requirements, or a heading for all below it</legend>
              <div class="row">
                @for (s of specifications(); track s.key) {
                  <button class="chip" type="button" (click)="take([s])"><cp-icon name="add" /> All of {{ s.title }}</button>
                }
              </div>
              <cp-record-picker
                [from]="requirementsFrom"
                [without]="keys()"
                label="What is reviewed"
                placeholder="Key or words"
                (picked)="take($event)"
              />
              <div class="row">
                @for (k of chosen(); track k.key) {
                  <button class="chip" type="button" (click)="drop(k.key)">
                    {{ k.key }} {{ k.title }} <cp-icon name="close" /><span class="hidden-visually">take off</span>
                  </button>
                }
              </div>
            </fieldset>
            <cp-problem [of]="name" />
            <div class="row">
              <button mat-flat-button type="submit" [cpNeeds]="missing">Ask for the review</button>
              <button mat-button type="button" (click)="adding.set(false)">Close</button>
            </div>
          </form>
        } @else if (key(); as k) {
          <cp-review-record [key]="k" />
        } @else {
          <div class="empty">
            <h2>Choose a review</h2>
            <p>What is asked stands here, with what is new in each text.</p>
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
    .plain {
      border: 0;
      padding: 0;
      margin: 0;
      display: grid;
      gap: 8px;
    }
  `,
})
export class ReviewsPage {
  readonly key = input<string>();
  /** From the address: keys with which a review begins. */
  readonly of = input<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly kind = reviewKind;
  protected readonly requirementsFrom = listRequirements;
  protected readonly specifications = this.store.selectSignal(specifyFeature.selectSpecifications);
  protected readonly name = reviewCommands.add.name;
  protected readonly may = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'reviewer'));
  protected readonly members = computed(() =>
    (this.scope.project()?.members ?? []).filter((m) => m.roles.some((role) => role !== 'auditor')),
  );
  protected readonly adding = signal(false);
  protected readonly title = signal('');
  protected readonly question = signal('');
  protected readonly due = signal('');
  protected readonly people = signal<readonly string[]>([]);
  protected readonly chosen = signal<readonly { readonly key: string; readonly title: string }[]>([]);
  protected readonly keys = computed(() => this.chosen().map(({ key }) => key));
  protected readonly missing = (): string =>
    firstMissing(
      [!this.title().trim(), 'Give it a title.'],
      [!this.people().length, 'Choose who is asked.'],
      [!this.keys().length, 'Choose what is reviewed.'],
    );

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.store.dispatch(specifyCommands.listSpecifications.start({ project })));
    });
    effect(() => {
      const of = this.of();
      if (!of) return;
      untracked(() => {
        this.begin();
        this.chosen.set(of.split(',').map((key) => ({ key, title: '' })));
      });
    });
    onAction(reviewCommands.add.done, ({ answer }) => this.open(answer.key));
  }

  protected begin(): void {
    this.title.set('');
    this.question.set('');
    this.due.set('');
    this.people.set([]);
    this.chosen.set([]);
    this.adding.set(true);
  }

  protected open(key: string): void {
    this.adding.set(false);
    void this.router.navigate(['/', this.scope.slug(), 'specify', 'reviews', ...(key ? [key] : [])]);
  }

  protected person(login: string): void {
    this.people.update((people) => (people.includes(login) ? people.filter((other) => other !== login) : [...people, login]));
  }

  protected take(rows: readonly PickedRow[]): void {
    this.chosen.update((chosen) => [
      ...chosen,
      ...rows.filter((r) => !chosen.some((c) => c.key === r.key)).map(({ key, title }) => ({ key, title })),
    ]);
  }

  protected drop(key: string): void {
    this.chosen.update((chosen) => chosen.filter((c) => c.key !== key));
  }

  protected add(): void {
    this.store.dispatch(
      reviewCommands.add.start({
        project: this.scope.slug(),
        title: this.title().trim(),
        question: this.question().trim(),
        due: this.due(),
        people: [...this.people()],
        keys: this.keys(),
      }),
    );
  }
}
