import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { Proposal } from '@contract/specify';
import { useProject } from '../live';
import { RecordLink } from '../ui/record-link';
import { recordCommands, recordFeature } from './state';

/** What is likely to be traced to a record, with the words that make it likely: asked for by a press, linked by another. */
@Component({
  selector: 'cp-likely',
  imports: [RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (list(); as found) {
      @for (p of found.slice(0, 5); track p.from.key + p.to.key) {
        <div class="row small">
          <cp-record [kind]="other(p).kind" [key]="other(p).key" />&ngsp;<span class="grow">{{ other(p).title }}</span>
          <span class="second">{{ p.words.slice(0, 4).join(', ') }}</span>
          <button class="chip" type="button" (click)="link(p.from.key, p.to.key)">
            Link<span class="hidden-visually"> {{ other(p).key }}</span>
          </button>
        </div>
      } @empty {
        <span class="second small">Nothing shares enough words with it.</span>
      }
    } @else {
      <button class="chip" type="button" (click)="ask()">{{ words() }}</button>
    }
  `,
})
export class Likely {
  readonly of = input.required<string>();
  readonly kind = input.required<'verifies' | 'parent'>();
  /** What is asked for, in words. */
  readonly words = input.required<string>();
  private readonly scope = useProject();
  private readonly known = this.scope.store.selectSignal(recordFeature.selectLikely);
  private readonly name = computed(() => `${this.of()} ${this.kind()}`);
  protected readonly list = computed(() => (Object.hasOwn(this.known(), this.name()) ? this.known()[this.name()] : undefined));

  protected other({ from, to }: Proposal): Proposal['from'] {
    return from.key === this.of() ? to : from;
  }

  protected ask(): void {
    this.scope.store.dispatch(
      recordCommands.likely.start({ project: this.scope.slug(), of: this.of(), kind: this.kind(), lacking: 'no', least: 10 }),
    );
  }

  protected link(from: string, to: string): void {
    this.scope.store.dispatch(recordCommands.addTrace.start({ project: this.scope.slug(), kind: this.kind(), from, to }));
  }
}
