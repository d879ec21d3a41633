import { LiveAnnouncer } from '@angular/cdk/a11y';
import { DragDropModule, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, output, resource, signal } from '@angular/core';
import type { Page } from '@contract/base';
import { listProblems, type Problem, type ProblemLife } from '@contract/run';
import { missingAt, moveRefusal } from '@core/run';
import { Api, Icon, onChanged, useProject } from '../base';

/** So many reports of a stage are read at a time. */
const atATime = 30;

/** A report that is to come to a stage, and whether something must be said of it before. */
export interface BoardMove {
  readonly problem: Problem;
  readonly stage: string;
  readonly asks: boolean;
}

interface Column {
  readonly name: string;
  readonly rows: readonly Problem[];
  readonly total: number;
}

/**
 * Problem reports by stage: moved by drag and by keys, only where the life of reports lets them go. What a stage asks for is asked on
 * the report's own page.
 */
@Component({
  selector: 'cp-problem-board',
  imports: [DragDropModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <p class="second small hint">Enter opens a report, Alt and an arrow move it; so does dragging. A column shows what was changed last.</p>
    @if (refused()) {
      <p class="fault" role="alert">{{ refused() }}</p>
    }
    <div class="board" cdkDropListGroup>
      @for (stage of life().stages; track stage.name; let at = $index) {
        <section class="column" [attr.aria-label]="stage.title">
          <h2>
            {{ stage.title }} <span class="second">{{ column(stage.name).total }}</span>
          </h2>
          <div
            class="cards"
            role="list"
            cdkDropList
            [cdkDropListData]="stage.name"
            [cdkDropListSortingDisabled]="true"
            (cdkDropListDropped)="drop($event)"
          >
            @for (p of column(stage.name).rows; track p.key) {
              <div role="listitem" cdkDrag [cdkDragData]="p" [cdkDragDisabled]="!may()">
                <button
                  type="button"
                  class="card sheet"
                  [attr.data-key]="p.key"
                  (click)="opened.emit(p.key)"
                  (keydown)="press($event, p, at)"
                >
                  <span class="row"
                    ><b class="key">{{ p.key }}</b
                    ><span class="grow"></span>
                    @if (p.severity) {
                      <span class="tag waiting">{{ p.severity }}</span>
                    }
                    @if (p.blocking && p.state === 'open') {
                      <span class="tag broken">blocks</span>
                    }
                  </span>
                  <span class="title">{{ p.title }}</span>
                  <span class="second small">{{ about(p) }}</span>
                </button>
              </div>
            }
          </div>
          @if (column(stage.name).rows.length < column(stage.name).total) {
            <button type="button" class="chip" (click)="more(stage.name)"><cp-icon name="keyboard_arrow_down" /> Show more</button>
          }
        </section>
      }
    </div>
  `,
  styles: `
    .hint {
      margin: 0 0 8px;
    }
    .board {
      display: flex;
      gap: 12px;
      align-items: flex-start;
      overflow-x: auto;
      padding-bottom: 8px;
    }
    .column {
      flex: 1 0 160px;
      min-width: 0;
      max-width: 340px;
      display: flex;
      flex-direction: column;
      gap: 8px;
    }
    .column h2 {
      font-size: 14px;
    }
    .cards {
      display: flex;
      flex-direction: column;
      gap: 8px;
      min-height: 120px;
      border-radius: 12px;
      background: var(--lane);
      padding: 8px;
    }
    .cards.cdk-drop-list-dragging,
    .cards.cdk-drop-list-receiving {
      outline: 2px dashed var(--hairline-strong);
    }
    .card {
      width: 100%;
      display: flex;
      flex-direction: column;
      gap: 4px;
      padding: 10px 12px;
      text-align: left;
      font: inherit;
      color: inherit;
      cursor: pointer;
    }
    .title {
      line-height: 1.3;
    }
  `,
})
export class ProblemBoard {
  readonly life = input.required<ProblemLife>();
  readonly opened = output<string>();
  readonly moved = output<BoardMove>();
  private readonly api = inject(Api);
  private readonly scope = useProject();
  private readonly voice = inject(LiveAnnouncer);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly shown = signal<Readonly<Record<string, number>>>({});
  protected readonly refused = signal('');
  protected readonly may = computed(() => this.scope.roles().some((r) => r === 'author' || r === 'tester' || r === 'reviewer'));
  private readonly columns = resource({
    params: () => ({ project: this.scope.slug(), stages: this.life().stages.map(({ name }) => name), shown: this.shown() }),
    loader: ({ params }) => Promise.all(params.stages.map((name) => this.read(params.project, name, params.shown[name] ?? atATime))),
  });
  /** As they were last read: a board that is read again does not vanish meanwhile. */
  private last: readonly Column[] = [];
  private readonly drawn = computed(() => (this.columns.hasValue() ? (this.last = this.columns.value()) : this.last));

  constructor() {
    onChanged(['problem'], () => this.columns.reload());
  }

  private async read(project: string, name: string, limit: number): Promise<Column> {
    const filter = JSON.stringify({
      and: [
        { field: 'stage', is: [name] },
        { field: 'retired', is: [false] },
      ],
    });
    const page = (await this.api.call(listProblems, { project, filter, sort: '-updatedAt', limit })) as Page<Problem>;
    return { name, rows: page.rows, total: page.total ?? page.rows.length };
  }

  protected column(name: string): Column {
    return this.drawn().find((column) => column.name === name) ?? { name, rows: [], total: 0 };
  }

  protected about(p: Problem): string {
    const who = this.scope.project()?.members.find(({ login }) => login === p.assigned)?.printedName ?? p.assigned;
    return [who, p.due && `due ${p.due}`, p.fixedIn ? `fixed in ${p.fixedIn}` : `found in ${p.build}`].filter(Boolean).join(' · ');
  }

  protected more(name: string): void {
    this.shown.update((shown) => ({ ...shown, [name]: Math.min(500, (shown[name] ?? atATime) + atATime) }));
  }

  protected drop({ item, container }: CdkDragDrop<string>): void {
    this.move(item.data as Problem, container.data);
  }

  /** The next stage to the right or left that the life lets it come to. */
  protected press(event: KeyboardEvent, problem: Problem, at: number): void {
    const step = event.altKey ? { ArrowRight: 1, ArrowLeft: -1 }[event.key] : undefined;
    if (!step || !this.may()) return;
    event.preventDefault();
    const { stages } = this.life();
    const free = (name: string): boolean => !moveRefusal(stages, problem.stage, name, this.scope.roles());
    for (let to = at + step; stages[to]; to += step) if (free(stages[to].name)) return this.move(problem, stages[to].name);
    this.refused.set(moveRefusal(stages, problem.stage, stages[at + step]?.name ?? '', this.scope.roles()) ?? 'There is no stage there.');
  }

  private move(problem: Problem, stage: string): void {
    if (problem.stage === stage) return;
    const { stages } = this.life();
    const refused = moveRefusal(stages, problem.stage, stage, this.scope.roles());
    this.refused.set(refused ? `${problem.key} stays. ${refused}` : '');
    if (refused) return;
    const there = stages.find(({ name }) => name === stage);
    const asks = !there || there.means === 'closed' || missingAt(there, problem).length > 0;
    this.moved.emit({ problem, stage, asks });
    void this.voice.announce(`${problem.key} comes to ${there?.title ?? stage}.`);
    setTimeout(() => this.element.nativeElement.querySelector<HTMLElement>(`[data-key="${problem.key}"]`)?.focus(), 600);
  }
}
