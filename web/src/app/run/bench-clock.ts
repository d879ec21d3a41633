import { ChangeDetectionStrategy, Component, input, model, signal } from '@angular/core';
import type { RunDetail } from '@contract/run';
import { onAction, ProblemNote, useProject } from '../base';
import { runCommands } from './state';
import { clockWords } from './words';

/** The clock of a run: stopped and let go on, and corrected with a reason that stays in its record. */
@Component({
  selector: 'cp-bench-clock',
  imports: [ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <span class="clock">
      <b [class.t-broken]="of().plannedMinutes > 0 && seconds() > of().plannedMinutes * 60">{{ words(seconds()) }}</b>
      @if (open()) {
        <button type="button" [attr.aria-pressed]="paused()" (click)="paused.set(!paused())">{{ paused() ? 'go on' : 'pause' }}</button>
        <button type="button" [attr.aria-expanded]="correcting()" (click)="correcting.set(!correcting())">correct</button>
      }
    </span>
    @if (correcting()) {
      <form class="stack-s" (submit)="$event.preventDefault(); correct(minutes.value, why.value)">
        <label class="field"
          ><span>Minutes</span><input #minutes class="in" type="number" min="0" step="any" [value]="(seconds() / 60).toFixed(0)"
        /></label>
        <label class="field"><span>Why it is corrected</span><input #why class="in" maxlength="2000" /></label>
        <button class="chip" type="submit">Correct the clock</button>
      </form>
    }
    <cp-problem [of]="name" />
  `,
  styles: `
    .clock {
      display: flex;
      flex-wrap: wrap;
      column-gap: 8px;
    }
    .clock button {
      padding: 0;
      font: inherit;
      font-size: 12.5px;
      color: var(--cord);
      cursor: pointer;
      background: none;
      border: 0;
    }
  `,
})
export class BenchClock {
  readonly of = input.required<RunDetail>();
  readonly seconds = input.required<number>();
  /** The run may still be recorded. */
  readonly open = input(false);
  readonly paused = model(false);
  private readonly scope = useProject();
  protected readonly name = runCommands.correctClock.name;
  protected readonly words = clockWords;
  protected readonly correcting = signal(false);

  constructor() {
    onAction(runCommands.correctClock.done, () => this.correcting.set(false));
  }

  protected correct(minutes: string, reason: string): void {
    const seconds = Math.round(Number(minutes.replace(',', '.')) * 60);
    if (minutes.trim() && seconds >= 0)
      this.scope.store.dispatch(
        runCommands.correctClock.start({ project: this.scope.slug(), key: this.of().key, seconds, reason: reason.trim() }),
      );
  }
}
