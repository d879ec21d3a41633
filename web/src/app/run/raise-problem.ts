import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { listProblems, type RunDetail } from '@contract/run';
import { Needs, onAction, type PickedRow, ProblemNote, RecordLink, RecordPicker, useProject } from '../base';
import { runCommands } from './state';

/** A problem report raised from a step without leaving it, filled from the run; or one that says so already, linked. */
@Component({
  selector: 'cp-raise-problem',
  imports: [FormsModule, MatButtonModule, Needs, ProblemNote, RecordLink, RecordPicker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="sheet pad stack" (ngSubmit)="send()" (keydown.escape)="closed.emit()">
      <h2>Problem report from step {{ step() + 1 }} of {{ of().key }}</h2>
      <div class="row">
        <span class="second small">Is it known already?</span>
        <cp-record-picker
          [from]="problems"
          label="Problem report that this is"
          placeholder="Link a report: key or words"
          (picked)="link($event)"
        />
      </div>
      @if (of().knownProblems.length) {
        <div class="stack-s">
          <span class="second small">Open at this case already:</span>
          <ul>
            @for (known of of().knownProblems; track known.key) {
              <li class="row">
                <cp-record kind="problem" [key]="known.key" /><span class="grow">{{ known.title }}</span>
                <button class="chip" type="button" [attr.aria-label]="'It is this one: ' + known.key" (click)="linkTo(known.key)">
                  It is this one
                </button>
              </li>
            }
          </ul>
        </div>
      }
      <label class="field"><span>Title</span><input class="in" name="pt" [ngModel]="title()" (ngModelChange)="title.set($event)" /></label>
      <label class="field"
        ><span>What happened (filled from the run)</span
        ><textarea class="in" rows="6" name="pd" [ngModel]="text()" (ngModelChange)="text.set($event)"></textarea>
      </label>
      <label class="check"
        ><input type="checkbox" name="pb" [ngModel]="blocking()" (ngModelChange)="blocking.set($event)" /> It blocks the proof of
        {{ of().verifies.length === 1 ? of().verifies[0].key : 'the ' + of().verifies.length + ' requirements' }} until it is closed</label
      >
      <cp-problem [of]="names.add" /><cp-problem [of]="names.link" />
      <div class="row">
        <button mat-flat-button type="submit" [cpNeeds]="missing">Raise it</button
        ><button mat-button type="button" (click)="closed.emit()">Not now</button>
      </div>
    </form>
  `,
  styles: `
    ul {
      list-style: none;
      margin: 0;
      padding: 0;
    }
    li {
      flex-wrap: nowrap;
      min-height: 44px;
    }
  `,
})
export class RaiseProblem {
  readonly of = input.required<RunDetail>();
  /** The place of the step, from 0. */
  readonly step = input.required<number>();
  readonly observed = input('');
  readonly closed = output();
  private readonly scope = useProject();
  protected readonly problems = listProblems;
  protected readonly names = { add: runCommands.addProblem.name, link: runCommands.linkProblem.name };
  private readonly at = computed(() => `${this.of().key} ${this.step()}`);
  protected readonly title = linkedSignal({
    source: this.at,
    // Filled once for a step: what is read anew of the run writes over nothing that was typed.
    computation: () => untracked(() => `${this.of().case.title}: step ${this.step() + 1} not as expected`),
  });
  protected readonly text = linkedSignal({ source: this.at, computation: () => untracked(() => this.filled()) });
  protected readonly blocking = signal(true);
  protected readonly missing = (): string => (this.title().trim() ? '' : 'Give it a title.');

  constructor() {
    const done = (): void => {
      this.scope.store.dispatch(runCommands.getRun.start({ project: this.scope.slug(), key: this.of().key }));
      this.closed.emit();
    };
    onAction(runCommands.addProblem.done, done);
    onAction(runCommands.linkProblem.done, done);
  }

  /** The case, the steps up to here, what was observed and read, build and configuration. */
  private filled(): string {
    const { key, caseKey, caseRevision, build, configuration, steps } = this.of();
    const planned = this.of().case.steps;
    const before = planned.slice(0, this.step()).map((s, i) => `${i + 1}. ${s.action} (${steps[i]?.verdict ?? 'open'})`);
    const here = planned[this.step()];
    const readings = (steps[this.step()]?.readings ?? []).filter(({ value }) => value).map(({ name, value }) => `${name} ${value}`);
    const files = this.of().evidence.filter((file) => file.step === this.step() + 1);
    return [
      `Run ${key} of ${caseKey} revision ${caseRevision} on ${build}, ${configuration}.`,
      ...(before.length ? [`Done before: ${before.join('; ')}`] : []),
      `Done: ${here?.action ?? ''}`,
      `Expected: ${here?.expected ?? ''}`,
      `Observed: ${this.observed()}`,
      ...(readings.length ? [`Read: ${readings.join(', ')}`] : []),
      ...(files.length ? [`Evidence: ${files.map(({ name }) => name).join(', ')}`] : []),
    ].join('\n');
  }

  protected send(): void {
    this.scope.store.dispatch(
      runCommands.addProblem.start({
        project: this.scope.slug(),
        title: this.title().trim(),
        description: this.text(),
        blocking: this.blocking(),
        run: this.of().key,
        step: this.step() + 1,
        build: this.of().build,
      }),
    );
  }

  /** A report that says so already: the run shows it too. */
  protected link([row]: readonly PickedRow[]): void {
    this.linkTo(row.key);
  }

  protected linkTo(key: string): void {
    this.scope.store.dispatch(runCommands.linkProblem.start({ project: this.scope.slug(), key, run: this.of().key }));
  }
}
