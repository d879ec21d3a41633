import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed } from '@angular/core';
import type { Revision } from '@contract/base';
import { useProject } from '../live';
import { WordsDiff } from '../ui/words-diff';
import { recordFeature } from './state';

export interface FieldChange {
  readonly name: string;
  readonly before: string;
  readonly after: string;
}

/** Members of a snapshot as people read them: objects and lists line by line. */
export function readable(value: unknown): string {
  if (value === null || value === undefined || value === '') return '';
  if (value === true) return 'yes';
  if (value === false) return 'no';
  if (typeof value === 'number' || typeof value === 'string') return String(value);
  if (Array.isArray(value)) return value.map((item, i) => `${i + 1}. ${readable(item)}`).join('\n');
  return Object.entries(value as object)
    .filter(([, item]) => readable(item) !== '')
    .map(([name, item]) => `${name}: ${readable(item)}`)
    .join('; ');
}

const wordsOf = (name: string): string =>
  name.replace(/([A-Z])/g, (letter) => ` ${letter.toLowerCase()}`).replace(/^./, (letter) => letter.toUpperCase());

/** What changed from one snapshot to the next, member by member. */
export function changesBetween(before: Revision | undefined, after: Revision): FieldChange[] {
  const names = [...new Set([...Object.keys(before?.snapshot ?? {}), ...Object.keys(after.snapshot)])];
  return names
    .map((name) => ({ name: wordsOf(name), before: readable(before?.snapshot[name]), after: readable(after.snapshot[name]) }))
    .filter((change) => change.before !== change.after);
}

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
