import {
  ChangeDetectionStrategy,
  ChangeDetectorRef,
  Component,
  computed,
  ElementRef,
  inject,
  input,
  linkedSignal,
  output,
  signal,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import {
  addOutcome,
  changeEdge,
  changeNode,
  flowFindings,
  flowNodeKinds,
  guardWords,
  insertNode,
  moveItem,
  outcomesOf,
  readGuard,
  readMermaid,
  readVariableLine,
  removeNode,
  variableWords,
  writeMermaid,
  type Flow,
  type FlowEdge,
  type FlowNode,
  type FlowNodeKind,
  type ModelBodies,
} from '@core/design';
import { Icon, useKeys } from '../../base';

type Body = ModelBodies['flow'];

/** A flow as a list: its nodes one below the other, under each where it leads. The picture beside it is made of this. */
@Component({
  selector: 'cp-flow-editor',
  imports: [FormsModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row">
      <h3 class="grow">{{ asText() ? 'As text (Mermaid)' : 'Steps and outcomes' }}</h3>
      <button class="chip" type="button" [attr.aria-pressed]="asText()" (click)="toText()">as text</button>
    </div>
    @if (asText()) {
      <textarea
        class="in code"
        rows="18"
        aria-label="The flow as Mermaid text"
        spellcheck="false"
        [readOnly]="!may()"
        [ngModel]="text()"
        (ngModelChange)="fromText($event)"
      ></textarea>
      @for (f of textFindings(); track $index) {
        <p class="small t-broken">Line {{ f.row }}: {{ f.text }}</p>
      }
    } @else {
      <ol class="nodes">
        @for (node of here().nodes; track node.id; let i = $index) {
          <li [class.on]="node.id === chosen()" [attr.data-node]="node.id">
            <div class="node">
              <b class="n">{{ i + 1 }}</b>
              <select
                class="in kind"
                [attr.aria-label]="'Kind of node ' + (i + 1)"
                [disabled]="!may()"
                [ngModel]="node.kind"
                (ngModelChange)="put(node.id, { kind: $event })"
              >
                @for (k of kinds; track k) {
                  <option [value]="k">{{ k }}</option>
                }
              </select>
              <input
                class="in grow text"
                [attr.aria-label]="'Node ' + (i + 1)"
                [placeholder]="hints[node.kind]"
                [readOnly]="!may()"
                [ngModel]="node.text"
                (ngModelChange)="put(node.id, { text: $event })"
                (focus)="picked.emit(node.id)"
                (keydown)="keys($event, i)"
              />
              @if (may()) {
                <button class="tool" type="button" [attr.aria-label]="'Delete node ' + (i + 1)" (click)="remove(node.id, i)">
                  <cp-icon name="delete" />
                </button>
              }
            </div>
            @if (node.kind === 'action' || node.kind === 'check' || node.expected) {
              <input
                class="in expected"
                [attr.aria-label]="'What must be seen at node ' + (i + 1)"
                placeholder="what must be seen"
                [readOnly]="!may()"
                [ngModel]="node.expected ?? ''"
                (ngModelChange)="put(node.id, { expected: $event })"
              />
            }
            @for (out of outcomes(node.id); track out.at) {
              <div class="out">
                <span class="arrow" aria-hidden="true">↳</span>
                @if (node.kind === 'decision') {
                  <input
                    class="in label"
                    [attr.aria-label]="'Outcome of node ' + (i + 1)"
                    placeholder="outcome"
                    [readOnly]="!may()"
                    [ngModel]="out.edge.label"
                    (ngModelChange)="edge(out.at, { label: $event })"
                    (focus)="picked.emit(node.id)"
                  />
                  <input
                    class="in guard"
                    [class.wrong]="wrongGuard(out.at)"
                    [attr.aria-label]="'When this outcome of node ' + (i + 1) + ' is taken'"
                    placeholder="when"
                    [readOnly]="!may()"
                    [ngModel]="guardOf(out.edge, out.at)"
                    (ngModelChange)="guard(out.at, $event)"
                  />
                } @else {
                  <span class="grow second">then</span>
                }
                <select
                  class="in to"
                  [attr.aria-label]="'Where node ' + (i + 1) + ' leads to'"
                  [disabled]="!may()"
                  [ngModel]="out.edge.to"
                  (ngModelChange)="edge(out.at, { to: $event })"
                >
                  @for (other of here().nodes; track other.id; let j = $index) {
                    <option [value]="other.id">to {{ j + 1 }} {{ other.text.slice(0, 24) }}</option>
                  }
                </select>
                @if (may() && (node.kind === 'decision' || outcomes(node.id).length > 1)) {
                  <button
                    class="tool"
                    type="button"
                    [attr.aria-label]="'Delete an outcome of node ' + (i + 1)"
                    (click)="edge(out.at, null)"
                  >
                    <cp-icon name="close" />
                  </button>
                }
              </div>
            }
            @if (may() && node.kind === 'decision') {
              <button class="add" type="button" (click)="more(node.id)"><cp-icon name="add" /> outcome</button>
            }
            @for (f of at(node); track $index) {
              <p class="small" [class]="f.severity === 'error' ? 't-broken' : 'second'">{{ f.text }}</p>
            }
          </li>
        }
      </ol>
      @if (may()) {
        <p class="second small">Enter: the next node. Alt ↑ ↓: move it. Backspace in an empty one deletes it.</p>
      }
      <label class="field"
        ><span>Inputs, one a line, for guards and steps</span
        ><textarea
          class="in"
          rows="2"
          name="variables"
          placeholder="wind (m/s): 0 to 30 step 1"
          [readOnly]="!may()"
          [ngModel]="variables()"
          (ngModelChange)="inputs($event)"
        ></textarea>
      </label>
      @if (wrongInputs()) {
        <p class="small t-broken">Line {{ wrongInputs() }} is no input: “wind (m/s): 0 to 30 step 1”, or “mode: NORMAL, MAINT”.</p>
      }
      @for (f of elsewhere(); track $index) {
        <p class="small t-broken">{{ f.text }}</p>
      }
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 8px;
    }
    .nodes {
      display: flex;
      flex-direction: column;
      gap: 4px;
    }
    li {
      padding: 6px 8px;
      border-left: 3px solid transparent;
      border-radius: 8px;
      display: flex;
      flex-direction: column;
      gap: 3px;
    }
    li.on {
      background: var(--cord-tint);
      border-color: var(--cord);
    }
    .node,
    .out {
      display: flex;
      gap: 5px;
      align-items: center;
    }
    .n {
      width: 20px;
      text-align: right;
    }
    .in {
      height: 28px;
      padding: 2px 7px;
      min-width: 0;
    }
    textarea.in {
      height: auto;
    }
    .kind {
      width: 86px;
      flex: none;
    }
    .text {
      font-weight: 600;
    }
    .expected {
      margin-left: 25px;
      width: calc(100% - 25px);
    }
    .out {
      padding-left: 25px;
    }
    .arrow {
      color: var(--ink-2);
    }
    .label {
      flex: 1;
    }
    .guard {
      flex: 1;
      font-family: 'Source Code Pro', monospace;
      font-size: 12px;
    }
    .guard.wrong {
      border-color: var(--broken);
    }
    .to {
      width: 92px;
      flex: none;
    }
    .tool,
    .add {
      border: 0;
      background: none;
      color: var(--ink-2);
      cursor: pointer;
      padding: 4px;
      font: inherit;
      font-size: 13px;
      text-align: left;
    }
    .add {
      padding-left: 25px;
    }
    .code {
      font-size: 12px;
      white-space: pre;
    }
  `,
})
export class FlowEditor {
  readonly title = input.required<string>();
  readonly body = input.required<Body>();
  readonly may = input.required<boolean>();
  /** The node that is marked here and in the picture. */
  readonly chosen = input('');
  readonly changed = output<Body>();
  readonly picked = output<string>();
  private readonly names = useKeys('Steps of a case');
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly drawing = inject(ChangeDetectorRef);
  /** What is on the screen: ahead of the input while keys come faster than pictures. */
  protected readonly here = linkedSignal(() => this.body());
  protected readonly kinds = flowNodeKinds;
  protected readonly hints: Readonly<Record<FlowNodeKind, string>> = {
    start: 'how it begins',
    action: 'do this',
    check: 'look at this',
    decision: 'a question?',
    end: 'how it ends',
  };
  protected readonly asText = signal(false);
  protected readonly text = signal('');
  protected readonly textFindings = signal<readonly { readonly row?: number; readonly text: string }[]>([]);
  /** Guards and inputs as they are typed, where they cannot be read yet. */
  private readonly typed = signal<Readonly<Record<number, string>>>({});
  private readonly typedInputs = signal<string | null>(null);
  private readonly flow = computed((): Flow => ({ title: this.title(), ...this.here() }));
  private readonly findings = computed(() => flowFindings(this.flow()));
  protected readonly elsewhere = computed(() => {
    const ids = new Set(this.here().nodes.map(({ id }) => id));
    return this.findings().filter((f) => !ids.has(f.cell ?? '') && !ids.has((f.cell ?? '').split(' → ')[0]));
  });
  protected readonly variables = computed(() => this.typedInputs() ?? this.here().variables.map(variableWords).join('\n'));
  protected readonly wrongInputs = computed(() => {
    const lines = (this.typedInputs() ?? '').split('\n');
    return lines.findIndex((line) => line.trim() && !readVariableLine(line)) + 1;
  });

  protected at(node: FlowNode) {
    return this.findings().filter((f) => f.cell === node.id || (f.cell ?? '').startsWith(`${node.id} → `));
  }
  protected outcomes(id: string) {
    return outcomesOf(this.here(), id);
  }
  protected guardOf(edge: FlowEdge, at: number): string {
    return this.typed()[at] ?? guardWords(edge.guard ?? []);
  }
  protected wrongGuard(at: number): boolean {
    return at in this.typed();
  }

  private set(body: Body): void {
    this.here.set(body);
    this.changed.emit(body);
  }
  protected put(id: string, change: Partial<FlowNode>): void {
    this.set(changeNode(this.here(), id, change));
  }
  protected edge(at: number, change: Partial<FlowEdge> | null): void {
    if (!change) this.typed.set({});
    this.set(changeEdge(this.here(), at, change));
  }
  protected guard(at: number, text: string): void {
    const guard = text.trim() ? readGuard(text) : [];
    const { [at]: _, ...others } = this.typed();
    if (!guard) return this.typed.set({ ...others, [at]: text });
    this.typed.set(others);
    this.edge(at, { guard });
  }
  protected more(from: string): void {
    const ends = this.here().nodes.filter((node) => node.kind === 'end');
    this.set(addOutcome(this.here(), from, ends.at(-1)?.id ?? from));
    this.drawing.detectChanges();
    [...this.element.nativeElement.querySelectorAll<HTMLElement>(`[data-node="${CSS.escape(from)}"] .label`)].at(-1)?.focus();
  }
  protected inputs(text: string): void {
    this.typedInputs.set(text);
    const read = text.split('\n').flatMap((line) => (line.trim() ? [readVariableLine(line)] : []));
    const variables = read.flatMap((variable) => variable ?? []);
    if (variables.length === read.length) this.set({ ...this.here(), variables });
  }
  protected remove(id: string, at: number): void {
    this.typed.set({});
    this.set(removeNode(this.here(), id));
    this.focus(Math.max(0, at - 1));
  }

  protected keys(event: KeyboardEvent, at: number): void {
    if (!this.may()) return;
    const node = this.here().nodes[at];
    const named = this.names.among(event, ['stepUp', 'stepDown']);
    if (named) {
      const to = named === 'stepUp' ? at - 1 : at + 1;
      if (to >= 0 && to < this.here().nodes.length) {
        this.set({ ...this.here(), nodes: moveItem(this.here().nodes, at, to) });
        this.focus(to);
      }
    } else if (event.key === 'Enter') {
      const { body, id } = insertNode(this.here(), node.id);
      this.set(body);
      this.picked.emit(id);
      this.focus(at + 1);
    } else if (event.key === 'Backspace' && !node.text && this.here().nodes.length > 2) this.remove(node.id, at);
    else return;
    event.preventDefault();
  }

  /** At once: the next key belongs to the node that was just made. */
  private focus(at: number): void {
    this.drawing.detectChanges();
    this.element.nativeElement.querySelectorAll<HTMLInputElement>('.text')[at]?.focus();
  }

  protected toText(): void {
    this.asText.update((on) => !on);
    this.text.set(writeMermaid(this.flow()));
    this.textFindings.set([]);
  }
  protected fromText(text: string): void {
    this.text.set(text);
    const { flow, findings } = readMermaid(text);
    this.textFindings.set(findings);
    if (!findings.length && flow.nodes.length) {
      const { title: _, ...body } = flow;
      this.set(body);
    }
  }
}
