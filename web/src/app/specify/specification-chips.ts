import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { useProject } from '../base';
import { specifyCommands, specifyFeature } from './state';

/** The specifications, one of them pressed; where it makes sense the whole project beside them. */
@Component({
  selector: 'cp-specification-chips',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (whole(); as words) {
      <button class="chip" type="button" [attr.aria-pressed]="!of()" (click)="chosen.emit(null)">{{ words }}</button>
    }
    @for (s of specifications(); track s.key) {
      <button class="chip" type="button" [attr.aria-pressed]="s.key === of()" (click)="chosen.emit(s.key)">{{ s.title }}</button>
    }
  `,
  styles: `
    :host {
      display: contents;
    }
  `,
})
export class SpecificationChips {
  readonly of = input<string>();
  /** What the whole project is called here; nothing where a specification must be chosen. */
  readonly whole = input('');
  readonly chosen = output<string | null>();
  private readonly scope = useProject();
  protected readonly specifications = this.scope.store.selectSignal(specifyFeature.selectSpecifications);

  constructor() {
    this.scope.store.dispatch(specifyCommands.listSpecifications.start({ project: this.scope.slug() }));
  }
}
