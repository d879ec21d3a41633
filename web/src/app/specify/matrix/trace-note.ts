import { ChangeDetectionStrategy, Component, computed, effect, input, output, untracked } from '@angular/core';
import { Icon, onChanged, suspectWords, Traces, useProject, waitingWords, WordsDiff } from '../../base';
import { traceCommands, traceFeature } from './trace-state';

/** One trace: at which revisions it was confirmed, and what was changed at its ends since; confirmed and broken here. */
@Component({
  selector: 'cp-trace-note',
  imports: [Icon, Traces, WordsDiff],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (trace(); as t) {
      <section class="sheet pad stack-s" [attr.aria-label]="t.from + ' to ' + t.to">
        <div class="row">
          <b>{{ t.from }}</b> {{ t.fromTitle }} <cp-icon name="arrow_forward" />&ngsp;<b>{{ t.to }}</b> {{ t.toTitle }}
          <span class="grow"></span>
          <button class="chip" type="button" (click)="closed.emit()">
            <cp-icon name="close" /><span class="hidden-visually">Close</span>
          </button>
        </div>
        <p class="second small">
          {{ t.confirmedBy ? 'Confirmed by ' + t.confirmedBy : 'Drawn by ' + t.drawnBy }} at {{ t.from }} revision {{ t.fromRevision }},
          {{ t.to }} revision {{ t.toRevision }}{{ suspect(t) ? '; ' + suspect(t) : '' }}{{ waits(t) ? '; ' + waits(t) : '' }}.
        </p>
        @for (d of differences(); track d.key) {
          <p>
            <span class="second small">{{ d.key }}, revision {{ d.from }} to {{ d.to }}</span
            ><br />
            <cp-words-diff [before]="d.before" [after]="d.after" />
          </p>
        }
        <cp-traces [of]="[t]" end="to" [approved]="true" />
      </section>
    }
  `,
})
export class TraceNote {
  readonly id = input.required<number>();
  /** The key of one end, at which it is read. */
  readonly end = input.required<string>();
  readonly closed = output<void>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly traces = this.store.selectSignal(traceFeature.selectTraces);
  private readonly history = this.store.selectSignal(traceFeature.selectHistory);
  protected readonly trace = computed(() => this.traces().find(({ id }) => id === this.id()));
  protected readonly suspect = suspectWords;
  protected readonly waits = waitingWords;
  protected readonly differences = computed(() => {
    const t = this.trace();
    if (!t) return [];
    return t.suspect.flatMap((end) => {
      const key = t[end];
      const [then, now] = end === 'from' ? [t.fromRevision, t.fromNow] : [t.toRevision, t.toNow];
      const said = (revision: number): string => {
        const snapshot = this.history()[key]?.find((r) => r.revision === revision)?.snapshot;
        return snapshot ? [snapshot['title'], snapshot['text'] ?? snapshot['objective']].filter(Boolean).join('\n') : '';
      };
      const [before, after] = [said(then), said(now)];
      return before || after ? [{ key, from: then, to: now, before, after }] : [];
    });
  });

  constructor() {
    effect(() => {
      this.id();
      this.end();
      untracked(() => this.read());
    });
    effect(() => {
      const t = this.trace();
      if (!t) return;
      untracked(() => {
        for (const end of t.suspect)
          if (!this.history()[t[end]]) this.store.dispatch(traceCommands.history.start({ project: this.scope.slug(), key: t[end] }));
      });
    });
    onChanged(['requirement', 'case'], (keys) => (!keys || keys.includes(this.end())) && this.read());
  }

  private read(): void {
    this.store.dispatch(traceCommands.ends.start({ project: this.scope.slug(), key: this.end() }));
  }
}
