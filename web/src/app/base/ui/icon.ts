import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { icons } from './icons.generated';

/** One of the outlined Material Symbols that ship with the application. Decorative: the words beside it say what it means. */
@Component({
  selector: 'cp-icon',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<svg aria-hidden="true" viewBox="0 -960 960 960"><path [attr.d]="path()" /></svg>`,
  styles: `
    :host {
      display: inline-flex;
      width: 1.35em;
      height: 1.35em;
      flex: none;
      font-size: inherit;
    }
    svg {
      width: 100%;
      height: 100%;
      fill: currentColor;
    }
  `,
})
export class Icon {
  readonly name = input.required<string>();
  protected readonly path = computed(() => icons[this.name()] ?? '');
}
