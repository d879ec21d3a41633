import {
  ChangeDetectionStrategy,
  ChangeDetectorRef,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  output,
  signal,
  untracked,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { ReviewItemRow } from '@contract/specify';
import { Icon, Needs, RecordLink, RichText, WordsDiff } from '../../base';

export interface Given {
  readonly requirement: string;
  readonly revision: number;
  readonly answer: 'agree' | 'change';
  readonly note: string;
}
const standings: Readonly<Record<ReviewItemRow['mine'], readonly [string, string]>> = {
  open: ['not answered', 'waiting'],
  again: ['changed since you answered', 'suspect'],
  agree: ['you agree', 'sound'],
  change: ['you ask for a change', 'waiting'],
};

/** One requirement of a review: what is new in it, what the others answered, and one's own answer. A agrees, C asks for a change. */
@Component({
  selector: 'cp-review-item',
  imports: [FormsModule, MatButtonModule, Icon, Needs, RecordLink, RichText, WordsDiff],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '(keydown)': 'press($event)', role: 'group', tabindex: '0', '[attr.aria-label]': 'of().key + " " + of().title' },
  template: `
    @let r = of();
    <div class="row">
      <cp-record kind="requirement" [key]="r.key" />&ngsp;<b>{{ r.title }}</b>
      <span class="second small">revision {{ r.now }}{{ r.level ? ', ' + r.level : '' }}{{ r.retired ? ', retired' : '' }}</span>
      <span class="grow"></span>
      @if (asked()) {
        <span [class]="'tag ' + standing()[1]">{{ standing()[0] }}</span>
      }
    </div>
    @if (r.base; as base) {
      <p class="second small">
        Against revision {{ base.revision }}{{ r.mine === 'again' ? ', which you answered' : ', which was approved' }}:
      </p>
      @if (base.title !== r.title) {
        <p><cp-words-diff [before]="base.title" [after]="r.title" /></p>
      }
      <p class="text"><cp-words-diff [before]="base.text" [after]="r.text" /></p>
    } @else {
      <cp-rich-text class="text" [text]="r.text" [html]="r.html" />
    }
    @for (a of r.answers; track $index) {
      <p class="small" [class.second]="a.revision !== r.now">
        <b>{{ a.login }}</b> {{ a.answer === 'agree' ? 'agrees' : 'asks for a change'
        }}{{ a.revision === r.now ? '' : ' (revision ' + a.revision + ')' }}{{ a.note ? ': ' + a.note : '' }}
      </p>
    }
    @if (asked() && !closed() && !r.retired) {
      @if (noting()) {
        <form class="row" (ngSubmit)="change()">
          <label class="field grow"
            ><span>What should be changed?</span
            ><input class="in asked" name="note" maxlength="2000" [ngModel]="note()" (ngModelChange)="note.set($event)"
          /></label>
          <button mat-stroked-button type="submit" [cpNeeds]="missing">Ask for it</button>
          <button mat-button type="button" (click)="noting.set(false)">Not so</button>
        </form>
      } @else {
        <div class="row">
          <button mat-stroked-button type="button" [disabled]="busy()" (click)="agree()">
            <cp-icon name="check" /> {{ r.mine === 'agree' ? 'You agree' : 'Agree' }}
          </button>
          <button mat-stroked-button type="button" [disabled]="busy()" (click)="ask()">
            <cp-icon name="edit_note" /> Ask for a change
          </button>
        </div>
      }
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 6px;
      padding: 12px 0;
      border-top: 1px solid var(--hairline);
    }
    .text {
      font-size: 15px;
    }
  `,
})
export class ReviewItem {
  readonly of = input.required<ReviewItemRow>();
  /** Am I asked? */
  readonly asked = input(false);
  readonly closed = input(false);
  readonly busy = input(false);
  readonly answered = output<Given>();
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly view = inject(ChangeDetectorRef);
  protected readonly noting = signal(false);
  protected readonly note = signal('');
  private sent: string | undefined;
  protected readonly standing = computed(() => standings[this.of().mine]);
  protected readonly missing = (): string => (this.note().trim().length < 3 ? 'Say what should be changed.' : '');

  constructor() {
    // What was asked for is stored: the box is done with. News of anybody else close nothing that is being written.
    effect(() => {
      const { answers, now } = this.of();
      const stored = answers.some((a) => a.answer === 'change' && a.revision === now && a.note === this.sent);
      if (stored) untracked(() => this.noting.set(false));
    });
  }

  focus(): void {
    this.host.focus();
    this.host.scrollIntoView({ block: 'nearest' });
  }

  protected press(event: KeyboardEvent): void {
    const typing = event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement;
    if (event.key === 'Escape' && this.noting()) {
      this.noting.set(false);
      return this.focus();
    }
    if (typing || event.ctrlKey || event.altKey || event.metaKey || !this.asked() || this.closed() || this.of().retired) return;
    if (event.key === 'a') this.agree();
    else if (event.key === 'c') this.ask();
    else return;
    event.preventDefault();
  }

  protected agree(): void {
    this.answered.emit({ requirement: this.of().key, revision: this.of().now, answer: 'agree', note: '' });
  }

  protected ask(): void {
    this.sent = undefined;
    this.note.set(this.of().answers.findLast((a) => a.answer === 'change')?.note ?? '');
    this.noting.set(true);
    // At once: whoever types on must not answer by a letter of their note.
    this.view.detectChanges();
    this.host.querySelector<HTMLInputElement>('.asked')?.focus();
  }

  protected change(): void {
    this.sent = this.note().trim();
    this.answered.emit({ requirement: this.of().key, revision: this.of().now, answer: 'change', note: this.sent });
  }
}
