import { ChangeDetectionStrategy, Component, inject, input, computed } from '@angular/core';
import { Store } from '@ngrx/store';
import { problemWords } from '../api';
import { forgetProblem, selectRequest } from '../command';
import { Icon } from './icon';

/** How the last call of a command failed, in words, where it happened; with its findings by row and cell. */
@Component({
  selector: 'cp-problem',
  imports: [Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (problem(); as p) {
      <div class="note broken" role="alert">
        <cp-icon name="warning" />
        <div class="grow">
          <strong>{{ words() }}</strong>
          @if (p.findings?.length) {
            <ul class="small">
              @for (finding of p.findings!.slice(0, 20); track $index) {
                <li>
                  {{
                    finding.cell
                      ? finding.cell + (finding.row ? ', line ' + finding.row : '') + ': '
                      : finding.row
                        ? 'Row ' + finding.row + ': '
                        : ''
                  }}{{ finding.text }}
                </li>
              }
              @if (p.findings!.length > 20) {
                <li>and {{ p.findings!.length - 20 }} more</li>
              }
            </ul>
          }
        </div>
        <button class="x" type="button" aria-label="Close" (click)="forget()"><cp-icon name="close" /></button>
      </div>
    }
  `,
  styles: `
    .x {
      border: 0;
      background: none;
      color: inherit;
      cursor: pointer;
      padding: 0;
      height: 20px;
    }
  `,
})
export class ProblemNote {
  readonly of = input.required<string>();
  private readonly store = inject(Store);
  protected readonly problem = computed(() => this.store.selectSignal(selectRequest(this.of()))().problem);

  /** What is wrong with which part of the input, where the server names parts. */
  protected readonly words = computed(() => {
    const p = this.problem();
    return p ? problemWords(p) : '';
  });

  protected forget(): void {
    this.store.dispatch(forgetProblem({ name: this.of() }));
  }
}
