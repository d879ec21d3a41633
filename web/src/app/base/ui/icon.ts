import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { DomSanitizer } from '@angular/platform-browser';
import { icons } from './icons.generated';

/** One of the outlined Material Symbols that ship with the application. Decorative: the words beside it say what it means. */
@Component({
  selector: 'cp-icon',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<span aria-hidden="true" [innerHTML]="svg()"></span>`,
  styles: `
    :host {
      display: inline-flex;
      width: 1.35em;
      height: 1.35em;
      flex: none;
      font-size: inherit;
    }
    span {
      display: inline-flex;
      width: 100%;
      height: 100%;
    }
    :host ::ng-deep svg {
      width: 100%;
      height: 100%;
      fill: currentColor;
    }
  `,
})
export class Icon {
  readonly name = input.required<string>();
  private readonly trust = inject(DomSanitizer);
  protected readonly svg = computed(() => this.trust.bypassSecurityTrustHtml(icons[this.name()] ?? ''));
}
