import { ChangeDetectionStrategy, Component, computed, effect, input, signal, inject, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import { listSpecifications } from '@contract/specify';
import { writeCsv } from '@core/base';
import { sufficiencyRuleNames, sufficiencyRules, type SufficiencyRule } from '@core/design';
import { Api, Icon, onNews, ProblemNote, RecordLink, selectRequest, useAddress, useProject } from '../../base';
import { DesignNav } from '../design-nav';
import { download } from '../models/download';
import { designCommands, designFeature } from '../state';

const pageSize = 100;

/** Whether there are enough cases and none too many: by rule, counted, filtered, exported; each leads to what is meant. */
@Component({
  selector: 'cp-sufficiency-page',
  imports: [DesignNav, FormsModule, Icon, MatButtonModule, ProblemNote, RecordLink, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <h1>Enough cases?</h1>
      <cp-design-nav />
      <div class="row end">
        <label class="field"
          ><span>Requirements of</span
          ><select class="in" name="spec" [ngModel]="spec() ?? ''" (ngModelChange)="go({ spec: $event || null })">
            <option value="">the whole project</option>
            @for (s of specifications(); track s.key) {
              <option [value]="s.key">{{ s.title }}</option>
            }
          </select></label
        >
        <label class="field"
          ><span>Few are fewer than</span
          ><input class="in few" type="number" min="2" max="20" name="few" [ngModel]="few()" (ngModelChange)="few.set($event ?? 2)"
        /></label>
        <label class="field grow"
          ><span>Filter by key or words</span
          ><input class="in" type="search" name="words" [ngModel]="q() ?? ''" (ngModelChange)="go({ q: $event || null })"
        /></label>
        <button class="chip" type="button" [disabled]="!found()?.rows?.length" (click)="file()"><cp-icon name="download" /> CSV</button>
      </div>
      <cp-problem [of]="name" />
      @if (found(); as f) {
        <p role="status">
          <strong>{{ f.boundaries.stand }} of {{ f.boundaries.of }}</strong> limits and their neighbours have a case at them;
          {{ f.requirements }} requirements and {{ f.cases }} cases were looked at.
        </p>
        <div class="row" role="group" aria-label="What is asked">
          <button class="chip" type="button" [attr.aria-pressed]="!rule()" (click)="go({ rule: null })">All {{ all() }}</button>
          @for (c of f.counts; track c.rule) {
            <button
              class="chip"
              type="button"
              [attr.aria-pressed]="rule() === c.rule"
              [disabled]="!c.count"
              [title]="rules[c.rule].why"
              (click)="go({ rule: c.rule })"
            >
              {{ rules[c.rule].name }} {{ c.count }}
            </button>
          }
        </div>
        @if (one(); as r) {
          <p class="row">
            <span class="second">{{ rules[r].why }}</span>
            @if (listAddress(); as address) {
              <a [routerLink]="address.path" [queryParams]="address.query">Show them in their list ›</a>
            }
          </p>
        }
        <section class="sheet pad" aria-label="Findings">
          @for (row of f.rows; track $index) {
            <div class="finding">
              <cp-record [kind]="rules[row.rule].of" [key]="row.key" />
              <span class="title">{{ row.title }}</span>
              @if (!rule()) {
                <span class="tag">{{ rules[row.rule].name }}</span>
              }
              <span class="second small grow">{{ row.words }}</span>
              @if (author() && row.rule === 'boundaries') {
                @for (key of row.others.slice(0, 2); track key) {
                  <a [routerLink]="['/', scope.slug(), 'design', key]" [queryParams]="{ edit: 1, propose: 1 }">Propose rows of {{ key }}</a>
                }
              }
              @if (row.rule === 'likeAnother' || row.rule === 'carried') {
                @for (other of row.others.slice(0, 6); track other) {
                  <cp-record kind="case" [key]="other" />
                }
              }
            </div>
          } @empty {
            <p class="second">Nothing is found: that is how it should be.</p>
          }
          @if (f.rows.length < f.total) {
            <button mat-stroked-button type="button" (click)="ask(f.rows.length)">Show more of {{ f.total }}</button>
          }
        </section>
      } @else {
        <p class="empty" role="status">{{ asking().pending ? 'Looking through requirements and cases …' : '' }}</p>
      }
    </div>
  `,
  styles: `
    .finding {
      display: flex;
      gap: 10px;
      align-items: baseline;
      flex-wrap: wrap;
      padding: 6px 0;
      border-top: 1px solid var(--hairline);
    }
    .finding:first-child {
      border: 0;
    }
    .finding .grow {
      flex-basis: 200px;
    }
    .few {
      width: 90px;
    }
  `,
})
export class SufficiencyPage {
  readonly spec = input<string>();
  readonly rule = input<string>();
  readonly q = input<string>();
  protected readonly scope = useProject();
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  private readonly store = this.scope.store;
  private readonly api = inject(Api);
  protected readonly go = useAddress();
  protected readonly rules = sufficiencyRules;
  protected readonly name = designCommands.sufficiency.name;
  protected readonly asking = this.store.selectSignal(selectRequest(this.name));
  protected readonly found = this.store.selectSignal(designFeature.selectSufficiency);
  protected readonly few = signal(2);
  protected readonly specifications = signal<readonly { readonly key: string; readonly title: string }[]>([]);
  protected readonly all = computed(() => this.found()?.counts.reduce((sum, c) => sum + c.count, 0) ?? 0);
  protected readonly one = computed((): SufficiencyRule | undefined => sufficiencyRuleNames.find((name) => name === this.rule()));

  /** The list of requirements or of cases with just these in it. */
  protected readonly listAddress = computed(() => {
    const rule = this.one();
    const keys = [...new Set((this.found()?.rows ?? []).map((row) => row.key))];
    if (!rule || !keys.length) return null;
    const ofCases = sufficiencyRules[rule].of === 'case';
    // What the list can ask for itself stays true when cases change; the rest names its records.
    const f =
      rule === 'boundaries'
        ? ['openBoundaries:some', ...(this.spec() ? [`specification:${this.spec()}`] : [])].join(' ')
        : `key:${keys.join(',')}`;
    return { path: ['/', this.scope.slug(), ofCases ? 'design' : 'specify'], query: ofCases ? { f } : { l: 1, f } };
  });

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(
        () =>
          void this.api.call(listSpecifications, { project }).then(
            (list) => this.specifications.set(list),
            () => undefined,
          ),
      );
    });
    effect((onCleanup) => {
      this.spec();
      this.one();
      this.q();
      this.few();
      this.scope.build();
      const timer = setTimeout(() => untracked(() => this.ask(0)), 150);
      onCleanup(() => clearTimeout(timer));
    });
    onNews(5000, () => this.ask(0));
  }

  protected ask(skip: number): void {
    const [spec, rule, build] = [this.spec(), this.one(), this.scope.build()];
    this.store.dispatch(
      designCommands.sufficiency.start({
        project: this.scope.slug(),
        few: Math.max(2, Math.min(20, Math.round(this.few()))),
        words: this.q() ?? '',
        skip,
        limit: pageSize,
        ...(spec ? { specification: spec } : {}),
        ...(rule ? { rule } : {}),
        ...(build ? { build } : {}),
      }),
    );
  }
  protected file(): void {
    const rows = this.found()?.rows ?? [];
    const cells = rows.map((r) => [sufficiencyRules[r.rule].name, r.key, r.title, r.words, r.others.join(' ')]);
    download('enough.csv', 'text/csv', writeCsv(['what', 'key', 'title', 'words', 'others'], cells));
  }
}
