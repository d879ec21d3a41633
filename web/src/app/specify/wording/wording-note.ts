import { ChangeDetectionStrategy, Component, computed, effect, ElementRef, inject, input, signal } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import type { Dismissal } from '@contract/specify';
import { checkWording, isDismissed, termsIn, usualWording, wordingRules, type WordingFinding } from '@core/specify';
import { askReason, ProblemNote, rangesOf, useProject } from '../../base';
import { specifyCommands, specifyFeature } from '../state';

const marked = 'wording';
const defined = 'term';

type Place = Pick<WordingFinding, 'words' | 'from'>;

/**
 * What a text lacks in wording, as it is written or read: each finding names its words, underlined in the text beside it, and says why.
 * One can be let stand, for a reason. Defined terms are underlined with dots where they stand, and told below.
 */
@Component({
  selector: 'cp-wording-note',
  imports: [ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (open().length || stands().length) {
      <section class="stack-s" aria-label="Wording" aria-live="polite">
        <ul class="findings">
          @for (f of open(); track f.rule + f.from) {
            <li>
              <span class="tag waiting">{{ rules[f.rule].name }}</span>
              <span class="grow">
                @if (f.words) {
                  <b>“{{ f.words }}”</b>&ngsp;
                }
                {{ rules[f.rule].why }}</span
              >
              @if (of() && maySay()) {
                <button class="chip" type="button" (click)="letStand(f)">
                  Let it stand<span class="hidden-visually">: {{ rules[f.rule].name }} {{ f.words }}</span>
                </button>
              }
            </li>
          }
          @for (d of stands(); track d.id) {
            <li class="second small">
              <span class="grow"
                >{{ ruleName(d.rule) }}
                @if (d.words) {
                  “{{ d.words }}”
                }
                stands: {{ d.reason }} ({{ d.by }})</span
              >
              @if (maySay()) {
                <button class="chip" type="button" (click)="anew(d)">
                  Look anew<span class="hidden-visually"> at {{ ruleName(d.rule) }} {{ d.words }}</span>
                </button>
              }
            </li>
          }
        </ul>
        <cp-problem [of]="name" />
      </section>
    }
    @if (terms().length) {
      <p class="second small terms">
        @for (t of terms(); track t.term) {
          <span
            ><b>{{ t.term }}</b
            >: {{ t.meaning || 'defined, without words' }}</span
          >
        }
      </p>
    }
  `,
  styles: `
    :host {
      display: block;
    }
    :host:empty {
      display: none;
    }
    .findings {
      display: grid;
      gap: 6px;
    }
    li {
      display: flex;
      gap: 10px;
      align-items: center;
    }
    li .tag {
      white-space: nowrap;
    }
    .terms {
      display: grid;
      gap: 2px;
      margin-top: 6px;
    }
  `,
})
export class WordingNote {
  readonly text = input.required<string>();
  /** The requirement, where what is shown is its stored text; none while it is written. */
  readonly of = input('');
  readonly dismissals = input<readonly Dismissal[]>([]);
  /** Where its words stand on the page: an element found from this one's parent. */
  readonly within = input.required<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialogs = inject(MatDialog);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly stored = this.store.selectSignal(specifyFeature.selectWording);
  private readonly lists = computed(() => this.stored()?.lists ?? usualWording);
  protected readonly rules = wordingRules;
  protected readonly name = specifyCommands.dismissFinding.name;
  protected readonly maySay = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'reviewer'));
  private readonly settled = signal('');
  private readonly findings = computed(() => checkWording(this.settled(), this.lists()));
  protected readonly open = computed(() => this.findings().filter((f) => !isDismissed(f, this.dismissals())));
  protected readonly stands = computed(() => this.dismissals().filter((d) => this.findings().some((f) => isDismissed(f, [d]))));
  protected readonly terms = computed(() => termsIn(this.settled(), this.lists()));

  constructor() {
    if (!this.stored()) this.store.dispatch(specifyCommands.getWording.start({ project: this.scope.slug() }));
    // While somebody types the words are looked at when the fingers rest.
    effect((onCleanup) => {
      const text = this.text();
      if (this.of()) return this.settled.set(text);
      const timer = setTimeout(() => this.settled.set(text), 300);
      onCleanup(() => clearTimeout(timer));
    });
    effect((onCleanup) => {
      const open = this.open();
      const places = this.terms().flatMap((term) => term.places);
      const timer = setTimeout(() => {
        this.underline(marked, open);
        this.underline(defined, places);
      });
      onCleanup(() => {
        clearTimeout(timer);
        if ('highlights' in CSS) for (const name of [marked, defined]) CSS.highlights.delete(name);
      });
    });
  }

  /** Underlines the words in the browsers that can do so without touching the page. */
  private underline(name: string, places: readonly Place[]): void {
    if (!('highlights' in CSS)) return;
    const element = this.host.parentElement?.querySelector<HTMLElement>(this.within());
    const ranges = element ? places.flatMap((place) => this.rangeIn(element, place) ?? []) : [];
    if (ranges.length) CSS.highlights.set(name, new Highlight(...ranges));
    else CSS.highlights.delete(name);
  }

  /** The same words may stand before: what is underlined is just one place. */
  private rangeIn(element: HTMLElement, { words, from }: Place): Range | undefined {
    return words ? rangesOf(element, words)[this.settled().slice(0, from).split(words).length - 1] : undefined;
  }

  protected ruleName(rule: string): string {
    return rule in wordingRules ? wordingRules[rule as keyof typeof wordingRules].name : rule;
  }

  protected letStand({ rule, words }: WordingFinding): void {
    const title = `Let “${words || this.rules[rule].name}” stand`;
    askReason(this.dialogs, { title, text: this.rules[rule].why, confirm: 'Let it stand' }).subscribe((reason) =>
      this.store.dispatch(specifyCommands.dismissFinding.start({ project: this.scope.slug(), key: this.of(), rule, words, reason })),
    );
  }

  protected anew({ id }: Dismissal): void {
    this.store.dispatch(specifyCommands.endDismissal.start({ project: this.scope.slug(), key: this.of(), id }));
  }
}
