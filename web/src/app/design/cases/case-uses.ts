import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { CaseDetail, CaseUses } from '@contract/design';
import type { VersionedKind } from '@core/base';
import { recordHistory, type Revision } from '@contract/base';
import { Api, firstMissing, Needs, onChanged, ProblemNote, RecordLink, RevisionDiff, toggled, useProject } from '../../base';
import { caseDifferences } from './case-history';
import { designCommands, designFeature } from '../state';

/** Where a case is used, what it was made of, and how long it took: callers take its newer revision from here. */
@Component({
  selector: 'cp-case-uses',
  imports: [FormsModule, MatButtonModule, Needs, ProblemNote, RecordLink, RevisionDiff],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (uses(); as u) {
      @if (u.madeOf; as made) {
        <p>
          Made of <cp-record [kind]="kindOf(made)" [key]="made.key" /> {{ made.title }}, revision {{ made.revision }}
          @if (made.now > made.revision) {
            <span class="tag suspect">revision {{ made.now }} since</span>
          }
        </p>
        @for (text of made.differs; track text) {
          <p class="small t-suspect">{{ text }}</p>
        }
      }
      @if (u.took; as t) {
        <p class="second small">
          Its runs took {{ t.median }} min at the median, of {{ t.runs }}; planned are {{ of().plannedMinutes }} min.
        </p>
      }
      @if (u.callers.length) {
        <div class="stack-s">
          <h3>Called by</h3>
          @for (c of u.callers; track c.key) {
            <div class="row">
              @if (author() && c.newer) {
                <input type="checkbox" [attr.aria-label]="'Choose ' + c.key" [checked]="chosen().has(c.key)" (change)="toggle(c.key)" />
              }
              <cp-record kind="case" [key]="c.key" />&ngsp;<span class="grow">{{ c.title }}</span>
              <span class="second small">calls revision {{ c.revision }}</span>
              @if (c.newer) {
                <span class="tag suspect">older</span>
              }
            </div>
          }
          @for (revision of olderRevisions(); track revision) {
            <div class="stack-s">
              <button
                class="chip"
                type="button"
                [attr.aria-expanded]="compared() === revision"
                (click)="compared.set(compared() === revision ? 0 : revision)"
              >
                What changed since revision {{ revision }}
              </button>
              @if (compared() === revision) {
                @if (change(); as c) {
                  <cp-revision-diff class="changed" [before]="c.before" [after]="c.after" [differs]="differs" />
                } @else {
                  <p class="second small">Reading both revisions …</p>
                }
              }
            </div>
          }
          <cp-problem [of]="name" />
          @if (author() && newer().length) {
            <div class="row end">
              @if (asksReason()) {
                <label class="field grow"
                  ><span>Why approved callers change</span
                  ><input class="in" name="callersWhy" [ngModel]="reason()" (ngModelChange)="reason.set($event)"
                /></label>
              }
              <button mat-stroked-button type="button" [cpNeeds]="missing" (click)="take()">
                {{ chosen().size }} take revision {{ of().revision }}
              </button>
            </div>
          }
        </div>
      }
      @if (u.dependents.length) {
        <p>
          Rests on it:
          @for (d of u.dependents; track d.key) {
            <cp-record kind="case" [key]="d.key" />{{ ' ' }}
          }
        </p>
      }
      @if (u.groups.length) {
        <p>
          In the groups:
          @for (g of u.groups; track g.key) {
            <cp-record kind="group" [key]="g.key" /> {{ g.title }}{{ ' ' }}
          }
        </p>
      }
      @if (u.rounds.length) {
        <p>
          Planned in:
          @for (r of u.rounds.slice(0, 20); track r.key) {
            <cp-record kind="round" [key]="r.key" />&ngsp;<span class="second small"
              >{{ r.build }}, {{ r.runs }} {{ r.runs === 1 ? 'run' : 'runs' }}</span
            >{{ ' ' }}
          }
        </p>
      }
      @if (!said()) {
        <p class="second">Nowhere yet.</p>
      }
    }
  `,
  styles: `
    .changed {
      display: block;
      max-height: 320px;
      overflow: auto;
      border-left: 3px solid var(--suspect);
      padding-left: 12px;
    }
    :host {
      display: flex;
      flex-direction: column;
      gap: 8px;
    }
  `,
})
export class CaseUsesNote {
  readonly of = input.required<CaseDetail>();
  private readonly api = inject(Api);
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly all = this.store.selectSignal(designFeature.selectUses);
  protected readonly uses = computed((): CaseUses | null => (this.all()?.key === this.of().key ? (this.all()?.of ?? null) : null));
  protected readonly name = designCommands.takeCalled.name;
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly newer = computed(() => this.uses()?.callers.filter((c) => c.newer) ?? []);
  /** Revisions that are still called, though there is a newer one. */
  protected readonly olderRevisions = computed(() => [...new Set(this.newer().map((c) => c.revision))].sort((a, b) => b - a));
  /** The one that is compared with the present one; 0 where none is. */
  protected readonly compared = signal(0);
  private readonly history = signal<readonly Revision[]>([]);
  protected readonly differs = caseDifferences;
  protected readonly change = computed(() => {
    // Newest first: the last state of each revision.
    const [before, after] = [this.compared(), this.of().revision].map((n) => this.history().find(({ revision }) => revision === n));
    return before && after ? { before, after } : null;
  });
  protected readonly chosen = signal<ReadonlySet<string>>(new Set());
  protected readonly reason = signal('');
  protected readonly asksReason = computed(() => this.newer().some((c) => this.chosen().has(c.key) && c.state === 'approved'));
  protected readonly said = computed(() => {
    const u = this.uses();
    return Boolean(u && (u.madeOf || u.took || u.callers.length || u.dependents.length || u.groups.length || u.rounds.length));
  });

  constructor() {
    effect(() => {
      const { key, revision } = this.of();
      untracked(() => this.read(key, revision));
    });
    onChanged(['case', 'group', 'flow', 'parameters', 'decisionTable', 'stateTable', 'round'], () => this.read(this.of().key, 0));
    effect(() => {
      const { key } = this.of();
      if (!this.compared()) return;
      untracked(
        () =>
          void this.api.call(recordHistory, { project: this.scope.slug(), key, limit: 200 }).then(
            (history) => this.history.set(history),
            () => undefined,
          ),
      );
    });
    effect(() => {
      const keys = this.newer().map((c) => c.key);
      untracked(() => this.chosen.set(new Set(keys)));
    });
  }
  private read(key: string, _revision: number): void {
    this.store.dispatch(designCommands.uses.start({ project: this.scope.slug(), key }));
  }
  protected kindOf({ kind }: { readonly kind: string }): VersionedKind {
    return kind as VersionedKind;
  }
  protected toggle(key: string): void {
    this.chosen.update((set) => toggled(set, key));
  }
  protected readonly missing = (): string =>
    firstMissing(
      [!this.chosen().size, 'Choose who takes it.'],
      [this.asksReason() && this.reason().trim().length < 3, 'Say why approved callers change.'],
    );

  protected take(): void {
    const { key, revision } = this.of();
    this.store.dispatch(
      designCommands.takeCalled.start({
        project: this.scope.slug(),
        key,
        revision,
        callers: [...this.chosen()],
        reason: this.reason().trim(),
      }),
    );
  }
}
