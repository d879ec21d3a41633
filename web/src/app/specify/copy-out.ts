import { ChangeDetectionStrategy, Component, computed, effect, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { AnswerOf, Selection } from '@contract/base';
import type { copyOut, Specification } from '@contract/specify';
import { firstMissing, Needs, onAction, ProblemNote, selectRequest, useProject } from '../base';
import { specifyCommands } from './state';

/** Copies what is chosen, with all below it, into another project; says what could not come along. */
@Component({
  selector: 'cp-copy-out',
  imports: [FormsModule, MatButtonModule, Needs, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (projects().length) {
      <form class="sheet pad stack-s" (ngSubmit)="copy()">
        <h2>Copy into another project</h2>
        <div class="row">
          <label class="field grow"
            ><span>Project</span
            ><select class="in" name="project" [ngModel]="project()" (ngModelChange)="project.set($event)">
              <option value="">choose one</option>
              @for (p of projects(); track p.slug) {
                <option [value]="p.slug">{{ p.name }}</option>
              }
            </select></label
          >
          <label class="field grow"
            ><span>Specification</span
            ><select class="in" name="specification" [ngModel]="specification()" (ngModelChange)="specification.set($event)">
              @for (s of theirs(); track s.key) {
                <option [value]="s.key">{{ s.title }}</option>
              }
            </select></label
          >
          <label class="check"
            ><input type="checkbox" name="traces" [checked]="traces()" (change)="traces.set(!traces())" /> with the traces among them</label
          >
        </div>
        <cp-problem [of]="name" />
        <div>
          <button mat-stroked-button type="submit" [disabled]="copying().pending > 0" [cpNeeds]="missing">
            Copy {{ keys().length || '' }} with what stands below
          </button>
        </div>
        @if (done(); as d) {
          <p role="status">
            {{ d.copies.length === 1 ? 'One is' : d.copies.length + ' are' }} copied, as drafts: {{ d.copies[0].to }} and on.
          </p>
          @if (d.left.length) {
            <details>
              <summary>{{ d.left.length === 1 ? 'One thing' : d.left.length + ' things' }} could not come along</summary>
              <ul>
                @for (words of d.left.slice(0, 200); track $index) {
                  <li>{{ words }}</li>
                }
              </ul>
            </details>
          }
        }
      </form>
    }
  `,
})
export class CopyOut {
  readonly of = input.required<Selection>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly name = specifyCommands.copyOut.name;
  protected readonly copying = this.store.selectSignal(selectRequest(specifyCommands.copyOut.name));
  /** Where else one is an author. */
  protected readonly projects = computed(() =>
    (this.scope.session()?.projects ?? []).filter(({ slug, roles }) => slug !== this.scope.slug() && roles.includes('author')),
  );
  protected readonly project = signal('');
  protected readonly specification = signal('');
  protected readonly theirs = signal<readonly Specification[]>([]);
  protected readonly traces = signal(true);
  protected readonly done = signal<AnswerOf<typeof copyOut> | null>(null);
  protected readonly keys = computed(() => this.of().keys ?? []);
  protected readonly missing = (): string =>
    firstMissing(
      [!this.keys().length, 'Choose single requirements or headings: not all of a list.'],
      [!this.project(), 'Choose the project.'],
      [!this.specification(), 'It has no specification yet.'],
    );

  constructor() {
    effect(() => {
      const project = this.project();
      untracked(() => {
        this.theirs.set([]);
        this.specification.set('');
        if (project) this.store.dispatch(specifyCommands.theirSpecifications.start({ project }));
      });
    });
    onAction(specifyCommands.theirSpecifications.done, ({ answer }) => {
      this.theirs.set(answer);
      this.specification.set(answer[0]?.key ?? '');
    });
    onAction(specifyCommands.copyOut.done, ({ answer }) => this.done.set(answer));
  }

  protected copy(): void {
    this.done.set(null);
    this.store.dispatch(
      specifyCommands.copyOut.start({
        project: this.scope.slug(),
        keys: [...this.keys()],
        into: { project: this.project(), specification: this.specification(), under: null },
        traces: this.traces(),
      }),
    );
  }
}
