import { betweenCommas } from '@core/base';
import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import {
  collapseRules,
  judgeTable,
  modelFindings,
  type ModelBodies,
  type ModelOf,
  type RowValue,
  type TableCondition,
  type TableRule,
} from '@core/design';
import { Icon } from '../../base';

type Body = ModelBodies['decisionTable'];
/** How a value that does not matter is chosen. */
const any = '–';

/** A decision table as a grid: conditions down, rules across, under each rule what is done. What is wrong stands at its rule. */
@Component({
  selector: 'cp-decision-editor',
  imports: [FormsModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="scroll">
      <table class="list grid">
        <thead>
          <tr>
            <th scope="col">Condition</th>
            <th scope="col">Values</th>
            @for (rule of here().rules; track $index; let r = $index) {
              <th scope="col" [class.bad]="faults(rule).length">
                <input
                  class="in rule"
                  [attr.aria-label]="'Name of rule ' + (r + 1)"
                  [readOnly]="!may()"
                  [ngModel]="rule.name"
                  (ngModelChange)="putRule(r, { name: $event })"
                />
                @if (may()) {
                  <button class="tool" type="button" [attr.aria-label]="'Delete rule ' + rule.name" (click)="dropRule(r)">
                    <cp-icon name="close" />
                  </button>
                }
              </th>
            }
          </tr>
        </thead>
        <tbody>
          @for (condition of here().conditions; track $index; let c = $index) {
            <tr>
              <th scope="row">
                <input
                  class="in"
                  [attr.aria-label]="'Condition ' + (c + 1)"
                  placeholder="door open"
                  [readOnly]="!may()"
                  [ngModel]="condition.name"
                  (ngModelChange)="putCondition(c, { name: $event })"
                />
              </th>
              <td>
                <input
                  class="in"
                  [attr.aria-label]="'Values of ' + condition.name"
                  placeholder="yes, no"
                  [readOnly]="!may()"
                  [ngModel]="valuesOf(c, condition)"
                  (ngModelChange)="values(c, $event)"
                />
              </td>
              @for (rule of here().rules; track $index; let r = $index) {
                <td>
                  <select
                    class="in cell"
                    [attr.aria-label]="'Rule ' + rule.name + ', ' + condition.name"
                    [disabled]="!may()"
                    [ngModel]="cellOf(rule.when[c])"
                    (ngModelChange)="cell(r, c, $event)"
                  >
                    <option [value]="any">{{ any }}</option>
                    @for (value of condition.values; track value) {
                      <option [value]="cellOf(value)">{{ value }}</option>
                    }
                    @if (strange(rule.when[c], condition); as value) {
                      <option [value]="value">{{ value }}?</option>
                    }
                  </select>
                </td>
              }
            </tr>
          }
          <tr>
            <th scope="row" colspan="2">
              @if (may()) {
                <button class="chip" type="button" (click)="addCondition()"><cp-icon name="add" /> Condition</button>
              }
              <span class="second"> then</span>
            </th>
            @for (rule of here().rules; track $index; let r = $index) {
              <td>
                <textarea
                  class="in"
                  rows="3"
                  placeholder="what is done, one a line"
                  [attr.aria-label]="'What rule ' + rule.name + ' does'"
                  [readOnly]="!may()"
                  [ngModel]="actionsOf(rule)"
                  (ngModelChange)="act(r, $event)"
                ></textarea>
                @for (text of faults(rule); track text) {
                  <p class="small t-broken">{{ text }}</p>
                }
              </td>
            }
          </tr>
        </tbody>
      </table>
    </div>
    @if (may()) {
      <div class="row">
        <button class="chip" type="button" (click)="addRule()"><cp-icon name="add" /> Rule</button>
        @if (judged(); as j) {
          @if (j.gapCount) {
            <button class="chip" type="button" (click)="fill()">A rule for each of {{ j.gaps.length }} gaps</button>
          }
          @if (joinable()) {
            <button class="chip" type="button" (click)="join()">Join {{ joinable() }} rules that say the same</button>
          }
        }
      </div>
    }
    @for (f of elsewhere(); track $index) {
      <p class="small" [class]="f.severity === 'error' ? 't-broken' : 'second'">{{ f.text }}</p>
    }
    @if (judged(); as j) {
      @if (!j.gapCount && !elsewhere().length) {
        <p class="second small">All {{ j.combinations }} combinations have a rule.</p>
      }
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 10px;
    }
    .scroll {
      overflow: auto;
    }
    .grid td,
    .grid th {
      padding: 4px 6px 4px 0;
      vertical-align: top;
      min-width: 110px;
    }
    .grid th:first-child {
      min-width: 120px;
    }
    .in {
      width: 100%;
      padding: 4px 8px;
    }
    .rule {
      width: 78px;
      font-weight: 650;
    }
    th.bad .rule {
      border-color: var(--broken);
    }
    .tool {
      border: 0;
      background: none;
      color: var(--ink-2);
      cursor: pointer;
    }
  `,
})
export class DecisionEditor {
  readonly content = input.required<ModelOf<'decisionTable'>>();
  readonly may = input.required<boolean>();
  readonly changed = output<Body>();
  protected readonly any = any;
  protected readonly here = linkedSignal(() => this.content().body);
  private readonly typed = signal<Readonly<Record<number, string>>>({});
  private readonly findings = computed(() => modelFindings({ ...this.content(), body: this.here() }));
  protected readonly judged = computed(() => {
    const { conditions } = this.here();
    return conditions.length && conditions.every((c) => c.values.length > 1) ? judgeTable(this.here()) : null;
  });
  protected readonly elsewhere = computed(() => {
    const names = new Set(this.here().rules.map((r) => r.name));
    return this.findings().filter((f) => !names.has(f.cell ?? ''));
  });
  protected readonly joinable = computed(() => this.here().rules.length - collapseRules(this.here()).length);

  protected faults(rule: TableRule): string[] {
    return this.findings().flatMap((f) => (f.cell === rule.name && f.severity === 'error' ? [f.text] : []));
  }
  protected cellOf(value: RowValue | null | undefined): string {
    return value === null || value === undefined ? any : String(value);
  }
  protected strange(value: RowValue | null | undefined, { values }: TableCondition): string {
    return value !== null && value !== undefined && !values.includes(value) ? String(value) : '';
  }

  private set(body: Body): void {
    this.here.set(body);
    this.changed.emit(body);
  }
  protected putRule(at: number, change: Partial<TableRule>): void {
    this.set({ ...this.here(), rules: this.here().rules.map((rule, i) => (i === at ? { ...rule, ...change } : rule)) });
  }
  protected actionsOf({ actions }: TableRule): string {
    return actions.join('\n');
  }
  protected act(rule: number, text: string): void {
    this.putRule(rule, { actions: text.split('\n') });
  }
  protected cell(rule: number, condition: number, value: string): void {
    const { conditions, rules } = this.here();
    const when = conditions.map((c, i) =>
      i === condition ? (c.values.find((v) => String(v) === value) ?? null) : (rules[rule].when[i] ?? null),
    );
    this.putRule(rule, { when });
  }
  protected putCondition(at: number, change: Partial<TableCondition>): void {
    this.set({ ...this.here(), conditions: this.here().conditions.map((c, i) => (i === at ? { ...c, ...change } : c)) });
  }
  protected valuesOf(at: number, { values }: TableCondition): string {
    return this.typed()[at] ?? values.join(', ');
  }
  protected values(at: number, text: string): void {
    this.typed.update((all) => ({ ...all, [at]: text }));
    this.putCondition(at, { values: betweenCommas(text) });
  }
  protected addCondition(): void {
    const { conditions, rules } = this.here();
    this.set({
      conditions: [...conditions, { name: `condition ${conditions.length + 1}`, values: ['yes', 'no'] }],
      rules: rules.map((rule) => ({ ...rule, when: [...rule.when, null] })),
    });
  }
  private freeName(taken: ReadonlySet<string>): string {
    let number = taken.size + 1;
    while (taken.has(`R${number}`)) number++;
    return `R${number}`;
  }
  protected addRule(): void {
    const { conditions, rules } = this.here();
    const name = this.freeName(new Set(rules.map((r) => r.name)));
    this.set({ conditions, rules: [...rules, { name, when: conditions.map(() => null), actions: [''] }] });
  }
  protected dropRule(at: number): void {
    this.set({ ...this.here(), rules: this.here().rules.filter((_, i) => i !== at) });
  }
  /** A rule for each combination that has none: what it does is left to be written. */
  protected fill(): void {
    const { conditions, rules } = this.here();
    const names = new Set(rules.map((r) => r.name));
    const more = (this.judged()?.gaps ?? []).map((when): TableRule => {
      const name = this.freeName(names);
      names.add(name);
      return { name, when, actions: [''] };
    });
    this.set({ conditions, rules: [...rules, ...more] });
  }
  protected join(): void {
    this.set({ ...this.here(), rules: collapseRules(this.here()) });
  }
}
