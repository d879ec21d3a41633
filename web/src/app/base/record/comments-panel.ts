import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, effect, ElementRef, inject, input, signal, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { Comment } from '@contract/base';
import { onAction, useProject } from '../live';
import type { RichWritten, WrittenText } from '../rich/html';
import { RichBox } from '../rich/rich-box';
import { RichText } from '../rich/rich-text';
import { ProblemNote } from '../ui/problem-note';
import { Passages } from './passages';
import { recordCommands, recordFeature } from './state';
import { Needs } from '../ui/needs';

/** Typed text as the paragraphs that are stored. */
export function paragraphsOf(text: string): string {
  const escaped = text.trim().replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);
  return escaped
    .split(/\n{2,}/)
    .map((part) => `<p>${part.replaceAll('\n', '<br>')}</p>`)
    .join('');
}

/** What people say about a record: threads, with answers below them; @name tells somebody. */
@Component({
  selector: 'cp-comments-panel',
  imports: [DatePipe, FormsModule, MatButtonModule, ProblemNote, Needs, RichBox, RichText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <cp-problem [of]="names.add" /><cp-problem [of]="names.resolve" />
    @for (thread of threads(); track thread.first.id) {
      <section class="thread" [class.done]="thread.first.resolvedAt">
        @if (thread.about; as about) {
          <div class="row">
            <blockquote class="quote grow">
              <span class="second small">{{ about.field }}</span>
              {{ about.words }}
            </blockquote>
            @if (passages.stands(about); as here) {
              <button class="chip" type="button" (click)="passages.show(about)">Show it</button>
            } @else if (passages.stands(about) === false) {
              <span class="tag suspect">{{ about.words ? 'not in the text any more' : 'no such field here' }}</span>
            }
          </div>
        }
        @for (c of thread.all; track c.id) {
          <div class="comment" [class.answer]="c.parent !== null">
            <span class="small"
              ><b>{{ c.by }}</b
              >&ngsp;<span class="second">{{ c.at | date: 'yyyy-MM-dd HH:mm' }}</span></span
            >
            <cp-rich-text class="words" [text]="c.text" [html]="c.html" />
          </div>
        }
        <div class="row">
          @if (thread.first.resolvedAt) {
            <span class="second small grow">resolved by {{ thread.first.resolvedBy }}</span>
          } @else if (maySay()) {
            <button class="chip" type="button" (click)="answering.set(thread.first.id)">Answer</button>
          }
          @if (maySay()) {
            <button class="chip" type="button" (click)="resolve(thread.first)">
              {{ thread.first.resolvedAt ? 'Open again' : 'Resolve' }}
            </button>
          }
        </div>
      </section>
    } @empty {
      <p class="second">Nobody has said anything yet.</p>
    }
    @if (maySay()) {
      <form class="stack-s" (ngSubmit)="say()">
        @if (answering() === null) {
          @if (about(); as of) {
            <div class="row">
              <blockquote class="quote grow">
                <span class="second small">{{ of.field }}</span> {{ of.words }}
              </blockquote>
              <button class="chip" type="button" (click)="about.set(null)">Not about this</button>
            </div>
          } @else if (fields().length) {
            <!-- The label names the box alone: what it offers are names of other fields. -->
            <div class="field">
              <label for="about-field">About</label
              ><select #field class="in" id="about-field" name="about" (change)="aboutField(field.value)">
                <option value="">the record as a whole</option>
                @for (name of fields(); track name) {
                  <option>{{ name }}</option>
                }
              </select>
            </div>
          }
        }
        @if (rich()) {
          <div class="field">
            <span>{{ saysWhat() }}</span>
            <cp-rich-box [label]="saysWhat()" [value]="begun()" [of]="key()" (written)="laidOut.set($event)" />
          </div>
        } @else {
          <label class="field"
            ><span>{{ saysWhat() }}</span
            ><textarea
              #box
              class="in"
              rows="3"
              name="words"
              [ngModel]="words()"
              (ngModelChange)="words.set($event)"
              (keydown.control.enter)="say()"
            ></textarea>
          </label>
        }
        <div class="row">
          <button mat-stroked-button type="submit" [cpNeeds]="missing">
            {{ answering() === null ? 'Comment' : 'Answer' }}
          </button>
          @if (answering() !== null) {
            <button mat-button type="button" (click)="answering.set(null)">Not an answer</button>
          }
          @if (rich()) {
            <button mat-button type="button" (click)="rich.set(false)">Plain words</button>
          } @else {
            <button mat-button type="button" (click)="layOut()">Lists, tables, pictures</button>
            <span class="second small">Ctrl+Enter sends</span>
          }
        </div>
      </form>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 10px;
    }
    .thread {
      border-left: 3px solid var(--hairline);
      padding: 2px 0 2px 12px;
      display: grid;
      gap: 8px;
    }
    .thread.done {
      opacity: 0.75;
    }
    .quote {
      margin: 0;
      padding-left: 10px;
      border-left: 2px solid var(--waiting);
      white-space: pre-wrap;
      overflow-wrap: anywhere;
    }
    .answer {
      margin-left: 16px;
    }
    .words {
      white-space: pre-wrap;
      overflow-wrap: anywhere;
    }
  `,
})
export class CommentsPanel {
  readonly key = input.required<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly comments = this.store.selectSignal(recordFeature.selectComments);
  protected readonly names = { add: recordCommands.addComment.name, resolve: recordCommands.resolveComment.name };
  protected readonly passages = inject(Passages);
  /** The words, or the field, that the next comment is about. */
  protected readonly about = this.passages.about;
  protected readonly fields = computed(() => [...this.passages.texts().keys()]);
  private readonly box = viewChild<ElementRef<HTMLTextAreaElement>>('box');
  protected readonly words = signal('');
  /** A comment with a layout of its own is written in the editor for texts. */
  protected readonly rich = signal(false);
  protected readonly begun = signal<WrittenText>({ text: '' });
  protected readonly laidOut = signal<RichWritten>({ text: '', html: undefined });
  protected readonly saysWhat = computed(() => (this.answering() === null ? 'Say something; @name tells somebody' : 'Your answer'));
  private readonly said = computed(() => (this.rich() ? this.laidOut().text : this.words()).trim());
  protected readonly missing = (): string => (this.said() ? '' : 'Nothing is written yet.');
  protected readonly answering = signal<number | null>(null);
  protected readonly maySay = computed(() => this.scope.roles().some((role) => role !== 'auditor'));
  protected readonly threads = computed(() =>
    this.comments()
      .filter((c) => c.parent === null)
      .map((first) => ({
        first,
        about: first.field || first.passage ? { field: first.field, words: first.passage } : null,
        all: [first, ...this.comments().filter((c) => c.parent === first.id)],
      })),
  );

  constructor() {
    const before = this.passages.asked();
    effect(() => {
      if (this.passages.asked() > before) setTimeout(() => this.box()?.nativeElement.focus());
    });
    // What was typed goes only once it is stored.
    onAction(recordCommands.addComment.done, () => {
      this.words.set('');
      this.laidOut.set({ text: '', html: undefined });
      this.rich.set(false);
      this.about.set(null);
      this.answering.set(null);
    });
  }

  protected say(): void {
    if (!this.said()) return;
    const { text, html } = this.laidOut();
    const about = this.about();
    this.store.dispatch(
      recordCommands.addComment.start({
        project: this.scope.slug(),
        key: this.key(),
        html: this.rich() ? (html ?? paragraphsOf(text)) : paragraphsOf(this.words()),
        parent: this.answering(),
        ...(about && this.answering() === null ? { field: about.field, passage: about.words } : {}),
      }),
    );
  }

  /** What was typed so far goes along into the editor. */
  protected layOut(): void {
    const text = this.words();
    this.begun.set({ text });
    this.laidOut.set({ text, html: undefined });
    this.rich.set(true);
  }

  protected aboutField(field: string): void {
    this.about.set(field ? { field, words: '' } : null);
  }

  protected resolve({ id, resolvedAt }: Comment): void {
    this.store.dispatch(
      recordCommands.resolveComment.start({ project: this.scope.slug(), key: this.key(), id, resolved: resolvedAt === null }),
    );
  }
}
