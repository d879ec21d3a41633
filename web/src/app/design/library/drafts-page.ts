import { ChangeDetectionStrategy, Component, computed, effect, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { planDrafts, type DraftPlan } from '@contract/design';
import type { CallOf } from '@contract/base';
import { listSpecifications } from '@contract/specify';
import { grains, type Grain } from '@core/design';
import { counted } from '@core/base';
import { Api, firstMissing, Icon, Needs, ProblemNote, RecordLink, selectRequest, useAddress, useProject } from '../../base';
import { inject } from '@angular/core';
import { DesignNav } from '../design-nav';
import { designCommands, designFeature } from '../state';

const grainWords: Readonly<Record<Grain, string>> = { case: 'a case', step: 'a step', rows: 'cases by its data', none: 'none' };

/** Cases drafted from a part of a specification: what each requirement becomes and why, changed branch by branch, written in one piece. */
@Component({
  selector: 'cp-drafts-page',
  imports: [DesignNav, FormsModule, Icon, MatButtonModule, Needs, ProblemNote, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <h1>Draft cases from requirements</h1>
      <cp-design-nav />
      <div class="row end">
        <label class="field"
          ><span>Specification</span
          ><select class="in" name="spec" [ngModel]="specification()" (ngModelChange)="go({ spec: $event, under: null })">
            @for (s of specifications(); track s.key) {
              <option [value]="s.key">{{ s.title }}</option>
            }
          </select></label
        >
        <label class="field"
          ><span>All of it, or below one requirement</span
          ><select class="in" name="under" [ngModel]="under() ?? ''" (ngModelChange)="go({ under: $event || null })">
            <option value="">all of it</option>
            @for (g of heads(); track g.key) {
              <option [value]="g.key">{{ g.key }} {{ g.title.slice(0, 50) }}</option>
            }
          </select></label
        >
        <label class="field"
          ><span>Into the folder</span
          ><select class="in" name="folder" [ngModel]="folder()" (ngModelChange)="folder.set($event)">
            <option value="">no folder</option>
            @for (f of folders(); track f.key) {
              <option [value]="f.key">{{ f.title }}</option>
            }
          </select></label
        >
      </div>
      <cp-problem [of]="names.plan" /><cp-problem [of]="names.make" />
      @if (made(); as done) {
        <p class="note sound" role="status">
          {{ counted(done.written.length, 'draft') }} written, {{ counted(done.linked, 'trace') }} drawn.
          @for (key of done.written.slice(0, 20); track key) {
            <cp-record kind="case" [key]="key" />{{ ' ' }}
          }
        </p>
      }
      @if (plan(); as p) {
        <div class="panels">
          <section class="sheet pad" aria-label="What each requirement becomes">
            <table class="list">
              <thead>
                <tr>
                  <th scope="col">Requirement</th>
                  <th scope="col">becomes</th>
                  <th scope="col">Why</th>
                </tr>
              </thead>
              <tbody>
                @for (g of p.grains; track g.key) {
                  <tr>
                    <td [style.padding-left.px]="4 + 16 * depth(g.key)">
                      @if (g.kind === 'heading') {
                        <b>{{ g.title }}</b>
                      } @else {
                        <cp-record kind="requirement" [key]="g.key" /> {{ g.title }}
                      }
                    </td>
                    <td>
                      <select
                        class="in"
                        [attr.aria-label]="'What ' + g.key + ' becomes'"
                        [ngModel]="g.grain"
                        (ngModelChange)="choose(g.key, $event)"
                      >
                        @for (grain of grains; track grain) {
                          <option [value]="grain">{{ words[grain] }}</option>
                        }
                      </select>
                    </td>
                    <td class="second small">
                      {{ g.why }}
                      @if (children(g.key).length) {
                        <button class="chip" type="button" (click)="branch(g.key, g.grain)">the same for all below</button>
                      }
                    </td>
                  </tr>
                }
              </tbody>
            </table>
          </section>
          <section class="sheet pad stack" aria-label="What is written">
            <h2>{{ p.make.length }} new, {{ p.link.length }} linked, {{ p.skipped.length }} skipped</h2>
            @for (m of p.make.slice(0, 200); track m.draft) {
              <details>
                <summary>
                  <span class="tag waiting">new</span> {{ m.content.title }} <span class="second small">{{ m.verifies.join(', ') }}</span>
                </summary>
                <ol class="steps">
                  @for (step of m.content.steps; track $index) {
                    <li>
                      {{ step.action }} <span class="second">→ {{ step.expected }}</span>
                    </li>
                  }
                </ol>
              </details>
            }
            @for (l of p.link; track l.case + l.requirement) {
              <p class="small">
                <span class="tag">linked</span>&ngsp;<cp-record kind="case" [key]="l.case" /> to
                <cp-record kind="requirement" [key]="l.requirement" />
              </p>
            }
            @if (p.outdated.length) {
              <h3>Drafts whose requirement says something else now</h3>
              @for (o of p.outdated; track o.case) {
                <p class="small">
                  <span class="tag suspect">changed</span>&ngsp;<cp-record kind="case" [key]="o.case" />
                  <span class="second">{{ o.draft }}</span>
                </p>
              }
            }
            @if (p.skipped.length) {
              <details>
                <summary class="second small">{{ p.skipped.length }} are there already</summary>
                @for (s of p.skipped; track s.draft) {
                  <p class="small">
                    <cp-record kind="case" [key]="s.case" />&ngsp;<span class="second">{{ s.why }}: {{ s.draft }}</span>
                  </p>
                }
              </details>
            }
            <div>
              <button mat-flat-button type="button" [disabled]="making().pending > 0" [cpNeeds]="missing" (click)="make()">
                <cp-icon name="draft" /> Write {{ p.make.length }} drafts{{ p.link.length ? ' and ' + p.link.length + ' traces' : '' }}
              </button>
            </div>
          </section>
        </div>
      } @else if (planning().pending) {
        <p class="empty" role="status">Looking through the requirements …</p>
      }
    </div>
  `,
  styles: `
    .panels {
      display: grid;
      grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
      gap: 16px;
      align-items: start;
    }
    @media (max-width: 1099px) {
      .panels {
        grid-template-columns: minmax(0, 1fr);
      }
    }
    .steps {
      list-style: decimal;
      padding-left: 24px;
    }
    .list td {
      vertical-align: top;
      padding-inline: 4px 8px;
    }
    td select.in {
      min-width: 138px;
    }
  `,
})
export class DraftsPage {
  /** From the address: the specification, and the branch of it. */
  readonly spec = input<string>();
  readonly under = input<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly api = inject(Api);
  protected readonly go = useAddress();
  protected readonly grains = grains;
  protected readonly counted = counted;
  protected readonly words = grainWords;
  protected readonly names = { plan: designCommands.planDrafts.name, make: designCommands.makeDrafts.name };
  protected readonly planning = this.store.selectSignal(selectRequest(this.names.plan));
  protected readonly making = this.store.selectSignal(selectRequest(this.names.make));
  protected readonly plan = this.store.selectSignal(designFeature.selectDrafts);
  protected readonly made = this.store.selectSignal(designFeature.selectMade);
  protected readonly folders = this.store.selectSignal(designFeature.selectFolders);
  protected readonly specifications = signal<readonly { readonly key: string; readonly title: string }[]>([]);
  protected readonly specification = computed(() => this.spec() ?? this.specifications()[0]?.key ?? '');
  protected readonly folder = signal('');
  private readonly choices = signal<ReadonlyMap<string, Grain>>(new Map());
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  /** The branches that one can draft for themselves. */
  protected readonly heads = signal<DraftPlan['grains']>([]);
  protected readonly missing = (): string =>
    firstMissing(
      [!this.author(), 'Only an author writes cases.'],
      [!this.plan()?.make.length && !this.plan()?.link.length, 'There is nothing to write: all of it was made before.'],
    );
  private readonly tree = computed(() => {
    const below = new Map<string, string[]>();
    const depth = new Map<string, number>();
    for (const { key, under } of this.plan()?.grains ?? []) {
      depth.set(key, under === null ? 0 : (depth.get(under) ?? 0) + 1);
      if (under !== null) below.set(under, [...(below.get(under) ?? []), key]);
    }
    return { below, depth };
  });

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => {
        this.store.dispatch(designCommands.listFolders.start({ project }));
        void this.api.call(listSpecifications, { project }).then(
          (list) => this.specifications.set(list),
          () => undefined,
        );
      });
    });
    effect(() => {
      this.specification();
      this.under();
      untracked(() => this.choices.set(new Map()));
    });
    effect(() => {
      const asked = this.asked();
      if (asked.specification) untracked(() => this.store.dispatch(designCommands.planDrafts.start(asked)));
    });
    effect(() => {
      const plan = this.plan();
      if (plan && !this.under()) untracked(() => this.heads.set(plan.grains.filter((g) => plan.grains.some((o) => o.under === g.key))));
    });
  }

  private asked(): CallOf<typeof planDrafts> {
    const choices = [...this.choices()].map(([key, grain]) => ({ key, grain }));
    return { project: this.scope.slug(), specification: this.specification(), under: this.under() ?? null, choices };
  }
  protected depth(key: string): number {
    return this.tree().depth.get(key) ?? 0;
  }
  protected children(key: string): readonly string[] {
    return this.tree().below.get(key) ?? [];
  }
  protected choose(key: string, grain: Grain): void {
    this.choices.update((all) => new Map([...all, [key, grain]]));
  }
  protected branch(key: string, grain: Grain): void {
    const chosen = new Map(this.choices());
    const open = [...this.children(key)];
    for (const below of open) {
      chosen.set(below, grain);
      open.push(...this.children(below));
    }
    this.choices.set(chosen);
  }
  protected make(): void {
    const plan = this.plan();
    if (plan) this.store.dispatch(designCommands.makeDrafts.start({ ...this.asked(), digest: plan.digest, folder: this.folder() || null }));
  }
}
