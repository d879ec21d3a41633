import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { RunDetail, RunSummary } from '@contract/run';
import { Icon, useKeys, useProject } from '../base';
import { verdictWords } from '@core/run';
import { benchMark, runStateWords } from './words';

type Part = 'all' | 'open' | 'broken';
const parts: readonly (readonly [Part, string])[] = [
  ['all', 'All'],
  ['open', 'To do'],
  ['broken', 'Not passed'],
];

/**
 * The runs of the round that is on the Bench, in its order: filtered by words, by who records them, by folder and configuration and by how they stand, and gone through
 * by keys. What is filtered out is left out by the keys too; the run that is open is always shown.
 */
@Component({
  selector: 'cp-bench-queue',
  imports: [Icon, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { role: 'region', 'aria-label': 'Round', '(document:keydown)': 'press($event)' },
  styleUrl: './bench-queue.scss',
  template: `
    @let r = current();
    <a class="second small up" [routerLink]="['/', scope.slug(), 'run', 'round', r.round]">Round {{ r.round }} · {{ r.configuration }}</a>
    <h2>{{ recorded() }} of {{ items().length }} runs recorded</h2>
    <div class="bar" role="img" [attr.aria-label]="recorded() + ' of ' + items().length + ' recorded'">
      <i [style.width.%]="items().length ? (100 * recorded()) / items().length : 0"></i>
    </div>
    @if (items().length > 1) {
      <div class="filters" role="group" aria-label="Which runs">
        <input
          #box
          class="in"
          type="search"
          aria-label="Runs with these words"
          placeholder="Filter"
          [value]="words()"
          (input)="words.set(box.value)"
        />
        <select #state class="in" aria-label="How they stand" [value]="part()" (change)="choose(state.value)">
          @for (p of parts; track p[0]) {
            <option [value]="p[0]" [selected]="p[0] === part()">{{ p[1] }}</option>
          }
        </select>
        @if (people().length > 1) {
          <select #who class="in" aria-label="Whose" [value]="person()" (change)="person.set(who.value)">
            <option value="">Everybody’s</option>
            @for (p of people(); track p[0]) {
              <option [value]="p[0]" [selected]="p[0] === person()">{{ p[1] }}</option>
            }
          </select>
        }
        @if (folderNames().length > 1) {
          <select #under class="in" aria-label="In which folder" [value]="folder()" (change)="folder.set(under.value)">
            <option value="">Every folder</option>
            @for (f of folderNames(); track f) {
              <option [value]="f" [selected]="f === folder()">{{ f }}</option>
            }
          </select>
        }
        @if (configurations().length > 1) {
          <select #where class="in" aria-label="In which configuration" [value]="configuration()" (change)="configuration.set(where.value)">
            <option value="">Every configuration</option>
            @for (c of configurations(); track c) {
              <option [value]="c" [selected]="c === configuration()">{{ c }}</option>
            }
          </select>
        }
      </div>
    }
    <ol class="runs">
      @for (item of shown(); track item.key) {
        <li>
          <a
            class="item"
            [class.on]="item.key === r.key"
            [attr.aria-current]="item.key === r.key ? 'step' : null"
            [routerLink]="['/', scope.slug(), 'run', 'bench', item.key]"
            ><i [class]="'m m-' + mark(item)"></i><b>{{ item.caseKey }}{{ item.row ? ' row ' + item.row : '' }}</b
            ><span class="state">{{ item.key === r.key && !item.verdict ? 'On the bench' : said(item) }}</span></a
          >
        </li>
      }
    </ol>
    @if (shown().length < items().length) {
      <button class="chip" type="button" (click)="all()">
        <cp-icon name="filter_list" /> {{ shown().length }} of {{ items().length }}: show all
      </button>
    }
  `,
})
export class BenchQueue {
  readonly current = input.required<RunDetail>();
  readonly items = input.required<readonly RunSummary[]>();
  /** The folder of each case, by its key. */
  readonly folders = input<Readonly<Record<string, string>>>({});
  /** Another run of the queue is wanted. */
  readonly turned = output<string>();
  protected readonly scope = useProject();
  private readonly keyNames = useKeys('Lists');
  protected readonly parts = parts;
  protected readonly mark = benchMark;
  protected readonly words = signal('');
  protected readonly part = signal<Part>('all');
  protected readonly person = signal('');
  protected readonly configuration = signal('');
  protected readonly folder = signal('');
  protected readonly recorded = computed(() => this.items().filter((item) => item.verdict !== null).length);
  protected readonly people = computed(() => [...new Map(this.items().map((item) => [item.tester, item.testerName])).entries()]);
  protected readonly configurations = computed(() => [...new Set(this.items().map((item) => item.configuration))]);
  protected readonly folderNames = computed(() => [...new Set(Object.values(this.folders()))].sort());
  protected readonly shown = computed(() => {
    const words = this.words().toLowerCase().split(/\s+/).filter(Boolean);
    const [part, person, configuration, folder] = [this.part(), this.person(), this.configuration(), this.folder()];
    return this.items().filter((item) => {
      if (item.key === this.current().key) return true;
      const text = `${item.key} ${item.caseKey} ${item.caseTitle} ${item.row ?? ''}`.toLowerCase();
      return (
        words.every((word) => text.includes(word)) &&
        (part === 'all' || (part === 'open' ? item.verdict === null : item.verdict !== null && item.verdict !== 'passed')) &&
        (!person || item.tester === person) &&
        (!configuration || item.configuration === configuration) &&
        (!folder || this.folders()[item.caseKey] === folder)
      );
    });
  });

  protected said(item: RunSummary): string {
    return item.carriedOver ? 'Carried over' : item.verdict ? verdictWords[item.verdict] : runStateWords(item);
  }

  protected choose(part: string): void {
    this.part.set(parts.find(([name]) => name === part)?.[0] ?? 'all');
  }

  protected all(): void {
    this.words.set('');
    this.part.set('all');
    this.person.set('');
    this.configuration.set('');
    this.folder.set('');
  }

  /** To the next run of those that are shown, or the one before. */
  protected press(event: KeyboardEvent): void {
    const name = this.keyNames.among(event, ['next', 'before']);
    if (!name) return;
    const keys = this.shown().map(({ key }) => key);
    const to = keys[keys.indexOf(this.current().key) + (name === 'next' ? 1 : -1)];
    if (!to) return;
    event.preventDefault();
    this.turned.emit(to);
  }
}
