import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { readingFindings, readLimits, stepEvidence, type CaseStep, type StepReading } from '@core/design';
import { Icon, ReadingLine } from '../../base';

/** What a step has beside action and expected result: data, readings with their limits, the evidence it asks for, what it verifies. */
@Component({
  selector: 'cp-step-more',
  imports: [FormsModule, Icon, ReadingLine],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row end">
      <label class="field grow"
        ><span>Data: what is put in</span
        ><input class="in" [name]="'data' + at()" [ngModel]="of().data ?? ''" (ngModelChange)="changed.emit({ data: $event })"
      /></label>
      <label class="field"
        ><span>Shown by</span
        ><select
          class="in"
          [name]="'evidence' + at()"
          [ngModel]="of().evidence ?? ''"
          (ngModelChange)="changed.emit({ evidence: $event || undefined })"
        >
          <option value="">nothing asked</option>
          @for (kind of kinds; track kind) {
            <option [value]="kind">a {{ kind }}</option>
          }
        </select></label
      >
    </div>
    @for (r of readings(); track $index; let i = $index) {
      <div class="row end">
        <label class="field"
          ><span>Reading</span
          ><input
            class="in short"
            [name]="'rn' + at() + i"
            placeholder="time"
            [ngModel]="r.name"
            (ngModelChange)="put(i, { name: $event })"
        /></label>
        <label class="field grow"
          ><span>Limits, as the requirement states them</span
          ><input class="in" [name]="'rl' + at() + i" placeholder="at most 120 ms" [ngModel]="r.limits" (ngModelChange)="limits(i, $event)"
        /></label>
        <label class="field"
          ><span>Unit</span><input class="in tiny" [name]="'ru' + at() + i" [ngModel]="r.unit" (ngModelChange)="put(i, { unit: $event })"
        /></label>
        <label class="field"
          ><span>Resolution</span
          ><input
            class="in tiny"
            type="number"
            min="0"
            step="any"
            [name]="'rr' + at() + i"
            [ngModel]="r.resolution"
            (ngModelChange)="put(i, { resolution: $event ?? 0 })"
        /></label>
        <button class="chip" type="button" [attr.aria-label]="'Delete reading ' + (i + 1) + ' of step ' + (at() + 1)" (click)="drop(i)">
          <cp-icon name="close" />
        </button>
      </div>
      <cp-reading-line [of]="r" />
      @for (f of findings(r); track f.text) {
        <p class="small" [class]="f.severity === 'error' ? 't-broken' : 'second'">{{ f.text }}</p>
      }
    }
    <div class="row">
      <button class="chip" type="button" (click)="add()"><cp-icon name="straighten" /> Reading</button>
      @if (requirements().length > 1) {
        <span class="second small">This step shows:</span>
        @for (key of requirements(); track key) {
          <button class="chip" type="button" [attr.aria-pressed]="of().verifies?.includes(key) ?? false" (click)="verifies(key)">
            {{ key }}
          </button>
        }
      }
    </div>
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 6px;
      padding: 6px 0 10px;
    }
    .short {
      width: 110px;
    }
    .tiny {
      width: 84px;
    }
  `,
})
export class StepMore {
  readonly of = input.required<CaseStep>();
  readonly at = input.required<number>();
  /** The requirements that its case verifies. */
  readonly requirements = input<readonly string[]>([]);
  readonly changed = output<Partial<CaseStep>>();
  protected readonly kinds = stepEvidence;
  protected readonly readings = computed(() => this.of().readings ?? []);
  protected readonly findings = (reading: StepReading) => (reading.limits || reading.name ? readingFindings(reading) : []);

  protected put(at: number, change: Partial<StepReading>): void {
    this.changed.emit({ readings: this.readings().map((r, i) => (i === at ? { ...r, ...change } : r)) });
  }
  /** A unit that the limits name is that of the reading too, until somebody says otherwise. */
  protected limits(at: number, limits: string): void {
    const before = this.readings()[at];
    const [was, read] = [readLimits(before.limits), readLimits(limits)];
    const followed = !before.unit || ('limits' in was && was.limits.unit === before.unit);
    const unit = followed && 'limits' in read && read.limits.unit ? { unit: read.limits.unit } : {};
    this.put(at, { limits, ...unit });
  }
  protected add(): void {
    this.changed.emit({ readings: [...this.readings(), { name: '', unit: '', resolution: 0, limits: '' }] });
  }
  protected drop(at: number): void {
    this.changed.emit({ readings: this.readings().filter((_, i) => i !== at) });
  }
  protected verifies(key: string): void {
    const now = this.of().verifies ?? [];
    this.changed.emit({ verifies: now.includes(key) ? now.filter((other) => other !== key) : [...now, key] });
  }
}
