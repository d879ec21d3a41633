import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import type { GapRow } from '@contract/specify';
import {
  askReason,
  Icon,
  onAction,
  onChanged,
  ProblemNote,
  RecordLink,
  selectRequest,
  useAddress,
  useProject,
  useStatement,
} from '../../base';
import { SpecificationChips } from '../specification-chips';
import { SpecifyNav } from '../specify-nav';
import { gapCommands, gapFeature } from './state';
import { TraceRules } from './trace-rules';

/** What lacks and what contradicts, counted by rule; from each an exception can be granted, with a reason and a signature. */
@Component({
  selector: 'cp-gaps-page',
  imports: [Icon, MatButtonModule, MatProgressBarModule, ProblemNote, RecordLink, SpecificationChips, SpecifyNav, TraceRules],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head">
        <h1 class="grow">Gaps and contradictions</h1>
        <button class="chip" type="button" [attr.aria-expanded]="ruling()" (click)="ruling.set(!ruling())">
          <cp-icon name="rule" /> Rules of trace
        </button>
        @for (f of ['xlsx', 'csv']; track f) {
          <a class="chip" [href]="file(f)" download>{{ f.toUpperCase() }}</a>
        }
      </div>
      <cp-specify-nav />
      @if (ruling()) {
        <cp-trace-rules (closed)="ruling.set(false)" />
      }
      <div class="row" role="group" aria-label="Where">
        <cp-specification-chips [of]="of()" whole="The whole project" (chosen)="go({ of: $event })" />
      </div>
      <cp-problem [of]="names.list" /><cp-problem [of]="names.grant" /><cp-problem [of]="names.end" />
      @if (reading().pending && !found()) {
        <mat-progress-bar mode="indeterminate" aria-label="Looking for gaps" />
      }
      @if (found(); as f) {
        <p class="second">
          {{ open() }} in {{ f.checked }} requirements.
          @if (f.ended) {
            {{ f.ended === 1 ? 'One exception' : f.ended + ' exceptions' }} ended: what they rested on was revised.
          }
        </p>
        <div class="row" role="group" aria-label="Rules">
          <button class="chip" type="button" [attr.aria-pressed]="!rule()" (click)="go({ rule: null })">All {{ open() }}</button>
          @for (c of f.rules; track c.rule) {
            @if (c.open || c.excepted) {
              <button class="chip" type="button" [attr.aria-pressed]="rule() === c.rule" [title]="c.why" (click)="go({ rule: c.rule })">
                {{ c.name }} {{ c.open }}
              </button>
            }
          }
          <label class="check"
            ><input type="checkbox" [checked]="with() === '1'" (change)="go({ with: with() === '1' ? null : '1' })" /> with
            exceptions</label
          >
        </div>
        @if (f.rows.length) {
          <section class="sheet">
            <table class="list">
              <thead>
                <tr>
                  <th scope="col">Record</th>
                  <th scope="col">What</th>
                  <th scope="col">With</th>
                  <th scope="col"></th>
                </tr>
              </thead>
              <tbody>
                @for (g of f.rows; track g.rule + g.key + g.other) {
                  <tr>
                    <td>
                      <div class="row"><cp-record [kind]="g.kind" [key]="g.key" /> {{ g.title }}</div>
                    </td>
                    <td>
                      <b>{{ nameOf(g.rule) }}</b>&ngsp;<span class="second">{{ g.words }}</span>
                      @if (g.exception; as e) {
                        <div class="small">
                          <span class="tag">exception</span> {{ e.reason }} <span class="second">{{ e.by }}, {{ e.at.slice(0, 10) }}</span>
                        </div>
                      }
                    </td>
                    <td>
                      @if (g.otherKind; as kind) {
                        <cp-record [kind]="kind" [key]="g.other" />
                      }
                    </td>
                    <td>
                      @if (g.exception; as e) {
                        @if (mayEnd()) {
                          <button class="chip" type="button" (click)="end(g, e.id)">End it</button>
                        }
                      } @else if (reviewer()) {
                        <button class="chip" type="button" (click)="grant(g)">
                          Exception …<span class="hidden-visually"> for {{ g.key }}, {{ nameOf(g.rule) }}</span>
                        </button>
                      }
                    </td>
                  </tr>
                }
              </tbody>
            </table>
          </section>
          @if (f.rows.length < f.total) {
            <div>
              <button mat-stroked-button type="button" (click)="ask(f.rows.length)">Show more of {{ f.total }}</button>
            </div>
          }
        } @else {
          <div class="sheet empty">
            <h2>Nothing lacks here</h2>
            <p>Every rule is met{{ with() === '1' ? '' : ', or has its exception' }}.</p>
          </div>
        }
      }
    </div>
  `,
})
export class GapsPage {
  /** From the address: a specification, a rule, and whether with what has an exception. */
  readonly of = input<string>();
  readonly rule = input<string>();
  readonly with = input<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly go = useAddress();
  /** The rules are looked at. */
  protected readonly ruling = signal(false);
  private readonly dialogs = inject(MatDialog);
  private readonly statement = useStatement();
  protected readonly found = this.store.selectSignal(gapFeature.selectFound);
  protected readonly reading = this.store.selectSignal(selectRequest(gapCommands.list.name));
  protected readonly names = { list: gapCommands.list.name, grant: gapCommands.grant.name, end: gapCommands.end.name };
  protected readonly open = computed(() => this.found()?.rules.reduce((sum, { open }) => sum + open, 0) ?? 0);
  protected readonly reviewer = computed(() => this.scope.roles().includes('reviewer'));
  protected readonly mayEnd = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'reviewer'));

  constructor() {
    effect((onCleanup) => {
      this.of();
      this.rule();
      this.with();
      const timer = setTimeout(() => this.ask(0));
      onCleanup(() => clearTimeout(timer));
    });
    onChanged(['requirement', 'case'], () => this.ask(0));
    for (const done of [gapCommands.grant.done, gapCommands.end.done, gapCommands.saveRules.done]) onAction(done, () => this.ask(0));
  }

  private question() {
    const [specification, rule] = [this.of(), this.rule()];
    return {
      ...(specification ? { specification } : {}),
      ...(rule ? { rule } : {}),
      ...(this.with() === '1' ? { excepted: 'with' as const } : {}),
    };
  }

  protected ask(skip: number): void {
    this.store.dispatch(gapCommands.list.start({ project: this.scope.slug(), ...this.question(), skip }));
  }

  protected file(format: string): string {
    return `/api/projects/${this.scope.slug()}/gaps/file?${new URLSearchParams({ format, ...this.question() })}`;
  }

  protected nameOf(rule: string): string {
    return this.found()?.rules.find((r) => r.rule === rule)?.name ?? rule;
  }

  protected grant({ rule, key, other, ground, words }: GapRow): void {
    this.statement({
      title: `An exception for ${key}`,
      meaning: `${this.nameOf(rule)}: ${words} I have looked at it, and it may stay as it is until what it rests on is revised.`,
    }).subscribe(({ reason, password }) =>
      this.store.dispatch(gapCommands.grant.start({ project: this.scope.slug(), rule, key, other, ground, reason, password })),
    );
  }

  protected end({ key }: GapRow, id: number): void {
    askReason(this.dialogs, { title: 'End the exception', text: `${key} is told among the gaps again.`, confirm: 'End it' }).subscribe(
      (reason) => this.store.dispatch(gapCommands.end.start({ project: this.scope.slug(), id, reason })),
    );
  }
}
