import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router } from '@angular/router';
import { outlineFaults, usualWording, verificationMethods, type OutlineRow, type VerificationMethod } from '@core/specify';
import { firstMissing, Icon, Needs, onAction, ProblemNote, selectRequest, useDeviceMemory, useProject } from '../../base';
import { specifyCommands, specifyFeature } from '../state';
import { OutlineEditor } from './outline-editor';
import { readDocument, readText } from './read-document';

const empty: readonly OutlineRow[] = [{ kind: 'requirement', depth: 0, title: '', text: '' }];

interface Written {
  readonly rows: readonly OutlineRow[];
  readonly source: string;
}

/**
 * Many requirements at once, written as an outline or taken from a document: headings, sentences that ask and notes are proposed, looked
 * through and corrected, and written all or none. What is not written yet is kept on this device.
 */
@Component({
  selector: 'cp-outline-page',
  imports: [FormsModule, MatButtonModule, Icon, Needs, OutlineEditor, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '(keydown.control.s)': '$event.preventDefault(); write()' },
  template: `
    <div class="page stack">
      <div class="page-head">
        <h1>Write an outline</h1>
        <label class="row"
          ><span class="second">into</span
          ><select class="in" name="into" [ngModel]="target()" (ngModelChange)="target.set($event)">
            @for (s of specifications(); track s.key) {
              <option [value]="s.key">{{ s.title }}</option>
            }
          </select></label
        >
        <label class="row"
          ><span class="second">level</span
          ><select class="in" name="level" [ngModel]="level()" (ngModelChange)="level.set($event)">
            <option value="">not given</option>
            @for (l of levels(); track l) {
              <option>{{ l }}</option>
            }
          </select></label
        >
        <label class="row"
          ><span class="second">method</span
          ><select class="in" name="method" [ngModel]="method()" (ngModelChange)="method.set($event)">
            <option value="">not given</option>
            @for (m of methods; track m) {
              <option>{{ m }}</option>
            }
          </select></label
        >
      </div>
      <section class="sheet pad drop" (dragover)="$event.preventDefault()" (drop)="drop($event)">
        <cp-icon name="upload_file" /><span>Drop a document here (DOCX, HTML, Markdown, text), or</span
        ><label class="chip"
          >choose one<input #box class="hidden-visually" type="file" accept=".docx,.html,.htm,.md,.markdown,.txt" (change)="pick(box)"
        /></label>
        <button class="chip" type="button" [attr.aria-expanded]="pasting()" (click)="pasting.set(!pasting())">Paste text</button>
      </section>
      @if (pasting()) {
        <div class="stack-s">
          <label class="field"
            ><span>Text, with chapters by their numbers and items by their dashes</span
            ><textarea class="in" rows="6" name="paste" [(ngModel)]="pasted"></textarea>
          </label>
          <div class="row">
            <button mat-stroked-button type="button" (click)="take('text')">Propose a tree from it</button>
            <button mat-button type="button" (click)="take('markdown')">It is Markdown</button>
          </div>
        </div>
      }
      @if (fault(); as f) {
        <div class="note broken" role="alert"><cp-icon name="warning" />{{ f }}</div>
      }
      <cp-problem [of]="name" />
      <section class="sheet pad stack-s">
        <div class="between">
          <p class="second small">
            {{ counts() }}. Enter: the next line, or parts one; Tab, Shift+Tab: deeper, higher; Alt+↑ ↓: moves it; Ctrl+Enter: heading,
            requirement or note; Backspace at the beginning joins.
          </p>
          <div class="row">
            @if (changed()) {
              <button mat-button type="button" (click)="discard()">Discard</button>
            }
            <button mat-flat-button type="button" [disabled]="writing().pending > 0" [cpNeeds]="missing" (click)="write()">
              {{ writing().pending ? 'Writing …' : 'Write all of it' }}
            </button>
          </div>
        </div>
        <cp-outline-editor [rows]="rows()" (changed)="put($event)" />
        <p class="second small" role="status">{{ changed() ? 'Not written yet; kept on this device. Ctrl+S writes it.' : '' }}</p>
      </section>
    </div>
  `,
  styles: `
    .page-head label {
      flex-wrap: nowrap;
    }
    .drop {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 12px;
      border-style: dashed;
      border-color: var(--hairline-strong);
    }
    .between p {
      flex: 1;
    }
  `,
})
export class OutlinePage {
  readonly into = input<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  private readonly memory = useDeviceMemory<Written>('outline');
  private readonly editor = viewChild(OutlineEditor);
  protected readonly specifications = this.store.selectSignal(specifyFeature.selectSpecifications);
  private readonly wording = this.store.selectSignal(specifyFeature.selectWording);
  protected readonly writing = this.store.selectSignal(selectRequest(specifyCommands.addOutline.name));
  protected readonly name = specifyCommands.addOutline.name;
  protected readonly methods = verificationMethods;
  protected readonly levels = computed(() => this.scope.project()?.profile.levels ?? []);
  protected readonly target = signal('');
  protected readonly level = signal('');
  protected readonly method = signal<VerificationMethod | ''>('test');
  protected readonly pasting = signal(false);
  protected readonly pasted = signal('');
  protected readonly fault = signal('');
  protected readonly rows = signal<readonly OutlineRow[]>(empty);
  private readonly source = signal('');
  protected readonly changed = computed(() => this.rows().some((row) => row.title || row.text));
  /** An empty line at the end is where the next one would be written. */
  private readonly filled = computed(() => this.rows().filter((row, i, all) => row.title.trim() || i < all.length - 1));
  protected readonly counts = computed(() => {
    const count = (kind: OutlineRow['kind']): number => this.filled().filter((row) => row.kind === kind).length;
    return `${count('requirement')} requirements, ${count('heading')} headings, ${count('note')} notes`;
  });
  protected readonly missing = (): string =>
    firstMissing(
      [!this.target(), 'Say into which specification.'],
      [!this.changed(), 'Nothing is written yet.'],
      [outlineFaults(this.filled()).length > 0, `Line ${outlineFaults(this.filled()).at(0)?.row ?? ''} is empty.`],
    );

