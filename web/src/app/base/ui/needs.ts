import { LiveAnnouncer } from '@angular/cdk/a11y';
import { Directive, effect, ElementRef, inject, input } from '@angular/core';
import { MatTooltip } from '@angular/material/tooltip';

/**
 * A button that says why it cannot be used yet, rather than being grey without a word. It keeps its place in the order of the keyboard,
 * and what is pressed (or sent by Enter in its form) while something is missing is stopped, and told. It asks at that moment, not when
 * the screen was drawn last: whoever types faster than the screen draws, a scanner for instance, is not ignored.
 */
@Directive({
  selector: 'button[cpNeeds]',
  hostDirectives: [MatTooltip],
  host: { '[attr.aria-disabled]': 'cpNeeds()() ? true : null' },
})
export class Needs {
  /** What is still missing, as a sentence; empty where nothing is. */
  readonly cpNeeds = input.required<() => string>();
  private readonly told = inject(MatTooltip);
  private readonly voice = inject(LiveAnnouncer);

  constructor() {
    effect(() => {
      this.told.message = this.cpNeeds()();
    });
    inject<ElementRef<HTMLButtonElement>>(ElementRef).nativeElement.addEventListener('click', (event) => this.stop(event), {
      capture: true,
    });
  }

  private stop(event: Event): void {
    const missing = this.cpNeeds()();
    if (!missing) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    this.told.message = missing;
    this.told.show(0);
    void this.voice.announce(missing);
  }
}

/** The words of the first thing that is missing; empty where nothing is. */
export const firstMissing = (...asked: readonly (readonly [missing: boolean, words: string])[]): string =>
  asked.find(([missing]) => missing)?.[1] ?? '';
