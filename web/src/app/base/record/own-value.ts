import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { Field, OwnValue } from '@contract/base';
import { useProject } from '../live';
import { layoutOf, type RichWritten } from '../rich/html';
import { RichBox } from '../rich/rich-box';

/** One value of a field of the project's own, written as its type asks for. */
@Component({
  selector: 'cp-own-value',
  imports: [RichBox],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @let d = of().definition;
    @switch (d.type) {
      @case ('number') {
        <span class="row">
          <input
            #box
            class="in"
            type="number"
            step="any"
            [attr.aria-label]="of().name"
            [min]="d.least ?? ''"
            [max]="d.most ?? ''"
            [value]="value() ?? ''"
            (input)="written.emit(box.value === '' ? null : box.valueAsNumber)"
          />{{ d.unit }}</span
        >
      }
      @case ('yesNo') {
        <select #pick class="in" [attr.aria-label]="of().name" (change)="written.emit(pick.value === '' ? null : pick.value === 'yes')">
          <option value="" [selected]="value() === undefined || value() === null"></option>
          <option value="yes" [selected]="value() === true">yes</option>
          <option value="no" [selected]="value() === false">no</option>
        </select>
      }
      @case ('choices') {
        <span class="row" role="group" [attr.aria-label]="of().name">
          @for (choice of d.choices; track choice) {
            <label class="row"
              ><input type="checkbox" [checked]="chosen().includes(choice)" (change)="choose(choice)" /> {{ choice }}</label
            >
          }
        </span>
      }
      @case ('richText') {
        <cp-rich-box [label]="of().name" [value]="{ text: '', html: rich() }" [of]="record()" (written)="writeRich($event)" />
      }
      @default {
        @if (options(); as options) {
          <select #pick class="in" [attr.aria-label]="of().name" (change)="written.emit(pick.value || null)">
            <option value=""></option>
            @for (o of options; track o.value) {
              <option [value]="o.value" [selected]="value() === o.value">{{ o.words }}</option>
            }
          </select>
        } @else {
          <input
            #line
            class="in"
            [type]="d.type === 'date' ? 'date' : d.type === 'address' ? 'url' : 'text'"
            [attr.aria-label]="of().name"
            [value]="value() ?? ''"
            (input)="written.emit(line.value || null)"
          />
        }
      }
    }
  `,
  styles: `
    :host {
      display: block;
    }
    input.in,
    select.in {
      max-width: 320px;
    }
  `,
})
export class OwnValueBox {
  readonly of = input.required<Field>();
  readonly value = input<OwnValue>();
  /** The record that it belongs to: its pictures are kept there. */
  readonly record = input('');
  /** Null where there is no value any more. */
  readonly written = output<OwnValue>();
  private readonly scope = useProject();
  protected readonly rich = computed(() => String(this.value() ?? ''));
  protected readonly chosen = computed(() => {
    const value = this.value();
    return Array.isArray(value) ? value : [];
  });
  /** What there is to choose one of; undefined for what is written freely. */
  protected readonly options = computed(() => {
    const { type, choices } = this.of().definition;
    if (type === 'choice') return choices.map((value) => ({ value, words: value }));
    if (type !== 'person') return undefined;
    return (this.scope.project()?.members ?? []).map(({ login, printedName }) => ({ value: login, words: printedName }));
  });

  protected writeRich({ text, html }: RichWritten): void {
    this.written.emit(html ?? (text ? layoutOf({ text }) : null));
  }

  protected choose(choice: string): void {
    const next = this.chosen().includes(choice) ? this.chosen().filter((other) => other !== choice) : [...this.chosen(), choice];
    // In the order in which the field tells them, whatever the order of pressing.
    const told = this.of().definition.choices.filter((value) => next.includes(value));
    this.written.emit(told.length ? told : null);
  }
}
