import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { useProject } from '../live';
import { RevisionDiff, type ItemDifferences } from './revision-diff';
import { recordFeature } from './state';

/** Every state that a record was in: who, when, why, and what changed, word by word. */
@Component({
  selector: 'cp-history-panel',
  imports: [DatePipe, RevisionDiff],
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
        @if (r.before; as before) {
          <cp-revision-diff [before]="before" [after]="r.rev" [differs]="differs()" />
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
  protected readonly rows = computed(() => this.history().map((rev, i, all) => ({ rev, before: all.at(i + 1) })));
}
