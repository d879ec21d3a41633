import { betweenCommas } from '@core/base';
import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { getProblemLife, saveProblemLife, type ProblemLife } from '@contract/run';
import { lifeFindings, type ProblemStage } from '@core/run';
import { Api, ApiFailure } from '../api';
import { useProject } from '../live';
import { Icon } from '../ui/icon';
import { firstMissing, Needs } from '../ui/needs';

type Stage = ProblemLife['stages'][number];
const needs = {
  severity: 'severity',
  priority: 'priority',
  area: 'area',
  assigned: 'who has it',
  due: 'a day',
  fixedIn: 'fixed in',
  closedReason: 'why closed',
} as const satisfies Record<ProblemStage['needs'][number], string>;
const roles = ['author', 'tester', 'reviewer', 'administrator'] as const;

/** The life of problem reports: their stages, where each leads, who may move one there and what must be filled before. */
@Component({
  selector: 'cp-problem-life-panel',
  imports: [FormsModule, MatButtonModule, Icon, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (draft(); as life) {
      <section class="sheet pad stack" tabindex="0" aria-label="Life of problem reports">
        <div class="between">
          <h2>Life of problem reports</h2>
          @if (admin()) {
            <button class="chip" type="button" (click)="add()"><cp-icon name="add" /> Stage</button>
          }
        </div>
        <table class="list">
          <thead>
            <tr>
              <th scope="col">Stage</th>
              <th scope="col">means</th>
              <th scope="col">leads to</th>
              <th scope="col">given by</th>
              <th scope="col">asks for</th>
            </tr>
          </thead>
          <tbody>
            @for (s of life.stages; track $index; let i = $index) {
              <tr>
                <td>
                  <input
                    class="in"
                    [attr.aria-label]="'Title of stage ' + (i + 1)"
                    [disabled]="!admin()"
                    [ngModel]="s.title"
                    (ngModelChange)="put(i, { title: $event })"
                  />
                </td>
                <td>
                  <select
                    class="in"
                    [attr.aria-label]="s.title + ' means'"
                    [disabled]="!admin()"
                    [ngModel]="s.means"
                    (ngModelChange)="put(i, { means: $event })"
                  >
                    <option value="open">open</option>
                    <option value="fixed">fixed, to be shown</option>
                    <option value="closed">closed</option>
                  </select>
                </td>
                <td>
                  @for (other of life.stages; track other.name) {
                    @if (other.name !== s.name) {
                      <label class="one"
                        ><input
                          type="checkbox"
                          [disabled]="!admin()"
                          [checked]="s.next.includes(other.name)"
                          (change)="next(i, other.name)"
                        />
                        {{ other.title }}</label
                      >
                    }
                  }
                </td>
                <td>
                  @for (role of roles; track role) {
                    <label class="one"
                      ><input type="checkbox" [disabled]="!admin()" [checked]="s.roles.includes(role)" (change)="role_(i, role)" />
                      {{ role }}</label
                    >
                  }
                  @if (!s.roles.length) {
                    <span class="second small">whoever may change reports</span>
                  }
                </td>
                <td>
                  @for (need of needNames; track need) {
                    <label class="one"
                      ><input type="checkbox" [disabled]="!admin()" [checked]="s.needs.includes(need)" (change)="need_(i, need)" />
                      {{ needs[need] }}</label
                    >
                  }
                </td>
              </tr>
            }
          </tbody>
        </table>
        <div class="row end">
          <label class="field grow"
            ><span>Severities, with commas</span
            ><input
              #severities
              class="in"
              [disabled]="!admin()"
              [value]="life.severities.join(', ')"
              (change)="lists({ severities: list(severities.value) })"
          /></label>
          <label class="field grow"
            ><span>Areas, with commas</span
            ><input #areas class="in" [disabled]="!admin()" [value]="life.areas.join(', ')" (change)="lists({ areas: list(areas.value) })"
          /></label>
        </div>
        @for (f of findings(); track f.text + f.at) {
          <p class="t-broken small" role="alert">{{ life.stages[f.at].title }}: {{ f.text }}</p>
        }
        @if (problem()) {
          <p class="t-broken" role="alert">{{ problem() }}</p>
        }
        @if (admin()) {
          <div>
            <button mat-stroked-button type="button" [cpNeeds]="missing" (click)="save()">Keep this life</button>
          </div>
        }
      </section>
    }
  `,
  styles: `
    td {
      vertical-align: top;
    }
    .one {
      display: flex;
      min-height: 26px;
      gap: 6px;
      align-items: center;
      font-size: 13px;
      white-space: nowrap;
    }
  `,
})
export class ProblemLifePanel {
  private readonly scope = useProject();
  private readonly api = inject(Api);
  protected readonly roles = roles;
  protected readonly needs = needs;
  protected readonly needNames = Object.keys(needs) as (keyof typeof needs)[];
  private readonly saved = signal<ProblemLife | null>(null);
  protected readonly draft = signal<ProblemLife | null>(null);
  protected readonly problem = signal('');
  protected readonly admin = computed(() => this.scope.roles().includes('administrator'));
  protected readonly findings = computed(() => lifeFindings(this.draft()?.stages ?? []));
  protected readonly missing = (): string =>
    firstMissing(
      [JSON.stringify(this.draft()) === JSON.stringify(this.saved()), 'Nothing changed.'],
      [this.findings().length > 0, 'Mend the findings first.'],
      [(this.draft()?.stages ?? []).some(({ title }) => !title.trim()), 'Each stage needs a title.'],
    );

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      if (project)
        untracked(
          () =>
            void this.api.call(getProblemLife, { project }).then(
              (life) => this.take(life),
              () => undefined,
            ),
        );
    });
  }

  private take(life: ProblemLife): void {
    this.saved.set(life);
    this.draft.set(life);
    this.problem.set('');
  }
  protected list(text: string): string[] {
    return [...new Set(betweenCommas(text))];
  }
  protected lists(change: Partial<ProblemLife>): void {
    this.draft.update((life) => life && { ...life, ...change });
  }
  protected put(at: number, change: Partial<Stage>): void {
    this.draft.update((life) => life && { ...life, stages: life.stages.map((s, i) => (i === at ? { ...s, ...change } : s)) });
  }
  private toggled<T>(list: readonly T[], item: T): T[] {
    return list.includes(item) ? list.filter((other) => other !== item) : [...list, item];
  }
  protected next(at: number, name: string): void {
    this.put(at, { next: this.toggled(this.draft()?.stages[at].next ?? [], name) });
  }
  protected role_(at: number, role: Stage['roles'][number]): void {
    this.put(at, { roles: this.toggled(this.draft()?.stages[at].roles ?? [], role) });
  }
  protected need_(at: number, need: Stage['needs'][number]): void {
    this.put(at, { needs: this.toggled(this.draft()?.stages[at].needs ?? [], need) });
  }
  protected add(): void {
    const names = new Set(this.draft()?.stages.map(({ name }) => name));
    let n = names.size + 1;
    while (names.has(`stage${n}`)) n++;
    const stage: Stage = { name: `stage${n}`, title: '', means: 'open', next: [], roles: [], needs: [] };
    this.draft.update((life) => life && { ...life, stages: [...life.stages, stage] });
  }

  protected async save(): Promise<void> {
    const life = this.draft();
    if (!life) return;
    try {
      this.take(await this.api.call(saveProblemLife, { project: this.scope.slug(), ...life }));
    } catch (error) {
      if (!(error instanceof ApiFailure)) throw error;
      this.problem.set(error.problem.detail ?? error.problem.title);
    }
  }
}
