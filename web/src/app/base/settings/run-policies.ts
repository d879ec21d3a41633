import { ChangeDetectionStrategy, Component, effect, inject, input, output, signal, untracked } from '@angular/core';
import { listCaseKinds } from '@contract/design';
import { betweenCommas } from '@core/base';
import { programResultPolicies, type Policies, type ProgramResults } from '@core/prove';
import { Api } from '../api';
import { useProject } from '../live';

const words: Readonly<Record<ProgramResults, string>> = {
  reviewed: 'count once a person reviewed them',
  qualified: 'count by themselves where the tool is qualified',
  no: 'do not count',
};

/** How runs may be recorded, and how results of programs count: part of the project's signed profile. */
@Component({
  selector: 'cp-run-policies',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <fieldset class="row">
      <legend class="second">Recorded as a whole, without stepping, may be cases of the kind</legend>
      @for (kind of kinds(); track kind[0]) {
        <label class="check"
          ><input
            type="checkbox"
            [disabled]="locked()"
            [checked]="of().shortRecordFor?.includes(kind[0]) ?? false"
            (change)="short(kind[0])"
          />
          {{ kind[1] }}</label
        >
      }
    </fieldset>
    <fieldset class="row">
      <legend class="second">Results that programs send</legend>
      @for (level of levels(); track level) {
        <label class="row"
          >{{ level }}
          <select
            #way
            class="in"
            [disabled]="locked()"
            [value]="of().programResults?.[level] ?? 'reviewed'"
            (change)="results(level, way.value)"
          >
            @for (choice of choices; track choice) {
              <option [value]="choice" [selected]="choice === (of().programResults?.[level] ?? 'reviewed')">{{ words[choice] }}</option>
            }
          </select></label
        >
      }
    </fieldset>
    <fieldset class="row">
      <legend class="second">Results may be carried to a later build at</legend>
      @for (level of levels(); track level) {
        <label class="check"
          ><input
            type="checkbox"
            [disabled]="locked()"
            [checked]="of().carryResultsAt?.includes(level) ?? false"
            (change)="carried(level)"
          />
          {{ level }}</label
        >
      }
    </fieldset>
    <label class="field"
      ><span>Tools whose qualification is on record, as name and version, with commas</span
      ><input
        #tools
        class="in"
        [disabled]="locked()"
        [value]="(of().qualifiedTools ?? []).join(', ')"
        (change)="qualified(tools.value)"
        placeholder="ctest 3.25, unit 1.0"
    /></label>
  `,
  styles: `
    :host {
      display: grid;
      gap: 8px;
    }
    fieldset {
      flex-wrap: wrap;
    }
    select.in {
      width: auto;
    }
  `,
})
export class RunPolicies {
  readonly of = input.required<Policies>();
  readonly levels = input.required<readonly string[]>();
  readonly locked = input(false);
  readonly changed = output<Partial<Policies>>();
  private readonly scope = useProject();
  private readonly api = inject(Api);
  protected readonly choices = programResultPolicies;
  protected readonly words = words;
  /** Names and titles of the kinds of case; the first is a case of no kind. */
  protected readonly kinds = signal<readonly (readonly [string, string])[]>([['', 'none named']]);

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(
        () =>
          void this.api.call(listCaseKinds, { project }).then(
            (kinds) => this.kinds.set([['', 'none named'], ...kinds.filter((k) => !k.retired).map((k) => [k.name, k.title] as const)]),
            () => undefined,
          ),
      );
    });
  }

  protected short(kind: string): void {
    const now = this.of().shortRecordFor ?? [];
    this.changed.emit({ shortRecordFor: now.includes(kind) ? now.filter((other) => other !== kind) : [...now, kind] });
  }
  protected carried(level: string): void {
    const now = this.of().carryResultsAt ?? [];
    this.changed.emit({ carryResultsAt: now.includes(level) ? now.filter((other) => other !== level) : [...now, level] });
  }
  protected results(level: string, way: string): void {
    this.changed.emit({ programResults: { ...this.of().programResults, [level]: way as ProgramResults } });
  }
  protected qualified(text: string): void {
    this.changed.emit({ qualifiedTools: betweenCommas(text) });
  }
}
