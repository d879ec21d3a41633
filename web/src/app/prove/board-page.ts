import { CdkVirtualScrollViewport, ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked, viewChild } from '@angular/core';
import { MatMenuModule } from '@angular/material/menu';
import { Router, RouterLink } from '@angular/router';
import { knots, perKnot, type Knot } from '@core/base';
import { knotWords, leftWords, stateCountWords, type BoardFilter } from '@core/prove';
import type { BoardRow } from '@contract/prove';
import { actionLink, CordDrawing, Icon, ProblemNote, RecordLink, recordLink, useProject, listMove, showRow, knotIcons } from '../base';
import { proveCommands, proveFeature } from './state';

const page = 60;
const totalWords: Record<Knot, string> = { specify: 'Specified', design: 'Designed', run: 'Run', measure: 'Measured', prove: 'Proved' };
const sorts = [
  ['key', 'Key'],
  ['title', 'Requirement'],
  ['level', 'Level'],
  ['break', 'First break'],
] as const;

const rowHeight = 52;

const coming: BoardRow = { key: '', title: '…', level: ' ', states: perKnot(() => 'notReached'), below: null, break: null };

/** The home of a project: every requirement's cord on the build, the first break in words and its next action. */
@Component({
  selector: 'cp-board-page',
  imports: [ScrollingModule, MatMenuModule, RouterLink, CordDrawing, RecordLink, Icon, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './board-page.html',
  styleUrl: './board-page.scss',
})
export class BoardPage {
  protected readonly scope = useProject();
  protected readonly rowHeight = rowHeight;
  protected readonly coming = coming;
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  private readonly view = viewChild(CdkVirtualScrollViewport);
  protected readonly rows = this.store.selectSignal(proveFeature.selectRows);
  protected readonly total = this.store.selectSignal(proveFeature.selectTotal);
  protected readonly totals = this.store.selectSignal(proveFeature.selectTotals);
  protected readonly boardName = proveCommands.getBoard.name;
  protected readonly filter = signal<BoardFilter>('all');
  protected readonly words = signal('');
  protected readonly sort = signal<(typeof sorts)[number][0]>('key');
  protected readonly picked = signal(0);
  private readonly asked = new Set<number>();
  protected readonly knots = knots;
  protected readonly knotWords = knotWords;
  protected readonly allStates = stateCountWords;
  protected readonly leftWords = leftWords;
  protected readonly totalWords = totalWords;
  protected readonly icons = knotIcons;
  protected readonly sorts = sorts;
  protected readonly main = computed(() => {
    const counts = this.totals()?.counts;
    return (['all', 'broken', 'waiting', 'suspect', 'proved'] as const).map((name) => ({
      name,
      label: name === 'all' ? 'All' : name.charAt(0).toUpperCase() + name.slice(1),
      count: counts?.[name] ?? 0,
    }));
  });
  protected readonly breaks = computed(() => (this.totals()?.counts['all'] ?? 0) - (this.totals()?.counts['proved'] ?? 0));

  constructor() {
    // A new question, or something judged anew: what is in view is read again.
    effect((onCleanup) => {
      this.scope.judged();
      const question = {
        project: this.scope.slug(),
        build: this.scope.build(),
        filter: this.filter(),
        q: this.words().trim(),
        sort: this.sort(),
      };
      if (!question.project || !question.build) return;
      const timer = setTimeout(
        () =>
          untracked(() => {
            this.asked.clear();
            this.ask(Math.floor((this.view()?.getRenderedRange().start ?? 0) / page));
          }),
        untracked(this.totals) ? 60 : 0,
      );
      onCleanup(() => clearTimeout(timer));
    });
  }

  private ask(at: number): void {
    if (this.asked.has(at)) return;
    this.asked.add(at);
    this.store.dispatch(
      proveCommands.getBoard.start({
        project: this.scope.slug(),
        build: this.scope.build(),
        filter: this.filter(),
        q: this.words().trim(),
        sort: this.sort(),
        offset: at * page,
        limit: page,
      }),
    );
  }

  /** Reads the pages that came into view. */
  protected scrolled(): void {
    const range = this.view()?.getRenderedRange();
    if (!range) return;
    for (
      let at = Math.floor(range.start / page);
      at <= Math.floor(Math.max(range.start, range.end - 1) / page) && at * page < this.total();
      at++
    )
      if (!this.rows()[at * page]) this.ask(at);
  }

  protected choose(filter: BoardFilter): void {
    this.filter.set(filter);
    this.picked.set(0);
    this.view()?.scrollToIndex(0);
  }

  protected next(row: BoardRow): void {
    if (!row.break) return this.open(row);
    const link = actionLink(this.scope.slug(), row.break.action);
    void this.router.navigate([...link.path], { queryParams: link.query });
  }

  protected link(row: BoardRow) {
    return row.break
      ? actionLink(this.scope.slug(), row.break.action)
      : recordLink(this.scope.slug(), { kind: 'requirement', key: row.key });
  }

  protected open(row: BoardRow): void {
    void this.router.navigate([...recordLink(this.scope.slug(), { kind: 'requirement', key: row.key }).path]);
  }

  protected keys(event: KeyboardEvent): void {
    const at = this.picked();
    const to = listMove(event.key, at, this.total() - 1);
    if (to !== undefined) {
      event.preventDefault();
      this.picked.set(to);
      showRow(this.view(), to, rowHeight);
    } else if ((event.target as HTMLElement).tagName !== 'A' && this.rows()[at]) {
      if (event.key === 'Enter') this.next(this.rows()[at] as BoardRow);
      else if (event.key === ' ') this.open(this.rows()[at] as BoardRow);
      else return;
      event.preventDefault();
    }
  }
}
