import { ChangeDetectionStrategy, Component, effect, inject, input, linkedSignal, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router } from '@angular/router';
import { getConfigurations, listRounds, runNow } from '@contract/run';
import type { CaseRow } from '@core/design';
import { configurationsOf } from '@core/run';
import { Api, ApiFailure, firstMissing, Needs, useProject } from '../../base';

/** One run at once: configuration and data row asked, and the Bench opens. The round that it belongs to is made by itself. */
@Component({
  selector: 'cp-run-now',
  imports: [FormsModule, MatButtonModule, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="sheet pad row end" (ngSubmit)="go()" (keydown.escape)="closed.emit()">
      <label class="field grow"
        ><span>Configuration</span
        ><input
          class="in"
          name="configuration"
          maxlength="300"
          list="run-now-configurations"
          [ngModel]="configuration()"
          (ngModelChange)="configuration.set($event)"
      /></label>
      <datalist id="run-now-configurations">
        @for (name of known(); track name) {
          <option [value]="name"></option>
        }
      </datalist>
      @if (rows().length) {
        <label class="field"
          ><span>Data row</span
          ><select class="in" name="row" [ngModel]="row()" (ngModelChange)="row.set($event)">
            @for (r of rows(); track r.name) {
              <option [value]="r.name">{{ r.name }}</option>
            }
          </select></label
        >
      }
      @if (asksReason()) {
        <label class="field grow"
          ><span>Why it is run again: it has a result here</span
          ><input class="in" name="reason" maxlength="2000" [ngModel]="reason()" (ngModelChange)="reason.set($event)"
        /></label>
      }
      <button mat-flat-button type="submit" [cpNeeds]="missing">To the bench</button>
      <button mat-button type="button" (click)="closed.emit()">Cancel</button>
      @if (problem()) {
        <p class="t-broken small" role="alert">{{ problem() }}</p>
      }
    </form>
  `,
})
export class RunNow {
  readonly key = input.required<string>();
  readonly rows = input<readonly CaseRow[]>([]);
  readonly closed = output();
  private readonly scope = useProject();
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly configuration = signal('');
  protected readonly known = signal<readonly string[]>([]);
  /** The first, until somebody chooses one that is there. */
  protected readonly row = linkedSignal<readonly string[], string>({
    source: () => this.rows().map(({ name }) => name),
    computation: (names, before) => (before && names.includes(before.value) ? before.value : (names.at(0) ?? '')),
  });
  protected readonly reason = signal('');
  protected readonly asksReason = signal(false);
  protected readonly problem = signal('');
  protected readonly missing = (): string =>
    firstMissing(
      [!this.configuration().trim(), 'Say in which configuration it is run.'],
      [this.asksReason() && this.reason().trim().length < 3, 'Say why it is run again.'],
    );

  constructor() {
    effect(() => {
      const [project, build] = [this.scope.slug(), this.scope.build()];
      untracked(() => void this.read(project, build));
    });
  }

  private async read(project: string, build: string): Promise<void> {
    const plan = await this.api.call(getConfigurations, { project }).catch(() => null);
    if (plan) this.known.set(configurationsOf(plan, 'all').names);
    const last = build ? await this.api.call(listRounds, { project, build, sort: '-createdAt', limit: 1 }).catch(() => null) : null;
    if (!this.configuration()) this.configuration.set(last?.rows[0]?.configuration ?? this.known()[0] ?? '');
  }

  protected async go(): Promise<void> {
    try {
      const run = await this.api.call(runNow, {
        project: this.scope.slug(),
        key: this.key(),
        build: this.scope.build(),
        configuration: this.configuration().trim(),
        row: this.rows().length ? this.row() : null,
        reason: this.reason().trim(),
      });
      void this.router.navigate(['/', this.scope.slug(), 'run', 'bench', run.key]);
    } catch (error) {
      if (!(error instanceof ApiFailure)) throw error;
      this.asksReason.set(this.asksReason() || (error.problem.fields ?? []).some(({ path }) => path === 'reason'));
      this.problem.set(error.problem.fields?.map((f) => f.text).join(' ') ?? error.problem.detail ?? error.problem.title);
    }
  }
}
