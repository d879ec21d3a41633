import { ChangeDetectionStrategy, Component, computed, effect, inject, untracked, viewChild } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { knots, type Knot } from '@core/base';
import { knotWords, leftWords, stateCountWords } from '@core/prove';
import {
  CellTemplate,
  CordDrawing,
  HeadTemplate,
  Icon,
  knotIcons,
  ProblemNote,
  RecordLink,
  recordLink,
  RecordList,
  RowTemplate,
  useProject,
  type FilterField,
} from '../base';
import { cordKind, nextOf } from './cord-list';
import { proveCommands, proveFeature } from './state';

const totalWords: Record<Knot, string> = { specify: 'Specified', design: 'Designed', run: 'Run', measure: 'Measured', prove: 'Proved' };

/** The home of a project: what its cords add up to on the build, and each with the first break in words and its next action. */
@Component({
  selector: 'cp-board-page',
  imports: [CellTemplate, CordDrawing, HeadTemplate, Icon, ProblemNote, RecordLink, RecordList, RouterLink, RowTemplate],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './board-page.html',
  styleUrl: './board-page.scss',
})
export class BoardPage {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly kind = cordKind(this.scope.slug);
  protected readonly list = viewChild<RecordList<never>>(RecordList);
  protected readonly totals = this.store.selectSignal(proveFeature.selectTotals);
  protected readonly boardName = proveCommands.getBoard.name;
  protected readonly knots = knots;
  protected readonly knotWords = knotWords;
  protected readonly allStates = stateCountWords;
  protected readonly leftWords = leftWords;
  protected readonly totalWords = totalWords;
  protected readonly icons = knotIcons;
  protected readonly breaks = computed(() => (this.totals()?.counts['all'] ?? 0) - (this.totals()?.counts['proved'] ?? 0));
  protected readonly of = computed(() => ({ build: this.scope.build() }));
  protected readonly levels = computed((): FilterField[] => [
    { name: 'level', words: 'Level', type: 'text', values: this.scope.project()?.profile.levels ?? [] },
  ]);
  /** The knot whose breaks are shown, where a total was pressed. */
  protected readonly shownKnot = computed(() => /^break:(\w+)$/.exec(this.list()?.text().trim() ?? '')?.[1]);

  constructor() {
    effect((onCleanup) => {
      this.scope.judged();
      const at = { project: this.scope.slug(), build: this.scope.build() };
      if (!at.project || !at.build) return;
      // Ten judgements in one moment are read once.
      const timer = setTimeout(() => this.store.dispatch(proveCommands.getBoard.start(at)), untracked(this.totals) ? 60 : 0);
      onCleanup(() => clearTimeout(timer));
    });
  }

  /** Shows the cords that break at a knot; all of them where they are shown already. */
  protected choose(knot: Knot): void {
    this.list()?.ask(this.shownKnot() === knot ? '' : `f=break:${knot}`);
  }

  protected readonly link = (row: Parameters<typeof nextOf>[1]) => nextOf(this.scope.slug(), row);

  protected go(row: Parameters<typeof nextOf>[1]): void {
    const to = this.link(row);
    if (to) void this.router.navigate([...to.path], { queryParams: to.query ?? {} });
  }

  protected open(key: string): void {
    void this.router.navigate([...recordLink(this.scope.slug(), { kind: 'requirement', key }).path]);
  }
}
