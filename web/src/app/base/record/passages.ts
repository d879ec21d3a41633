import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  Injectable,
  Injector,
  input,
  signal,
  untracked,
} from '@angular/core';
import { useKeys } from '../keys';
import { useProject } from '../live';
import { Icon } from '../ui/icon';
import { recordFeature } from './state';

/** Words of a record's field that are spoken of. */
export interface Passage {
  readonly field: string;
  readonly words: string;
}

/** What can be spoken of on the record that is open: its fields as they read now, and the words that somebody chose among them. */
@Injectable({ providedIn: 'root' })
export class Passages {
  readonly texts = signal<ReadonlyMap<string, string>>(new Map());
  /** What the next comment is about; null for the record as a whole. */
  readonly about = signal<Passage | null>(null);
  /** Goes up when somebody wants to write about what was chosen. */
  readonly asked = signal(0);
  /** Goes up when a part of the record that was drawn later stands there. */
  readonly grown = signal(0);
  /** Where a passage is shown, as long as a record's page is open. */
  show: (passage: Passage) => void = () => undefined;

  /** Does the field still have these words? Unknown while the record is not read but written. */
  stands({ field, words }: Passage): boolean | undefined {
    const text = this.texts().get(field);
    return this.texts().size ? (text?.includes(words) ?? false) : undefined;
  }
}

/** Where words stand in an element, over all of its text: first there, then each further place. */
export function rangesOf(element: Element, words: string): Range[] {
  const nodes: { readonly node: Text; readonly from: number }[] = [];
  const walker = document.createTreeWalker(element, NodeFilter.SHOW_TEXT);
  let text = '';
  for (let node = walker.nextNode(); node; node = walker.nextNode()) {
    nodes.push({ node: node as Text, from: text.length });
    text += (node as Text).data;
  }
  const place = (offset: number, end: boolean) => nodes.findLast(({ from }) => (end ? from < offset : from <= offset));
  const ranges: Range[] = [];
  for (let at = words ? text.indexOf(words) : -1; at >= 0; at = text.indexOf(words, at + words.length)) {
    const [first, last] = [place(at, false), place(at + words.length, true)];
    if (!first || !last) continue;
    const range = document.createRange();
    range.setStart(first.node, at - first.from);
    range.setEnd(last.node, at + words.length - last.from);
    ranges.push(range);
  }
  return ranges;
}

export const rangeOf = (element: Element, words: string): Range | undefined => rangesOf(element, words).at(0);

const marked = 'spoken-of';

/**
 * The body of a record in which words can be chosen and spoken of: what has `data-field` is a field by that name. Words with an open thread
 * are marked.
 */
@Component({
  selector: 'cp-passages',
  imports: [Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '(document:selectionchange)': 'look()', '(document:keydown)': 'press($event)' },
  template: `
    <ng-content />
    @if (chosen(); as c) {
      <button
        class="chip speak"
        type="button"
        [style.top.px]="c.top"
        [style.left.px]="c.left"
        (mousedown)="$event.preventDefault()"
        (click)="speak()"
      >
        <cp-icon name="edit_note" /> Comment on this
      </button>
    }
  `,
  styles: `
    :host {
      position: relative;
    }
    .speak {
      position: absolute;
      z-index: 2;
      background: var(--surface);
      box-shadow: 0 2px 8px rgb(0 0 0 / 18%);
    }
  `,
})
export class PassagesBody {
  /** What is shown, in which revision: another one has other texts. */
  readonly version = input.required<string>();
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly injector = inject(Injector);
  private readonly passages = inject(Passages);
  private readonly scope = useProject();
  private readonly keyNames = useKeys('Record');
  private readonly comments = this.scope.store.selectSignal(recordFeature.selectComments);
  private readonly maySpeak = computed(() => this.scope.roles().some((role) => role !== 'auditor'));
  protected readonly chosen = signal<(Passage & { readonly top: number; readonly left: number }) | null>(null);

  constructor() {
    effect(() => {
      this.version();
      untracked(() => this.passages.about.set(null));
    });
    effect(() => {
      this.version();
      this.passages.grown();
      afterNextRender(() => this.read(), { injector: this.injector });
    });
    effect(() => {
      const open = this.comments().filter((c) => c.parent === null && c.passage && c.resolvedAt === null);
      const texts = this.passages.texts();
      untracked(() => this.mark(texts.size ? open.map(({ field, passage }) => ({ field, words: passage })) : []));
    });
    this.passages.show = (passage) => this.show(passage);
    inject(DestroyRef).onDestroy(() => {
      this.passages.texts.set(new Map());
      this.passages.about.set(null);
      this.passages.show = () => undefined;
      this.mark([]);
    });
  }

  private fields(): HTMLElement[] {
    return [...this.host.querySelectorAll<HTMLElement>('[data-field]')];
  }

  private read(): void {
    this.passages.texts.set(new Map(this.fields().map((element) => [element.dataset['field'] ?? '', element.textContent ?? ''])));
  }

  private find({ field, words }: Passage): Range | undefined {
    const element = this.fields().find(({ dataset }) => dataset['field'] === field);
    return element && rangeOf(element, words);
  }

  /** Marks words in the browsers that can do so without touching the page. */
  private mark(passages: readonly Passage[]): void {
    if (!('highlights' in CSS)) return;
    const ranges = passages.flatMap((passage) => this.find(passage) ?? []);
    if (ranges.length) CSS.highlights.set(marked, new Highlight(...ranges));
    else CSS.highlights.delete(marked);
  }

  private show(passage: Passage): void {
    const range = this.find(passage);
    const element = range?.startContainer.parentElement ?? this.fields().find(({ dataset }) => dataset['field'] === passage.field);
    element?.scrollIntoView({ block: 'center' });
    if (!range) return;
    const selection = document.getSelection();
    selection?.removeAllRanges();
    selection?.addRange(range);
  }

  protected look(): void {
    const selection = document.getSelection();
    const range = selection?.rangeCount && !selection.isCollapsed ? selection.getRangeAt(0) : undefined;
    const within = range?.commonAncestorContainer;
    const element = (within instanceof Element ? within : within?.parentElement)?.closest<HTMLElement>('[data-field]');
    const words = selection?.toString().trim() ?? '';
    const text = element?.textContent ?? '';
    if (!range || !element || !this.host.contains(element) || !words || words.length > 2000 || !text.includes(words) || !this.maySpeak())
      return this.chosen.set(null);
    const [box, mine] = [range.getBoundingClientRect(), this.host.getBoundingClientRect()];
    const left = Math.max(0, Math.min(box.left - mine.left, mine.width - 190));
    this.chosen.set({ field: element.dataset['field'] ?? '', words, top: box.bottom - mine.top + 6, left });
  }

  protected press(event: KeyboardEvent): void {
    if (!this.chosen() || !this.keyNames.is(event, 'speak')) return;
    event.preventDefault();
    this.speak();
  }

  protected speak(): void {
    const chosen = this.chosen();
    if (!chosen) return;
    this.passages.about.set({ field: chosen.field, words: chosen.words });
    this.passages.asked.update((n) => n + 1);
    this.chosen.set(null);
  }
}
