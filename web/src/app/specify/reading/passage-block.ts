import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { Passage } from '@contract/specify';
import { type RequirementContent } from '@core/specify';
import {
  firstMissing,
  keysOf,
  Needs,
  partedAt,
  RecordLink,
  reviewWords,
  RichBox,
  RichText,
  useKeys,
  type RichWritten,
  type WrittenText,
} from '../../base';
import { contentOf } from '../requirement-form';

export interface Written {
  readonly content: RequirementContent;
  readonly reason: string;
  /** Write another one below when this one is saved. */
  readonly next: boolean;
  /** What stood behind the cursor, where it was parted: the text of another one. */
  readonly behind?: WrittenText;
}

/** A requirement without a title is called by the beginning of its text. */
export const beginningOf = (text: string): string =>
  text
    .trim()
    .split(/[\n.;]/)[0]
    .slice(0, 120);

/** A heading, requirement or note as one reads it; written where it stands. */
@Component({
  selector: 'cp-passage',
  imports: [FormsModule, MatButtonModule, Needs, RecordLink, RichBox, RichText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @let p = of();
    @if (writing()) {
      <form
        class="stack-s sheet pad"
        (ngSubmit)="send(false)"
        (keydown.control.enter)="$event.preventDefault(); send(true)"
        (keydown.escape)="leave()"
        (keydown)="press($event)"
      >
        <label class="field"
          ><span>{{ p.key || 'New ' + draft().kind }}</span
          ><input class="in title" name="title" maxlength="300" [ngModel]="draft().title" (ngModelChange)="put({ title: $event })"
        /></label>
        @if (draft().kind !== 'heading') {
          <cp-rich-box label="Text" [value]="text()" [of]="p.key" placeholder="The … shall …; @ names a record" (written)="write($event)" />
        }
        @if (p.state === 'approved') {
          <label class="field"
            ><span>Why it changes: it is approved</span
            ><input class="in" name="reason" maxlength="2000" [ngModel]="reason()" (ngModelChange)="reason.set($event)"
          /></label>
        }
        <div class="row">
          <button mat-flat-button type="submit" [cpNeeds]="missing">{{ p.key ? 'Save revision ' + (p.revision + 1) : 'Write it' }}</button>
          <button mat-button type="button" (click)="leave()">Leave it</button>
          <span class="second small"
            >Ctrl+Enter saves and begins the next below{{
              p.key ? '; ' + keysOf(keyNames.of('passagePart')).join(' ') + ' parts it at the cursor' : ''
            }}.</span
          >
        </div>
        @if (told()) {
          <p class="t-broken small" role="alert">{{ told() }}</p>
        }
      </form>
    } @else {
      @switch (p.kind) {
        @case ('heading') {
          <h2 [class]="'level-' + level()">{{ p.number }} {{ p.title }}</h2>
        }
        @case ('note') {
          <cp-rich-text class="note" [text]="p.text" [html]="p.html" />
        }
        @default {
          <div class="requirement">
            <div class="head">
              <cp-record kind="requirement" [key]="p.key" />&ngsp;<b>{{ p.title }}</b>
              <span class="second small">{{ facts() }}</span>
              @if (p.state !== 'approved') {
                <span class="tag waiting">{{ reviewWords(p.state) }}</span>
              }
            </div>
            <cp-rich-text class="text" [text]="p.text" [html]="p.html" />
          </div>
        }
      }
    }
  `,
  styles: `
    h2 {
      margin: 14px 0 4px;
    }
    .level-0 {
      font-size: 22px;
    }
    .level-1 {
      font-size: 18px;
    }
    .head {
      display: flex;
      flex-wrap: wrap;
      gap: 4px 10px;
      align-items: baseline;
    }
    .text,
    .note {
      display: block;
      font-size: 16px;
      line-height: 1.5;
      white-space: pre-line;
      max-width: 46rem;
    }
    .note {
      color: var(--ink-2);
      font-style: italic;
    }
    .title {
      font-weight: 600;
    }
  `,
})
export class PassageBlock {
  readonly of = input.required<Passage>();
  readonly writing = input(false);
  readonly saved = output<Written>();
  readonly left = output<void>();
  protected readonly reviewWords = reviewWords;
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly draft = linkedSignal<RequirementContent>(() => contentOf(this.of()));
  protected readonly text = computed(() => ({ text: this.draft().text, html: this.draft().html }));
  protected readonly reason = signal('');
  /** Why it could not be parted. */
  protected readonly told = signal('');
  protected readonly keyNames = useKeys('Document');
  protected readonly keysOf = keysOf;
  protected readonly level = computed(() => Math.min(3, this.of().depth));
  protected readonly facts = computed(() =>
    [this.of().level, this.of().method, this.of().derivedFrom.join(', ')].filter(Boolean).join(' · '),
  );
  private readonly changed = computed(() => !this.of().key || JSON.stringify(this.draft()) !== JSON.stringify(contentOf(this.of())));
  protected readonly missing = (): string =>
    firstMissing(
      [!this.changed(), 'Nothing changed.'],
      [!this.draft().title.trim() && !this.draft().text.trim(), 'Write something.'],
      [this.of().state === 'approved' && this.reason().trim().length < 3, 'It is approved: say why it changes.'],
    );

  protected put(change: Partial<RequirementContent>): void {
    this.draft.update((draft) => ({ ...draft, ...change }));
  }

  protected write({ text, html }: RichWritten): void {
    const { html: _, ...draft } = this.draft();
    this.draft.set({ ...draft, text, ...(html ? { html } : {}) });
  }

  /** Parts it where the cursor stands: what is before stays, what is behind becomes the next. */
  protected press(event: KeyboardEvent): void {
    const p = this.of();
    if (!p.key || p.kind === 'heading' || !this.keyNames.is(event, 'passagePart')) return;
    event.preventDefault();
    const editor = this.host.nativeElement.querySelector('.ql-editor');
    const parts = editor && partedAt(editor, this.text());
    this.told.set(
      !parts
        ? 'Put the cursor into its text, with words before and behind.'
        : p.state === 'approved' && this.reason().trim().length < 3
          ? 'It is approved: say why it changes.'
          : '',
    );
    if (!parts || this.told()) return;
    const [{ text, html }, behind] = parts;
    const { html: _, ...draft } = this.draft();
    this.saved.emit({ content: { ...draft, text, ...(html ? { html } : {}) }, reason: this.reason().trim(), next: false, behind });
  }

  /** Puts the cursor where one writes. */
  focusTitle(): void {
    this.host.nativeElement.querySelector<HTMLInputElement>('input')?.focus();
  }

  protected send(next: boolean): void {
    if (this.missing()) {
      if (next && this.of().key && !this.changed()) this.saved.emit({ content: this.draft(), reason: '', next });
      return;
    }
    const draft = this.draft();
    this.saved.emit({ content: { ...draft, title: draft.title.trim() || beginningOf(draft.text) }, reason: this.reason().trim(), next });
  }

  protected leave(): void {
    this.draft.set(contentOf(this.of()));
    this.left.emit();
  }
}
