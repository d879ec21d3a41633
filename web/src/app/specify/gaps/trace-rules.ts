import { ChangeDetectionStrategy, Component, computed, linkedSignal, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { spares, traceRuleFaults, type Spare, type TraceRule } from '@core/specify';
import { firstMissing, Icon, Needs, ProblemNote, useProject } from '../../base';
import { specifyFeature } from '../state';
import { gapCommands, gapFeature } from './state';

const wants: readonly (readonly [TraceRule['wants'], string])[] = [
  ['parent', 'comes from so many requirements'],
  ['child', 'has so many derived from it'],
  ['case', 'is verified by so many cases'],
  ['noneBeside', 'has no parent in its own specification'],
];
const spareWords: Readonly<Record<Spare, string>> = {
  topLevel: 'top level',
  derived: 'derived',
  notInCode: 'not in code',
  inCode: 'code names it',
};

/** The rules of trace of the project, written as data: each says for whom it is, what they must have, and how many gaps it finds now. */
@Component({
  selector: 'cp-trace-rules',
  imports: [FormsModule, Icon, MatButtonModule, Needs, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="sheet pad stack" (ngSubmit)="save()">
      <div class="row">
        <h2 class="grow">Rules of trace{{ kept()?.usual ? ': the usual ones' : '' }}</h2>
        @if (mayWrite()) {
          <button class="chip" type="button" (click)="take()">Take the pattern for {{ standard() }}</button>
          <button class="chip" type="button" (click)="add()"><cp-icon name="add" /> Rule</button>
        }
        <button class="chip" type="button" (click)="closed.emit()">
          <cp-icon name="close" /><span class="hidden-visually">Close</span>
        </button>
      </div>
      @for (r of rules(); track r.id; let i = $index) {
        <fieldset [disabled]="!mayWrite()" class="rule">
          <legend class="hidden-visually">{{ r.name }}</legend>
          <label class="field grow"
            ><span>Rule</span
            ><input class="in" [name]="'name' + i" maxlength="100" [ngModel]="r.name" (ngModelChange)="put(i, { name: $event })"
          /></label>
          <label class="field"
            ><span>Requirements of</span
            ><select class="in" multiple size="2" [name]="'of' + i" [ngModel]="r.of" (ngModelChange)="put(i, { of: $event })">
              @for (s of specifications(); track s.key) {
                <option [value]="s.key">{{ s.key }}</option>
              }
            </select></label
          >
          <label class="field"
            ><span>at</span
            ><select class="in" multiple size="2" [name]="'levels' + i" [ngModel]="r.levels" (ngModelChange)="put(i, { levels: $event })">
              @for (level of levels(); track level) {
                <option [value]="level">{{ level }}</option>
              }
            </select></label
          >
          <label class="field"
            ><span>each</span
            ><select class="in" [name]="'wants' + i" [ngModel]="r.wants" (ngModelChange)="put(i, { wants: $event })">
              @for (w of wants; track w[0]) {
                <option [value]="w[0]">{{ w[1] }}</option>
              }
            </select></label
          >
          @if (r.wants !== 'noneBeside') {
            <label class="field few"
              ><span>at least</span
              ><input
                class="in"
                type="number"
                min="1"
                max="50"
                [name]="'least' + i"
                [ngModel]="r.least"
                (ngModelChange)="put(i, { least: $event })"
            /></label>
          }
          @if (r.wants === 'parent' || r.wants === 'child') {
            <label class="field"
              ><span>in</span
              ><select class="in" multiple size="2" [name]="'within' + i" [ngModel]="r.within" (ngModelChange)="put(i, { within: $event })">
                @for (s of specifications(); track s.key) {
                  <option [value]="s.key">{{ s.key }}</option>
                }
              </select></label
            >
          }
          <div class="row whole">
            <span class="second small">unless</span>
            @for (s of spares; track s) {
              <label class="check small"
                ><input type="checkbox" [checked]="r.unless.includes(s)" (change)="spare(i, s)" /> {{ spareWords[s] }}</label
              >
            }
            <label class="check small"
              ><input type="checkbox" [checked]="r.whereAny" (change)="put(i, { whereAny: !r.whereAny })" /> only where any has it</label
            >
          </div>
          <span class="tag" [class.waiting]="count(r.id)">{{ count(r.id) }} {{ count(r.id) === 1 ? 'gap' : 'gaps' }}</span>
          @if (mayWrite()) {
            <button class="chip" type="button" (click)="drop(i)">
              <cp-icon name="close" /><span class="hidden-visually">Take off {{ r.name }}</span>
            </button>
          }
        </fieldset>
      }
      <p class="second small">Nothing chosen means all of them. What is chosen with Ctrl counts together.</p>
      <cp-problem [of]="names.save" /><cp-problem [of]="names.try" />
      @if (mayWrite()) {
        <div class="row">
          <button mat-flat-button type="submit" [cpNeeds]="missing">Keep these rules</button>
          <button mat-button type="button" (click)="trial()">Count their gaps</button>
        </div>
      }
    </form>
  `,
  styles: `
    .rule {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
      align-items: end;
      border: 0;
      border-top: 1px solid var(--hairline);
      padding: 10px 0 0;
      margin: 0;
    }
    .whole {
      order: 1;
      flex-basis: 100%;
    }
    .few {
      width: 76px;
    }
    select[multiple] {
      min-width: 84px;
      height: 50px;
    }
  `,
})
export class TraceRules {
  readonly closed = output<void>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly wants = wants;
  protected readonly spares = spares;
  protected readonly spareWords = spareWords;
  protected readonly names = { save: gapCommands.saveRules.name, try: gapCommands.tryRules.name };
  protected readonly kept = this.store.selectSignal(gapFeature.selectRules);
  private readonly tried = this.store.selectSignal(gapFeature.selectTried);
  protected readonly specifications = this.store.selectSignal(specifyFeature.selectSpecifications);
  protected readonly levels = computed(() => this.scope.project()?.profile.levels ?? []);
  protected readonly standard = computed(() => this.scope.project()?.profile.standard ?? 'the standard');
  protected readonly mayWrite = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'administrator'));
  protected readonly rules = linkedSignal<readonly TraceRule[]>(() => this.kept()?.rules ?? []);
  protected readonly missing = (): string =>
    firstMissing(
      [JSON.stringify(this.rules()) === JSON.stringify(this.kept()?.rules), 'Nothing changed.'],
      ...traceRuleFaults(this.rules()).map(({ at, text }) => [true, `${this.rules()[at].name || 'A rule'}: ${text}`] as [boolean, string]),
    );

  constructor() {
    this.store.dispatch(gapCommands.rules.start({ project: this.scope.slug() }));
  }

  protected count(id: string): number {
    return this.tried()[id] ?? 0;
  }

  protected put(i: number, change: Partial<TraceRule>): void {
    this.rules.update((all) => all.map((rule, at) => (at === i ? { ...rule, ...change } : rule)));
  }

  protected spare(i: number, spare: Spare): void {
    const { unless } = this.rules()[i];
    this.put(i, { unless: unless.includes(spare) ? unless.filter((s) => s !== spare) : [...unless, spare] });
  }

  protected drop(i: number): void {
    this.rules.update((all) => all.filter((_, at) => at !== i));
  }

  protected add(): void {
    const taken = new Set(this.rules().map(({ id }) => id));
    let n = this.rules().length + 1;
    while (taken.has(`rule${n}`)) n++;
    const rule: TraceRule = {
      id: `rule${n}`,
      name: '',
      of: [],
      levels: [],
      wants: 'case',
      within: [],
      least: 1,
      unless: [],
      whereAny: false,
    };
    this.rules.update((all) => [...all, rule]);
  }

  protected take(): void {
    this.rules.set(this.kept()?.pattern ?? []);
    this.trial();
  }

  private body() {
    return { project: this.scope.slug(), rules: this.rules().map((rule) => ({ ...rule })) };
  }

  protected trial(): void {
    this.store.dispatch(gapCommands.tryRules.start(this.body()));
  }

  protected save(): void {
    this.store.dispatch(gapCommands.saveRules.start(this.body()));
  }
}
