import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import type { TraceRow } from '@contract/base';
import { useProject } from '../live';
import { askConfirmation, askReason, suspectWords, waitingWords } from '../trace-words';
import { Icon } from '../ui/icon';
import { RecordLink } from '../ui/record-link';
import { recordCommands } from './state';

/** Traces of a record: their other ends, what is suspect or waits about them and why, confirmed and taken back here. */
@Component({
  selector: 'cp-traces',
  imports: [Icon, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (t of of(); track t.id) {
      <div class="trace">
        <cp-record [kind]="end() === 'from' ? t.fromKind : t.toKind" [key]="t[end()]" />
        <span class="grow">{{ end() === 'from' ? t.fromTitle : t.toTitle }}</span>
        @if (suspect(t); as why) {
          <span class="tag suspect">suspect: {{ why }}</span>
        } @else if (waiting(t); as why) {
          <span class="tag waiting">{{ why }}</span>
        }
        @if (mayConfirm(t)) {
          <button class="chip" type="button" (click)="confirm(t)">Confirm</button>
        }
        @if (author() && !fixed()) {
          <button class="chip" type="button" (click)="remove(t)" [attr.aria-label]="'Take back the trace ' + way(t)">
            <cp-icon name="link_off" />
          </button>
        }
      </div>
    }
  `,
  styles: `
    .trace {
      display: flex;
      gap: 10px;
      align-items: center;
      flex-wrap: wrap;
      padding: 4px 0;
    }
    .trace > .grow {
      min-width: 110px;
    }
  `,
})
export class Traces {
  readonly of = input.required<readonly TraceRow[]>();
  /** Which end is shown: the other one is the record on the page. */
  readonly end = input.required<'from' | 'to'>();
  /** What is on the page is approved: the ledger keeps why a trace of it is taken back. */
  readonly approved = input(false);
  /** They are only shown: taken back from their other end. */
  readonly fixed = input(false);
  private readonly scope = useProject();
  private readonly dialogs = inject(MatDialog);
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  private readonly reviewer = computed(() => this.scope.roles().includes('reviewer'));
  protected readonly suspect = suspectWords;
  protected readonly waiting = waitingWords;

  protected way(t: TraceRow): string {
    return this.end() === 'from' ? `from ${t.from}` : `to ${t.to}`;
  }

  /** What is suspect is confirmed by whoever writes or reviews; what waits, by a reviewer who did not draw it. */
  protected mayConfirm(t: TraceRow): boolean {
    if (suspectWords(t)) return this.author() || this.reviewer();
    return t.waits && this.reviewer() && t.drawnBy !== this.scope.session()?.person.login;
  }

  protected confirm(trace: TraceRow): void {
    const { id, fromNow: fromRevision, toNow: toRevision } = trace;
    askConfirmation(this.dialogs, trace).subscribe((reason) =>
      this.scope.store.dispatch(recordCommands.confirmTrace.start({ project: this.scope.slug(), id, reason, fromRevision, toRevision })),
    );
  }

  protected remove(trace: TraceRow): void {
    const take = (reason: string): void =>
      this.scope.store.dispatch(recordCommands.removeTrace.start({ project: this.scope.slug(), id: trace.id, reason }));
    if (!this.approved()) return take('');
    askReason(this.dialogs, {
      title: 'Take the trace back',
      text: `${trace.from} to ${trace.to}: it is approved, so the ledger keeps why.`,
      confirm: 'Take it back',
    }).subscribe(take);
  }
}
