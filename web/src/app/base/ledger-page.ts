import { ChangeDetectionStrategy, Component, effect, signal, untracked } from '@angular/core';
import { DatePipe } from '@angular/common';
import { MatButtonModule } from '@angular/material/button';
import { MatMenuModule } from '@angular/material/menu';
import type { LedgerRow } from '@contract/base';
import { entryDifferences, type Difference } from '@core/base';
import { selectRequest } from './command';
import { useProject } from './live';
import { baseCommands, baseFeature } from './state';
import { kindName } from './trace-words';
import { EntryLine } from './ui/entry-line';
import { Icon } from './ui/icon';
import { WordsDiff } from './ui/words-diff';

const faultWords = {
  gap: 'is missing',
  link: 'does not follow the entry before it',
  hash: 'was changed: its contents do not give its hash',
};

/** Everything that was done: who, what, when, to which record, before and after; and whether the chain holds. */
@Component({
  selector: 'cp-ledger-page',
  imports: [DatePipe, EntryLine, MatButtonModule, MatMenuModule, Icon, WordsDiff],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head">
        <h1>Ledger</h1>
        <span class="second grow total">{{ ledger().total }} entries{{ filtered() ? ' match' : '' }}</span>
        <button class="chip" type="button" [matMenuTriggerFor]="formats"><cp-icon name="download" /> Export</button>
        <mat-menu #formats="matMenu">
          <a mat-menu-item [href]="exported('csv')" download>Table of the {{ ledger().total }} entries (CSV)</a>
          <a mat-menu-item [href]="exported('json')" download>Whole, line by line, to compute the hashes again (JSON)</a>
        </mat-menu>
        <button mat-stroked-button type="button" (click)="verify()" [disabled]="verifying().pending > 0">
          <cp-icon name="verified" /> Verify the chain
        </button>
      </div>
      <div class="row" role="group" aria-label="Which entries">
        <label class="row"
          ><span class="second small">Kind</span
          ><select #kindBox class="in pick" [value]="kind()" (change)="kind.set(kindBox.value)">
            <option value="">all</option>
            @for (k of ledger().kinds; track k) {
              <option [value]="k">{{ kindName(k) }}</option>
            }
          </select></label
        >
        <label class="row"
          ><span class="second small">Who</span
          ><select #whoBox class="in pick" [value]="who()" (change)="who.set(whoBox.value)">
            <option value="">everybody</option>
            @for (p of ledger().people; track p) {
              <option [value]="p">{{ names().get(p) ?? p }}</option>
            }
          </select></label
        >
        <label class="row"
          ><span class="second small">From</span
          ><input #fromBox class="in pick" type="date" [value]="from()" (change)="from.set(fromBox.value)"
        /></label>
        <label class="row"
          ><span class="second small">to</span><input #toBox class="in pick" type="date" [value]="to()" (change)="to.set(toBox.value)"
        /></label>
        <label class="chip"
          ><cp-icon name="filter_list" /><span class="hidden-visually">Filter by record or action</span
          ><input #qBox class="bare" data-filter type="search" placeholder="Record or action" [value]="q()" (input)="q.set(qBox.value)"
        /></label>
      </div>
      @if (verdict(); as v) {
        @if (v.fault; as f) {
          <div class="note broken" role="status">
            <cp-icon name="warning" /><span
              ><b>Entry {{ f.seq }} {{ faultWords[f.fault] }}.</b> The {{ v.entries }} entries before it fit.</span
            >
          </div>
        } @else if (v.rowFaultCount) {
          <div class="note broken" role="status">
            <cp-icon name="warning" /><span
              ><b>The chain holds, but {{ v.rowFaultCount }} of {{ v.rows }} rows are not what it says.</b> What rests on them is broken
              until they are.
              @for (f of v.rowFaults.slice(0, 8); track f.table + f.id) {
                <br />{{ f.table }} {{ f.id }} was {{ f.fault }}{{ f.seq === null ? '' : ', last written by entry ' + f.seq }}
              }
            </span>
          </div>
        } @else {
          <div class="note" role="status">
            <cp-icon name="verified" /><span
              ><b>The chain holds:</b> {{ v.entries }} entries, each with the hash of the one before it, and all {{ v.rows }} rows that they
              account for are as they were written. Head <code class="small">{{ v.head.slice(0, 24) }}…</code>
              @if (v.signedHeads; as outside) {
                @if (outside.last; as last) {
                  <br />{{ outside.heads === 1 ? 'One signed end of it' : outside.heads + ' signed ends of it' }}, kept outside the
                  database, {{ outside.heads === 1 ? 'fits' : 'fit' }}: of entry {{ last.seq }}, {{ last.at | date: 'yyyy-MM-dd HH:mm' }}.
                }
              } @else {
                <br />No end of it is kept outside the database: the operator names a file for that (CORD_HEADS_FILE).
              }
            </span>
          </div>
        }
        @if (v.signedHeads?.fault; as cut) {
          <div class="note broken" role="alert">
            <cp-icon name="warning" /><span
              ><b>Entry {{ cut.seq }} is not as it was signed outside the database on {{ cut.at | date: 'yyyy-MM-dd HH:mm' }}:</b>
              {{ cutWords[cut.fault] }}</span
            >
          </div>
        }
      }
      <section class="sheet entries" aria-label="Entries, newest first">
        @for (entry of ledger().entries; track entry.seq) {
          <article [class.picked]="open() === entry.seq">
            <div class="line">
              <span class="num second small">{{ entry.seq }}</span>
              <cp-entry class="grow" [of]="entry" [name]="names().get(entry.who)" />
              <button
                class="chip"
                type="button"
                [attr.aria-expanded]="open() === entry.seq"
                [attr.aria-label]="(open() === entry.seq ? 'Less' : 'More') + ' of entry ' + entry.seq"
                (click)="open.set(open() === entry.seq ? 0 : entry.seq)"
              >
                {{ open() === entry.seq ? 'Less' : 'More' }}
              </button>
            </div>
            @if (open() === entry.seq) {
              <div class="inside stack-s">
                @for (change of changes(entry); track change.name) {
                  <div>
                    <span class="second small">{{ change.name }}</span><br /><cp-words-diff
                      [before]="change.before"
                      [after]="change.after"
                    />
                  </div>
                } @empty {
                  <p class="second">It says no more than that it was done.</p>
                }
                <p class="small second">
                  {{ entry.action }}, by {{ entry.who }}, {{ entry.at }} · hash <code>{{ entry.hash }}</code><br />of the entry before
                  <code>{{ entry.previous }}</code>
                </p>
              </div>
            }
          </article>
        } @empty {
          <p class="empty">Nothing matches.</p>
        }
      </section>
      @if (ledger().entries.length < ledger().total) {
        <div><button mat-stroked-button type="button" (click)="more()">Show older entries</button></div>
      }
    </div>
  `,
  styles: `
    .pick {
      width: auto;
      padding: 4px 8px;
    }
    .bare {
      border: 0;
      outline: 0;
      background: none;
      font: inherit;
      color: inherit;
      width: 130px;
    }
    .entries article {
      padding: 4px 16px;
      border-top: 1px solid var(--hairline);
    }
    .entries article:first-child {
      border-top: 0;
    }
    .line {
      display: flex;
      gap: 14px;
      align-items: baseline;
    }
    .line .num {
      width: 52px;
      text-align: right;
      flex: none;
    }
    .said {
      white-space: pre-wrap;
    }
    .total {
      white-space: nowrap;
    }
    .inside {
      padding: 8px 0 8px 66px;
    }
    @media (max-width: 700px) {
      .inside {
        padding-left: 0;
      }
    }
    code {
      overflow-wrap: anywhere;
    }
  `,
})
export class LedgerPage {
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly ledger = this.store.selectSignal(baseFeature.selectLedger);
  protected readonly verdict = this.store.selectSignal(baseFeature.selectVerdict);
  protected readonly cutWords = {
    shorter: 'the ledger ends before it. Its last entries were taken away.',
    another: 'another entry has its number. The ledger was made anew from there.',
    forged: 'the file says so with a signature that is not of this installation.',
  };
  protected readonly verifying = this.store.selectSignal(selectRequest(baseCommands.verifyLedger.name));
  protected readonly faultWords = faultWords;
  protected readonly names = this.scope.names;
  protected readonly kindName = kindName;
  protected readonly kind = signal('');
  protected readonly who = signal('');
  protected readonly q = signal('');
  protected readonly from = signal('');
  protected readonly to = signal('');
  protected readonly open = signal(0);
  protected readonly filtered = () => this.kind() !== '' || this.who() !== '' || this.q() !== '' || this.from() !== '' || this.to() !== '';

  constructor() {
    effect((onCleanup) => {
      this.scope.seq();
      const ask = this.question();
      const timer = setTimeout(() => untracked(() => this.store.dispatch(baseCommands.listLedger.start(ask))), 80);
      onCleanup(() => clearTimeout(timer));
    });
  }

  private question() {
    return {
      project: this.scope.slug(),
      limit: 100,
      ...(this.kind() ? { kind: this.kind() } : {}),
      ...(this.who() ? { who: this.who() } : {}),
      ...(this.q().trim() ? { q: this.q().trim() } : {}),
      ...(this.from() ? { from: this.from() } : {}),
      ...(this.to() ? { to: this.to() } : {}),
    };
  }

  /** The address of a file with just what is found. */
  protected exported(format: 'csv' | 'json'): string {
    const { project, limit: _, ...asked } = this.question();
    return `/api/projects/${encodeURIComponent(project)}/exports/ledger?${new URLSearchParams({ ...asked, format })}`;
  }

  protected more(): void {
    const before = this.ledger().entries.at(-1)?.seq;
    this.store.dispatch(baseCommands.listLedger.start({ ...this.question(), ...(before ? { before } : {}) }));
  }

  protected verify(): void {
    this.store.dispatch(baseCommands.verifyLedger.start({ project: this.scope.slug() }));
  }

  protected changes(entry: LedgerRow): Difference[] {
    return entryDifferences(entry);
  }
}
