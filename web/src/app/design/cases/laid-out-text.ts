import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Icon, RichBox, type RichWritten, type WrittenText } from '../../base';

/** A text that is written plain until somebody wants a layout: lists, pictures, links. */
@Component({
  selector: 'cp-laid-out-text',
  imports: [FormsModule, Icon, RichBox],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="between">
      <span class="label">{{ label() }}</span>
      @if (!value().html) {
        <button
          class="chip"
          type="button"
          [attr.aria-pressed]="rich()"
          [attr.aria-label]="label() + ', with a layout'"
          title="With a layout"
          (click)="asked.set(!asked())"
        >
          <cp-icon name="format_bold" />
        </button>
      }
    </div>
    @if (rich()) {
      <cp-rich-box [of]="of()" [label]="label()" [value]="opened()" (written)="written.emit($event)" />
    } @else {
      <textarea
        class="in"
        [rows]="rows()"
        [attr.aria-label]="label()"
        [ngModel]="value().text"
        (ngModelChange)="written.emit({ text: $event, html: undefined })"
      ></textarea>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 4px;
    }
    .label {
      font-size: 12.5px;
      color: var(--ink-2);
    }
  `,
})
export class LaidOutText {
  readonly label = input.required<string>();
  readonly value = input.required<WrittenText>();
  /** The record whose files pictures become. */
  readonly of = input('');
  readonly rows = input(2);
  readonly written = output<RichWritten>();
  protected readonly asked = signal(false);
  protected readonly rich = computed(() => this.asked() || this.value().html !== undefined);
  /** As it was when its box was opened: the box is ahead of what is kept. */
  protected readonly opened = linkedSignal<boolean, WrittenText>({
    source: this.rich,
    computation: () => this.value(),
  });
}
