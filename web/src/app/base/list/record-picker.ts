import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, output, signal, viewChild } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { MatAutocompleteModule, type MatAutocompleteSelectedEvent } from '@angular/material/autocomplete';
import { MatDialog } from '@angular/material/dialog';
import type { Endpoint, Filter, Page } from '@contract/base';
import { catchError, debounceTime, from, map, of, switchMap } from 'rxjs';
import { Api, ApiFailure } from '../api';
import { useProject } from '../live';
import { Icon } from '../ui/icon';
import { browsable } from './browse';
import { together } from './filter-text';

/** A record that can be chosen. */
export interface PickedRow {
  readonly key: string;
  readonly title: string;
  readonly state?: string;
  readonly text?: string;
  readonly objective?: string;
  readonly description?: string;
}

const keyLike = /^[A-Za-z][A-Za-z0-9]*(?:-[A-Za-z0-9]+)*-\d{1,9}$/;
const mostShown = 12;

/** The keys that a text is made of, as they stand in a pasted list; none where there are other words in it. */
export function pastedKeys(text: string): string[] {
  const parts = text.split(/[\s,;]+/).filter(Boolean);
  return parts.length && parts.every((part) => keyLike.test(part)) ? [...new Set(parts.map((part) => part.toUpperCase()))] : [];
}

/**
 * Where a record is linked or chosen: words and keys find it as one types, and several pasted keys are recognised, with those that name
 * nothing told; rows of a list or a tree are dragged onto it. What a link would do is told before, and what is not there yet can be made.
 * Nobody types a key blind.
 */
@Component({
  selector: 'cp-record-picker',
  imports: [Icon, MatAutocompleteModule],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '[class.browses]': 'browse() !== undefined' },
  template: `
    @if (browse()) {
      <button class="browse" type="button" [attr.aria-label]="label() + ': look through them'" title="Look through them" (click)="look()">
        <cp-icon name="search" />
      </button>
    }
    <input
      #box
      class="in"
      type="text"
      autocomplete="off"
      spellcheck="false"
      [attr.aria-label]="label()"
      [placeholder]="placeholder()"
      [value]="text()"
      [matAutocomplete]="found"
      (input)="text.set(box.value)"
      (keydown.enter)="enter($event)"
      (dragover)="over($event)"
      (dragleave)="dragged.set(false)"
      (drop)="dropped($event)"
      [class.over]="dragged()"
    />
    <mat-autocomplete
      #found="matAutocomplete"
      class="close-set"
      [panelWidth]="tells() ? 'min(460px, 94vw)' : ''"
      (optionSelected)="take($event)"
    >
      @for (row of rows(); track row.key) {
        <mat-option [value]="row.key"
          ><b class="key">{{ row.key }}</b> {{ row.title }}
          @if (row.state && row.state !== 'approved') {
            <span class="second small">{{ row.state }}</span>
          }
          @if (said(row); as words) {
            <span class="second small said">{{ words }}</span>
          }
          @if (tells(); as tell) {
            <span class="second small told">{{ tell(row) }}</span>
          }
        </mat-option>
      }
      @if (makes() && meant(); as words) {
        <mat-option [value]="making">Make a new {{ makes() }}: “{{ words }}”</mat-option>
      }
      @if (text().trim() && !rows().length && answered() && !makes()) {
        <mat-option disabled>Nothing here has this key or these words.</mat-option>
      }
    </mat-autocomplete>
    @if (unknown().length) {
      <p class="fault small" role="alert">Not found: {{ unknown().join(', ') }}</p>
    }
  `,
  styles: `
    :host {
      display: block;
      width: 240px;
      max-width: 100%;
    }
    :host(.browses) {
      position: relative;
    }
    .in {
      width: 100%;
    }
    :host(.browses) .in {
      padding-right: 36px;
    }
    .browse {
      position: absolute;
      inset: 0 0 auto auto;
      width: 34px;
      height: 34px;
      border: 0;
      background: none;
      color: var(--ink-2);
      cursor: pointer;
    }
    .in.over {
      outline: 2px solid var(--cord);
    }
    /* What the one that would be taken says; the others are told by their titles. */
    .said {
      display: none;
    }
    .mat-mdc-option-active .said,
    mat-option:hover .said {
      display: -webkit-box;
      -webkit-line-clamp: 2;
      -webkit-box-orient: vertical;
      overflow: hidden;
      line-height: 1.3;
      white-space: normal;
    }
    .told {
      display: block;
      line-height: 1.3;
      white-space: normal;
    }
    .fault {
      color: var(--broken);
      margin: 4px 0 0;
    }
  `,
})
export class RecordPicker<R extends PickedRow> {
  /** The list that is searched. */
  readonly from = input.required<Endpoint>();
  readonly label = input.required<string>();
  readonly placeholder = input('Key or words');
  /** What is not offered: what is linked already, the record itself. */
  readonly without = input<readonly string[]>([]);
  /** Only these are offered. */
  readonly where = input<Filter>();
  /** What choosing a record would do, in words. */
  readonly tells = input<(row: R) => string>();
  /** What can be made from here, where that is possible: a word for it. */
  readonly makes = input('');
  readonly picked = output<readonly R[]>();
  /** Somebody wants a new one, with this title. */
  readonly made = output<string>();
  /** What a record says, before it is taken. */
  protected readonly said = ({ text, objective, description }: PickedRow): string => text ?? objective ?? description ?? '';
  protected readonly making = ' make';
  protected readonly dragged = signal(false);
  private readonly browsables = inject(browsable);
  private readonly dialogs = inject(MatDialog);
  /** How these records are looked through, where their room tells it. */
  protected readonly browse = computed(() => this.browsables[this.from().path]);
  /** What was dragged here is taken as soon as it was found. */
  private takesAll = '';
  private readonly box = viewChild.required<ElementRef<HTMLInputElement>>('box');
  private readonly api = inject(Api);
  private readonly scope = useProject();
  protected readonly text = signal('');
  protected readonly answered = signal(false);
  private readonly answer = signal<{ readonly asked: string; readonly rows: readonly R[] }>({ asked: '', rows: [] });
  protected readonly rows = computed(() => this.answer().rows.filter((row) => !this.without().includes(row.key)));
  /** Of several pasted keys, those that name nothing. */
  protected readonly unknown = computed(() => {
    const { asked, rows } = this.answer();
    const keys = pastedKeys(asked);
    return keys.length > 1 && asked === this.text() ? keys.filter((key) => !rows.some((row) => row.key === key)) : [];
  });

