import { ChangeDetectionStrategy, Component, computed, DestroyRef, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { QuillEditorComponent, type QuillModules } from 'ngx-quill';
import type Quill from 'quill';
import { onAction, useProject } from '../live';
import { recordCommands } from '../record/state';
import { baseCommands, baseFeature } from '../state';
import { Icon } from '../ui/icon';
import { ProblemNote } from '../ui/problem-note';
import { isPlain, layoutOf, pictureAddress, shownFiles, storedFiles, wordsOf, type RichWritten, type WrittenText } from './html';

interface Format {
  readonly name: string;
  readonly value?: string;
  readonly icon: string;
  readonly words: string;
}
const formats: readonly Format[] = [
  { name: 'bold', icon: 'format_bold', words: 'Bold' },
  { name: 'italic', icon: 'format_italic', words: 'Italic' },
  { name: 'code', icon: 'code', words: 'Code' },
  { name: 'script', value: 'sub', icon: 'subscript', words: 'Subscript' },
  { name: 'script', value: 'super', icon: 'superscript', words: 'Superscript' },
  { name: 'list', value: 'bullet', icon: 'format_list_bulleted', words: 'List' },
  { name: 'list', value: 'ordered', icon: 'format_list_numbered', words: 'Numbered list' },
];

/** What stands in a text may be of these; whatever else is pasted becomes plain. */
const allowed = [
  'bold',
  'italic',
  'underline',
  'strike',
  'script',
  'code',
  'code-block',
  'blockquote',
  'list',
  'indent',
  'link',
  'image',
  'table',
  'header',
];

/**
 * A text with its layout, written: lists, tables, pictures, code, links to records by `@`. Tab leaves it, as it leaves any other field.
 * What the editor's own component needs is loaded when somebody writes.
 */
@Component({
  selector: 'cp-rich-editor',
  imports: [FormsModule, QuillEditorComponent, Icon, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="tools" role="toolbar" aria-label="Layout">
      @for (f of formats; track f.words) {
        <button
          type="button"
          class="tool"
          [attr.aria-label]="f.words"
          [title]="f.words"
          [attr.aria-pressed]="isOn(f)"
          (mousedown)="$event.preventDefault()"
          (click)="press(f)"
        >
          <cp-icon [name]="f.icon" />
        </button>
      }
      <button type="button" class="tool" aria-label="Table" title="Table" (mousedown)="$event.preventDefault()" (click)="table()">
        <cp-icon name="table" />
      </button>
      @if (inTable()) {
        <button type="button" class="chip" (mousedown)="$event.preventDefault()" (click)="grow('row')">Row below</button>
        <button type="button" class="chip" (mousedown)="$event.preventDefault()" (click)="grow('column')">Column right</button>
        <button type="button" class="chip" (mousedown)="$event.preventDefault()" (click)="grow('less')">Row away</button>
      }
      @if (of()) {
        <label class="tool" title="Picture"
          ><cp-icon name="add_photo_alternate" /><span class="hidden-visually">Picture</span
          ><input #box class="hidden-visually" type="file" accept="image/png,image/jpeg,image/gif,image/webp" (change)="choose(box)"
        /></label>
      }
      @if (picture(); as p) {
        <label class="row alt"
          ><span class="second small">What the picture shows</span
          ><input #words class="in" [value]="p.alt" (input)="describe(words.value)" (keydown.enter)="$event.preventDefault(); focus()"
        /></label>
      }
    </div>
    <div class="sheet-of-text rich" (paste)="paste($event)" (drop)="drop($event)">
      <quill-editor
        theme="default"
        format="html"
        [modules]="modules"
        [formats]="allowed"
        [placeholder]="placeholder()"
        [sanitize]="true"
        (onEditorCreated)="opened($event)"
        (onContentChanged)="changed($event.source)"
        (onSelectionChanged)="look()"
      />
    </div>
    @if (asked() !== null) {
      <ul class="found sheet" role="listbox" [attr.aria-label]="'Records for ' + asked()">
        @for (r of found(); track r.key; let i = $index) {
          <!-- eslint-disable-next-line @angular-eslint/template/click-events-have-key-events, @angular-eslint/template/interactive-supports-focus -->
          <li
            role="option"
            [class.on]="i === at()"
            [attr.aria-selected]="i === at()"
            (mousedown)="$event.preventDefault()"
            (click)="mention(r.key)"
          >
            <span class="key">{{ r.key }}</span> {{ r.title }}
          </li>
        } @empty {
          <li class="second" role="option" aria-selected="false">No record has these words.</li>
        }
      </ul>
    }
    <cp-problem [of]="adding" />
  `,
  styleUrl: './rich-editor.scss',
})
export class RichEditor {
  /** What it is called. */
  readonly label = input.required<string>();
  readonly value = input.required<WrittenText>();
  /** The record at which pictures are kept; without one there are none. */
  readonly of = input('');
  readonly placeholder = input('');
  readonly written = output<RichWritten>();
  private readonly scope = useProject();
  protected readonly formats = formats;
  protected readonly allowed = allowed;
  protected readonly adding = recordCommands.addFiles.name;
  protected readonly modules: QuillModules = {
    toolbar: false,
    table: true,
    // Tab is the way out of a field, not into a list.
    keyboard: { bindings: { tab: null, 'indent code-block': null, 'outdent code-block': null } as never },
  };
  private quill: Quill | undefined;
  private readonly on = signal<Readonly<Record<string, unknown>>>({});
  protected readonly inTable = computed(() => Boolean(this.on()['table']));
  protected readonly picture = signal<{ readonly element: HTMLImageElement; readonly alt: string } | null>(null);
  /** What was written here last: where it comes back, the cursor stays where it is. */
  private told: RichWritten | undefined;
  private uploading = 0;
  /** The words after an `@`, while somebody looks for a record. */
  protected readonly asked = signal<string | null>(null);
  protected readonly at = signal(0);
  private readonly foundAll = this.scope.store.selectSignal(baseFeature.selectFound);
  protected readonly found = computed(() => this.foundAll().slice(0, 8));

  constructor() {
    // What comes from elsewhere (a draft, a taken conflict) is shown; what was written here is here already.
    effect(() => {
      const { text, html } = this.value();
      const mine = this.told?.text === text && this.told.html === html;
      untracked(() => !mine && this.show(layoutOf({ text, ...(html ? { html } : {}) })));
    });
    onAction(recordCommands.addFiles.done, ({ input, answer }) => {
      if (!this.uploading || input.key !== this.of()) return;
      const made = answer.slice(-this.uploading);
      this.uploading = 0;
      for (const { sha256, name } of made) this.insertPicture(sha256, name);
    });
    inject(DestroyRef).onDestroy(() => (this.quill = undefined));
  }

  private show(html: string): void {
    if (!this.quill) return;
    this.told = undefined;
    this.quill.setContents(this.quill.clipboard.convert({ html: shownFiles(html, this.scope.slug()) }), 'silent');
  }

  protected opened(quill: unknown): void {
    this.quill = quill as Quill;
    const root = this.quill.root;
    root.setAttribute('role', 'textbox');
    root.setAttribute('aria-multiline', 'true');
    root.setAttribute('aria-label', this.label());
    root.addEventListener('keydown', (event) => this.keys(event), { capture: true });
    root.addEventListener('click', (event) => this.pictureAt(event.target));
    this.show(layoutOf(this.value()));
  }

  protected changed(source: string): void {
    this.look();
    if (source === 'user') this.tell();
  }

  private tell(): void {
    if (!this.quill) return;
    // The editor writes every blank as one that does not break.
    const html = storedFiles(
      this.quill
        .getSemanticHTML()
        .replace(/&nbsp;|\u00a0/g, ' ')
        .replace(/ style="[^"]*"/g, ''),
    );
    this.told = { html: isPlain(html) ? undefined : html, text: wordsOf(html) };
    this.written.emit(this.told);
  }

  /** What is on where the cursor stands, and whether a record is being looked for. */
  protected look(): void {
    const range = this.quill?.getSelection();
    if (!this.quill || !range) return this.asked.set(null);
    this.on.set(this.quill.getFormat(range));
    const before = this.quill.getText(Math.max(0, range.index - 60), Math.min(60, range.index));
    const words = /(?:^|\s)@([^\s@][^@\n]{0,40})?$/.exec(before);
    if (!words) return this.asked.set(null);
    const q = words[1] ?? '';
    if (q !== this.asked()) {
      this.at.set(0);
      this.scope.store.dispatch(baseCommands.jump.start({ project: this.scope.slug(), q, build: this.scope.build() || undefined }));
    }
    this.asked.set(q);
  }

  private keys(event: KeyboardEvent): void {
    if (this.asked() === null) return;
    const found = this.found();
    if (event.key === 'ArrowDown') this.at.update((at) => Math.min(found.length - 1, at + 1));
    else if (event.key === 'ArrowUp') this.at.update((at) => Math.max(0, at - 1));
    else if (event.key === 'Enter' && found[this.at()]) this.mention(found[this.at()].key);
    else if (event.key === 'Escape') this.asked.set(null);
    else return;
    event.preventDefault();
    // The editor listens here too.
    event.stopImmediatePropagation();
  }

  /** Puts a record's key where it was looked for: a key in a text is a link. */
  protected mention(key: string): void {
    const quill = this.quill;
    const range = quill?.getSelection(true);
    if (!quill || !range) return;
    const length = (this.asked() ?? '').length + 1;
    quill.deleteText(range.index - length, length, 'user');
    quill.insertText(range.index - length, `${key} `, 'user');
    quill.setSelection(range.index - length + key.length + 1, 0, 'user');
    this.asked.set(null);
  }

  protected isOn({ name, value }: Format): boolean {
    const on = this.on()[name];
    return value === undefined ? Boolean(on) : on === value;
  }

  protected press(f: Format): void {
    const { name, value } = f;
    this.quill?.focus();
    this.quill?.format(name, this.isOn(f) ? false : (value ?? true), 'user');
    this.look();
  }

  private tables(): {
    insertTable(rows: number, columns: number): void;
    insertRowBelow(): void;
    insertColumnRight(): void;
    deleteRow(): void;
  } {
    return this.quill?.getModule('table') as never;
  }

  protected table(): void {
    this.quill?.focus();
    this.tables().insertTable(2, 3);
    this.tell();
    this.look();
  }

  protected grow(what: 'row' | 'column' | 'less'): void {
    this.quill?.focus();
    if (what === 'row') this.tables().insertRowBelow();
    else if (what === 'column') this.tables().insertColumnRight();
    else this.tables().deleteRow();
    this.tell();
    this.look();
  }

  protected focus(): void {
    this.quill?.focus();
  }

  private upload(files: readonly File[]): void {
    const pictures = files.filter(({ type }) => type.startsWith('image/'));
    if (!pictures.length || !this.of()) return;
    this.uploading = pictures.length;
    this.scope.store.dispatch(recordCommands.addFiles.start({ project: this.scope.slug(), key: this.of() }, pictures));
  }

  private hasPictures(transfer: DataTransfer | null): boolean {
    return [...(transfer?.files ?? [])].some(({ type }) => type.startsWith('image/'));
  }

  protected paste(event: ClipboardEvent): void {
    if (!this.hasPictures(event.clipboardData)) return;
    event.preventDefault();
    event.stopPropagation();
    this.upload([...(event.clipboardData?.files ?? [])]);
  }

  protected drop(event: DragEvent): void {
    if (!this.hasPictures(event.dataTransfer)) return;
    event.preventDefault();
    event.stopPropagation();
    this.upload([...(event.dataTransfer?.files ?? [])]);
  }

  protected choose(box: HTMLInputElement): void {
    this.upload([...(box.files ?? [])]);
    box.value = '';
  }

  private insertPicture(sha256: string, name: string): void {
    const quill = this.quill;
    if (!quill) return;
    const at = quill.getSelection(true).index;
    quill.insertEmbed(at, 'image', pictureAddress(this.scope.slug(), sha256), 'user');
    quill.formatText(at, 1, 'alt', name.replace(/\.\w+$/, ''), 'user');
    quill.setSelection(at + 1, 0, 'user');
    this.pictureAt([...quill.root.querySelectorAll('img')].find((img) => img.src.endsWith(sha256)) ?? null);
  }

  private pictureAt(target: EventTarget | null): void {
    this.picture.set(target instanceof HTMLImageElement ? { element: target, alt: target.alt } : null);
  }

  protected describe(words: string): void {
    const element = this.picture()?.element;
    if (!element) return;
    element.alt = words;
    this.tell();
  }
}
