import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { CaseSummary } from '@contract/design';
import type { CaseCall } from '@core/design';
import { Icon } from '../base';

/** A step that stands for all steps of another case: which one, at which revision, and what fills its names. */
@Component({
  selector: 'cp-call-editor',
  imports: [FormsModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row">
      <label class="field grow"
        ><span>All steps of</span
        ><select class="in" [name]="'call' + number()" [ngModel]="call().key" (ngModelChange)="choose($event)">
          @for (c of cases(); track c.key) {
            <option [value]="c.key">{{ c.key }} {{ c.title }}</option>
          }
        </select></label
      >
      <span class="second small">revision {{ call().revision }}</span>
      @if (newer(); as revision) {
        <button class="chip" type="button" (click)="changed.emit({ key: call().key, revision, with: call().with })">
          <cp-icon name="refresh" /> Take revision {{ revision }}
        </button>
      }
    </div>
    @for (name of names(); track name) {
      <label class="field"
        ><span>{{ name }}</span
        ><input
          class="in"
          [name]="'with' + number() + name"
          [ngModel]="call().with[name]"
          (ngModelChange)="fill(name, $event)"
          placeholder="a value, or a name of this case in braces"
      /></label>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 6px;
    }
  `,
})
export class CallEditor {
  readonly call = input.required<CaseCall>();
  readonly cases = input.required<readonly CaseSummary[]>();
  readonly number = input.required<number>();
  readonly changed = output<CaseCall>();
  private readonly called = computed(() => this.cases().find((c) => c.key === this.call().key));
  /** The called case's present revision, where that is not the one that is called. */
  protected readonly newer = computed(() => {
    const now = this.called()?.revision ?? 0;
    return now > this.call().revision ? now : 0;
  });
  protected readonly names = computed(() => [...new Set([...(this.called()?.names ?? []), ...Object.keys(this.call().with)])]);

  protected choose(key: string): void {
    this.changed.emit({ key, revision: this.cases().find((c) => c.key === key)?.revision ?? 1, with: {} });
  }

  protected fill(name: string, value: string): void {
    const { [name]: _, ...rest } = this.call().with;
    this.changed.emit({ ...this.call(), with: value ? { ...rest, [name]: value } : rest });
  }
}
