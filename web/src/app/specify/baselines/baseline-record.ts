import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, effect, input, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { listBaselines } from '@contract/specify';
import { baselineChanges, type BaselineChangeKind } from '@core/specify';
import {
  onChanged,
  type PickedRow,
  Opening,
  ProblemNote,
  RecordLink,
  RecordPanels,
  RecordPicker,
  RichText,
  selectRequest,
  useAddress,
  useProject,
  WordsDiff,
} from '../../base';
import { baselineCommands, baselineFeature } from './state';

const changeWords: Readonly<Record<BaselineChangeKind, string>> = {
  added: 'added',
  removed: 'removed',
  changed: 'changed',
  moved: 'moved',
  traceAdded: 'traces won',
  traceRemoved: 'traces lost',
};
const oneWords: Readonly<Record<BaselineChangeKind, string>> = { ...changeWords, traceAdded: 'trace won', traceRemoved: 'trace lost' };

/** One baseline: who signed it, what stands in it as it was, and what is otherwise in another one or now. */
@Component({
  selector: 'cp-baseline-record',
  imports: [DatePipe, FormsModule, MatButtonModule, Opening, ProblemNote, RecordLink, RecordPanels, RecordPicker, RichText, WordsDiff],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (shown(); as b) {
      <article class="stack">
        <div class="row">
          <span class="key">{{ b.key }}</span>
          <span class="second small">{{ b.createdAt | date: 'yyyy-MM-dd HH:mm' }}, true for ledger number {{ b.asOf }}</span>
          @if (b.newer) {
            <span class="tag waiting">a newer one holds the same</span>&ngsp;<cp-record kind="baseline" [key]="b.newer" />
          }
          <span class="grow"></span>
          <a class="chip" [href]="'/api/projects/' + scope.slug() + '/baselines/' + b.key + '/file'" download>Signed text (JSON)</a>
        </div>
        <section class="sheet pad stack-s">
          <h1>{{ b.title }}</h1>
          @if (b.description) {
            <p>{{ b.description }}</p>
          }
          <dl class="facts">
            <dt>Holds</dt>
            <dd>{{ b.specifications.join(', ') }}: {{ b.requirements }} requirements, {{ b.traces }} traces</dd>
            @for (s of b.signatures; track s.at) {
              <dt>Signed</dt>
              <dd>{{ s.printedName }}, {{ s.at | date: 'yyyy-MM-dd HH:mm' }}</dd>
            }
            <dt>SHA-256</dt>
            <dd class="code hash">{{ b.sha256 }}</dd>
          </dl>
        </section>
        <div class="row" role="group" aria-label="What is shown">
          <button class="chip" type="button" [attr.aria-pressed]="view() === 'then'" (click)="go({ show: null })">As it was</button>
          <button class="chip" type="button" [attr.aria-pressed]="view() === 'now'" (click)="go({ show: 'now', with: null })">
            Compared with now
          </button>
          <button class="chip" type="button" [attr.aria-pressed]="view() === 'other'" (click)="go({ show: 'other' })">
            With another baseline
          </button>
        </div>
        @if (view() === 'other') {
          <cp-record-picker
            [from]="baselinesFrom"
            [without]="[b.key]"
            label="The other baseline"
            [placeholder]="with() || 'The other baseline: key or words'"
            (picked)="other($event)"
          />
        }
        <cp-problem [of]="names.compare" /><cp-problem [of]="names.read" />
        @if (view() === 'then') {
          <div class="row">
            <span class="second small">{{ words() ? 'What is found' : 'All of it' }} as</span>
            @for (f of documents; track f[0]) {
              <a class="chip" [href]="document(f[0])" download>{{ f[1] }}</a>
            }
          </div>
          <label class="field"
            ><span class="hidden-visually">Filter by key or words</span
            ><input
              class="in"
              name="words"
              placeholder="Filter by key or words"
              [ngModel]="words()"
              (ngModelChange)="go({ q: $event || null })"
          /></label>
          <section class="sheet pad stack-s" aria-label="As it was">
            @for (r of rows(); track r.key) {
              <div class="then" [style.margin-left.px]="16 * r.depth">
                <b>{{ r.key }} {{ r.content.title }}</b>
                @if (r.content.kind === 'requirement') {
                  <span class="second small"
                    >revision {{ r.revision }}, {{ r.state }}{{ r.content.level ? ', ' + r.content.level : ''
                    }}{{ r.parents.length ? ', from ' + r.parents.join(', ') : '' }}</span
                  >
                  <cp-rich-text [text]="r.content.text" [html]="r.content.html" />
                }
              </div>
            } @empty {
              <p class="second">Nothing has these words.</p>
            }
            @if (rows().length < total()) {
              <div>
                <button mat-stroked-button type="button" (click)="read(rows().length)">Show more of {{ total() }}</button>
              </div>
            }
          </section>
        } @else if (comparing().pending && !comparison()) {
          <p class="empty" role="status">Comparing …</p>
        } @else if (comparison(); as c) {
          <div class="row" role="group" aria-label="What is otherwise">
            <button class="chip" type="button" [attr.aria-pressed]="!what()" (click)="go({ what: null })">All {{ all() }}</button>
            @for (count of c.counts; track count.what) {
              <button
                class="chip"
                type="button"
                [attr.aria-pressed]="what() === count.what"
                [disabled]="!count.count"
                (click)="go({ what: count.what })"
              >
                {{ changeWords[count.what] }} {{ count.count }}
              </button>
            }
            <span class="grow"></span>
            @for (f of formats; track f[0]) {
              <a class="chip" [href]="file(f[0])" download>{{ f[1] }}</a>
            }
          </div>
          <section class="sheet pad stack-s" aria-label="Differences">
            @for (change of c.rows; track $index) {
              <div class="change">
                <div class="row">
                  <cp-record kind="requirement" [key]="change.key" />&ngsp;<b>{{ change.title }}</b>
                  <span class="tag">{{ oneWords[change.what] }}</span>
                  @if (change.before !== null && change.after !== null && change.before !== change.after) {
                    <span class="second small">revision {{ change.before }} to {{ change.after }}</span>
                  }
                </div>
                @for (d of change.differences; track d.name) {
                  <p class="row">
                    <span class="second small">{{ d.name }}</span><cp-words-diff [before]="d.before" [after]="d.after" />
                  </p>
                }
              </div>
            } @empty {
              <p class="second">Nothing is different.</p>
            }
            @if (c.rows.length < c.total) {
              <div>
                <button mat-stroked-button type="button" (click)="compare(c.rows.length)">Show more of {{ c.total }}</button>
              </div>
            }
          </section>
        }
        <cp-record-panels [key]="b.key" />
      </article>
    } @else {
      <cp-opening [key]="key()" [by]="opens" />
    }
  `,
  styles: `
    .then {
      display: grid;
      gap: 2px;
      padding: 5px 0;
    }
    .change {
      border-top: 1px solid var(--hairline);
      padding: 8px 0;
      display: grid;
      gap: 4px;
    }
    .change:first-child {
      border-top: 0;
    }
    .hash {
      overflow-wrap: anywhere;
    }
  `,
})
export class BaselineRecord {
  readonly key = input.required<string>();
  protected readonly opens = baselineCommands.get.name;
  /** From the address: what is shown, the other baseline, one kind of difference, words. */
  readonly show = input<string>();
  readonly with = input<string>();
  readonly what = input<string>();
  readonly q = input<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly go = useAddress();
  private readonly detail = this.store.selectSignal(baselineFeature.selectDetail);
  protected readonly shown = computed(() => (this.detail()?.key === this.key() ? this.detail() : null));
  protected readonly rows = this.store.selectSignal(baselineFeature.selectRows);
  protected readonly total = this.store.selectSignal(baselineFeature.selectTotal);
  protected readonly comparison = this.store.selectSignal(baselineFeature.selectComparison);
  protected readonly names = { compare: baselineCommands.compare.name, read: baselineCommands.read.name };
  protected readonly comparing = this.store.selectSignal(selectRequest(baselineCommands.compare.name));
  protected readonly changeWords = changeWords;
  protected readonly oneWords = oneWords;
  protected readonly baselinesFrom = listBaselines;
  protected readonly formats = [
    ['xlsx', 'XLSX'],
    ['csv', 'CSV'],
    ['docx', 'Document with marks'],
    ['pdf', 'The same on paper (PDF)'],
  ] as const;
  protected readonly documents = [
    ['docx', 'DOCX'],
    ['pdf', 'PDF'],
    ['html', 'HTML'],
    ['md', 'Markdown'],
    ['xlsx', 'XLSX'],
    ['csv', 'CSV'],
  ] as const;
  protected readonly view = computed(() => (this.show() === 'now' ? 'now' : this.show() === 'other' ? 'other' : 'then'));
  protected readonly words = computed(() => this.q() ?? '');
  protected readonly all = computed(() => this.comparison()?.counts.reduce((sum, { count }) => sum + count, 0) ?? 0);

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      untracked(() => this.store.dispatch(baselineCommands.get.start(at)));
    });
    effect((onCleanup) => {
      this.key();
      this.words();
      if (this.view() !== 'then') return;
      const timer = setTimeout(() => this.read(0), 120);
      onCleanup(() => clearTimeout(timer));
    });
    effect(() => {
      this.key();
      this.what();
      const view = this.view();
      if (view === 'now' || (view === 'other' && this.with())) untracked(() => this.compare(0));
    });
    // What is compared with now is compared again when somebody changed something.
    onChanged(['requirement', 'case'], () => this.view() === 'now' && this.compare(0));
  }

  protected read(skip: number): void {
    this.store.dispatch(baselineCommands.read.start({ project: this.scope.slug(), key: this.key(), skip, words: this.words() }));
  }

  protected compare(skip: number): void {
    const what = baselineChanges.find((name) => name === this.what());
    const other = this.view() === 'other' ? (this.with() ?? '') : '';
    this.store.dispatch(
      baselineCommands.compare.start({ project: this.scope.slug(), key: this.key(), skip, with: other, ...(what ? { what } : {}) }),
    );
  }

  protected other([row]: readonly PickedRow[]): void {
    this.go({ with: row.key });
  }

  /** What stood in it as a file: all, or what is found. */
  protected document(format: string): string {
    const asked = new URLSearchParams({ format, words: this.words() });
    return `/api/projects/${this.scope.slug()}/baselines/${this.key()}/document?${asked}`;
  }

  protected file(format: string): string {
    const other = this.view() === 'other' ? (this.with() ?? '') : '';
    return `/api/projects/${this.scope.slug()}/baselines/${this.key()}/comparison/file?${new URLSearchParams({ format, with: other })}`;
  }
}
