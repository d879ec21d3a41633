import { ChangeDetectionStrategy, Component, computed, ElementRef, input, model, signal, viewChild } from '@angular/core';
import { MatAutocompleteModule, MatAutocompleteTrigger, type MatAutocompleteSelectedEvent } from '@angular/material/autocomplete';
import { Icon } from '../ui/icon';
import { readFilter, suggestions, type FilterField } from './filter-text';

/**
 * The line in which a list is asked: words, and questions of fields, which become chips as they are whole. The whole of it is text, so that it
 * can be copied, pasted and kept in an address.
 */
@Component({
  selector: 'cp-filter-bar',
  imports: [MatAutocompleteModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="ask in">
      @for (chip of chips(); track $index) {
        <span class="held">
          <button type="button" class="say" [attr.aria-label]="'Change ' + chip" (click)="edit($index)">{{ chip }}</button><button
            type="button"
            class="off"
            [attr.aria-label]="'Without ' + chip"
            (click)="without($index)"
          >
            <cp-icon name="close" />
          </button>
        </span>
      }
      <input
        #box
        type="text"
        data-filter
        autocomplete="off"
        spellcheck="false"
        [attr.aria-label]="'Filter ' + noun()"
        [placeholder]="chips().length ? '' : 'Filter by key, words, or field:value'"
        [value]="typing()"
        [matAutocomplete]="offered"
        (input)="type(box.value)"
        (keydown.enter)="whole()"
        (keydown.backspace)="back($event)"
        (blur)="whole()"
      />
    </div>
    <mat-autocomplete #offered="matAutocomplete" class="close-set" (optionSelected)="take($event)">
      @for (s of offers(); track s.text) {
        <mat-option [value]="s.text"
          ><b>{{ s.text }}</b
          >&ngsp;<span class="second small">{{ s.words }}</span></mat-option
        >
      }
    </mat-autocomplete>
    @for (fault of faults(); track fault) {
      <p class="fault small" role="alert">{{ fault }}</p>
    }
  `,
  styles: `
    .ask {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 4px 6px;
      padding: 4px 8px;
      height: auto;
    }
    .ask:focus-within {
      outline: 2px solid var(--cord);
      outline-offset: 1px;
    }
    input {
      flex: 1;
      min-width: 120px;
      border: 0;
      outline: 0;
      background: none;
      color: inherit;
      font: inherit;
      padding: 3px 0;
    }
    .held {
      display: inline-flex;
      align-items: center;
      border-radius: 8px;
      background: var(--cord-tint);
      color: var(--cord);
      font-size: 12.5px;
      font-weight: 600;
    }
    .held button {
      border: 0;
      background: none;
      color: inherit;
      font: inherit;
      cursor: pointer;
      padding: 3px 6px;
      min-height: 24px;
    }
    .off {
      padding-left: 0;
    }
    .fault {
      color: var(--broken);
      margin: 4px 0 0;
    }
  `,
})
export class FilterBar {
  /** All of it, as text. */
  readonly text = model.required<string>();
  readonly fields = input.required<readonly FilterField[]>();
  readonly noun = input('records');
  private readonly box = viewChild.required<ElementRef<HTMLInputElement>>('box');
  private readonly trigger = viewChild(MatAutocompleteTrigger);
  private readonly pieces = computed(() => readFilter(this.text(), this.fields()));
  /** What stands as chips: the questions of fields before what is typed. */
  protected readonly chips = computed(() => this.split().chips);
  protected readonly typing = computed(() => this.split().typing);
  protected readonly offers = computed(() => suggestions(this.typing(), this.fields()));
  protected readonly faults = computed(() =>
    this.pieces().flatMap((piece) => (piece.fault && !this.typing().endsWith(piece.text) ? [piece.fault] : [])),
  );

  private readonly split = computed(() => {
    const questions = this.pieces().filter((piece) => !piece.isWords && (piece.filter ?? piece.fault));
    const open = this.openPiece();
    const chips = questions.map(({ text }) => text).filter((text, i) => !(open === text && i === questions.length - 1));
    let typing = this.text();
    for (const chip of chips) typing = typing.replace(chip, '');
    return { chips, typing: typing.replace(/^\s+/, '').replace(/\s{2,}/g, ' ') };
  });

  /** The question that is being typed: the last, while the text ends with it. */
  private readonly openPiece = signal<string | undefined>(undefined);

  private put(chips: readonly string[], typing: string): void {
    this.text.set([...chips, typing].join(' ').trimStart());
  }

  protected type(value: string): void {
    const chips = this.chips();
    const last = readFilter(value, this.fields()).at(-1);
    this.openPiece.set(last && !last.isWords && value.endsWith(last.text) ? last.text : undefined);
    this.put(chips, value);
  }

  /** What was typed is whole. */
  protected whole(): void {
    this.openPiece.set(undefined);
  }

  protected take(event: MatAutocompleteSelectedEvent): void {
    const value = event.option.value as string;
    const typing = this.typing().slice(0, this.typing().lastIndexOf(' ') + 1) + value;
    this.type(typing);
    if (!value.endsWith(':')) this.whole();
    else setTimeout(() => this.trigger()?.openPanel());
    // The box shows the option that was taken, until it is told what is still being typed.
    this.box().nativeElement.value = this.typing();
  }

  protected without(at: number): void {
    this.put(
      this.chips().filter((_, i) => i !== at),
      this.typing(),
    );
    this.box().nativeElement.focus();
  }

  /** A chip goes back into the line, to be typed on. */
  protected edit(at: number): void {
    const chip = this.chips()[at];
    const rest = this.chips().filter((_, i) => i !== at);
    const typing = [this.typing(), chip].filter(Boolean).join(' ');
    this.openPiece.set(chip);
    this.put(rest, typing);
    this.box().nativeElement.focus();
  }

  protected back(event: Event): void {
    const { chips } = this.split();
    if (this.box().nativeElement.value || !chips.length) return;
    event.preventDefault();
    this.edit(chips.length - 1);
  }
}
