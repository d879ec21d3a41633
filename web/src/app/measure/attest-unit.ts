import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { Attestation, FileDetail } from '@contract/measure';
import { metrics, type Metric } from '@core/measure';
import { metricWords } from '@core/prove';
import { Icon, ProblemNote, useProject, useStatement } from '../base';
import { measureCommands } from './state';

/** What is attested of a function: what no loaded format tells of it, signed by a reviewer, and counted apart. */
@Component({
  selector: 'cp-attest-unit',
  imports: [Icon, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'stack-s' },
  template: `
    @for (a of unit().attested; track a.key) {
      <div class="between">
        <span
          ><b>{{ a.key }}</b> attests its {{ words(a.metric) }}</span
        >
        @if (reviewer()) {
          <button class="chip" type="button" (click)="withdraw(a.key)">Withdraw</button>
        }
      </div>
    }
    @if (missing().length) {
      <p class="second small">
        Nothing that is loaded tells of its {{ list() }}. Where your standard asks for that, load a format that does, or have a reviewer
        attest it: a signed statement, counted apart from what was measured.
      </p>
      @if (reviewer()) {
        <div class="row">
          @for (metric of missing(); track metric) {
            <button class="chip" type="button" (click)="attest(metric)"><cp-icon name="verified" /> Attest {{ words(metric) }}</button>
          }
        </div>
      }
    }
    <cp-problem [of]="names.attest" /><cp-problem [of]="names.withdraw" />
  `,
})
export class AttestUnit {
  readonly path = input.required<string>();
  readonly unit = input.required<FileDetail['units'][number]>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly statement = useStatement();
  protected readonly names = { attest: measureCommands.attest.name, withdraw: measureCommands.withdrawAttestation.name };
  protected readonly reviewer = computed(() => this.scope.roles().includes('reviewer'));
  /** What the standard asks for at any level of the project. */
  private readonly asked = computed(() => {
    const targets = Object.values(this.scope.project()?.profile.targets ?? {});
    return metrics.filter((metric) => targets.some((level) => (level[metric] ?? 0) > 0));
  });
  /** What was measured of it, though nothing of this: all of that could be attested and is not. */
  protected readonly missing = computed(() => {
    const { coverage, attested, requirements } = this.unit();
    if (!coverage.line.found || !requirements.length) return [];
    return this.asked().filter((metric) => coverage[metric].found === 0 && !attested.some((a) => a.metric === metric));
  });
  protected readonly list = computed(() =>
    this.missing()
      .map((metric) => metricWords[metric])
      .join(', '),
  );

  protected words(metric: string): string {
    return metricWords[metric as Metric];
  }

  protected attest(metric: Metric): void {
    const { name } = this.unit();
    this.statement({
      title: `Attest the ${metricWords[metric]} of ${name}`,
      meaning:
        'You state, in the reason below, how it was shown, or why there is nothing to show. It stands for the function as its text is now, and is told apart from measured coverage wherever it counts.',
    }).subscribe(({ password, reason }) =>
      this.store.dispatch(
        measureCommands.attest.start({
          project: this.scope.slug(),
          build: this.scope.build(),
          path: this.path(),
          unit: name,
          metric: metric as Attestation['metric'],
          argument: reason,
          password,
        }),
      ),
    );
  }

  protected withdraw(key: string): void {
    this.statement({ title: `Withdraw ${key}`, meaning: 'What rested on it waits again. It stays stored and readable.' }).subscribe(
      ({ password, reason }) =>
        this.store.dispatch(measureCommands.withdrawAttestation.start({ project: this.scope.slug(), key, reason, password })),
    );
  }
}
