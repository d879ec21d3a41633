import { ChangeDetectionStrategy, Component, computed, effect, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { listCases, type ModelDetail } from '@contract/design';
import type { CaseStep, ModelChoice } from '@core/design';
import {
  firstMissing,
  forgetProblem,
  Icon,
  Needs,
  type PickedRow,
  ProblemNote,
  RecordLink,
  RecordPicker,
  selectRequest,
  toggled,
  useProject,
} from '../../base';
import { modelCommands, modelFeature } from './state';

/** What making cases of a choice would do, looked at before it is done: new, changed, gone and the same; nothing is made twice. */
@Component({
  selector: 'cp-made-panel',
  imports: [FormsModule, Icon, MatButtonModule, Needs, ProblemNote, RecordLink, RecordPicker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (made(); as done) {
      <p class="note sound" role="status">
        @if (done.written.length) {
          <span
            >Written:
            @for (key of done.written.slice(0, 12); track key) {
              <cp-record kind="case" [key]="key" />
            }
          </span>
        }
        @if (done.changed.length) {
          <span
            >Changed:
            @for (key of done.changed.slice(0, 12); track key) {
              <cp-record kind="case" [key]="key" />
            }
          </span>
        }
        @if (done.retired.length) {
          <span>Retired: {{ done.retired.join(', ') }}</span>
        }
      </p>
    }
    <cp-problem [of]="names.plan" /><cp-problem [of]="names.make" />
    @if (plan(); as p) {
      <div class="stack-s plan" role="group" aria-label="What would be written">
        @for (m of p.fresh; track m.identity) {
          <label class="check"
            ><input type="checkbox" [checked]="taken().has(m.identity)" (change)="toggle(m.identity)" />
            <span class="tag waiting">new</span> {{ m.content.title }}</label
          >
        }
        @for (m of p.changed; track m.identity) {
          <label class="check"
            ><input type="checkbox" [checked]="taken().has(m.identity)" (change)="toggle(m.identity)" />
            <span class="tag suspect">changed</span>&ngsp;<cp-record kind="case" [key]="m.key" /> {{ m.title }}
            @if (m.edited) {
              <span class="second small">somebody changed its steps since: they are written anew</span>
            }
          </label>
        }
        @for (m of p.gone; track m.identity) {
          <label class="check"
            ><input type="checkbox" [checked]="retired().has(m.key)" (change)="retire(m.key)" />&ngsp;<span class="tag"
              >no longer chosen</span
            >
            <cp-record kind="case" [key]="m.key" /> {{ m.title }} <span class="second small">retire it</span></label
          >
        }
        @if (p.same.length) {
          <p class="second small">The same as before: {{ keysOf(p.same) }}</p>
        }
        @if (p.leftOut) {
          <p class="second small">{{ p.leftOut }} of what was chosen cannot be made: guards forbid it, or the model has it no longer.</p>
        }
        @if (preview().length) {
          <ol class="preview">
            @for (step of preview(); track $index) {
              <li>
                {{ step.action }}. <span class="second">{{ step.expected }}</span>
              </li>
            }
          </ol>
        }
        @if (rowsOnly() && taken().size) {
          <div class="row">
            <span class="second small">into a case that stands:</span>
            <cp-record-picker
              [from]="cases"
              label="The case that takes the rows"
              placeholder="a new case, or choose one"
              (picked)="chooseInto($event[0])"
            />
            @if (into(); as key) {
              <button class="chip" type="button" (click)="into.set('')">{{ key }} <cp-icon name="close" /></button>
            }
          </div>
        }
        @if (asksReason()) {
          <label class="field"
            ><span>Why approved cases change</span
            ><input class="in" name="why" maxlength="2000" [ngModel]="reason()" (ngModelChange)="reason.set($event)"
          /></label>
        }
        <div class="row">
          <button mat-flat-button type="button" [cpNeeds]="missing" [disabled]="making().pending > 0" (click)="make()">
            {{ words() }}
          </button>
          <button mat-button type="button" (click)="close()">Not now</button>
        </div>
      </div>
    } @else {
      <div class="row">
        <button mat-flat-button type="button" class="grow" [cpNeeds]="cannotPlan" [disabled]="planning().pending > 0" (click)="ask()">
          {{ offer() }}
        </button>
        <ng-content />
      </div>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 8px;
    }
    .plan {
      max-height: 320px;
      overflow: auto;
    }
    .check {
      display: flex;
      gap: 6px;
      align-items: center;
      flex-wrap: wrap;
    }
    .preview {
      list-style: decimal;
      padding-left: 20px;
    }
  `,
})
export class MadePanel {
  readonly of = input.required<ModelDetail>();
  readonly choice = input.required<ModelChoice>();
  /** How many are chosen; nothing can be made of none. */
  readonly count = input.required<number>();
  /** What is shown is not what is saved: it is saved first. */
  readonly unsaved = input(false);
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly allPlan = this.store.selectSignal(modelFeature.selectPlan);
  protected readonly made = this.store.selectSignal(modelFeature.selectMade);
  protected readonly names = { plan: modelCommands.plan.name, make: modelCommands.make.name };
  protected readonly planning = this.store.selectSignal(selectRequest(this.names.plan));
  protected readonly making = this.store.selectSignal(selectRequest(this.names.make));
  protected readonly cases = listCases;
  private readonly asked = signal(false);
  /** A plan is of the choice that was asked about: another choice puts it away. */
  private readonly chosen = computed(() => JSON.stringify(this.choice()));
  protected readonly plan = computed(() => (this.asked() && !this.unsaved() ? this.allPlan() : null));
  protected readonly taken = signal<ReadonlySet<string>>(new Set());
  protected readonly retired = signal<ReadonlySet<string>>(new Set());
  protected readonly into = signal('');
  protected readonly reason = signal('');
  protected readonly rowsOnly = computed(() => {
    const choice = this.choice();
    return choice.of === 'rows' || (choice.of === 'rules' && choice.as === 'rows');
  });
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly asksReason = computed(() => {
    const keys = new Set(
      this.plan()
        ?.changed.filter((m) => this.taken().has(m.identity))
        .map((m) => m.key) ?? [],
    );
    return this.of().made.some((m) => keys.has(m.key) && m.state === 'approved');
  });
  protected readonly preview = computed((): readonly CaseStep[] => {
    const plan = this.plan();
    const one = [...(plan?.fresh ?? []), ...(plan?.changed ?? [])].find((m) => this.taken().has(m.identity));
    return one?.content.steps ?? [];
  });
  protected readonly offer = computed(() => {
    const choice = this.choice();
    const what = choice.of === 'paths' ? 'path' : choice.of === 'rows' ? 'row' : choice.of === 'rules' ? 'rule' : 'walk';
    return this.count() ? `Cases of ${this.count()} ${what}${this.count() === 1 ? '' : 's'} …` : 'Cases of what is chosen …';
  });
  protected readonly words = computed(() => {
    const plan = this.plan();
    const fresh = plan?.fresh.filter((m) => this.taken().has(m.identity)).length ?? 0;
    const changed = plan?.changed.filter((m) => this.taken().has(m.identity)).length ?? 0;
    const parts = [
      fresh ? `write ${fresh} new` : '',
      changed ? `change ${changed}` : '',
      this.retired().size ? `retire ${this.retired().size}` : '',
    ].filter(Boolean);
    const text = this.into() ? `put the rows into ${this.into()}` : parts.join(', ') || 'nothing to do';
    return text[0].toUpperCase() + text.slice(1);
  });
  protected readonly cannotPlan = (): string =>
    firstMissing(
      [!this.author(), 'Only an author makes cases.'],
      [this.unsaved(), 'Save the model first: cases are made of what is saved.'],
      [!this.count(), 'Choose at least one.'],
    );
  protected readonly missing = (): string =>
    firstMissing(
      [!this.taken().size && !this.retired().size, 'Nothing is chosen to be written.'],
      [this.asksReason() && this.reason().trim().length < 3, 'An approved case changes: say why.'],
    );

  constructor() {
    effect(() => {
      this.chosen();
      untracked(() => this.asked.set(false));
    });
    effect(() => {
      const plan = this.allPlan();
      untracked(() => {
        this.taken.set(new Set([...(plan?.fresh ?? []), ...(plan?.changed ?? [])].map((m) => m.identity)));
        this.retired.set(new Set());
        this.into.set('');
      });
    });
  }

  protected keysOf(list: readonly { readonly key: string }[]): string {
    return list.map(({ key }) => key).join(', ');
  }
  protected toggle(identity: string): void {
    this.taken.update((set) => toggled(set, identity));
  }
  protected retire(key: string): void {
    this.retired.update((set) => toggled(set, key));
  }
  protected chooseInto(row: PickedRow): void {
    this.into.set(row.key);
  }
  protected ask(): void {
    this.store.dispatch(forgetProblem({ name: this.names.make }));
    this.asked.set(true);
    const { key, revision: basedOn } = this.of();
    this.store.dispatch(modelCommands.plan.start({ project: this.scope.slug(), key, basedOn, choice: this.choice() }));
  }
  protected close(): void {
    this.asked.set(false);
  }
  protected make(): void {
    const { key, revision: basedOn } = this.of();
    this.store.dispatch(
      modelCommands.make.start({
        project: this.scope.slug(),
        key,
        basedOn,
        choice: this.choice(),
        take: [...this.taken()],
        retire: [...this.retired()],
        reason: this.reason().trim(),
        ...(this.into() ? { into: this.into() } : {}),
      }),
    );
    this.asked.set(false);
  }
}
