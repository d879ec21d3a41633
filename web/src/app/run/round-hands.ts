import { DragDropModule, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { doBulk, previewBulk, undoBulk, type Selection } from '@contract/base';
import type { RoundDetail, RunSummary } from '@contract/run';
import { Api, failureWords, Icon, useProject } from '../base';
import { useTesters } from './testers';

interface Given {
  readonly id: number;
  readonly words: string;
}

/** Who records the runs of a round, with what is left for each: runs that are dropped on somebody are theirs, and can be taken back. */
@Component({
  selector: 'cp-round-hands',
  imports: [DragDropModule, MatButtonModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row" role="group" aria-label="Who records">
      <span class="second small">Drag a tester’s name onto who is to record the run:</span>
      @for (person of people(); track person.login) {
        <div
          class="hand"
          cdkDropList
          [cdkDropListData]="person.login"
          [cdkDropListSortingDisabled]="true"
          [cdkDropListDisabled]="busy()"
          [attr.data-login]="person.login"
          (cdkDropListDropped)="drop($event)"
        >
          <cp-icon name="person" /> {{ person.name }} <span class="second">{{ person.left }}</span>
        </div>
      }
    </div>
    @if (given(); as g) {
      <div class="note" role="status">
        <span class="grow">{{ g.words }}</span>
        @if (g.id) {
          <button mat-stroked-button type="button" (click)="takeBack(g)">Take it back</button>
        }
      </div>
    }
    @if (fault()) {
      <p class="fault" role="alert">{{ fault() }}</p>
    }
  `,
  styles: `
    .hand {
      display: flex;
      gap: 6px;
      align-items: center;
      min-height: 36px;
      padding: 4px 12px;
      background: var(--lane);
      border: 1px solid var(--hairline);
      border-radius: 999px;
    }
    .hand.cdk-drop-list-receiving {
      outline: 2px dashed var(--hairline-strong);
    }
    .hand.cdk-drop-list-dragging {
      outline: 2px solid var(--cord);
    }
    .hand ::ng-deep .cdk-drag-placeholder {
      display: none;
    }
  `,
})
export class RoundHands {
  readonly round = input.required<RoundDetail>();
  /** What is chosen in the list: where the run that is dragged is among it, all of it goes. */
  readonly selection = input<Selection | null>(null);
  private readonly scope = useProject();
  private readonly testers = useTesters();
  private readonly api = inject(Api);
  protected readonly busy = signal(false);
  protected readonly given = signal<Given | null>(null);
  protected readonly fault = signal('');
  protected readonly people = computed(() => {
    const { items, left } = this.round();
    const open = items.filter((run) => run.state === 'planned' || run.state === 'onBench');
    return this.testers().map(({ login, printedName }) => {
      const theirs = open.filter((run) => run.tester === login);
      // Where the round is larger than what came of it, it says itself what is left.
      const mine = left
        ? left.find(({ tester }) => tester === login)
        : { runs: theirs.length, minutes: theirs.reduce((sum, run) => sum + run.plannedMinutes, 0) };
      return { login, name: printedName, left: mine?.runs ? `${mine.runs} · ${mine.minutes} min` : 'none' };
    });
  });

  protected drop({ item, container }: CdkDragDrop<string, unknown, RunSummary>): void {
    void this.give(item.data, container.data);
  }

  private async give(run: RunSummary, tester: string): Promise<void> {
    const chosen = this.selection();
    const many = chosen && (chosen.keys === undefined || chosen.keys.includes(run.key));
    if (!many && run.tester === tester) return;
    const selection: Selection = many ? chosen : { kind: 'run', keys: [run.key] };
    const act = { act: 'reassign', tester } as const;
    const asked = { project: this.scope.slug(), selection, act, reason: 'Given by drag while the round was shared out.' };
    await this.done(async () => {
      const { changed, digest, items } = await this.api.call(previewBulk, asked);
      const refused = items.find(({ outcome }) => outcome === 'refused')?.words;
      if (!changed) return this.given.set({ id: 0, words: `Nothing was given: ${refused ?? 'there is no run'}.` });
      const bulk = await this.api.call(doBulk, { ...asked, digest, password: '' });
      const name = this.people().find(({ login }) => login === tester)?.name ?? tester;
      const left = bulk.refused ? `; ${bulk.refused} stay where they are: ${refused ?? ''}` : '';
      this.given.set({ id: bulk.id, words: `${changed} ${changed === 1 ? 'run' : 'runs'} given to ${name}${left}` });
    });
  }

  protected async takeBack({ id }: Given): Promise<void> {
    await this.done(async () => {
      const bulk = await this.api.call(undoBulk, { project: this.scope.slug(), id });
      this.given.set({ id: 0, words: bulk.refused ? 'Taken back, but for what was begun meanwhile.' : 'Taken back.' });
    });
  }

  private async done(work: () => Promise<void>): Promise<void> {
    this.busy.set(true);
    this.fault.set('');
    try {
      await work();
    } catch (error) {
      this.fault.set(failureWords(error));
    } finally {
      this.busy.set(false);
    }
  }
}
