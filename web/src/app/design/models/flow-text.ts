import { ChangeDetectionStrategy, Component, input, linkedSignal, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { readMermaid, writeMermaid, type Flow, type ModelBodies } from '@core/design';

/** A flow as Mermaid text. What can be read changes the flow; what cannot says so by line, and the flow stays as it was. */
@Component({
  selector: 'cp-flow-text',
  imports: [FormsModule],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <textarea
      class="in"
      rows="18"
      aria-label="The flow as Mermaid text"
      spellcheck="false"
      [readOnly]="!may()"
      [ngModel]="text()"
      (ngModelChange)="read($event)"
    ></textarea>
    @for (f of findings(); track $index) {
      <p class="small t-broken">Line {{ f.row }}: {{ f.text }}</p>
    }
  `,
  styles: `
    textarea {
      height: auto;
      width: 100%;
      font-family: 'Source Code Pro', monospace;
      font-size: 12px;
      white-space: pre;
    }
  `,
})
export class FlowText {
  readonly flow = input.required<Flow>();
  readonly may = input.required<boolean>();
  readonly changed = output<ModelBodies['flow']>();
  /** As it stood when it was opened; from then on as it is typed. */
  protected readonly text = linkedSignal(() => untracked(() => writeMermaid(this.flow())));
  protected readonly findings = signal<readonly { readonly row?: number; readonly text: string }[]>([]);

  protected read(text: string): void {
    this.text.set(text);
    const { flow, findings } = readMermaid(text);
    this.findings.set(findings);
    if (findings.length || !flow.nodes.length) return;
    const { title: _, ...body } = flow;
    this.changed.emit(body);
  }
}
