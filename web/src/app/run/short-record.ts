import { ChangeDetectionStrategy, Component, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { RunDetail } from '@contract/run';
import { firstMissing, Needs } from '../base';

const verdicts = [
  ['passed', 'Passed'],
  ['failed', 'Failed'],
  ['blocked', 'Blocked'],
] as const;

export interface ShortAsked {
  readonly verdict: 'passed' | 'failed' | 'blocked';
  readonly observed: string;
  readonly seconds: number;
  readonly step: number;
}

/** Is a run of a kind of case that may be recorded as a whole, and nothing of it recorded yet? */
export const mayBeShort = (run: RunDetail | null | undefined, kinds: readonly string[]): boolean =>
  !!run && !run.finishedAt && kinds.includes(run.case.kind ?? '') && run.steps.every(({ verdict }) => verdict === null);

/** A run recorded as a whole: verdict, words and minutes at once, without stepping. */
@Component({
  selector: 'cp-short-record',
  imports: [FormsModule, MatButtonModule, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="sheet pad stack" (ngSubmit)="send()" (keydown.escape)="closed.emit()">
      <h2>Record it as a whole</h2>
      <div class="row" role="group" aria-label="Verdict of the run">
        @for (v of verdicts; track v[0]) {
          <button class="chip" type="button" [attr.aria-pressed]="verdict() === v[0]" (click)="verdict.set(v[0])">{{ v[1] }}</button>
        }
      </div>
      @if (verdict() !== 'passed' && verdict() !== '') {
        <label class="field"
          ><span>At which step</span
          ><input
            class="in few"
            type="number"
            min="1"
            [max]="steps()"
            name="step"
            [ngModel]="step()"
            (ngModelChange)="step.set($event ?? 1)"
        /></label>
      }
      <label class="field"
        ><span>What did you observe?</span
        ><textarea class="in" rows="3" name="seen" [ngModel]="observed()" (ngModelChange)="observed.set($event)"></textarea>
      </label>
      <label class="field"
        ><span>Minutes</span
        ><input class="in few" type="number" min="0" name="minutes" [ngModel]="minutes()" (ngModelChange)="minutes.set($event ?? 0)"
      /></label>
      <div class="row">
        <button mat-flat-button type="submit" [cpNeeds]="missing">Record it</button
        ><button mat-button type="button" (click)="closed.emit()">Step by step</button>
      </div>
    </form>
  `,
  styles: `
    .few {
      width: 110px;
    }
  `,
})
export class ShortRecord {
  readonly steps = input.required<number>();
  readonly seconds = input(0);
  readonly asked = output<ShortAsked>();
  readonly closed = output();
  protected readonly verdicts = verdicts;
  protected readonly verdict = signal<ShortAsked['verdict'] | ''>('');
  protected readonly observed = signal('');
  protected readonly step = signal(1);
  protected readonly minutes = linkedSignal<number, number>({
    source: () => this.seconds(),
    computation: (seconds, before) => before?.value ?? Math.max(1, Math.round(seconds / 60)),
  });
  protected readonly missing = (): string =>
    firstMissing(
      [!this.verdict(), 'Choose the verdict.'],
      [this.verdict() !== 'passed' && !this.observed().trim(), 'Say what you observed: this verdict needs it.'],
    );

  protected send(): void {
    const verdict = this.verdict();
    if (!verdict) return;
    const seconds = Math.max(0, Math.round(this.minutes() * 60));
    this.asked.emit({ verdict, observed: this.observed().trim(), seconds, step: Math.max(1, Math.round(this.step())) });
  }
}
