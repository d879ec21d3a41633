import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { Revision } from '@contract/base';
import { differencesBetween, type Difference } from '@core/base';
import { useProject } from '../live';
import { WordsDiff } from '../ui/words-diff';
import { recordFeature } from './state';

/** What became of one item of a list, a step or a data row say, between two revisions. */
export interface ItemLine {
  readonly name: string;
  readonly what: 'added' | 'changed' | 'moved' | 'gone';
  readonly before: string;
  readonly after: string;
}
/** How a kind of record tells what became of its lists: item by item, and of which members. */
export interface ItemDifferences {
  readonly members: readonly string[];
  readonly between: (before: unknown, after: unknown) => readonly ItemLine[];
}

/** What changed from one snapshot to the next, member by member; `without` are told otherwise. */
export const changesBetween = (before: Revision | undefined, after: Revision, without: readonly string[] = []): Difference[] =>
  differencesBetween(before?.snapshot, after.snapshot, without);

/** Every state that a record was in: who, when, why, and what changed, word by word. */
@Component({
  selector: 'cp-history-panel',
  imports: [DatePipe, WordsDiff],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (r of rows(); track r.rev.seq) {
      <section class="revision">
        <div class="row">
          <b>Revision {{ r.rev.revision }}</b
          >&ngsp;<span class="tag">{{ r.rev.state }}</span>
          <span class="second small">{{ r.rev.by }}, {{ r.rev.at | date: 'yyyy-MM-dd HH:mm' }}, entry {{ r.rev.seq }}</span>
        </div>
        @if (r.rev.reason) {
          <p class="small">Because: {{ r.rev.reason }}</p>
        }
        @for (item of r.items; track item.name + item.what) {
          <div>
            <span class="second small">{{ item.name }}</span>&ngsp;<span class="tag">{{ item.what }}</span
            ><br />
            @if (item.what === 'moved') {
              {{ item.after }}
            } @else {
              <cp-words-diff [before]="item.before" [after]="item.after" />
            }
          </div>
        }
        @for (change of r.changes; track change.name) {
          <div>
            <span class="second small">{{ change.name }}</span><br /><cp-words-diff [before]="change.before" [after]="change.after" />
          </div>
        }
      </section>
    } @empty {
      <p class="second">Nothing is kept of it yet.</p>
    }
  `,
  styles: `
    .revision {
      display: grid;
      gap: 6px;
      padding: 10px 0;
      border-top: 1px solid var(--hairline);
    }
    .revision:first-child {
      border-top: 0;
    }
  `,
})
export class HistoryPanel {
  /** How its lists are told item by item, where its kind does so. */
  readonly differs = input<ItemDifferences | null>(null);
  private readonly scope = useProject();
  private readonly history = this.scope.store.selectSignal(recordFeature.selectHistory);
  protected readonly rows = computed(() =>
    this.history().map((rev, i, all) => {
      const differs = this.differs();
      const before = all.at(i + 1);
      return {
        rev,
        items: before && differs ? differs.between(before.snapshot, rev.snapshot) : [],
        changes: before ? changesBetween(before, rev, differs?.members) : [],
      };
    }),
  );
}
