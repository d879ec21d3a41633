import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { FlowShare, ReachCriterion } from '@core/design';
import { Icon } from '../../base';
import type { ChosenCoverage, ShownPath } from './model-tasks';

export const criterionWords: Readonly<Record<ReachCriterion, string>> = {
  nodes: 'Every step',
  edges: 'Every outcome',
  edgePairs: 'Every two in a row',
  primePaths: 'Prime paths',
  loops: 'Every path',
};
export const reachedWords: Readonly<Record<ReachCriterion, string>> = {
  nodes: 'steps',
  edges: 'outcomes and steps between',
  edgePairs: 'pairs',
  primePaths: 'prime paths',
  loops: 'paths',
};

/** How much a set of paths that was chosen by hand covers: of the criterion that is asked for, with the path that would add most, and of the others. */
@Component({
  selector: 'cp-chosen-set',
  imports: [Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row">
      <strong class="grow">{{ count() }} chosen: {{ percent(coverage()) }} %</strong>
      <span class="second">{{ coverage().covered }} of {{ coverage().of }} {{ reached[coverage().criterion] }}</span>
    </div>
    @if (others().length) {
      <ul class="row second" aria-label="Of the other criteria">
        @for (share of others(); track share.criterion) {
          <li [title]="share.covered + ' of ' + share.of + (share.complete ? '' : ' or more')">
            {{ words[share.criterion].toLowerCase() }} <b>{{ percent(share) }} %</b>
          </li>
        }
      </ul>
    }
    @if (coverage().best; as best) {
      <button class="chip" type="button" (click)="add.emit(best.path)">
        <cp-icon name="add" /> The path that adds most: {{ best.adds }} more
      </button>
    }
  `,
  styles: `
    :host(.pad) {
      display: flex;
      flex-direction: column;
      gap: 6px;
      padding: 10px 14px;
    }
    .row {
      gap: 4px 14px;
      flex-wrap: wrap;
    }
    strong {
      white-space: nowrap;
    }
  `,
  host: { class: 'sheet pad small' },
})
export class ChosenSet {
  readonly count = input.required<number>();
  readonly coverage = input.required<ChosenCoverage>();
  /** What it covers of each criterion, once that is worked out. */
  readonly shares = input.required<readonly FlowShare[]>();
  readonly add = output<ShownPath>();
  protected readonly words = criterionWords;
  protected readonly reached = reachedWords;
  protected readonly others = computed(() => this.shares().filter(({ criterion }) => criterion !== this.coverage().criterion));

  /** Whole percent, never rounded up to all. */
  protected percent({ covered, of }: Pick<ChosenCoverage, 'covered' | 'of'>): number {
    return of ? Math.floor((covered / of) * 100) : 100;
  }
}
