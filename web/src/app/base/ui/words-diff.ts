import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { wordDifference } from '@core/base';

/** Two texts and what changed between them, word by word. */
@Component({
  selector: 'cp-words-diff',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `@for (piece of pieces(); track $index) {
    @switch (piece.kind) {
      @case ('added') {
        <ins>{{ piece.text }}</ins>
      }
      @case ('removed') {
        <del>{{ piece.text }}</del>
      }
      @default {
        <span>{{ piece.text }}</span>
      }
    }
  }`,
  styles: `
    :host {
      white-space: pre-wrap;
    }
    ins {
      background: var(--cord-tint);
      color: var(--cord);
      text-decoration: underline;
      text-decoration-thickness: 2px;
    }
    del {
      background: var(--broken-tint);
      color: var(--broken);
    }
  `,
})
export class WordsDiff {
  readonly before = input.required<string>();
  readonly after = input.required<string>();
  protected readonly pieces = computed(() => wordDifference(this.before(), this.after()));
}
