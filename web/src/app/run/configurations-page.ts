import { ChangeDetectionStrategy, Component, computed, effect, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { betweenCommas } from '@core/base';
import { configurationFindings, configurationsOf, type ConfigurationPlan } from '@core/run';
import { firstMissing, Icon, Needs, ProblemNote, useProject } from '../base';
import { RunNav } from './run-nav';
import { runCommands, runFeature } from './state';

/** In what the product is configured: dimensions with their values, what excludes what, and the configurations that come of it. */
@Component({
  selector: 'cp-configurations-page',
  imports: [FormsModule, MatButtonModule, Icon, Needs, ProblemNote, RunNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head"><h1 class="grow">Configurations</h1></div>
      <cp-run-nav />
      <p class="second">A round takes one of them, several, all, or as many as bring every two values together; each run belongs to one.</p>
      @if (draft(); as d) {
        <form class="sheet pad stack" (ngSubmit)="save()">
          @for (dimension of d.dimensions; track $index; let i = $index) {
            <div class="row end">
              <label class="field"
                ><span>Dimension</span
                ><input
                  class="in"
                  [name]="'dn' + i"
                  placeholder="temperature"
                  [disabled]="!may()"
                  [ngModel]="dimension.name"
                  (ngModelChange)="put(i, { name: $event })"
              /></label>
              <label class="field grow"
                ><span>Values, with commas</span
                ><input
                  class="in"
                  [name]="'dv' + i"
                  placeholder="cold, room, hot"
                  [disabled]="!may()"
                  [ngModel]="dimension.values.join(', ')"
                  [ngModelOptions]="{ updateOn: 'blur' }"
                  (ngModelChange)="put(i, { values: list($event) })"
              /></label>
              @if (may()) {
                <button
                  class="chip"
                  type="button"
                  [attr.aria-label]="'Delete ' + (dimension.name || 'dimension ' + (i + 1))"
                  (click)="drop(i)"
                >
                  <cp-icon name="close" />
                </button>
              }
            </div>
          } @empty {
            <p class="second">No dimension yet: rounds name their configuration in words.</p>
          }
          @if (may()) {
            <div>
              <button class="chip" type="button" (click)="add()"><cp-icon name="add" /> Dimension</button>
            </div>
          }
          <label class="field"
            ><span>What excludes what, a line each</span
            ><textarea
              class="in code"
              rows="3"
              name="exclusions"
              placeholder="rig = 2 => temperature != cold"
              [disabled]="!may()"
              [ngModel]="d.exclusions"
              (ngModelChange)="change({ exclusions: $event })"
            ></textarea>
          </label>
          @for (f of findings(); track f.place + f.text) {
            <p class="t-broken small" role="alert">{{ f.place }}: {{ f.text }}</p>
          }
          <cp-problem [of]="names.save" />
          @if (may()) {
            <div class="row">
              <button mat-flat-button type="submit" [cpNeeds]="missing">Save</button>
              <span class="second small" role="status">{{ changed() ? 'Not saved yet.' : 'Saved.' }}</span>
            </div>
          }
        </form>
        @if (d.dimensions.length && !findings().length) {
          <div class="two">
            @for (way of ways(); track way.title) {
              <section class="sheet pad" [attr.aria-label]="way.title">
                <h2>{{ way.title }} {{ way.of.tooMany ?? way.of.names.length }}</h2>
                @if (way.of.tooMany) {
                  <p class="second">Too many to be named: exclude some.</p>
                }
                <ul>
                  @for (name of way.of.names.slice(0, 60); track name) {
                    <li>{{ name }}</li>
                  }
                </ul>
              </section>
            }
          </div>
        }
      } @else {
        <p class="empty" role="status">Opening …</p>
      }
    </div>
  `,
  styles: `
    .two {
      display: grid;
      grid-template-columns: repeat(auto-fit, minmax(280px, 1fr));
      gap: 16px;
      align-items: start;
    }
  `,
})
export class ConfigurationsPage {
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly names = { save: runCommands.saveConfigurations.name };
  private readonly loaded = this.store.selectSignal(runFeature.selectConfigurations);
  private readonly typed = signal<ConfigurationPlan | null>(null);
  protected readonly draft = computed((): ConfigurationPlan | null => this.typed() ?? this.loaded());
  protected readonly changed = computed(() => this.typed() !== null && JSON.stringify(this.typed()) !== JSON.stringify(this.loaded()));
  protected readonly may = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'administrator'));
  protected readonly findings = computed(() => (this.draft() ? configurationFindings(this.draft() as ConfigurationPlan) : []));
  protected readonly missing = (): string =>
    firstMissing([!this.changed(), 'Nothing changed.'], [this.findings().length > 0, 'Mend the findings first.']);
  protected readonly ways = computed(() => {
    const plan = this.draft();
    return plan
      ? [
          { title: 'All that may be', of: configurationsOf(plan, 'all') },
          { title: 'Every two values together', of: configurationsOf(plan, 'pairs') },
        ]
      : [];
  });

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.store.dispatch(runCommands.configurations.start({ project })));
    });
  }

  protected readonly list = betweenCommas;
  protected change(more: Partial<ConfigurationPlan>): void {
    const before = this.draft();
    if (before) this.typed.set({ ...before, ...more });
  }
  protected put(at: number, more: Partial<ConfigurationPlan['dimensions'][number]>): void {
    this.change({ dimensions: (this.draft()?.dimensions ?? []).map((d, i) => (i === at ? { ...d, ...more } : d)) });
  }
  protected add(): void {
    this.change({ dimensions: [...(this.draft()?.dimensions ?? []), { name: '', values: [] }] });
  }
  protected drop(at: number): void {
    this.change({ dimensions: (this.draft()?.dimensions ?? []).filter((_, i) => i !== at) });
  }
  protected save(): void {
    const plan = this.draft();
    if (plan)
      this.store.dispatch(
        runCommands.saveConfigurations.start({
          project: this.scope.slug(),
          dimensions: plan.dimensions.map(({ name, values }) => ({ name, values: [...values] })),
          exclusions: plan.exclusions,
        }),
      );
  }
}
