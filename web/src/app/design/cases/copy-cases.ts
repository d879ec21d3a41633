import { ChangeDetectionStrategy, Component, computed, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { AnswerOf } from '@contract/base';
import type { copyCases } from '@contract/design';
import { firstMissing, Needs, onAction, ProblemNote, selectRequest, useProject } from '../../base';
import { designCommands } from '../state';

/** Copies cases into another project; says what could not come along. Nothing where one is an author in no other. */
@Component({
  selector: 'cp-copy-cases',
  imports: [FormsModule, MatButtonModule, Needs, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (projects().length) {
      <form class="sheet pad stack-s" (ngSubmit)="copy()">
        <h2>Copy into another project</h2>
        <div class="row end">
          <label class="field grow"
            ><span>Project</span
            ><select class="in" name="project" [ngModel]="project()" (ngModelChange)="project.set($event)">
              <option value="">choose one</option>
              @for (p of projects(); track p.slug) {
                <option [value]="p.slug">{{ p.name }}</option>
              }
            </select></label
          >
          <label class="check"
            ><input type="checkbox" name="traces" [checked]="traces()" (change)="traces.set(!traces())" /> with traces to requirements of
            the same key and title</label
          >
          <button mat-stroked-button type="submit" [disabled]="copying().pending > 0" [cpNeeds]="missing">
            {{ keys().length === 1 ? 'Copy it' : 'Copy ' + keys().length }}
          </button>
        </div>
        <cp-problem [of]="name" />
        @if (done(); as d) {
          <p role="status">{{ d.copies.length === 1 ? 'Copied, as a draft: ' : d.copies.length + ' copied, as drafts: ' }}{{ made(d) }}.</p>
          @if (d.left.length) {
            <h3>Could not come along</h3>
            <ul>
              @for (words of d.left.slice(0, 200); track $index) {
                <li>{{ words }}</li>
              }
            </ul>
          }
        }
      </form>
    }
  `,
})
export class CopyCases {
  readonly keys = input.required<readonly string[]>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly name = designCommands.copyCases.name;
  protected readonly copying = this.store.selectSignal(selectRequest(this.name));
  /** Where else one is an author. */
  protected readonly projects = computed(() =>
    (this.scope.session()?.projects ?? []).filter(({ slug, roles }) => slug !== this.scope.slug() && roles.includes('author')),
  );
  protected readonly project = signal('');
  protected readonly traces = signal(true);
  protected readonly done = signal<AnswerOf<typeof copyCases> | null>(null);
  protected readonly missing = (): string =>
    firstMissing([!this.keys().length, 'Choose single cases: not all of a list.'], [!this.project(), 'Choose the project.']);

  constructor() {
    onAction(designCommands.copyCases.done, ({ answer }) => this.done.set(answer));
  }

  protected made({ copies }: AnswerOf<typeof copyCases>): string {
    const keys = copies.map(({ to }) => to);
    return keys.length > 6 ? `${keys.slice(0, 6).join(', ')} and on` : keys.join(', ');
  }

  protected copy(): void {
    this.done.set(null);
    this.store.dispatch(
      designCommands.copyCases.start({
        project: this.scope.slug(),
        keys: [...this.keys()],
        into: { project: this.project(), folder: null },
        traces: this.traces(),
      }),
    );
  }
}
