import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import type { CaseDetail } from '@contract/design';
import { gradually, Passages, ReadingLine, RecordLink, RichText } from '../../base';

/** The steps of a case, to be read: what is done, what is expected, what is measured and shown. */
@Component({
  selector: 'cp-case-steps',
  imports: [ReadingLine, RecordLink, RichText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <table class="list">
      <thead>
        <tr>
          <th scope="col" class="num">Step</th>
          <th scope="col">Action</th>
          <th scope="col">Expected result</th>
        </tr>
      </thead>
      <tbody>
        @for (step of steps(); track $index) {
          <tr>
            <td class="num">{{ $index + 1 }}</td>
            @if (step.call; as call) {
              <td colspan="2">
                All steps of <cp-record kind="case" [key]="call.key" /> revision {{ call.revision }}{{ callWords(call.with) }}
              </td>
            } @else {
              <td [attr.data-field]="'Step ' + ($index + 1) + ', action'">
                <cp-rich-text [text]="step.action" [html]="step.layout?.action || undefined" />
                @if (step.data) {
                  <p class="second small">Data: {{ step.data }}</p>
                }
              </td>
              <td [attr.data-field]="'Step ' + ($index + 1) + ', expected'">
                <cp-rich-text [text]="step.expected" [html]="step.layout?.expected || undefined" />
                @for (r of step.readings ?? []; track r.name) {
                  <div class="small">
                    <b>{{ r.name }}</b> {{ r.limits }}
                  </div>
                  <cp-reading-line [of]="r" />
                }
                @if (step.evidence) {
                  <p class="second small">To be shown by a {{ step.evidence }}</p>
                }
                @if (step.verifies?.length) {
                  <p class="second small">Shows {{ step.verifies!.join(', ') }}</p>
                }
              </td>
            }
          </tr>
        } @empty {
          <tr>
            <td colspan="3" class="second">No steps yet.</td>
          </tr>
        }
      </tbody>
    </table>
  `,
  styles: `
    td {
      vertical-align: top;
    }
  `,
})
export class CaseSteps {
  readonly of = input.required<CaseDetail>();
  private readonly passages = inject(Passages);
  protected readonly steps = gradually(
    computed(() => this.of().steps),
    computed(() => this.of().key),
    { drawn: () => this.passages.grown.update((n) => n + 1) },
  );

  protected callWords(values: Readonly<Record<string, string>>): string {
    const given = Object.entries(values).map(([name, value]) => `${name} = ${value}`);
    return given.length ? ` with ${given.join(', ')}` : '';
  }
}
