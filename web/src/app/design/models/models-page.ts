import { ChangeDetectionStrategy, Component, computed, effect, inject, input, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { Router } from '@angular/router';
import { emptyModel, modelKinds, type ModelKind } from '@core/design';
import { Icon, onAction, preparePictures, ProblemNote, RecordList, RowLines, RowTemplate, reviewWords, useProject } from '../../base';
import { DesignNav } from '../design-nav';
import { modelKind, modelWords } from './model-list';
import { modelCommands } from './state';

/** The models of a project: those that are there, and what one can begin with. */
@Component({
  selector: 'cp-models-page',
  imports: [DesignNav, Icon, MatButtonModule, ProblemNote, RecordList, RowLines, RowTemplate],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panes beside">
      <section class="pane pane-left side" aria-label="Models">
        <h1>Models</h1>
        <cp-design-nav />
        <cp-record-list [kind]="kind" (opened)="open($event)">
          <ng-template [cpRow]="kind" let-m let-found="found">
            <cp-row-lines
              [row]="m"
              [found]="found"
              [below]="words[m.kind].name + ', ' + m.size + ' · ' + (m.requirements.join(', ') || 'of no requirement')"
            />
            @if (m.suspect) {
              <span class="tag suspect">suspect</span>
            } @else if (m.state !== 'approved') {
              <span class="tag waiting">{{ reviewWords(m.state) }}</span>
            }
          </ng-template>
          <ng-container empty>
            <h2>No model yet</h2>
            <p>A model says what a requirement means, so that cases are made of it and none is forgotten.</p>
          </ng-container>
        </cp-record-list>
      </section>
      <section class="pane stack" aria-label="A new model">
        <cp-problem [of]="addName" />
        @if (author()) {
          <h2>Begin with</h2>
          <div class="begin">
            @for (kind of kinds; track kind) {
              <button class="sheet pad start" type="button" (click)="add(kind)">
                <strong><cp-icon name="add" /> {{ words[kind].name }}</strong>
                <span class="second">{{ words[kind].of }}</span>
              </button>
            }
          </div>
        } @else {
          <div class="empty">
            <h2>Choose a model</h2>
            <p>Its list, its picture and the cases that were made of it open here.</p>
          </div>
        }
      </section>
    </div>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
    }
    .begin {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(260px, 1fr));
      gap: 14px;
    }
    .start {
      display: flex;
      flex-direction: column;
      gap: 6px;
      text-align: left;
      font: inherit;
      color: inherit;
      cursor: pointer;
    }
    .start:hover {
      border-color: var(--cord);
    }
  `,
})
export class ModelsPage {
  /** From the address: a requirement that is to be modelled, and what it is called. */
  readonly for = input<string>();
  readonly as = input<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly kind = modelKind;
  protected readonly kinds = modelKinds;
  protected readonly words = modelWords;
  protected readonly reviewWords = reviewWords;
  protected readonly addName = modelCommands.add.name;
  protected readonly author = computed(() => this.scope.roles().includes('author'));

  constructor() {
    preparePictures();
    effect(() => {
      const kind = modelKinds.find((name) => name === this.as());
      if (kind && this.for()) untracked(() => this.add(kind));
    });
    onAction(
      modelCommands.add.done,
      ({ answer }) =>
        void this.router.navigate(['/', this.scope.slug(), 'design', 'models', answer.key], {
          queryParams: { for: null, as: null },
          replaceUrl: this.for() !== undefined,
        }),
    );
  }

  protected open(key: string): void {
    if (key) void this.router.navigate(['/', this.scope.slug(), 'design', 'models', key]);
  }

  protected add(kind: ModelKind): void {
    const requirement = this.for();
    const title = requirement ? `${modelWords[kind].name} of ${requirement}` : `New ${modelWords[kind].name.toLowerCase()}`;
    this.store.dispatch(
      modelCommands.add.start({
        project: this.scope.slug(),
        content: emptyModel(kind, title),
        requirements: requirement ? [requirement] : [],
      }),
    );
  }
}
