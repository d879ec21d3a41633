import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { judgeReading, limitsOf, marginWords, numberLine, typedNumber, type StepReading } from '@core/design';

/** The limits of a reading as a line of numbers, and where a value lies on it. */
@Component({
  selector: 'cp-reading-line',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (drawn(); as d) {
      <svg viewBox="0 0 240 38" role="img" [attr.aria-label]="words()">
        <path class="axis" d="M4 16H236" />
        <path class="inside" [attr.d]="'M' + d.from + ' 16H' + d.to" />
        @for (mark of d.marks; track mark.x) {
          <path class="limit" [attr.d]="'M' + mark.x + ' 8V24'" />
          <text [attr.x]="mark.x" y="36" text-anchor="middle">{{ mark.text }}</text>
        }
        @if (d.value; as v) {
          <path [class]="'value ' + v.tone" [attr.d]="'M' + v.x + ' 4l5 8h-10z'" />
        }
      </svg>
      @if (judged()) {
        <span class="small" [class.t-broken]="judged()?.verdict === 'fail'">{{ words() }}</span>
      }
    }
  `,
  styles: `
    :host {
      display: flex;
      align-items: center;
      gap: 10px;
      flex-wrap: wrap;
    }
    svg {
      width: 240px;
      max-width: 100%;
      height: 38px;
    }
    .axis {
      stroke: var(--hairline-strong);
      stroke-width: 1.5;
    }
    .inside {
      stroke: var(--cord);
      stroke-width: 5;
      stroke-linecap: round;
    }
    .limit {
      stroke: var(--ink-2);
      stroke-width: 1.5;
    }
    .value {
      fill: var(--cord);
    }
    .value.fail {
      fill: var(--broken);
    }
    text {
      font:
        11px 'Source Sans 3',
        sans-serif;
      fill: var(--ink-2);
    }
  `,
})
export class ReadingLine {
  readonly of = input.required<Pick<StepReading, 'name' | 'limits' | 'unit'>>();
  /** As it was typed; empty where nothing was read. */
  readonly value = input('');
  protected readonly judged = computed(() => judgeReading(this.of(), this.value()));
  protected readonly words = computed(() => {
    const { name, limits } = this.of();
    const judged = this.judged();
    return judged ? marginWords(this.of(), judged) : `${name}: ${limits}`;
  });
  protected readonly drawn = computed(() => {
    const limits = limitsOf(this.of());
    if (!limits) return null;
    const value = typedNumber(this.value());
    const line = numberLine(limits, value === undefined ? [] : [value]);
    const x = (of: number): number => Math.round(4 + 232 * line.at(of));
    const marks = [limits.low, limits.high].flatMap((of) =>
      of === undefined ? [] : [{ x: x(of), text: `${Number(of.toPrecision(6))} ${this.of().unit}`.trim() }],
    );
    return {
      from: limits.low === undefined ? 4 : x(limits.low),
      to: limits.high === undefined ? 236 : x(limits.high),
      marks: marks.length === 2 && marks[0].x === marks[1].x ? marks.slice(1) : marks,
      value: value === undefined ? null : { x: x(value), tone: this.judged()?.verdict ?? '' },
    };
  });
}
