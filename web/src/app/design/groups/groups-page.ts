import { CdkDragDrop, DragDropModule } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router } from '@angular/router';
import type { Filter } from '@contract/base';
import { listCases, type CaseSummary, type GroupDetail } from '@contract/design';
import { listRequirements } from '@contract/specify';
import { moveItem } from '@core/design';
import {
  firstMissing,
  Icon,
  Needs,
  onAction,
  onChanged,
  Opening,
  type PickedRow,
  ProblemNote,
  RecordLink,
  RecordList,
  RecordPanels,
  RecordPicker,
  RowLines,
  RowTemplate,
  useProject,
} from '../../base';
import { DesignNav } from '../design-nav';
import { designCommands, designFeature } from '../state';
import { groupKind } from './group-list';

interface Draft {
  readonly title: string;
  readonly purpose: string;
  readonly cases: readonly { readonly key: string; readonly title: string; readonly state: string; readonly plannedMinutes: number }[];
  readonly requirements: readonly string[];
}
const nothing: Draft = { title: '', purpose: '', cases: [], requirements: [] };

/** Groups: cases in their order under a name, planned as one, and verifying what they verify as a whole. */
@Component({
  selector: 'cp-groups-page',
  imports: [
    DesignNav,
    DragDropModule,
    FormsModule,
    Icon,
    Opening,
    MatButtonModule,
    Needs,
    ProblemNote,
    RecordLink,
    RecordList,
    RecordPanels,
    RecordPicker,
    RowLines,
    RowTemplate,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panes beside" [class.one]="key() || adding()">
      <section class="pane pane-left side" aria-label="Groups">
        <div class="row">
          <h1 class="grow">Groups</h1>
          @if (author()) {
            <button class="chip" type="button" (click)="begin()"><cp-icon name="add" /> Group</button>
          }
        </div>
        <cp-design-nav />
        <cp-record-list [kind]="kind" [current]="key() ?? ''" (opened)="open($event)">
          <ng-template [cpRow]="kind" let-g let-found="found">
            <cp-row-lines
              [row]="g"
              [found]="found"
              [below]="g.cases + ' cases, ' + g.minutes + ' min' + (g.requirements.length ? ' · ' + g.requirements.join(', ') : '')"
            />
          </ng-template>
          <ng-container empty>
            <h2>No group yet</h2>
            <p>Cases that belong together stand in a group: in order, planned as one.</p>
          </ng-container>
        </cp-record-list>
      </section>
      <section class="pane" aria-label="Group">
        <button class="chip back" type="button" (click)="open('')"><cp-icon name="chevron_left" /> Groups</button>
        @for (problem of names; track problem) {
          <cp-problem [of]="problem" />
        }
        @if (adding() || shown()) {
          <article class="stack">
            @if (shown(); as g) {
              <div class="row">
                <span class="key">{{ g.key }}</span><span class="second small">revision {{ g.revision }}, {{ g.updatedBy }}</span>
                <span class="grow"></span>
                <button mat-stroked-button type="button" [cpNeeds]="nobody" (click)="plan(g)">
                  <cp-icon name="play_arrow" /> Plan a round
                </button>
              </div>
            }
            <form class="sheet pad stack" (ngSubmit)="save()">
              <label class="field"
                ><span>Name</span
                ><input class="in" name="title" [readOnly]="!author()" [ngModel]="draft().title" (ngModelChange)="put({ title: $event })"
              /></label>
              <label class="field"
                ><span>Purpose</span
                ><textarea
                  class="in"
                  rows="2"
                  name="purpose"
                  [readOnly]="!author()"
                  [ngModel]="draft().purpose"
                  (ngModelChange)="put({ purpose: $event })"
                ></textarea>
              </label>
              <div class="stack-s">
                <h3>Cases, in their order: {{ draft().cases.length }}, {{ minutes() }} min</h3>
                <ol cdkDropList (cdkDropListDropped)="drop($event)">
                  @for (c of draft().cases; track c.key; let i = $index, last = $last) {
                    <li cdkDrag class="row member" [cdkDragDisabled]="!author()">
                      <span class="grip" cdkDragHandle aria-hidden="true"><cp-icon name="drag_indicator" /></span>
                      <b class="n">{{ i + 1 }}</b>&ngsp;<cp-record kind="case" [key]="c.key" />&ngsp;<span class="grow">{{ c.title }}</span>
                      @if (c.state !== 'approved') {
                        <span class="tag waiting">{{ c.state }}</span>
                      }
                      @if (author()) {
                        <button
                          class="chip"
                          type="button"
                          [disabled]="i === 0"
                          [attr.aria-label]="'Move ' + c.key + ' up'"
                          (click)="move(i, i - 1)"
                        >
                          <cp-icon name="arrow_upward" />
                        </button>
                        <button
                          class="chip"
                          type="button"
                          [disabled]="last"
                          [attr.aria-label]="'Move ' + c.key + ' down'"
                          (click)="move(i, i + 1)"
                        >
                          <cp-icon name="arrow_downward" />
                        </button>
                        <button class="chip" type="button" [attr.aria-label]="'Take ' + c.key + ' out'" (click)="out(c.key)">
                          <cp-icon name="close" />
                        </button>
                      }
                    </li>
                  } @empty {
                    <li class="second">No case yet: find them below, or drag them here from a list.</li>
                  }
                </ol>
                @if (author()) {
                  <cp-record-picker
                    [from]="cases"
                    [without]="keys()"
                    label="A case for the group"
                    placeholder="cases: keys or words"
                    (picked)="addCases($event)"
                  />
                }
              </div>
              <div class="stack-s">
                <h3>Verifies as a whole: each of its cases is traced to it, and all must pass</h3>
                <div class="row">
                  @for (r of draft().requirements; track r) {
                    <span class="chip"
                      ><cp-record kind="requirement" [key]="r" />
                      @if (author()) {
                        <button class="x" type="button" [attr.aria-label]="'No longer ' + r" (click)="unverify(r)">
                          <cp-icon name="close" />
                        </button>
                      }
                    </span>
                  }
                  @if (author()) {
                    <cp-record-picker
                      [from]="requirements"
                      [where]="linkable"
                      [without]="draft().requirements"
                      label="What the group verifies"
                      placeholder="a requirement: key or words"
                      (picked)="verify($event)"
                    />
                  }
                </div>
              </div>
              @if (author()) {
                <div class="row">
                  <button mat-flat-button type="submit" [cpNeeds]="missing">{{ adding() ? 'Make the group' : 'Save' }}</button>
                  @if (changed() || adding()) {
                    <button mat-button type="button" (click)="discard()">Discard</button>
                  }
                </div>
              }
            </form>
            @if (shown(); as g) {
              <cp-record-panels [key]="g.key" />
            }
          </article>
        } @else if (key(); as k) {
          <cp-opening [key]="k" [by]="opens" />
        } @else {
          <div class="empty">
            <h2>Choose a group</h2>
            <p>Its cases stand here in their order.</p>
          </div>
        }
      </section>
    </div>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
    }
    .member {
      padding: 3px 0;
    }
    .grip {
      cursor: grab;
      color: var(--ink-2);
    }
    .x {
      border: 0;
      background: none;
      color: var(--ink-2);
      cursor: pointer;
      padding: 0 2px;
    }
  `,
})
export class GroupsPage {
  readonly key = input<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly kind = groupKind;
  protected readonly opens = designCommands.getGroup.name;
  protected readonly cases = listCases;
  protected readonly requirements = listRequirements;
  protected readonly linkable: Filter = { field: 'kind', is: ['requirement'] };
  protected readonly names = [designCommands.addGroup.name, designCommands.saveGroup.name];
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  private readonly detail = this.store.selectSignal(designFeature.selectGroup);
  protected readonly adding = signal(false);
  protected readonly nobody = (): string => (this.shown()?.members.length ? '' : 'No case is in it yet.');
  protected readonly shown = computed((): GroupDetail | null =>
    !this.adding() && this.detail()?.key === this.key() ? this.detail() : null,
  );
  private readonly typed = signal<Draft | null>(null);
  protected readonly draft = computed((): Draft => {
    const g = this.shown();
    return this.typed() ?? (g ? { title: g.title, purpose: g.purpose, cases: g.members, requirements: g.requirements } : nothing);
  });
  protected readonly changed = computed(() => this.typed() !== null);
  protected readonly keys = computed(() => this.draft().cases.map((c) => c.key));
  protected readonly minutes = computed(() => this.draft().cases.reduce((sum, c) => sum + c.plannedMinutes, 0));
  protected readonly missing = (): string =>
    firstMissing([!this.draft().title.trim(), 'Give it a name.'], [!this.changed() && !this.adding(), 'Nothing changed.']);

  constructor() {
    effect(() => {
      const key = this.key();
      untracked(() => {
        this.typed.set(null);
        if (key) {
          this.adding.set(false);
          this.read(key);
        }
      });
    });
    onChanged(['group', 'case'], () => {
      const key = this.key();
      if (key) this.read(key);
    });
    onAction(designCommands.addGroup.done, ({ answer }) => {
      this.adding.set(false);
      this.typed.set(null);
      this.open(answer.key);
    });
    onAction(designCommands.saveGroup.done, () => this.typed.set(null));
  }
  private read(key: string): void {
    this.store.dispatch(designCommands.getGroup.start({ project: this.scope.slug(), key }));
  }
  protected open(key: string): void {
    this.adding.set(false);
    void this.router.navigate(['/', this.scope.slug(), 'design', 'groups', ...(key ? [key] : [])]);
  }
  protected begin(): void {
    this.typed.set(nothing);
    this.adding.set(true);
  }
  protected discard(): void {
    this.typed.set(null);
    this.adding.set(false);
  }
  protected put(change: Partial<Draft>): void {
    this.typed.set({ ...this.draft(), ...change });
  }
  protected addCases(rows: readonly CaseSummary[]): void {
    const more = rows.map(({ key, title, state, plannedMinutes }) => ({ key, title, state, plannedMinutes }));
    this.put({ cases: [...this.draft().cases, ...more.filter((c) => !this.keys().includes(c.key))] });
  }
  protected move(from: number, to: number): void {
    this.put({ cases: moveItem(this.draft().cases, from, to) });
  }
  protected drop(event: CdkDragDrop<unknown>): void {
    this.move(event.previousIndex, event.currentIndex);
  }
  protected out(key: string): void {
    this.put({ cases: this.draft().cases.filter((c) => c.key !== key) });
  }
  protected verify(rows: readonly PickedRow[]): void {
    this.put({ requirements: [...this.draft().requirements, ...rows.map(({ key }) => key)] });
  }
  protected unverify(key: string): void {
    this.put({ requirements: this.draft().requirements.filter((r) => r !== key) });
  }
  protected save(): void {
    if (this.missing()) return;
    const { title, purpose, requirements } = this.draft();
    const body = { project: this.scope.slug(), title: title.trim(), purpose, cases: this.keys(), requirements: [...requirements] };
    const g = this.shown();
    if (this.adding()) this.store.dispatch(designCommands.addGroup.start(body));
    else if (g) this.store.dispatch(designCommands.saveGroup.start({ ...body, key: g.key, basedOn: g.revision }));
  }
  protected plan(group: GroupDetail): void {
    void this.router.navigate(['/', this.scope.slug(), 'run', 'plan'], {
      queryParams: { cases: group.members.map((m) => m.key).join(',') },
    });
  }
}
