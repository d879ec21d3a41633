import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed } from '@angular/core';
import type { Revision } from '@contract/base';
import { differencesBetween, type Difference } from '@core/base';
import { useProject } from '../live';
import { WordsDiff } from '../ui/words-diff';
import { recordFeature } from './state';

/** What changed from one snapshot to the next, member by member. */
export const changesBetween = (before: Revision | undefined, after: Revision): Difference[] =>
  differencesBetween(before?.snapshot, after.snapshot);

/** Every state that a record was in: who, when, why, and what changed, word by word. */
@Component({
  selector: 'cp-history-panel',
  imports: [DatePipe, WordsDiff],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (r of rows(); track r.rev.seq) {
      <section class="revision">
        <div class="row">
          <b>Revision {{ r.rev.revision }}</b> <span class="tag">{{ r.rev.state }}</span>
          <span class="second small">{{ r.rev.by }}, {{ r.rev.at | date: 'yyyy-MM-dd HH:mm' }}, entry {{ r.rev.seq }}</span>
        </div>
        @if (r.rev.reason) {
          <p class="small">Because: {{ r.rev.reason }}</p>
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
  private readonly scope = useProject();
  private readonly history = this.scope.store.selectSignal(recordFeature.selectHistory);
  protected readonly rows = computed(() =>
    this.history().map((rev, i, all) => ({ rev, changes: i === all.length - 1 ? [] : changesBetween(all[i + 1], rev) })),
  );
}
