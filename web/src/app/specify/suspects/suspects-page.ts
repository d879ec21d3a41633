import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import type { SuspectTrace } from '@contract/base';
import {
  askReason,
  Icon,
  onNews,
  ProblemNote,
  RecordLink,
  selectRequest,
  toggled,
  useAddress,
  useKeys,
  useProject,
  WordsDiff,
} from '../../base';
import { SpecificationChips } from '../specification-chips';
import { SpecifyNav } from '../specify-nav';
import { suspectCommands, suspectFeature } from './state';

const kindWords: Readonly<Record<string, string>> = {
  parent: 'is derived from',
  verifies: 'verifies',
  foundAgainst: 'was found against',
  relates: 'relates to',
};

/** Traces that a revision made doubtful: what changed on one side, the other end's text beside it; confirmed or broken one by one, or many. */
@Component({
  selector: 'cp-suspects-page',
  imports: [Icon, MatButtonModule, MatProgressBarModule, ProblemNote, RecordLink, SpecificationChips, SpecifyNav, WordsDiff],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '(document:keydown)': 'key($event)' },
  template: `
    <div class="page stack">
      <div class="page-head"><h1 class="grow">Suspect traces</h1></div>
      <cp-specify-nav />
      <div class="row" role="group" aria-label="Where">
        <cp-specification-chips [of]="of()" whole="The whole project" (chosen)="go({ of: $event })" />
      </div>
      <cp-problem [of]="names.list" /><cp-problem [of]="names.confirm" /><cp-problem [of]="names.remove" />
      @if (reading().pending && !found()) {
        <mat-progress-bar mode="indeterminate" aria-label="Reading the traces in doubt" />
      }
      @if (found(); as f) {
        @if (f.traces.length) {
          <div class="row">
            <span class="second">{{ f.total === 1 ? 'One trace is in doubt.' : f.total + ' traces are in doubt.' }}</span>
            <span class="grow"></span>
            <button class="chip" type="button" (click)="chooseAll()">
              {{ chosen().size === f.traces.length ? 'None' : 'All ' + f.traces.length }}
            </button>
            @if (mayConfirm()) {
              <button mat-flat-button type="button" (click)="confirm()"><cp-icon name="check" /> {{ words('Confirm') }}</button>
            }
            @if (author()) {
              <button mat-stroked-button type="button" (click)="remove()"><cp-icon name="link_off" /> {{ words('Break') }}</button>
            }
          </div>
          <div class="two">
            <ul class="sheet list" role="listbox" aria-label="Traces in doubt" aria-multiselectable="true">
              @for (s of f.traces; track s.trace.id; let i = $index) {
                <li
                  role="option"
                  [attr.aria-selected]="chosen().has(s.trace.id)"
                  [class.at]="i === at()"
                  [attr.tabindex]="i === at() ? 0 : -1"
                  [id]="'suspect-' + s.trace.id"
                  (click)="at.set(i)"
                  (keydown.space)="toggle(s.trace.id); $event.preventDefault()"
                  (focus)="at.set(i)"
                >
                  <span class="box" aria-hidden="true" tabindex="-1" (click)="toggle(s.trace.id)" (keydown.enter)="toggle(s.trace.id)">
                    @if (chosen().has(s.trace.id)) {
                      <cp-icon name="check" />
                    }
                  </span>
                  <span class="key">{{ s.trace.from }}</span>&ngsp;<span class="second">{{ wordOf(s) }}</span>
                  <span class="key">{{ s.trace.to }}</span>
                </li>
              }
            </ul>
            @if (shown(); as s) {
              <section class="sheet pad stack" [attr.aria-label]="s.trace.from + ' and ' + s.trace.to">
                <div class="row">
                  <cp-record [kind]="s.trace.fromKind" [key]="s.trace.from" /> {{ s.trace.fromTitle }}
                  <cp-icon name="arrow_forward" />
                  <cp-record [kind]="s.trace.toKind" [key]="s.trace.to" /> {{ s.trace.toTitle }}
                </div>
                <div class="beside">
                  @for (c of s.changed; track c.key) {
                    <div class="stack-s">
                      <h2>{{ c.key }}, revision {{ c.from }} to {{ c.to }}</h2>
                      <cp-words-diff [before]="c.before" [after]="c.after" />
                    </div>
                  }
                  @if (s.other; as o) {
                    <div class="stack-s">
                      <h2>{{ o.key }} says</h2>
                      <div class="said">{{ o.text }}</div>
                    </div>
                  }
                </div>
                <p class="second small">
                  {{ s.trace.confirmedBy ? 'Confirmed by ' + s.trace.confirmedBy : 'Drawn by ' + s.trace.drawnBy }} before.
                  {{ s.trace.reason }}
                </p>
              </section>
            }
          </div>
          @if (f.next !== null) {
            <div>
              <button mat-stroked-button type="button" (click)="ask(f.next)">Show more of {{ f.total }}</button>
            </div>
          }
        } @else {
          <div class="sheet empty">
            <h2>No trace is in doubt</h2>
            <p>When an end of a trace is revised, the trace stands here with what changed, until somebody says that it still holds.</p>
          </div>
        }
      }
    </div>
  `,
  styles: `
    .two {
      display: grid;
      grid-template-columns: minmax(240px, 320px) minmax(0, 1fr);
      gap: 14px;
      align-items: start;
    }
    .list {
      margin: 0;
      padding: 4px;
      list-style: none;
      max-height: 70vh;
      overflow: auto;
    }
    li {
      display: flex;
      gap: 8px;
      align-items: center;
      padding: 7px 8px;
      border-radius: 8px;
      cursor: pointer;
    }
    li.at {
      background: var(--cord-tint);
    }
    .box {
      width: 16px;
      height: 16px;
      border: 1.5px solid var(--hairline-strong);
      border-radius: 4px;
      display: grid;
      place-items: center;
      font-size: 14px;
    }
    .beside {
      display: grid;
      grid-template-columns: repeat(2, minmax(0, 1fr));
      gap: 18px;
    }
    .said {
      white-space: pre-line;
    }
    @media (max-width: 820px) {
      .two,
      .beside {
        grid-template-columns: 1fr;
      }
      .list {
        max-height: 40vh;
      }
      li {
        min-height: 30px;
      }
    }
  `,
})
export class SuspectsPage {
  /** From the address: a specification. */
  readonly of = input<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialogs = inject(MatDialog);
  protected readonly go = useAddress();
  private readonly keys = useKeys('Suspect traces');
  protected readonly found = this.store.selectSignal(suspectFeature.selectFound);
  protected readonly reading = this.store.selectSignal(selectRequest(suspectCommands.list.name));
  protected readonly names = {
    list: suspectCommands.list.name,
    confirm: suspectCommands.confirm.name,
    remove: suspectCommands.remove.name,
  };
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly mayConfirm = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'reviewer'));
  private readonly count = computed(() => this.found()?.traces.length ?? 0);
  protected readonly at = linkedSignal<number, number>({
    source: this.count,
    computation: (count, before) => Math.max(0, Math.min(before?.value ?? 0, count - 1)),
  });
  protected readonly shown = computed(() => this.found()?.traces.at(this.at()));
  protected readonly chosen = signal<ReadonlySet<number>>(new Set());
  /** What an act is about: what is chosen, or the one that is shown. */
  private readonly meant = computed(() => {
    const all = this.found()?.traces ?? [];
    const some = all.filter(({ trace }) => this.chosen().has(trace.id));
    return some.length ? some : all.slice(this.at(), this.at() + 1);
  });

  constructor() {
    effect((onCleanup) => {
      this.of();
      this.chosen.set(new Set());
      const timer = setTimeout(() => this.ask(0));
      onCleanup(() => clearTimeout(timer));
    });
    // No oftener than one can look, however much is changed.
    onNews(2000, () => this.ask(0));
  }

  protected ask(after: number): void {
    const of = this.of();
    this.store.dispatch(suspectCommands.list.start({ project: this.scope.slug(), after, ...(of ? { specification: of } : {}) }));
  }

  protected words(act: string): string {
    const n = this.meant().length;
    return n > 1 ? `${act} ${n}` : act;
  }

  protected wordOf({ trace }: SuspectTrace): string {
    return kindWords[trace.kind] ?? trace.kind;
  }

  protected toggle(id: number): void {
    this.chosen.update((all) => toggled(all, id));
  }

  protected chooseAll(): void {
    const all = (this.found()?.traces ?? []).map(({ trace }) => trace.id);
    this.chosen.set(this.chosen().size === all.length ? new Set() : new Set(all));
  }

  protected confirm(): void {
    const list = this.meant();
    if (!list.length) return;
    askReason(this.dialogs, {
      title: list.length === 1 ? 'The trace still holds' : `${list.length} traces still hold`,
      text: `${list
        .slice(0, 6)
        .map(({ trace: t }) => `${t.from} to ${t.to}`)
        .join(', ')}${list.length > 6 ? ' …' : ''}: at the revisions that you looked at.`,
      confirm: 'Confirm',
    }).subscribe((reason) => {
      const traces = list.map(({ trace: { id, fromNow, toNow } }) => ({ id, fromRevision: fromNow, toRevision: toNow }));
      this.store.dispatch(suspectCommands.confirm.start({ project: this.scope.slug(), reason, traces }));
      this.chosen.set(new Set());
    });
  }

  protected remove(): void {
    const list = this.meant();
    if (!list.length) return;
    askReason(this.dialogs, {
      title: list.length === 1 ? 'Break the trace' : `Break ${list.length} traces`,
      text: 'They do not hold any more: they are taken back, and stay in the ledger.',
      confirm: 'Break',
    }).subscribe((reason) => {
      const ids = list.map(({ trace }) => trace.id);
      this.store.dispatch(suspectCommands.remove.start({ project: this.scope.slug(), reason, ids }));
      this.chosen.set(new Set());
    });
  }

  protected key(event: KeyboardEvent): void {
    const target = event.target instanceof HTMLElement ? event.target : undefined;
    if (this.dialogs.openDialogs.length || target?.closest('input, textarea, select, [contenteditable]')) return;
    const inList = target?.closest('[role=listbox]') ? { ArrowDown: 1, ArrowUp: -1 }[event.key] : undefined;
    const name = this.keys.among(event, ['traceNext', 'traceBefore', 'traceChoose', 'traceConfirm', 'traceBreak']);
    if (inList || name === 'traceNext' || name === 'traceBefore') this.move(inList ?? (name === 'traceNext' ? 1 : -1));
    else if (name === 'traceChoose') this.toggle(this.shown()?.trace.id ?? 0);
    else if (name === 'traceConfirm' && this.mayConfirm()) this.confirm();
    else if (name === 'traceBreak' && this.author()) this.remove();
    else return;
    event.preventDefault();
  }

  private move(by: number): void {
    this.at.update((at) => Math.max(0, Math.min(at + by, this.count() - 1)));
    const id = this.shown()?.trace.id;
    document.getElementById(`suspect-${id}`)?.focus();
  }
}
