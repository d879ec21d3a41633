import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { LedgerRow } from '@contract/base';
import { entrySentence, recordKinds, type RecordKind, type VersionedKind } from '@core/base';
import { RecordLink } from './record-link';

const linked: readonly VersionedKind[] = recordKinds.filter((kind) => kind !== 'project' && kind !== 'upload' && kind !== 'build');

/** An entry of the ledger as people read it: when, who, and what they did to which record. */
@Component({
  selector: 'cp-entry',
  imports: [DatePipe, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <span class="second small when">{{ of().at | date: 'yyyy-MM-dd HH:mm' }}</span>
    <span
      ><b>{{ name() || of().who }}</b> {{ sentence().lead }}
      @if (kind(); as record) {
        <cp-record [kind]="record" [key]="of().key" />{{ sentence().tail }}
      } @else {
        {{ of().key }}{{ sentence().tail }}
      }
    </span>
  `,
  styles: `
    :host {
      display: flex;
      gap: 12px;
      align-items: baseline;
      min-width: 0;
      overflow-wrap: anywhere;
    }
    .when {
      white-space: nowrap;
      flex: none;
    }
  `,
})
export class EntryLine {
  readonly of = input.required<LedgerRow>();
  /** The printed name of who did it, where it is known. */
  readonly name = input<string>();
  protected readonly sentence = computed(() => entrySentence(this.of()));
  /** What its key leads to; nothing where it names no record of its own. */
  protected readonly kind = computed((): RecordKind | undefined =>
    linked.find((kind) => kind === this.of().kind && !/[ →]/.test(this.of().key)),
  );
}
