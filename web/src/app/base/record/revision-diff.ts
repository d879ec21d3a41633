import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { Revision } from '@contract/base';
import { differencesBetween, type Difference } from '@core/base';
import { WordsDiff } from '../ui/words-diff';

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

/** What changed between two revisions of a record: item by item where its kind tells its lists so, and word by word. */
@Component({
  selector: 'cp-revision-diff',
  imports: [WordsDiff],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (item of items(); track item.name + item.what) {
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
    @for (change of changes(); track change.name) {
      <div>
        <span class="second small">{{ change.name }}</span><br /><cp-words-diff [before]="change.before" [after]="change.after" />
      </div>
    }
  `,
})
export class RevisionDiff {
  readonly before = input.required<Revision>();
  readonly after = input.required<Revision>();
  readonly differs = input<ItemDifferences | null>(null);
  protected readonly items = computed(() => this.differs()?.between(this.before().snapshot, this.after().snapshot) ?? []);
  protected readonly changes = computed(() => changesBetween(this.before(), this.after(), this.differs()?.members));
}
