import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { baseCommands, baseFeature } from '../state';
import { ProblemNote } from '../ui/problem-note';

const parts = [
  ['', 'Everything'],
  ['refused', 'Refused requests'],
  ['wrong password', 'Wrong passwords'],
  ['locked out', 'Lock-outs'],
  ['signed', 'Sign-ins'],
  ['account', 'Accounts'],
] as const;

/** What the installation's own ledger tells its administrator: who signed in, who was refused what, whose account was changed. */
@Component({
  selector: 'cp-audit-panel',
  imports: [DatePipe, FormsModule, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet pad stack">
      <h2>What happened on this installation</h2>
      <div class="row">
        <label class="field"
          ><span>What</span
          ><select class="in" name="part" [ngModel]="part()" (ngModelChange)="part.set($event)">
            @for (p of parts; track p[0]) {
              <option [value]="p[0]">{{ p[1] }}</option>
            }
          </select></label
        >
        <label class="field"
          ><span>Who</span
          ><select class="in" name="who" [ngModel]="who()" (ngModelChange)="who.set($event)">
            <option value="">Anybody</option>
            @for (login of audit().people; track login) {
              <option [value]="login">{{ login }}</option>
            }
          </select></label
        >
        <label class="field grow"
          ><span>Sign-in name or words</span
          ><input class="in" type="search" name="words" [ngModel]="words()" (ngModelChange)="words.set($event)"
        /></label>
      </div>
      <cp-problem [of]="name" />
      <p class="second small" role="status">{{ audit().entries.length }} of {{ audit().total }} entries</p>
      <table class="list">
        <thead>
          <tr>
            <th scope="col" class="num">No.</th>
            <th scope="col">When</th>
            <th scope="col">Who</th>
            <th scope="col">What</th>
            <th scope="col">Whom it is about</th>
            <th scope="col">Where</th>
          </tr>
        </thead>
        <tbody>
          @for (entry of audit().entries; track entry.seq) {
            <tr>
              <td class="num second">{{ entry.seq }}</td>
              <td>{{ entry.at | date: 'yyyy-MM-dd HH:mm:ss' }}</td>
              <td>{{ entry.who }}</td>
              <td [class.t-broken]="bad.test(entry.action)">{{ entry.action }}</td>
              <td>{{ entry.key }}</td>
              <td class="second small">{{ where(entry.after) }}</td>
            </tr>
          } @empty {
            <tr>
              <td colspan="6" class="second">Nothing of that kind.</td>
            </tr>
          }
        </tbody>
      </table>
      @if (audit().entries.length < audit().total) {
        <div><button class="chip" type="button" (click)="older()">Older ones</button></div>
      }
    </section>
  `,
})
export class AuditPanel {
  private readonly store = inject(Store);
  protected readonly parts = parts;
  protected readonly part = signal('');
  protected readonly who = signal('');
  protected readonly words = signal('');
  protected readonly name = baseCommands.listInstallationLedger.name;
  protected readonly audit = this.store.selectSignal(baseFeature.selectAudit);
  protected readonly bad = /refused|wrong|locked/;
  private readonly question = computed(() => {
    const [who, q] = [this.who(), [this.part(), this.words().trim()].filter(Boolean).join(' ')];
    return { limit: 50, ...(who ? { who } : {}), ...(q ? { q } : {}) };
  });

  constructor() {
    effect((onCleanup) => {
      const asked = this.question();
      const timer = setTimeout(() => untracked(() => this.store.dispatch(baseCommands.listInstallationLedger.start(asked))), 120);
      onCleanup(() => clearTimeout(timer));
    });
  }

  protected older(): void {
    const before = this.audit().entries.at(-1)?.seq;
    this.store.dispatch(baseCommands.listInstallationLedger.start({ ...this.question(), ...(before ? { before } : {}) }));
  }

  /** The facts of an entry in a line. */
  protected where(after: unknown): string {
    if (typeof after !== 'object' || after === null) return '';
    return Object.entries(after)
      .map(([name, value]) => `${name}: ${typeof value === 'object' ? JSON.stringify(value) : String(value)}`)
      .join(', ')
      .slice(0, 160);
  }
}
