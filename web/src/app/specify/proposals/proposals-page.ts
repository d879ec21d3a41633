import { ChangeDetectionStrategy, Component, computed, effect, input, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import type { Proposal } from '@contract/specify';
import {
  firstMissing,
  Icon,
  Needs,
  onAction,
  onChanged,
  ProblemNote,
  RecordLink,
  selectRequest,
  toggled,
  useAddress,
  useProject,
} from '../../base';
import { SpecificationChips } from '../specification-chips';
import { SpecifyNav } from '../specify-nav';
import { proposalCommands, proposalFeature } from './state';

const pairOf = ({ from, to }: Proposal): string => `${from.key} ${to.key}`;

/** Traces that are likely by shared words: looked at, chosen, and linked at once. Nothing is linked without a person. */
@Component({
  selector: 'cp-proposals-page',
  imports: [Icon, MatButtonModule, MatProgressBarModule, Needs, ProblemNote, RecordLink, SpecificationChips, SpecifyNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head"><h1 class="grow">Proposed traces</h1></div>
      <cp-specify-nav />
      <div class="row" role="group" aria-label="What is looked for">
        <button class="chip" type="button" [attr.aria-pressed]="looked() === 'verifies'" (click)="go({ kind: null })">
          Cases that verify
        </button>
        <button class="chip" type="button" [attr.aria-pressed]="looked() === 'parent'" (click)="go({ kind: 'parent' })">Parents</button>
        <span class="second">of</span>
        <cp-specification-chips [of]="of()" whole="the whole project" (chosen)="go({ of: $event })" />
        <label class="check"
          ><input type="checkbox" [checked]="all() === '1'" (change)="go({ all: all() === '1' ? null : '1' })" /> also of those that have
          one</label
        >
      </div>
      <cp-problem [of]="names.list" /><cp-problem [of]="names.add" />
      @if (reading().pending) {
        <mat-progress-bar mode="indeterminate" aria-label="Comparing words" />
      }
      @if (found(); as f) {
        @if (f.proposals.length) {
          <div class="row">
            <span class="second"
              >{{ f.proposals.length }}{{ f.more ? ' of more' : '' }} likely pairs among {{ f.looked.from }} and
              {{ f.looked.to }} texts.</span
            >
            <span class="grow"></span>
            <button class="chip" type="button" (click)="likely(60)">Choose those of 60 % and more</button>
            @if (author()) {
              <button mat-flat-button type="button" [cpNeeds]="missing" (click)="link()">
                <cp-icon name="add_link" /> Link {{ chosen().size || '' }}
              </button>
            }
          </div>
          <section class="sheet">
            <table class="list fixed">
              <thead>
                <tr>
                  <th scope="col"><span class="hidden-visually">Chosen</span></th>
                  <th scope="col">{{ looked() === 'verifies' ? 'Case' : 'Requirement' }}</th>
                  <th scope="col">{{ looked() === 'verifies' ? 'Requirement' : 'Parent' }}</th>
                  <th scope="col">Because of</th>
                  <th scope="col" class="num">Likely</th>
                </tr>
              </thead>
              <tbody>
                @for (p of f.proposals; track pairOf(p)) {
                  <tr>
                    <td>
                      <input
                        type="checkbox"
                        [attr.aria-label]="p.from.key + ' to ' + p.to.key"
                        [checked]="chosen().has(pairOf(p))"
                        (change)="toggle(p)"
                      />
                    </td>
                    <td>
                      <cp-record [kind]="p.from.kind" [key]="p.from.key" /> {{ p.from.title }}
                      <div class="second small text">{{ p.from.text }}</div>
                    </td>
                    <td>
                      <cp-record [kind]="p.to.kind" [key]="p.to.key" /> {{ p.to.title }}
                      <div class="second small text">{{ p.to.text }}</div>
                    </td>
                    <td>
                      @for (w of p.words; track w) {
                        <span class="tag">{{ w }}</span>
                      }
                    </td>
                    <td class="num">{{ p.likely }} %</td>
                  </tr>
                }
              </tbody>
            </table>
          </section>
        } @else if (!reading().pending) {
          <div class="sheet empty">
            <h2>Nothing is likely here</h2>
            <p>{{ f.looked.from }} and {{ f.looked.to }} texts were compared by the words that tell what they are of.</p>
          </div>
        }
      }
    </div>
  `,
  styles: `
    .fixed {
      table-layout: fixed;
    }
    th:first-child {
      width: 34px;
    }
    th:nth-child(4) {
      width: 24%;
    }
    th:last-child {
      width: 70px;
    }
    td {
      vertical-align: top;
    }
    .text {
      display: -webkit-box;
      -webkit-line-clamp: 2;
      -webkit-box-orient: vertical;
      overflow: hidden;
    }
    .tag {
      margin: 0 3px 3px 0;
    }
  `,
})
export class ProposalsPage {
  /** From the address: the kind of trace, a specification, and whether of all. */
  readonly kind = input<string>();
  readonly of = input<string>();
  readonly all = input<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly pairOf = pairOf;
  protected readonly go = useAddress();
  protected readonly looked = computed(() => (this.kind() === 'parent' ? 'parent' : 'verifies'));
  protected readonly found = this.store.selectSignal(proposalFeature.selectFound);
  protected readonly reading = this.store.selectSignal(selectRequest(proposalCommands.list.name));
  protected readonly names = { list: proposalCommands.list.name, add: proposalCommands.add.name };
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly chosen = signal<ReadonlySet<string>>(new Set());
  protected readonly missing = (): string => firstMissing([!this.chosen().size, 'Choose the pairs that belong together.']);

  constructor() {
    effect((onCleanup) => {
      this.looked();
      this.of();
      this.all();
      const timer = setTimeout(() => this.ask());
      onCleanup(() => clearTimeout(timer));
    });
    onChanged(['requirement', 'case'], () => this.ask());
    onAction(proposalCommands.add.done, () => this.chosen.set(new Set()));
  }

  private ask(): void {
    const of = this.of();
    this.store.dispatch(
      proposalCommands.list.start({
        project: this.scope.slug(),
        kind: this.looked(),
        lacking: this.all() === '1' ? 'no' : 'yes',
        ...(of ? { specification: of } : {}),
      }),
    );
  }

  protected toggle(p: Proposal): void {
    this.chosen.update((all) => toggled(all, pairOf(p)));
  }

  protected likely(least: number): void {
    this.chosen.set(new Set((this.found()?.proposals ?? []).filter((p) => p.likely >= least).map(pairOf)));
  }

  protected link(): void {
    const pairs = (this.found()?.proposals ?? [])
      .filter((p) => this.chosen().has(pairOf(p)))
      .map(({ from, to }) => ({ from: from.key, to: to.key }));
    this.store.dispatch(proposalCommands.add.start({ project: this.scope.slug(), kind: this.looked(), pairs }));
  }
}
