import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { caseKindSchema, listCases } from '@contract/design';
import { samplesFor, type CaseContent, type CasePart } from '@core/design';
import type * as z from 'zod';
import { Icon, RecordLink, RecordPicker, type PickedRow } from '../../base';

type Kind = z.output<typeof caseKindSchema>;
const wordList = (text: string): string[] =>
  text
    .split(/[,;\n]/)
    .map((part) => part.trim())
    .filter(Boolean);

/** What a case has beside its steps: kind, priority, tags, what it depends on, its script, how many samples it needs and why. */
@Component({
  selector: 'cp-case-details',
  imports: [FormsModule, Icon, RecordLink, RecordPicker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row end">
      <label class="field"
        ><span>Kind</span
        ><select class="in" name="kind" [ngModel]="of().kind ?? ''" (ngModelChange)="put.emit({ kind: $event })">
          <option value="">steps, no kind</option>
          @for (kind of offered(); track kind.name) {
            <option [value]="kind.name">{{ kind.title }}</option>
          }
        </select></label
      >
      <label class="field"
        ><span>Priority</span
        ><input class="in" name="priority" maxlength="40" [ngModel]="of().priority ?? ''" (ngModelChange)="put.emit({ priority: $event })"
      /></label>
      <label class="field grow"
        ><span>Tags, with commas between</span
        ><input class="in" name="tags" [ngModel]="tags()" (ngModelChange)="setTags($event)" placeholder="cold, regression"
      /></label>
    </div>
    @if (part() === 'script') {
      <div class="row end">
        <label class="field grow"
          ><span>Script that runs it</span
          ><input
            class="in"
            name="script"
            maxlength="500"
            [ngModel]="of().script ?? ''"
            (ngModelChange)="put.emit({ script: $event })"
            placeholder="tests/brake_cold.py"
        /></label>
        <label class="field grow"
          ><span>Arguments</span
          ><input
            class="in"
            name="arguments"
            maxlength="2000"
            [ngModel]="of().arguments ?? ''"
            (ngModelChange)="put.emit({ arguments: $event })"
        /></label>
      </div>
    }
    <details [open]="says()">
      <summary class="second small">Depends on, addresses, samples</summary>
      <div class="stack-s">
        <div class="row">
          <span class="second small">Must have passed before:</span>
          @for (key of of().dependsOn ?? []; track key) {
            <span class="chip"
              ><cp-record kind="case" [key]="key" /><button
                class="x"
                type="button"
                [attr.aria-label]="'No longer depend on ' + key"
                (click)="drop(key)"
              >
                <cp-icon name="close" /></button
            ></span>
          }
          <cp-record-picker
            [from]="cases"
            [without]="without()"
            label="A case that must have passed before"
            placeholder="a case: key or words"
            (picked)="depend($event)"
          />
        </div>
        <label class="field"
          ><span>Addresses outside, one a line</span
          ><textarea
            class="in"
            rows="1"
            name="addresses"
            [ngModel]="
              (of().addresses ?? []).join(
                '
'
              )
            "
            (ngModelChange)="setAddresses($event)"
          ></textarea>
        </label>
        <div class="row end">
          <label class="field"
            ><span>Reliability claimed, %</span
            ><input
              class="in tiny"
              type="number"
              min="1"
              max="99.99"
              step="any"
              name="reliability"
              [ngModel]="percent('reliability')"
              (ngModelChange)="sample('reliability', $event)"
          /></label>
          <label class="field"
            ><span>Confidence, %</span
            ><input
              class="in tiny"
              type="number"
              min="1"
              max="99.99"
              step="any"
              name="confidence"
              [ngModel]="percent('confidence')"
              (ngModelChange)="sample('confidence', $event)"
          /></label>
          <label class="field"
            ><span>May fail</span
            ><input
              class="in tiny"
              type="number"
              min="0"
              max="1000"
              name="failures"
              [ngModel]="of().samples?.failures ?? 0"
              (ngModelChange)="failures($event)"
          /></label>
          @if (needed(); as n) {
            <p class="small" role="status">
              <strong>{{ n }} samples</strong>&ngsp;<span class="second">are needed for that (binomial)</span>
            </p>
          }
        </div>
      </div>
    </details>
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 8px;
    }
    .tiny {
      width: 110px;
    }
    .x {
      border: 0;
      background: none;
      color: var(--ink-2);
      cursor: pointer;
      padding: 0 2px;
    }
    details .stack-s {
      padding-top: 6px;
    }
  `,
})
export class CaseDetails {
  readonly key = input.required<string>();
  readonly of = input.required<CaseContent>();
  readonly kinds = input.required<readonly Kind[]>();
  readonly part = input.required<CasePart>();
  readonly put = output<Partial<CaseContent>>();
  protected readonly cases = listCases;
  /** As it is typed: a comma at the end is no tag yet. */
  private readonly typed = signal<string | null>(null);
  protected readonly tags = computed(() => this.typed() ?? (this.of().tags ?? []).join(', '));
  protected readonly offered = computed(() => this.kinds().filter((kind) => !kind.retired || kind.name === this.of().kind));
  protected readonly without = computed(() => [this.key(), ...(this.of().dependsOn ?? [])]);
  protected readonly says = computed(() => Boolean(this.of().dependsOn?.length || this.of().addresses?.length || this.of().samples));
  protected readonly needed = computed(() => {
    const samples = this.of().samples;
    return samples && samples.confidence > 0 && samples.reliability > 0
      ? samplesFor(samples.confidence, samples.reliability, samples.failures)
      : undefined;
  });

  protected setTags(text: string): void {
    this.typed.set(text);
    this.put.emit({ tags: wordList(text) });
  }
  protected setAddresses(text: string): void {
    this.put.emit({ addresses: text.split('\n').filter((line) => line.trim()) });
  }
  protected depend(rows: readonly PickedRow[]): void {
    this.put.emit({ dependsOn: [...(this.of().dependsOn ?? []), ...rows.map(({ key }) => key)] });
  }
  protected drop(key: string): void {
    this.put.emit({ dependsOn: (this.of().dependsOn ?? []).filter((other) => other !== key) });
  }
  protected percent(of: 'reliability' | 'confidence'): number | null {
    const share = this.of().samples?.[of];
    return share === undefined ? null : Number((share * 100).toPrecision(6));
  }
  /** Both shares make a claim; without one of them there is none. */
  protected sample(of: 'reliability' | 'confidence', percent: number | null): void {
    const before = this.of().samples ?? { reliability: 0.95, confidence: 0.95, failures: 0 };
    if (!percent || percent <= 0 || percent >= 100) return this.put.emit({ samples: null });
    this.put.emit({ samples: { ...before, [of]: Number((percent / 100).toPrecision(8)) } });
  }
  protected failures(count: number | null): void {
    const before = this.of().samples;
    if (before) this.put.emit({ samples: { ...before, failures: Math.max(0, Math.min(1000, Math.round(count ?? 0))) } });
  }
}
