import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  inject,
  input,
  inputBinding,
  output,
  outputBinding,
  signal,
  ViewContainerRef,
} from '@angular/core';
import type { RichWritten, WrittenText } from './html';

/** A box for a text with its layout. The editor itself is loaded when the first of them is opened. */
@Component({
  selector: 'cp-rich-box',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (!opened()) {
      <p class="second" role="status">Opening the editor …</p>
    }
  `,
})
export class RichBox {
  /** What it is called. */
  readonly label = input.required<string>();
  readonly value = input.required<WrittenText>();
  /** The record at which pictures are kept; without one there are none. */
  readonly of = input('');
  readonly placeholder = input('');
  readonly written = output<RichWritten>();
  protected readonly opened = signal(false);

  constructor() {
    const place = inject(ViewContainerRef);
    let gone = false;
    inject(DestroyRef).onDestroy(() => (gone = true));
    void import('./rich-editor').then(({ RichEditor }) => {
      if (gone) return;
      place.createComponent(RichEditor, {
        bindings: [
          inputBinding('label', this.label),
          inputBinding('value', this.value),
          inputBinding('of', this.of),
          inputBinding('placeholder', this.placeholder),
          outputBinding<RichWritten>('written', (text) => this.written.emit(text)),
        ],
      });
      this.opened.set(true);
    });
  }
}
