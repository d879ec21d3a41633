import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { FilterField } from './filter-text';
import type { ListGroup } from './state';

/** Fields whose records come in groups that people count: those of few values. */
export const groupable = (fields: readonly FilterField[]): FilterField[] =>
  fields.filter(
    ({ name, values, type, counted, grouped }) => !counted && name !== 'retired' && (values !== undefined || type === 'yesNo' || grouped),
  );

/** A group's value as a filter's text has it, and as people read it. */
export function groupValue({ type }: FilterField, value: ListGroup['value']): string {
  if (type === 'yesNo') return Number(value) ? 'yes' : 'no';
  return value === null || value === '' ? 'none' : String(value);
}

/** How many records each value of a field has, with what they sum up to; a press narrows the list to one of them. */
@Component({
  selector: 'cp-groups',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="groups" role="group" [attr.aria-label]="'By ' + by().words.toLowerCase()">
      @for (g of shown(); track g.value) {
        <button
          type="button"
          [attr.aria-pressed]="chosen().includes(g.value)"
          [attr.aria-label]="g.words + ': ' + g.count + (unit() ? ', ' + g.sum + ' ' + unit() : '')"
          (click)="narrowed.emit(g.value)"
        >
          <span class="what">{{ g.words }}</span>
          <span class="bar" aria-hidden="true"><i [style.width.%]="g.share"></i></span>
          <b>{{ g.count }}</b>
          @if (unit(); as u) {
            <span class="sum">{{ g.sum }} {{ u }}</span>
          }
        </button>
      }
      <p class="total small second">
        {{ total() }} {{ total() === 1 ? noun()[0] : noun()[1] }} in {{ shown().length }} {{ shown().length === 1 ? 'group' : 'groups'
        }}{{ unit() ? ', ' + sum() + ' ' + unit() : '' }}
      </p>
    </div>
  `,
  styles: `
    .groups {
      display: grid;
      max-height: 220px;
      overflow: auto;
      border: 1px solid var(--hairline);
      border-radius: 10px;
      padding: 4px;
    }
    button {
      display: flex;
      align-items: center;
      gap: 10px;
      border: 0;
      background: none;
      color: inherit;
      font: inherit;
      font-size: 13px;
      padding: 4px 8px;
      border-radius: 7px;
      cursor: pointer;
      text-align: left;
    }
    button:hover {
      background: var(--cord-tint);
    }
    button[aria-pressed='true'] {
      background: var(--pick);
      color: var(--on-pick);
    }
    .what {
      flex: 1;
      min-width: 0;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .bar {
      width: 90px;
      flex: none;
    }
    b,
    .sum {
      min-width: 34px;
      text-align: right;
      font-variant-numeric: tabular-nums;
    }
    .sum {
      min-width: 70px;
      font-size: 12.5px;
      opacity: 0.85;
    }
    .total {
      margin: 4px 8px;
    }
    @media (pointer: coarse) {
      button {
        min-height: 44px;
      }
    }
  `,
})
export class Groups {
  readonly by = input.required<FilterField>();
  readonly groups = input.required<readonly ListGroup[]>();
  readonly noun = input.required<readonly [string, string]>();
  /** What is summed up, in a word; empty where nothing is. */
  readonly unit = input('');
  /** Values that the list is narrowed to, as people read them. */
  readonly chosen = input<readonly string[]>([]);
  readonly narrowed = output<string>();

  protected readonly total = computed(() => this.groups().reduce((n, g) => n + g.count, 0));
  protected readonly sum = computed(() => this.groups().reduce((n, g) => n + (g.sum ?? 0), 0));
  protected readonly shown = computed(() => {
    const most = Math.max(1, ...this.groups().map(({ count }) => count));
    const by = this.by();
    return this.groups().map(({ value: stored, count, sum }) => {
      const value = groupValue(by, stored);
      return { value, words: by.names?.[value] ?? value, count, sum: sum ?? 0, share: (100 * count) / most };
    });
  });
}
