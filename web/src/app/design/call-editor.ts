import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { listCases, type CaseSummary } from '@contract/design';
import type { CaseCall } from '@core/design';
import { Api, Icon, keysFilter, RecordLink, RecordPicker, useProject } from '../base';

/** A step that stands for all steps of another case: which one, at which revision, and what fills its names. */
@Component({
  selector: 'cp-call-editor',
  imports: [FormsModule, Icon, RecordLink, RecordPicker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row">
      <span class="grow">All steps of <cp-record kind="case" [key]="call().key" /> {{ called()?.title }}</span>
      <cp-record-picker
        [from]="from"
        [without]="without()"
        label="Another case whose steps are done here"
        placeholder="Another case"
        (picked)="choose($event[0])"
      />
      <span class="second small">revision {{ call().revision }}</span>
      @if (newer(); as revision) {
        <button class="chip" type="button" (click)="changed.emit({ key: call().key, revision, with: call().with })">
          <cp-icon name="refresh" /> Take revision {{ revision }}
        </button>
      }
    </div>
    @for (name of names(); track name) {
      <label class="field"
        ><span>{{ name }}</span
        ><input
          class="in"
          [name]="'with' + number() + name"
          [ngModel]="call().with[name]"
          (ngModelChange)="fill(name, $event)"
          placeholder="a value, or a name of this case in braces"
      /></label>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 6px;
    }
  `,
})
export class CallEditor {
  readonly call = input.required<CaseCall>();
  /** Cases that cannot be called: the one that is written. */
  readonly without = input<readonly string[]>([]);
  readonly number = input.required<number>();
  readonly changed = output<CaseCall>();
  protected readonly from = listCases;
  private readonly api = inject(Api);
  private readonly scope = useProject();
  /** The called case as it is now. */
  protected readonly called = signal<CaseSummary | undefined>(undefined);
  /** The called case's present revision, where that is not the one that is called. */
  protected readonly newer = computed(() => {
    const now = this.called()?.revision ?? 0;
    return now > this.call().revision ? now : 0;
  });
  protected readonly names = computed(() => [...new Set([...(this.called()?.names ?? []), ...Object.keys(this.call().with)])]);

  constructor() {
    effect(() => {
      const { key } = this.call();
      if (untracked(this.called)?.key === key) return;
      this.called.set(undefined);
      void this.api.call(listCases, { project: this.scope.slug(), filter: keysFilter([key]) } as never).then(
        ({ rows }) => this.called.set(rows[0]),
        // Without an answer the call stays as it is; only a newer revision is not offered.
        () => undefined,
      );
    });
  }

  protected choose(row: CaseSummary): void {
    this.called.set(row);
    this.changed.emit({ key: row.key, revision: row.revision, with: {} });
  }

  protected fill(name: string, value: string): void {
    const { [name]: _, ...rest } = this.call().with;
    this.changed.emit({ ...this.call(), with: value ? { ...rest, [name]: value } : rest });
  }
}
