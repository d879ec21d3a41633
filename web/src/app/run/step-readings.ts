import { ChangeDetectionStrategy, Component, ElementRef, inject, input, output } from '@angular/core';
import { typedNumber, type StepReading } from '@core/design';
import type { ReadingResult } from '@core/run';
import { ReadingLine } from '../base';

/** What a step asks to be read off, typed in turn: Enter goes to the next, and each is judged by its limits while it is typed. */
@Component({
  selector: 'cp-step-readings',
  imports: [ReadingLine],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (r of of(); track $index; let i = $index) {
      <div class="one">
        <label class="field"
          ><span>{{ r.name }}{{ r.unit ? ', ' + r.unit : '' }}</span
          ><input
            #box
            class="in"
            inputmode="decimal"
            autocomplete="off"
            [disabled]="locked()"
            [value]="value(i)"
            [attr.aria-invalid]="wrong(i)"
            [attr.aria-description]="r.limits"
            (input)="put(i, box.value)"
            (keydown.enter)="next($event, i)"
        /></label>
        <cp-reading-line class="grow" [of]="r" [value]="value(i)" />
      </div>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 8px;
      margin-bottom: 12px;
    }
    .one {
      display: flex;
      align-items: end;
      gap: 14px;
      flex-wrap: wrap;
    }
    .in {
      width: 150px;
      font-size: 18px;
      font-weight: 600;
    }
  `,
})
export class StepReadings {
  readonly of = input.required<readonly StepReading[]>();
  /** What was typed of each, in the same order. */
  readonly values = input.required<readonly ReadingResult[]>();
  readonly locked = input(false);
  readonly changed = output<readonly ReadingResult[]>();
  /** Enter after the last of them. */
  readonly finished = output();
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);

  protected value(i: number): string {
    return this.values()[i]?.value ?? '';
  }

  protected wrong(i: number): boolean {
    return this.value(i) !== '' && typedNumber(this.value(i)) === undefined;
  }

  protected put(i: number, value: string): void {
    this.changed.emit(this.of().map(({ name }, at) => ({ name, value: at === i ? value : this.value(at) })));
  }

  /** Puts the cursor into a reading; false where it is not drawn yet. */
  focusAt(at: number): boolean {
    const box = this.host.nativeElement.querySelectorAll('input').item(at);
    box?.focus();
    return box !== null;
  }

  protected next(event: Event, i: number): void {
    event.preventDefault();
    event.stopPropagation();
    const open = this.of().flatMap((_, at) => (this.value(at).trim() === '' || this.wrong(at) ? [at] : []));
    const to = open.find((at) => at > i) ?? open[0];
    if (to === undefined) this.finished.emit();
    else this.focusAt(to);
  }
}