  constructor() {
    const project = this.scope.slug();
    this.store.dispatch(specifyCommands.listSpecifications.start({ project }));
    this.store.dispatch(specifyCommands.getWording.start({ project }));
    const known = this.memory.read('written');
    if (known) {
      this.rows.set(known.rows);
      this.source.set(known.source);
    }
    effect(() => {
      const chosen = this.into() || this.specifications()[0]?.key || '';
      untracked(() => !this.target() && this.target.set(chosen));
    });
    onAction(specifyCommands.addOutline.done, ({ answer }) => {
      this.discard();
      void this.router.navigate(['/', this.scope.slug(), 'specify', 'requirement', answer.first]);
    });
  }

  protected put(rows: readonly OutlineRow[]): void {
    this.rows.set(rows);
    this.memory.keep('written', { rows: [...rows], source: this.source() });
  }

  protected discard(): void {
    this.memory.drop('written');
    this.rows.set(empty);
    this.source.set('');
  }

  protected drop(event: DragEvent): void {
    event.preventDefault();
    const file = event.dataTransfer?.files[0];
    if (file) void this.read(file);
  }

  protected pick(box: HTMLInputElement): void {
    if (box.files?.[0]) void this.read(box.files[0]);
    box.value = '';
  }

  private lists() {
    return this.wording()?.lists ?? usualWording;
  }

  private async read(file: File): Promise<void> {
    this.show(await readDocument(file, this.lists()), file.name);
  }

  protected async take(as: 'text' | 'markdown'): Promise<void> {
    this.show(await readText(this.pasted(), as, this.lists()), 'pasted text');
  }

  private show(read: Awaited<ReturnType<typeof readDocument>>, source: string): void {
    this.fault.set('fault' in read ? read.fault : '');
    if ('fault' in read) return;
    this.source.set(source);
    this.pasting.set(false);
    // What was written before stays above what came.
    this.put([...this.rows().filter((row) => row.title || row.text), ...read.rows]);
    this.editor()?.focus(0);
  }

  protected write(): void {
    if (this.missing()) return;
    this.store.dispatch(
      specifyCommands.addOutline.start({
        project: this.scope.slug(),
        key: this.target(),
        level: this.level(),
        method: this.method(),
        source: this.source(),
        rows: this.filled().map((row) => ({ ...row })),
      }),
    );
  }
}
