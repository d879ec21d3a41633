import { ChangeDetectionStrategy, Component, computed, effect, input, signal, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { wordingRules, type WordingRule } from '@core/specify';
import { Icon, onChanged, ProblemNote, RecordLink, selectRequest, useAddress, useProject } from '../../base';
import { SpecificationChips } from '../specification-chips';
import { SpecifyNav } from '../specify-nav';
import { specifyCommands, specifyFeature } from '../state';
import { WordingLists } from './wording-lists';

const pageSize = 100;

/** What the texts of a specification lack in wording: counted by rule, and each requirement with the words that were found. */
@Component({
  selector: 'cp-wording-page',
  imports: [MatButtonModule, MatProgressBarModule, Icon, ProblemNote, RecordLink, SpecificationChips, SpecifyNav, WordingLists],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head">
        <h1 class="grow">Wording</h1>
        <button class="chip" type="button" [attr.aria-expanded]="editing()" (click)="editing.set(!editing())">
          <cp-icon name="settings" /> Words and glossary
        </button>
      </div>
      <cp-specify-nav />
      @if (editing()) {
        <cp-wording-lists (closed)="editing.set(false)" />
      }
      <div class="row" role="group" aria-label="Specifications">
        <cp-specification-chips [of]="of()" (chosen)="go({ of: $event, rule: null })" />
      </div>
      <cp-problem [of]="name" />
      @if (reading().pending && !report()) {
        <mat-progress-bar mode="indeterminate" aria-label="Checking the texts" />
      }
      @if (report(); as r) {
        <p class="second">
          {{ r.open }} of {{ r.checked }} requirements have an open finding. Checked by rules after the characteristics of ISO/IEC/IEEE
          29148; a finding is a question, not a fault.
        </p>
        <div class="row" role="group" aria-label="Rules">
          <button class="chip" type="button" [attr.aria-pressed]="!rule()" (click)="go({ rule: null })">All {{ all() }}</button>
          @for (c of r.rules; track c.rule) {
            @if (c.open || c.dismissed) {
              <button
                class="chip"
                type="button"
                [attr.aria-pressed]="rule() === c.rule"
                [title]="c.dismissed ? c.dismissed + ' more were let stand' : ''"
                (click)="go({ rule: c.rule })"
              >
                {{ nameOf(c.rule) }} {{ c.open }}
              </button>
            }
          }
          <label class="check"
            ><input type="checkbox" [checked]="with() === '1'" (change)="go({ with: with() === '1' ? null : '1' })" /> with those let
            stand</label
          >
        </div>
        @if (r.rows.length) {
          <section class="sheet">
            <table class="list">
              <thead>
                <tr>
                  <th scope="col">Requirement</th>
                  <th scope="col">Text</th>
                  <th scope="col">Findings</th>
                </tr>
              </thead>
              <tbody>
                @for (row of r.rows; track row.key) {
                  <tr>
                    <td class="nowrap"><cp-record kind="requirement" [key]="row.key" /></td>
                    <td>
                      @for (piece of pieces(row); track $index) {
                        <span [class.found]="piece.found">{{ piece.text }}</span>
                      }
                    </td>
                    <td>
                      @for (f of row.findings; track f.rule + f.from) {
                        <div class="small">
                          <b>{{ nameOf(f.rule) }}</b>
                          @if (f.words) {
                            : “{{ f.words }}”
                          }
                          <span class="second">{{ f.dismissed === null ? whyOf(f.rule) : 'stands: ' + f.dismissed }}</span>
                        </div>
                      }
                    </td>
                  </tr>
                }
              </tbody>
            </table>
          </section>
          @if (r.rows.length < r.total) {
            <div>
              <button mat-stroked-button type="button" (click)="ask(r.rows.length)">Show more of {{ r.total }}</button>
            </div>
          }
        } @else {
          <div class="sheet empty">
            <h2>Nothing is found here</h2>
            <p>{{ r.checked ? 'No rule has anything to ask of these texts.' : 'This specification has no requirement yet.' }}</p>
          </div>
        }
      }
    </div>
  `,
  styles: `
    .found {
      text-decoration: underline wavy var(--waiting);
    }
    .nowrap {
      white-space: nowrap;
    }
    td {
      vertical-align: top;
    }
  `,
})
export class WordingPage {
  /** From the address: the specification, the rule, and whether with what was let stand. */
  readonly of = input<string>();
  readonly rule = input<string>();
  readonly with = input<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly go = useAddress();
  protected readonly specifications = this.store.selectSignal(specifyFeature.selectSpecifications);
  protected readonly report = this.store.selectSignal(specifyFeature.selectWordingReport);
  protected readonly reading = this.store.selectSignal(selectRequest(specifyCommands.reportWording.name));
  protected readonly name = specifyCommands.reportWording.name;
  protected readonly editing = signal(false);
  protected readonly all = computed(() => this.report()?.rules.reduce((sum, { open }) => sum + open, 0) ?? 0);

  constructor() {
    effect(() => {
      if (!this.of()) {
        const first = this.specifications().at(0)?.key;
        if (first) untracked(() => this.go({ of: first }));
        return;
      }
      this.rule();
      this.with();
      untracked(() => this.ask(0));
    });
    onChanged(['requirement', 'project', 'specification'], () => this.of() && this.ask(0));
  }

  protected ask(skip: number): void {
    const rule = this.rule();
    this.store.dispatch(
      specifyCommands.reportWording.start({
        project: this.scope.slug(),
        key: this.of() ?? '',
        skip,
        limit: pageSize,
        ...(rule ? { rule } : {}),
        ...(this.with() === '1' ? { dismissed: 'with' as const } : {}),
      }),
    );
  }

  protected nameOf(rule: string): string {
    return wordingRules[rule as WordingRule].name;
  }

  protected whyOf(rule: string): string {
    return wordingRules[rule as WordingRule].why;
  }

  /** A text in pieces, those marked in which something was found. */
  protected pieces({
    text,
    findings,
  }: {
    text: string;
    findings: readonly { from: number; to: number }[];
  }): { text: string; found: boolean }[] {
    const pieces: { text: string; found: boolean }[] = [];
    let at = 0;
    for (const { from, to } of findings) {
      if (to <= at) continue;
      if (from > at) pieces.push({ text: text.slice(at, from), found: false });
      pieces.push({ text: text.slice(Math.max(at, from), to), found: true });
      at = to;
    }
    return [...pieces, { text: text.slice(at), found: false }];
  }
}
