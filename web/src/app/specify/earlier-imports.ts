import { DatePipe, DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed } from '@angular/core';
import type { Bulk } from '@contract/base';
import { baseActions, bulkCommands, bulkFeature, JobsPanel, onAction, ProblemNote, selectRequest, useProject } from '../base';

/** Tables that were imported before, each taken back as one. */
@Component({
  selector: 'cp-earlier-imports',
  imports: [DatePipe, DecimalPipe, JobsPanel, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'stack' },
  template: `
    <cp-jobs-panel kind="import" heading="Large imports" />
    @if (earlier().length) {
      <section class="sheet pad stack-s">
        <h2>Earlier imports</h2>
        <cp-problem [of]="undoName" />
        <table class="list">
          <thead>
            <tr>
              <th scope="col">File</th>
              <th scope="col">By</th>
              <th scope="col">When</th>
              <th scope="col" class="num">Written</th>
              <th scope="col"></th>
            </tr>
          </thead>
          <tbody>
            @for (b of earlier(); track b.id) {
              <tr>
                <td>{{ fileOf(b) }}</td>
                <td>{{ b.by }}</td>
                <td>{{ b.at | date: 'd MMM y, HH:mm' }}</td>
                <td class="num">{{ b.total | number }}</td>
                <td>
                  @if (b.undone) {
                    <span class="second">taken back</span>
                  } @else {
                    <button class="chip" type="button" [disabled]="undoing().pending > 0" (click)="undo(b)">Take back as one</button>
                  }
                </td>
              </tr>
            }
          </tbody>
        </table>
        <p class="second small">
          What changed since is left as it is. New ones are retired, changed ones get their earlier words, parents and place.
        </p>
      </section>
    }
  `,
})
export class EarlierImports {
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly acts = this.store.selectSignal(bulkFeature.selectList);
  protected readonly earlier = computed(() => this.acts().filter(({ act }) => act.act === 'import'));
  protected readonly undoing = this.store.selectSignal(selectRequest(bulkCommands.undo.name));
  protected readonly undoName = bulkCommands.undo.name;

  constructor() {
    const read = (): void => this.store.dispatch(bulkCommands.list.start({ project: this.scope.slug() }));
    read();
    onAction(baseActions.liveNews, ({ entries }) => {
      if (entries.some(({ kind }) => kind === 'import')) read();
    });
  }

  protected fileOf({ act }: Bulk): string {
    return act.act === 'import' ? act.fileName : '';
  }

  protected undo({ id }: Bulk): void {
    this.store.dispatch(bulkCommands.undo.start({ project: this.scope.slug(), id }));
  }
}
