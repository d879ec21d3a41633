import { ChangeDetectionStrategy, Component, computed, effect, inject, input, untracked } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { listBaselines } from '@contract/specify';
import { RecordPicker } from '../list/record-picker';
import { onAction, useProject } from '../live';
import { askReason } from '../trace-words';
import { Icon } from '../ui/icon';
import { RecordLink } from '../ui/record-link';
import { recordCommands, recordFeature, recordOpened } from './state';

/** The baseline that a case or a round is made for, and whether a newer one holds the same specifications. */
@Component({
  selector: 'cp-made-for',
  imports: [Icon, RecordLink, RecordPicker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (trace(); as t) {
      <span class="row">
        <span class="second">Made for</span>&ngsp;<cp-record kind="baseline" [key]="t.to" /> {{ t.toTitle }}
        @if (newer(); as key) {
          <span class="tag suspect">a newer one is <cp-record kind="baseline" [key]="key" /></span>
          @if (author()) {
            <button class="chip" type="button" (click)="take(key)">Take the newer one</button>
          }
        }
        @if (author()) {
          <button class="chip" type="button" (click)="remove()">
            <cp-icon name="link_off" /><span class="hidden-visually">It is not for {{ t.to }}</span>
          </button>
        }
      </span>
    } @else if (author()) {
      <cp-record-picker
        [from]="baselines"
        label="Name the baseline that it is for"
        placeholder="For a baseline: key or words"
        (picked)="name($event[0].key)"
      />
    }
  `,
})
export class MadeFor {
  readonly key = input.required<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialogs = inject(MatDialog);
  protected readonly baselines = listBaselines;
  private readonly record = this.store.selectSignal(recordFeature.selectRecordState);
  protected readonly trace = computed(() =>
    this.record().key === this.key() ? this.record().traces.find(({ kind, from }) => kind === 'madeFor' && from === this.key()) : undefined,
  );
  protected readonly newer = computed(() => {
    const baseline = this.record().baseline;
    return baseline && baseline.key === this.trace()?.to ? baseline.newer : null;
  });
  protected readonly author = computed(() => this.scope.roles().includes('author'));

  constructor() {
    effect(() => {
      const key = this.key();
      untracked(() => {
        this.store.dispatch(recordOpened({ key }));
        this.read();
      });
    });
    effect(() => {
      const to = this.trace()?.to;
      if (to) untracked(() => this.store.dispatch(recordCommands.baseline.start({ project: this.scope.slug(), key: to })));
    });
    for (const done of [recordCommands.addTrace.done, recordCommands.removeTrace.done]) onAction(done, () => this.read());
  }

  private read(): void {
    this.store.dispatch(recordCommands.getRecord.start({ project: this.scope.slug(), key: this.key() }));
  }

  protected name(to: string): void {
    this.store.dispatch(recordCommands.addTrace.start({ project: this.scope.slug(), kind: 'madeFor', from: this.key(), to }));
  }

  /** The newer one in the place of the one that is named. */
  protected take(newer: string): void {
    const id = this.trace()?.id;
    if (id !== undefined) this.drop(id, `${newer} is the newer one.`);
    this.name(newer);
  }

  protected remove(): void {
    const t = this.trace();
    if (!t) return;
    askReason(this.dialogs, {
      title: 'It is not for this baseline',
      text: `${t.from} to ${t.to}: the ledger keeps why.`,
      confirm: 'Take it back',
    }).subscribe((reason) => this.drop(t.id, reason));
  }

  private drop(id: number, reason: string): void {
    this.store.dispatch(recordCommands.removeTrace.start({ project: this.scope.slug(), id, reason }));
  }
}
