import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { Problem, ProblemLife } from '@contract/run';
import { missingAt, moveRefusal } from '@core/run';
import { firstMissing, Needs, useProject } from '../base';

export interface StageAsked {
  readonly title: string;
  readonly description: string;
  readonly blocking: boolean;
  readonly stage: string;
  readonly severity: string;
  readonly priority: string;
  readonly area: string;
  readonly assigned: string | null;
  readonly due: string | null;
  readonly fixedIn: string | null;
  readonly closedReason: string;
}
const asks = {
  severity: 'a severity',
  priority: 'a priority',
  area: 'an area',
  assigned: 'whom it is assigned to',
  due: 'a day',
  fixedIn: 'the build that has the fix',
  closedReason: 'why it can be closed',
};

/** Where a report stands in its life, and what is to be said of it: moved only where the project's life lets it go. */
@Component({
  selector: 'cp-problem-stage',
  imports: [FormsModule, MatButtonModule, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="stack-s" (ngSubmit)="asked.emit(draft())">
      <div class="row" role="group" aria-label="Stage">
        @for (stage of stages(); track stage.name) {
          <button
            class="chip"
            type="button"
            [attr.aria-pressed]="draft().stage === stage.name"
            [disabled]="!!stage.refused"
            [title]="stage.refused ?? ''"
            (click)="put({ stage: stage.name })"
          >
            {{ stage.title }}
          </button>
        }
      </div>
      <details class="stack-s">
        <summary class="second">Its text, and whether it blocks</summary>
        <label class="field"
          ><span>Title</span
          ><input class="in" name="title" maxlength="300" [ngModel]="draft().title" (ngModelChange)="put({ title: $event })"
        /></label>
        <label class="field"
          ><span>What was seen</span
          ><textarea
            class="in"
            rows="3"
            name="description"
            maxlength="20000"
            [ngModel]="draft().description"
            (ngModelChange)="put({ description: $event })"
          ></textarea>
        </label>
        <label class="row small"
          ><input type="checkbox" name="blocks" [ngModel]="draft().blocking" (ngModelChange)="put({ blocking: $event })" /> It breaks the
          cords of the requirements that it stands against</label
        >
      </details>
      <div class="row end">
        <label class="field"
          ><span>Severity</span
          ><select class="in" name="severity" [ngModel]="draft().severity" (ngModelChange)="put({ severity: $event })">
            <option value="">not said</option>
            @for (s of life().severities; track s) {
              <option [value]="s">{{ s }}</option>
            }
          </select></label
        >
        <label class="field"
          ><span>Priority</span
          ><input class="in short" name="priority" maxlength="40" [ngModel]="draft().priority" (ngModelChange)="put({ priority: $event })"
        /></label>
        <label class="field"
          ><span>Area</span
          ><input
            class="in"
            name="area"
            maxlength="100"
            list="problem-areas"
            [ngModel]="draft().area"
            (ngModelChange)="put({ area: $event })"
        /></label>
        <datalist id="problem-areas">
          @for (a of life().areas; track a) {
            <option [value]="a"></option>
          }
        </datalist>
        <label class="field"
          ><span>Assigned to</span
          ><select class="in" name="assigned" [ngModel]="draft().assigned ?? ''" (ngModelChange)="put({ assigned: $event || null })">
            <option value="">nobody</option>
            @for (m of scope.project()?.members; track m.login) {
              <option [value]="m.login">{{ m.printedName }}</option>
            }
          </select></label
        >
        <label class="field"
          ><span>Due</span
          ><input class="in" type="date" name="due" [ngModel]="draft().due ?? ''" (ngModelChange)="put({ due: $event || null })"
        /></label>
        @if (means() !== 'open') {
          <label class="field"
            ><span>Fixed in</span
            ><select class="in" name="fixedIn" [ngModel]="draft().fixedIn ?? ''" (ngModelChange)="put({ fixedIn: $event || null })">
              <option value="">no build: no fault after all</option>
              @for (b of scope.project()?.builds; track b.name) {
                <option [value]="b.name">{{ b.name }}</option>
              }
            </select></label
          >
        }
        @if (means() === 'closed' || eased()) {
          <label class="field grow"
            ><span>{{ means() === 'closed' ? 'Why it can be closed' : 'Why it no longer blocks' }}</span
            ><input class="in" name="why" maxlength="2000" [ngModel]="draft().closedReason" (ngModelChange)="put({ closedReason: $event })"
          /></label>
        }
      </div>
      <div class="row">
        <button mat-stroked-button type="submit" [cpNeeds]="missing">
          {{ draft().stage === of().stage ? 'Save' : 'Move it: ' + title() }}
        </button>
        @if (missing()) {
          <span class="second small">{{ missing() }}</span>
        }
      </div>
    </form>
  `,
  styles: `
    .short {
      width: 110px;
    }
  `,
})
export class ProblemStageForm {
  readonly of = input.required<Problem>();
  readonly life = input.required<ProblemLife>();
  /** The stage that somebody wants it to come to, where that was said elsewhere. */
  readonly to = input<string>();
  readonly asked = output<StageAsked>();
  protected readonly scope = useProject();
  private readonly before = computed((): StageAsked => {
    const { title, description, blocking, stage, severity, priority, area, assigned, due, fixedIn, closedReason } = this.of();
    return { title, description, blocking, stage, severity, priority, area, assigned, due, fixedIn, closedReason };
  });
  /** What is read anew of the same revision writes over nothing that was typed. */
  protected readonly draft = linkedSignal({
    source: () => `${this.of().key} ${this.of().revision} ${this.to() ?? ''}`,
    computation: () => untracked(() => ({ ...this.before(), stage: this.wanted() })),
  });
  protected readonly stages = computed(() => {
    const { stages } = this.life();
    return stages.map((stage) => ({ ...stage, refused: moveRefusal(stages, this.of().stage, stage.name, this.scope.roles()) }));
  });
  /** The stage that was said elsewhere, where the report may come to it. */
  private wanted(): string {
    const [to, { stages }] = [this.to(), this.life()];
    return to && !moveRefusal(stages, this.of().stage, to, this.scope.roles()) ? to : this.of().stage;
  }
  private readonly stage = computed(() => this.life().stages.find(({ name }) => name === this.draft().stage));
  protected readonly means = computed(() => this.stage()?.means ?? 'open');
  protected readonly title = computed(() => this.stage()?.title ?? '');
  /** Does it stand open, and blocked until now? */
  protected readonly eased = computed(() => this.of().state === 'open' && this.of().blocking && !this.draft().blocking);
  protected readonly missing = (): string => {
    const stage = this.stage();
    const lacking = stage && stage.name !== this.of().stage ? missingAt(stage, this.draft()) : [];
    return firstMissing(
      [JSON.stringify(this.draft()) === JSON.stringify(this.before()), 'Nothing changed.'],
      [!this.draft().title.trim(), 'Give it a title.'],
      [lacking.length > 0, `“${this.title()}” asks for ${lacking.map((name) => asks[name as keyof typeof asks]).join(' and ')}.`],
      [this.means() === 'closed' && this.draft().closedReason.trim().length < 3, 'Say why it can be closed.'],
      [this.eased() && this.draft().closedReason.trim().length < 3, 'Say why it no longer blocks.'],
    );
  };

  protected put(change: Partial<StageAsked>): void {
    this.draft.update((draft) => ({ ...draft, ...change }));
  }
}