  constructor() {
    toObservable(this.text)
      .pipe(
        debounceTime(120),
        switchMap((asked) => (asked.trim() ? this.search(asked) : of({ asked, rows: [] as R[] }))),
        takeUntilDestroyed(),
      )
      .subscribe((answer) => {
        this.answer.set(answer);
        this.answered.set(true);
        if (this.takesAll && this.takesAll === answer.asked) this.give(this.rows());
        this.takesAll = '';
      });
  }

  /** Opens the list or tree of these records, from which several are chosen. */
  protected async look(): Promise<void> {
    const [known, { BrowseDialog }] = await Promise.all([this.browse()?.(), import('./browse-dialog')]);
    if (!known) return;
    const data = { label: this.label(), browse: known, without: this.without(), where: this.where(), tells: this.tells() };
    const dialog = this.dialogs.open(BrowseDialog, { data, width: 'min(1040px, 96vw)', maxWidth: '96vw' });
    dialog.afterClosed().subscribe((rows: readonly PickedRow[] | undefined) => this.give((rows ?? []) as readonly R[]));
  }

  /** The words with which a new one would be made: not a key, which says what is there already. */
  protected readonly meant = computed(() => {
    const words = this.text().trim();
    return this.answered() && words.length > 2 && !pastedKeys(words).length ? words : '';
  });

  protected over(event: DragEvent): void {
    if (!event.dataTransfer?.types.includes('text/plain')) return;
    event.preventDefault();
    this.dragged.set(true);
  }

  /** Rows were dragged here: all of them are meant, and none is taken where one cannot be linked. */
  protected dropped(event: DragEvent): void {
    const keys = pastedKeys(event.dataTransfer?.getData('text/plain') ?? '');
    this.dragged.set(false);
    if (!keys.length) return;
    event.preventDefault();
    const text = keys.join(' ');
    this.text.set(text);
    this.takesAll = text;
    this.box().nativeElement.focus();
  }

  private search(asked: string) {
    const keys = pastedKeys(asked);
    const filter = together([
      keys.length > 1 ? { field: 'key', is: keys } : { words: asked.trim() },
      { field: 'retired', is: [false] },
      this.where(),
    ]);
    const input = { project: this.scope.slug(), filter: JSON.stringify(filter), limit: keys.length > 1 ? 500 : mostShown };
    return from(this.api.call(this.from(), input as never) as Promise<Page<R>>).pipe(
      map(({ rows }) => ({ asked, rows })),
      catchError((error: unknown) => {
        if (!(error instanceof ApiFailure)) throw error;
        return of({ asked, rows: [] as R[] });
      }),
    );
  }

  protected take(event: MatAutocompleteSelectedEvent): void {
    if (event.option.value === this.making) {
      const title = this.meant();
      this.clear();
      return this.made.emit(title);
    }
    const row = this.answer().rows.find(({ key }) => key === event.option.value);
    // Several pasted keys are meant all together.
    const all = pastedKeys(this.answer().asked).length > 1 ? this.rows() : row ? [row] : [];
    this.give(all);
  }

  /** Enter takes what is meant without a doubt: a whole key, or the one record that was found. */
  protected enter(event: Event): void {
    const { asked, rows } = this.answer();
    if (event.defaultPrevented || asked !== this.text()) return;
    const keys = pastedKeys(asked);
    const exact = keys.length === 1 ? rows.filter((row) => row.key === keys[0]) : [];
    const meant = keys.length > 1 ? this.rows() : exact.length ? exact : rows.length === 1 ? rows : [];
    if (!meant.length) return;
    event.preventDefault();
    this.give(meant);
  }

  private give(rows: readonly R[]): void {
    if (!rows.length || this.unknown().length) return;
    this.picked.emit(rows);
    this.clear();
  }

  private clear(): void {
    this.text.set('');
    this.box().nativeElement.value = '';
    this.answer.set({ asked: '', rows: [] });
    this.answered.set(false);
  }
}
