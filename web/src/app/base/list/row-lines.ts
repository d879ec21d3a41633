import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { FoundPassage } from './state';

/**
 * A row of a list in two lines: key and title, and below them what the page tells of it; or, where words were searched, the passage in which they
 * stand, marked, without what the first line says anyway. What
 * the page puts inside stands as a third line.
 */
@Component({
  selector: 'cp-row-lines',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <span class="cut"
      ><b class="key">{{ row().key }}</b> {{ row().title }}</span
    >
    <span class="cut sub">
      @for (part of parts(); track $index) {
        @if (part.marked) {
          <mark>{{ part.text }}</mark>
        } @else {
          <span>{{ part.text }}</span>
        }
      }
    </span>
    <ng-content />
  `,
  styles: `
    :host {
      flex: 1;
      min-width: 0;
      display: flex;
      flex-direction: column;
    }
    .cut {
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
    }
    .sub {
      opacity: 0.8;
      font-size: 12.5px;
    }
    :host-context(.one-line) .sub {
      display: none;
    }
    mark {
      background: var(--waiting-tint);
      color: inherit;
      border-radius: 3px;
    }
    :host-context(.on) mark {
      background: none;
      text-decoration: underline 2px;
      text-underline-offset: 3px;
    }
  `,
})
export class RowLines {
  readonly row = input.required<{ readonly key: string; readonly title: string }>();
  readonly found = input.required<FoundPassage | null>();
  /** The second line, where nothing was searched. */
  readonly below = input.required<string>();

  protected readonly parts = computed(() => {
    const found = this.found();
    if (!found) return [{ text: this.below(), marked: false }];
    const { text, marks } = found;
    const head = `${this.row().key} ${this.row().title}`;
    const parts: { text: string; marked: boolean }[] = [];
    let at = text.startsWith(head) ? head.length : 0;
    for (const [start, end] of marks) {
      if (start < at) continue;
      parts.push({ text: text.slice(at, start), marked: false }, { text: text.slice(start, end), marked: true });
      at = end;
    }
    parts.push({ text: text.slice(at), marked: false });
    return parts.filter((part) => part.text);
  });
}
