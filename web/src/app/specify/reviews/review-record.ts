import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChildren } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import {
  askSignature,
  Needs,
  onAction,
  onChanged,
  Opening,
  printPart,
  ProblemNote,
  RecordPanels,
  selectRequest,
  useProject,
} from '../../base';
import { type Given, ReviewItem } from './review-item';
import { reviewCommands, reviewFeature } from './state';

/** One review: how far each is, and its requirements one by one; signed by each and closed by who asked. */
@Component({
  selector: 'cp-review-record',
  imports: [DatePipe, FormsModule, MatButtonModule, Needs, Opening, ProblemNote, RecordPanels, ReviewItem],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (shown(); as r) {
      <article class="stack">
        <div class="row">
          <span class="key">{{ r.key }}</span>
          <span class="second small"
            >begun by {{ r.createdBy }}, {{ r.createdAt | date: 'yyyy-MM-dd' }}{{ r.due ? ', by ' + r.due : '' }}</span
          >
          <span [class]="'tag ' + (r.state === 'closed' ? 'sound' : 'waiting')">{{ r.state }}</span>
          <span class="grow"></span>
          <button class="chip" type="button" (click)="print()">Print</button>
        </div>
        <section class="sheet pad stack-s print-this">
          <h1>{{ r.title }}</h1>
          @if (r.question) {
            <p>{{ r.question }}</p>
          }
          <table class="list">
            <thead>
              <tr>
                <th scope="col">Asked</th>
                <th scope="col" class="num">Agree</th>
                <th scope="col" class="num">Ask for change</th>
                <th scope="col" class="num">To answer</th>
                <th scope="col" class="num">Changed since</th>
                <th scope="col">Signed</th>
              </tr>
            </thead>
            <tbody>
              @for (x of r.progress; track x.login) {
                <tr>
                  <td>{{ x.printedName }}</td>
                  <td class="num">{{ x.agree }}</td>
                  <td class="num">{{ x.change }}</td>
                  <td class="num">{{ x.open }}</td>
                  <td class="num">{{ x.again }}</td>
                  <td>{{ x.signed ? 'yes' : 'not yet' }}</td>
                </tr>
              }
            </tbody>
          </table>
          <cp-problem [of]="names.answer" /><cp-problem [of]="names.sign" /><cp-problem [of]="names.close" />
          @if (r.state === 'open') {
            <div class="row">
              @if (asked()) {
                <button mat-flat-button type="button" [cpNeeds]="lacksToSign" (click)="sign()">Sign what I answered</button>
              }
              @if (mayClose()) {
                <button mat-stroked-button type="button" [attr.aria-expanded]="closing()" (click)="closing.set(!closing())">
                  Close the review
                </button>
              }
            </div>
            @if (closing()) {
              <form class="stack-s" (ngSubmit)="close()">
                @for (fault of r.faults; track fault) {
                  <p class="t-waiting">{{ fault }}</p>
                }
                <label class="field"
                  ><span>Summary</span><textarea class="in" rows="3" name="summary" [(ngModel)]="summary"></textarea>
                </label>
                <div><button mat-flat-button type="submit" [cpNeeds]="lacksToClose">Sign and close</button></div>
              </form>
            }
          } @else {
            <p><b>Summary</b><br />{{ r.summary || 'none' }}</p>
            @for (s of r.signatures; track s.at + s.login) {
              <p class="second small">
                {{ s.printedName }}: {{ s.meaning }}, {{ s.at | date: 'yyyy-MM-dd HH:mm' }}, {{ s.hash.slice(0, 16) }}…
              </p>
            }
          }
          <div class="row no-print" role="group" aria-label="Which requirements">
            <button class="chip" type="button" [attr.aria-pressed]="!mine()" (click)="mine.set(false)">All {{ r.rows.length }}</button>
            @if (asked()) {
              <button class="chip" type="button" [attr.aria-pressed]="mine()" (click)="mine.set(true)">
                For me to answer {{ left() }}
              </button>
              <span class="second small">A agrees, C asks for a change; then the next one.</span>
            }
          </div>
          @for (row of rows(); track row.key) {
            <cp-review-item
              [of]="row"
              [asked]="asked()"
              [closed]="r.state === 'closed'"
              [busy]="answering().pending > 0"
              (answered)="answer($event)"
            />
          } @empty {
            <p class="second">Everything is answered.</p>
          }
        </section>
        <cp-record-panels [key]="r.key" />
      </article>
    } @else {
      <cp-opening [key]="key()" [by]="opens" />
    }
  `,
})
export class ReviewRecord {
  readonly key = input.required<string>();
  protected readonly opens = reviewCommands.get.name;
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialogs = inject(MatDialog);
  private readonly detail = this.store.selectSignal(reviewFeature.selectDetail);
  protected readonly shown = computed(() => (this.detail()?.key === this.key() ? this.detail() : null));
  protected readonly answering = this.store.selectSignal(selectRequest(reviewCommands.answer.name));
  protected readonly names = { answer: reviewCommands.answer.name, sign: reviewCommands.sign.name, close: reviewCommands.close.name };
  protected readonly closing = signal(false);
  protected readonly summary = signal('');
  /** Only what is still to be answered by me. What was answered while it is shown stays until another filter. */
  protected readonly mine = signal(false);
  private readonly me = computed(() => this.scope.session()?.person.login ?? '');
  protected readonly asked = computed(() => this.shown()?.people.includes(this.me()) ?? false);
  protected readonly mayClose = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'reviewer'));
  protected readonly left = computed(() => this.shown()?.rows.filter((r) => r.mine === 'open' || r.mine === 'again').length ?? 0);
  protected readonly rows = computed(() => {
    const rows = this.shown()?.rows ?? [];
    return this.mine() ? rows.filter((r) => r.mine === 'open' || r.mine === 'again') : rows;
  });
  private readonly items = viewChildren(ReviewItem);
  protected readonly lacksToSign = (): string => {
    const me = this.shown()?.progress.find((x) => x.login === this.me());
    if (me?.signed) return 'You have signed what you answered.';
    return this.left() ? `${this.left()} requirements are still to be answered.` : '';
  };
  protected readonly lacksToClose = (): string => this.shown()?.faults.join(' ') ?? '';

  constructor() {
    effect(() => {
      this.key();
      untracked(() => this.read());
    });
    onChanged(['review', 'requirement'], (keys) => {
      const joined = new Set([this.key(), ...(this.shown()?.rows.map((r) => r.key) ?? [])]);
      if (!keys || keys.some((key) => joined.has(key))) this.read();
    });
    // After an answer the next one that waits has the focus.
    onAction(reviewCommands.answer.done, ({ input }) =>
      setTimeout(() => {
        const rows = this.rows();
        const from = rows.findIndex((r) => r.key === input.requirement);
        const next = rows.findIndex((r, i) => i > from && (r.mine === 'open' || r.mine === 'again'));
        this.items()[next]?.focus();
      }),
    );
  }

  private read(): void {
    this.store.dispatch(reviewCommands.get.start({ project: this.scope.slug(), key: this.key() }));
  }

  protected answer(given: Given): void {
    this.store.dispatch(reviewCommands.answer.start({ project: this.scope.slug(), key: this.key(), ...given }));
  }

  private ask(title: string, meaning: string, then: (password: string) => void): void {
    const printedName = this.scope.session()?.person.printedName ?? '';
    askSignature(this.dialogs, { title, meaning, printedName, needsReason: false }).subscribe(({ password }) => then(password));
  }

  protected sign(): void {
    this.ask(
      `Sign in ${this.key()}`,
      'I have read each of these requirements in its present revision, and this is what I answered.',
      (password) => this.store.dispatch(reviewCommands.sign.start({ project: this.scope.slug(), key: this.key(), password })),
    );
  }

  protected close(): void {
    this.ask(`Close ${this.key()}`, 'Everybody who was asked has answered and signed; this is what came of it.', (password) =>
      this.store.dispatch(
        reviewCommands.close.start({ project: this.scope.slug(), key: this.key(), summary: this.summary().trim(), password }),
      ),
    );
  }

  protected print(): void {
    printPart('.print-this');
  }
}
