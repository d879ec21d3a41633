import { ChangeDetectionStrategy, Component, effect, ElementRef, inject, input, signal, untracked, viewChild } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import { listRuns, type RunDetail, type RunSummary } from '@contract/run';
import { Api, Icon, useProject } from '../base';
import { openRunsOf } from './run-list';

/** After a run was recorded: the next one of its round that is one's own to record. It has the focus where nothing else has, so that Enter goes on. */
@Component({
  selector: 'cp-next-run',
  imports: [Icon, MatButtonModule, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (next(); as n) {
      <a #link mat-stroked-button [routerLink]="['/', scope.slug(), 'run', 'bench', n.key]"
        ><cp-icon name="play_arrow" /> Next: {{ n.caseKey }}{{ n.row === null ? '' : ' row ' + n.row }}, {{ left() }} to record</a
      >
    }
  `,
})
export class NextRun {
  readonly of = input.required<Pick<RunDetail, 'key' | 'round' | 'tester' | 'finishedAt'>>();
  protected readonly scope = useProject();
  private readonly api = inject(Api);
  private readonly link = viewChild('link', { read: ElementRef });
  protected readonly next = signal<RunSummary | null>(null);
  protected readonly left = signal(0);

  constructor() {
    effect(() => {
      const { round, tester, finishedAt } = this.of();
      const project = this.scope.slug();
      const mine = tester === this.scope.session()?.person.login && finishedAt !== null;
      untracked(() => void (mine ? this.ask(project, round, tester) : this.next.set(null)));
    });
    effect(() => {
      const link = this.link()?.nativeElement as HTMLElement | undefined;
      if (link && document.activeElement === document.body) link.focus();
    });
  }

  private async ask(project: string, round: string, tester: string): Promise<void> {
    const filter = openRunsOf(tester, { round });
    // Without it one goes on by the round.
    const page = await this.api.call(listRuns, { project, filter, sort: 'position', limit: 1 }).catch(() => undefined);
    this.next.set(page?.rows[0] ?? null);
    this.left.set(page?.total ?? 0);
  }
}
