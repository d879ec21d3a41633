import {
  ChangeDetectionStrategy,
  ChangeDetectorRef,
  Component,
  ElementRef,
  inject,
  input,
  linkedSignal,
  output,
  signal,
} from '@angular/core';
import { branchEnd, joined, moved, parted, shifted, titleOf, type OutlineRow } from '@core/specify';
import { Icon } from '../../base';

const kinds = ['requirement', 'heading', 'note'] as const;
const kindWords = { requirement: 'requirement', heading: 'heading', note: 'note' } as const;

/**
 * An outline, written as in an editor: Enter makes the next line, or parts one where the cursor stands in it; Backspace at the beginning
 * joins it with the one above; Tab and Shift+Tab take a branch deeper or higher, Alt with arrows moves it, Ctrl+Enter changes what it is.
 */
@Component({
  selector: 'cp-outline-editor',
  imports: [Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div role="group" aria-label="Outline">
      @for (row of own(); track $index; let i = $index) {
        <div class="line" [style.padding-left.px]="20 * row.depth">
          <button
            type="button"
            class="kind"
            tabindex="-1"
            [attr.aria-label]="'Line ' + (i + 1) + ' is a ' + words[row.kind] + '; make it another'"
            [title]="words[row.kind]"
            (click)="turn(i)"
          >
            <cp-icon [name]="row.kind === 'heading' ? 'menu_book' : row.kind === 'note' ? 'description' : 'rule'" />
          </button>
          <textarea
            rows="1"
            [class.heading]="row.kind === 'heading'"
            [class.note]="row.kind === 'note'"
            [attr.aria-label]="'Line ' + (i + 1) + ', level ' + (row.depth + 1) + ', ' + words[row.kind]"
            [placeholder]="row.kind === 'heading' ? 'A heading' : row.kind === 'note' ? 'A note' : 'The … shall …'"
            [value]="row.text || row.title"
            (input)="write(i, $event)"
            (keydown)="press($event, i)"
          ></textarea>
          <button type="button" class="kind" tabindex="-1" [attr.aria-label]="'Take off line ' + (i + 1)" (click)="takeOff(i)">
            <cp-icon name="close" />
          </button>
        </div>
      }
    </div>
  `,
  styles: `
    .line {
      display: flex;
      gap: 6px;
      align-items: start;
      border-bottom: 1px solid var(--hairline);
    }
    textarea {
      flex: 1;
      border: 0;
      background: none;
      color: inherit;
      font: inherit;
      padding: 7px 4px;
      resize: none;
      field-sizing: content;
      outline-offset: -2px;
    }
    .heading {
      font-weight: 650;
    }
    .note {
      font-style: italic;
      color: var(--ink-2);
    }
    .kind {
      border: 0;
      background: none;
      color: var(--ink-2);
      padding: 7px 2px;
      cursor: pointer;
    }
    @media (pointer: coarse) {
      .kind {
        min-width: 44px;
        min-height: 44px;
      }
    }
  `,
})
export class OutlineEditor {
  readonly rows = input.required<readonly OutlineRow[]>();
  readonly changed = output<readonly OutlineRow[]>();
  protected readonly words = kindWords;
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  /** What is shown: what was given, and what was written here since. */
  protected readonly own = linkedSignal(() => this.rows());
  private readonly view = inject(ChangeDetectorRef);
  private readonly undone = signal<readonly (readonly OutlineRow[])[]>([]);

  private put(rows: readonly OutlineRow[], at?: number, cursor?: number): void {
    this.undone.update((before) => [...before.slice(-100), this.own()]);
    this.tell(rows);
    if (at !== undefined) this.focus(at, cursor);
  }

  private tell(rows: readonly OutlineRow[]): void {
    this.own.set(rows);
    this.changed.emit(rows);
  }

  /** At once, and not when the page gets to it: whoever types on must find their letters in the line that they see. */
  focus(at: number, cursor?: number): void {
    this.view.detectChanges();
    const box = this.host.querySelectorAll('textarea').item(at) as HTMLTextAreaElement | null;
    box?.focus();
    if (cursor !== undefined) box?.setSelectionRange(cursor, cursor);
  }

  /** What is typed is a heading's title; of the others the text, whose first words are the title. */
  protected write(at: number, event: Event): void {
    const words = (event.target as HTMLTextAreaElement).value.replace(/\n/g, ' ');
    this.tell(this.own().map((row, i) => (i === at ? this.worded(row, words) : row)));
  }

  private worded(row: OutlineRow, words: string): OutlineRow {
    return row.kind === 'heading' ? { ...row, title: words, text: '' } : { ...row, title: titleOf(words), text: words };
  }

  protected turn(at: number): void {
    const row = this.own()[at];
    const kind = kinds[(kinds.indexOf(row.kind) + 1) % kinds.length];
    this.put(
      this.own().map((other, i) => (i === at ? this.worded({ ...row, kind }, row.text || row.title) : other)),
      at,
    );
  }

  protected takeOff(at: number): void {
    const rows = this.own().filter((_, i) => i !== at);
    this.put(rows.length ? rows : [{ kind: 'requirement', depth: 0, title: '', text: '' }], Math.max(0, at - 1));
  }

  protected press(event: KeyboardEvent, at: number): void {
    const box = event.target as HTMLTextAreaElement;
    const rows = this.own();
    const [start, end] = [box.selectionStart, box.selectionEnd];
    const done = (): void => event.preventDefault();
    if (event.key === 'Enter' && event.ctrlKey) {
      done();
      this.turn(at);
    } else if (event.key === 'Enter' && !event.shiftKey && !event.altKey) {
      done();
      if (start > 0 && start < box.value.length) return this.put(parted(rows, at, start), at + 1, 0);
      const { kind, depth } = rows[at];
      // Below a heading stands what it is the heading of.
      const fresh: OutlineRow = {
        kind: kind === 'heading' ? 'requirement' : kind,
        depth: depth + (kind === 'heading' ? 1 : 0),
        title: '',
        text: '',
      };
      const place = start === 0 && box.value ? at : kind === 'heading' ? at + 1 : branchEnd(rows, at);
      this.put([...rows.slice(0, place), place === at ? { ...fresh, kind, depth } : fresh, ...rows.slice(place)], place, 0);
    } else if (event.key === 'Tab' && !event.ctrlKey && !event.altKey) {
      const next = shifted(rows, at, event.shiftKey ? -1 : 1);
      // Where there is no deeper or higher, Tab leaves as it does everywhere.
      if (next.every((row, i) => row === rows[i] || row.depth === rows[i].depth)) return;
      done();
      this.put(next, at, start);
    } else if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) {
      done();
      const to = moved(rows, at, event.key === 'ArrowUp' ? -1 : 1);
      this.put(to.rows, to.at, start);
    } else if (event.key === 'Backspace' && start === 0 && end === 0 && at > 0) {
      done();
      const above = rows[at - 1];
      const cursor = (above.text || above.title).length;
      this.put(joined(rows, at), at - 1, cursor ? cursor + (box.value ? 1 : 0) : 0);
    } else if (event.key === 'ArrowUp' && !event.shiftKey && start === 0 && at > 0) {
      done();
      this.focus(at - 1);
    } else if (event.key === 'ArrowDown' && !event.shiftKey && start === box.value.length && at < rows.length - 1) {
      done();
      this.focus(at + 1);
    } else if (event.key === 'z' && event.ctrlKey && this.undone().length && !box.value) {
      done();
      const last = this.undone().at(-1) ?? rows;
      this.undone.update((before) => before.slice(0, -1));
      this.tell(last);
      this.focus(Math.min(at, last.length - 1));
    }
  }
}
