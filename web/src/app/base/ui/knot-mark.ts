import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { stateWords, type KnotState } from '@core/prove';

/** One knot alone, as a mark beside a word. */
@Component({
  selector: 'cp-knot',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <svg width="14" height="14" viewBox="0 0 14 14" role="img" [attr.aria-label]="words[state()]" [class]="'r-' + state()">
      @switch (state()) {
        @case ('sound') {
          <circle cx="7" cy="7" r="5.5" class="full" />
        }
        @case ('waiting') {
          <circle cx="7" cy="7" r="4.5" class="ring" />
        }
        @case ('broken') {
          <path d="M7 0.5L13.5 7L7 13.5L0.5 7Z" class="full" />
        }
        @case ('suspect') {
          <circle cx="7" cy="7" r="4.5" class="ring" />
          <path d="M7 2.5a4.5 4.5 0 0 0 0 9Z" class="full" />
        }
        @case ('notRequired') {
          <circle cx="7" cy="7" r="3" class="ring" />
        }
        @default {
          <circle cx="7" cy="7" r="2" class="full" />
        }
      }
    </svg>
  `,
  styles: `
    :host {
      display: inline-flex;
      flex: none;
    }
    .full {
      fill: var(--role);
    }
    .ring {
      fill: none;
      stroke: var(--role);
      stroke-width: 2;
    }
  `,
})
export class KnotMark {
  readonly state = input.required<KnotState>();
  protected readonly words = stateWords;
}
