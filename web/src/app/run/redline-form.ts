import { afterNextRender, ChangeDetectionStrategy, Component, ElementRef, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { CaseStep } from '@core/design';
import type { RedlineAsked } from '@core/run';
import { firstMissing, Needs, typedOver } from '../base';

const ways = [
  ['changed', 'Change it'],
  ['added', 'Add one before it'],
  ['addedBehind', 'Add one behind it'],
  ['dropped', 'Drop it'],
] as const;
type Way = (typeof ways)[number][0];

/** Changes, adds or drops a step for the run that is on the bench, with a reason. */
@Component({
  selector: 'cp-redline-form',
  imports: [FormsModule, MatButtonModule, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="sheet pad stack" (ngSubmit)="send()" (keydown.escape)="closed.emit()">
      <h2>Redline of step {{ step() }}</h2>
      <p class="second small">It counts for this run only, stays in its record, and is offered to the author of the case.</p>
      <div class="row" role="group" aria-label="What becomes of the step">
        @for (w of ways; track w[0]) {
          <button class="chip" type="button" [attr.aria-pressed]="way() === w[0]" (click)="choose(w[0])">{{ w[1] }}</button>
        }
      </div>
      @if (way() !== 'dropped') {
        <label class="field"
          ><span>Do this instead</span
          ><textarea class="in" rows="2" name="action" [ngModel]="action()" (ngModelChange)="action.set($event)"></textarea>
        </label>
        <label class="field"
          ><span>Expect</span
          ><textarea class="in" rows="2" name="expected" [ngModel]="expected()" (ngModelChange)="expected.set($event)"></textarea>
        </label>
      }
      <label class="field"
        ><span>Why</span><input class="in" name="reason" maxlength="2000" [ngModel]="reason()" (ngModelChange)="reason.set($event)"
      /></label>
      <div class="row">
        <button mat-flat-button type="submit" [cpNeeds]="missing">Redline it</button
        ><button mat-button type="button" (click)="closed.emit()">Leave it as planned</button>
      </div>
    </form>
  `,
})
export class RedlineForm {
  readonly step = input.required<number>();
  readonly of = input.required<CaseStep>();
  readonly asked = output<RedlineAsked>();
  readonly closed = output();
  protected readonly ways = ways;
  protected readonly way = signal<Way>('changed');
  protected readonly action = typedOver(() => this.of().action);
  protected readonly expected = typedOver(() => this.of().expected);
  protected readonly reason = signal('');
  protected readonly missing = (): string =>
    firstMissing(
      [this.way() !== 'dropped' && (!this.action().trim() || !this.expected().trim()), 'Say what is done, and what must be seen.'],
      [
        this.way() === 'changed' && this.action().trim() === this.of().action && this.expected().trim() === this.of().expected,
        'Nothing is changed.',
      ],
      [this.reason().trim().length < 3, 'Say why.'],
    );

  constructor() {
    const host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
    afterNextRender(() => host.querySelector('textarea')?.focus());
  }

  protected choose(way: Way): void {
    this.way.set(way);
    const added = way === 'added' || way === 'addedBehind';
    this.action.set(added ? '' : this.of().action);
    this.expected.set(added ? '' : this.of().expected);
  }

  protected send(): void {
    const way = this.way();
    const dropped = way === 'dropped';
    this.asked.emit({
      step: way === 'addedBehind' ? this.step() + 1 : this.step(),
      what: way === 'addedBehind' ? 'added' : way,
      after: dropped ? null : { action: this.action().trim(), expected: this.expected().trim() },
      reason: this.reason().trim(),
    });
  }
}
