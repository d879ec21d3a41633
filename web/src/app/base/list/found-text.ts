import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { FoundPassage } from './state';

/** The passage of a record in which the words of a filter stand, with those words marked; what the row says anyway is left out. */
@Component({
  selector: 'cp-found',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (part of parts(); track $index) {
      @if (part.marked) {
        <mark>{{ part.text }}</mark>
      } @else {
        {{ part.text }}
      }
    }
  `,
  styles: `
    :host {
      display: contents;
    }
    mark {
      background: var(--waiting-tint);
      color: inherit;
      border-radius: 3px;
    }
  `,
})
export class FoundText {
  readonly passage = input.required<FoundPassage>();
  readonly key = input.required<string>();
  readonly title = input.required<string>();

  protected readonly parts = computed(() => {
    const { text, marks } = this.passage();
    const head = `${this.key()} ${this.title()}`;
    const from = text.startsWith(head) ? head.length : 0;
    const parts: { text: string; marked: boolean }[] = [];
    let at = from;
    for (const [start, end] of marks) {
      if (start < at) continue;
      parts.push({ text: text.slice(at, start), marked: false }, { text: text.slice(start, end), marked: true });
      at = end;
    }
    parts.push({ text: text.slice(at), marked: false });
    return parts.filter((part) => part.text);
  });
}
