import { ChangeDetectionStrategy, Component, computed, effect, model, signal, untracked } from '@angular/core';
import { configurationsOf } from '@core/run';
import { toggled, useProject } from '../base';
import { runCommands, runFeature } from './state';

const ways = [
  ['words', 'in words'],
  ['some', 'some'],
  ['all', 'all'],
  ['pairs', 'every two values'],
] as const;
export type ConfigurationWay = (typeof ways)[number][0];

/** Which of the project's configurations a round takes: some, all, or as many as bring every two values together. Nothing where it has none. */
@Component({
  selector: 'cp-configuration-choice',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (named().length) {
      <div class="field">
        <span>Configurations</span>
        <div class="row" role="group" aria-label="Configurations">
          @for (way of ways; track way[0]) {
            <button class="chip" type="button" [attr.aria-pressed]="way[0] === choice()" (click)="choice.set(way[0])">{{ way[1] }}</button>
          }
        </div>
        @if (choice() === 'some') {
          <div class="some">
            @for (name of named(); track name) {
              <label class="check"><input type="checkbox" [checked]="picked().has(name)" (change)="pick(name)" /> {{ name }}</label>
            }
          </div>
        } @else if (choice() !== 'words') {
          <p class="second small">
            {{ configurations().length }}: {{ configurations().slice(0, 4).join('; ') }}{{ configurations().length > 4 ? ' …' : '' }}
          </p>
        }
      </div>
    }
  `,
  styles: `
    .some {
      max-height: 180px;
      overflow: auto;
    }
  `,
})
export class ConfigurationChoice {
  readonly choice = model<ConfigurationWay>('words');
  readonly configurations = model<readonly string[]>([]);
  private readonly scope = useProject();
  private readonly plan = this.scope.store.selectSignal(runFeature.selectConfigurations);
  protected readonly ways = ways;
  protected readonly picked = signal<ReadonlySet<string>>(new Set());
  /** All configurations that the project has. */
  protected readonly named = computed(() => {
    const plan = this.plan();
    return plan?.dimensions.length ? configurationsOf(plan, 'all').names : [];
  });

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.scope.store.dispatch(runCommands.configurations.start({ project })));
    });
    effect(() => {
      const [plan, choice, picked] = [this.plan(), this.choice(), this.picked()];
      const chosen =
        !plan || choice === 'words'
          ? []
          : choice === 'some'
            ? this.named().filter((name) => picked.has(name))
            : choice === 'all'
              ? this.named()
              : configurationsOf(plan, 'pairs').names;
      untracked(() => this.configurations.set(chosen));
    });
  }

  protected pick(name: string): void {
    this.picked.set(toggled(this.picked(), name));
  }
}
