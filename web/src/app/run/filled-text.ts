import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { markValues, type CaseRow } from '@core/design';

/** A step's text in which what came from the data row is set off: hands on a device look for the number first. */
@Component({
  selector: 'cp-filled',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `@for (part of parts(); track $index) {
    @if (part.value) {
      <mark>{{ part.text }}</mark>
    } @else {
      <span>{{ part.text }}</span>
    }
  }`,
  styles: `
    mark {
      background: color-mix(in srgb, var(--waiting) 18%, transparent);
      color: inherit;
      border-radius: 5px;
      padding: 0 0.25em;
      font-weight: 600;
    }
  `,
})
export class FilledText {
  readonly text = input.required<string>();
  readonly rows = input<readonly CaseRow[] | undefined>(undefined);
  protected readonly parts = computed(() => markValues(this.text(), this.rows()?.[0]?.values ?? {}));
}
