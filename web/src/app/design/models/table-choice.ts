import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal, untracked } from '@angular/core';
import type { ModelDetail } from '@contract/design';
import {
  invalidTransitions,
  modelFindings,
  ruleRows,
  switchCoverage,
  switchWalks,
  type ModelChoice,
  type ModelContent,
  type ModelOf,
  type Transition,
} from '@core/design';
import { RecordLink, toggled } from '../../base';
import { MadePanel } from './made-panel';

/** What is chosen of a decision table: rules, each a case, or all as rows of one. */
@Component({
  selector: 'cp-rule-choice',
  imports: [MadePanel, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h2>Rules as cases</h2>
    @if (faults()) {
      <p class="second">Mend the findings on the left first.</p>
    } @else {
      <div class="row" role="group" aria-label="What becomes of a rule">
        <button class="chip" type="button" [attr.aria-pressed]="form() === 'cases'" (click)="form.set('cases')">A case each</button>
        <button class="chip" type="button" [attr.aria-pressed]="form() === 'rows'" (click)="form.set('rows')">Rows of one case</button>
      </div>
      <p role="status">
        <strong>{{ chosen().size }} of {{ rules().length }} rules</strong>&ngsp;<span class="second">are covered by what is chosen</span>
      </p>
      @for (r of rules(); track r.rule.name) {
        <label class="check"
          ><input type="checkbox" [checked]="chosen().has(r.rule.name)" [disabled]="!r.row" (change)="toggle(r.rule.name)" />
          <b>{{ r.rule.name }}</b>
          <span class="second small grow">{{ r.row ? r.row.join(', ') : 'never reached: rules before it take all of it' }}</span>
          @if (caseOf('rule ' + r.rule.name); as made) {
            <cp-record kind="case" [key]="made.key" />
          }
        </label>
      }
    }
    <cp-made-panel [of]="of()" [choice]="choice()" [count]="chosen().size" [unsaved]="unsaved()" />
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 10px;
    }
    .check {
      display: flex;
      gap: 6px;
      align-items: center;
    }
  `,
})
export class RuleChoice {
  readonly of = input.required<ModelDetail>();
  readonly content = input.required<ModelOf<'decisionTable'>>();
  readonly unsaved = input.required<boolean>();
  protected readonly form = signal<'cases' | 'rows'>('cases');
  protected readonly faults = computed(() => hasFaults(this.content()));
  protected readonly rules = computed(() => (this.faults() ? [] : ruleRows(this.content().body)));
  protected readonly chosen = signal<ReadonlySet<string>>(new Set());
  protected readonly choice = computed((): ModelChoice => ({ of: 'rules', rules: [...this.chosen()], as: this.form() }));

  constructor() {
    effect(() => {
      const names = this.rules().flatMap(({ rule, row }) => (row ? [rule.name] : []));
      untracked(() => this.chosen.set(new Set(names)));
    });
  }
  protected toggle(name: string): void {
    this.chosen.update((set) => toggled(set, name));
  }
  protected caseOf(identity: string) {
    return this.of().made.find((m) => m.identity === identity);
  }
}

const hasFaults = (content: ModelContent): boolean => modelFindings(content).some((f) => f.severity === 'error');

interface Walked {
  readonly id: string;
  readonly words: string;
  readonly places: readonly number[];
}

/** What is chosen of a state table: walks over every transition, or every two, and events that must change nothing. */
@Component({
  selector: 'cp-walk-choice',
  imports: [MadePanel, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h2>Walks as cases</h2>
    @if (faults()) {
      <p class="second">Mend the findings on the left first.</p>
    } @else {
      <div class="row" role="group" aria-label="What the walks cover">
        <button class="chip" type="button" [attr.aria-pressed]="switches() === 0" (click)="switches.set(0)">
          Every transition (0-switch)
        </button>
        <button class="chip" type="button" [attr.aria-pressed]="switches() === 1" (click)="switches.set(1)">
          Every two in a row (1-switch)
        </button>
      </div>
      <p class="small" role="status">
        <strong>{{ zero().covered }} of {{ zero().of }}</strong
        >&ngsp;<span class="second">transitions, </span>&ngsp;<strong>{{ one().covered }} of {{ one().of }}</strong
        >&ngsp;<span class="second">pairs, </span>&ngsp;<strong>{{ refused().size }} of {{ invalid().length }}</strong
        >&ngsp;<span class="second">refused events are covered by what is chosen</span>
      </p>
      @for (w of walks(); track w.id; let i = $index) {
        <div class="line">
          <input type="checkbox" [attr.aria-label]="'Choose walk ' + (i + 1)" [checked]="chosen().has(w.id)" (change)="toggle(w.id)" />
          <button type="button" class="walk" (click)="lit.emit(w.places)">
            <span class="second">{{ i + 1 }}</span> {{ w.words }}
          </button>
          @if (caseOf(w.id); as made) {
            <cp-record kind="case" [key]="made.key" />
          }
        </div>
      }
      @if (invalid().length) {
        <details>
          <summary class="second small">{{ invalid().length }} events that must be refused</summary>
          <button class="chip" type="button" (click)="allRefused()">
            {{ refused().size === invalid().length ? 'Choose none' : 'Choose all' }}
          </button>
          @for (r of invalid(); track r.id) {
            <label class="line"
              ><input type="checkbox" [checked]="refused().has(r.id)" (change)="refuse(r.id)" /> {{ r.event }} in {{ r.state }}</label
            >
          }
        </details>
      }
    }
    <cp-made-panel [of]="of()" [choice]="choice()" [count]="chosen().size + refused().size" [unsaved]="unsaved()" />
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 10px;
    }
    .line {
      display: flex;
      gap: 6px;
      align-items: center;
    }
    .walk {
      border: 0;
      background: none;
      font: inherit;
      color: inherit;
      text-align: left;
      cursor: pointer;
      flex: 1;
    }
  `,
})
export class WalkChoice {
  readonly of = input.required<ModelDetail>();
  readonly content = input.required<ModelOf<'stateTable'>>();
  readonly unsaved = input.required<boolean>();
  readonly lit = output<readonly number[]>();
  protected readonly switches = signal<0 | 1>(0);
  protected readonly faults = computed(() => hasFaults(this.content()));
  private readonly table = computed(() => this.content().body);
  protected readonly walks = computed((): Walked[] => {
    if (this.faults()) return [];
    const { transitions } = this.table();
    return switchWalks(this.table(), this.switches()).walks.map((walk) => ({
      id: walk.map((t) => `${t.from}[${t.event}]`).join(' > '),
      words: walk.map((t) => t.event).join(', '),
      places: walk.map((t) => transitions.indexOf(t)),
    }));
  });
  protected readonly invalid = computed(() =>
    this.faults() ? [] : invalidTransitions(this.table()).map(({ state, event }) => ({ id: `${state} ${event}`, state, event })),
  );
  protected readonly chosen = signal<ReadonlySet<string>>(new Set());
  protected readonly refused = signal<ReadonlySet<string>>(new Set());
  private readonly taken = computed(() => this.walks().filter((w) => this.chosen().has(w.id)));
  private readonly walked = computed(() => this.taken().map((w): Transition[] => w.places.map((at) => this.table().transitions[at])));
  protected readonly zero = computed(() => switchCoverage(this.table(), this.walked(), 0));
  protected readonly one = computed(() => switchCoverage(this.table(), this.walked(), 1));
  protected readonly choice = computed((): ModelChoice => ({
    of: 'walks',
    walks: this.taken().map((w) => w.places),
    refused: this.invalid().flatMap(({ id, state, event }) => (this.refused().has(id) ? [{ state, event }] : [])),
  }));

  constructor() {
    effect(() => {
      const ids = this.walks().map((w) => w.id);
      untracked(() => this.chosen.set(new Set(ids)));
    });
  }
  protected toggle(id: string): void {
    this.chosen.update((set) => toggled(set, id));
  }
  protected refuse(id: string): void {
    this.refused.update((set) => toggled(set, id));
  }
  protected allRefused(): void {
    this.refused.set(this.refused().size === this.invalid().length ? new Set() : new Set(this.invalid().map(({ id }) => id)));
  }
  protected caseOf(identity: string) {
    return this.of().made.find((m) => m.identity === identity);
  }
}
