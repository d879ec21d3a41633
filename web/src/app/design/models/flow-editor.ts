import {
  afterNextRender,
  ChangeDetectionStrategy,
  ChangeDetectorRef,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  Injector,
  input,
  linkedSignal,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { groupBy } from '@core/base';
import {
  addOutcome,
  changeEdge,
  changeNode,
  flowFindings,
  insertNode,
  moveItem,
  outcomesByNode,
  readVariableLine,
  removeNode,
  variableWords,
  type Flow,
  type FlowNode,
  type ModelBodies,
} from '@core/design';
import { gradually, inTurn, useKeys } from '../../base';
import { FlowNodeRow, type FlowTarget, type OutcomeChange } from './flow-node';
import { FlowText } from './flow-text';

type Body = ModelBodies['flow'];

/** So many nodes are drawn at once; each is about so high, in CSS pixels. */
const step = 12;
const usualHeight = 96;

/** Lists by node, each the same as before where nothing in it changed: what is drawn of it is then left alone. */
function stable<T>(lists: () => ReadonlyMap<string, readonly T[]>, same: (a: T, b: T) => boolean) {
  let before: ReadonlyMap<string, readonly T[]> = new Map();
  return computed(() => {
    const now = new Map(
      [...lists()].map(([id, list]): [string, readonly T[]] => {
        const old = before.get(id);
        return [id, old?.length === list.length && old.every((item, i) => same(item, list[i])) ? old : list];
      }),
    );
    before = now;
    return now as ReadonlyMap<string, readonly T[]>;
  });
}

/** A flow as a list: its nodes one below the other, under each where it leads. The picture beside it is made of this. */
@Component({
  selector: 'cp-flow-editor',
  imports: [FlowNodeRow, FlowText, FormsModule],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row">
      <h3 class="grow">{{ asText() ? 'As text (Mermaid)' : 'Steps and outcomes' }}</h3>
      <button class="chip" type="button" [attr.aria-pressed]="asText()" (click)="asText.set(!asText())">as text</button>
    </div>
    @if (asText()) {
      <cp-flow-text [flow]="flow()" [may]="may()" (changed)="set($event)" />
    } @else {
      @for (f of far(); track $index) {
        <p class="small row">
          <span class="t-broken grow">{{ f.text }}</span><button class="chip" type="button" (click)="picked.emit(f.id)">
            Node {{ f.place }}
          </button>
        </p>
      }
      <ol class="nodes">
        @for (node of shown(); track node.id; let i = $index) {
          <li [class.on]="node.id === chosen()" [attr.data-node]="node.id">
            <cp-flow-node
              [node]="node"
              [place]="i + 1"
              [outcomes]="outcomes().get(node.id) ?? none"
              [findings]="findingsAt().get(node.id) ?? none"
              [targets]="targets()"
              [may]="may()"
              (put)="put(node.id, $event)"
              (edge)="edge($event)"
              (more)="more(node.id)"
              (removed)="remove(node.id, i)"
              (picked)="picked.emit(node.id)"
              (pressed)="keys($event, i)"
            />
          </li>
        }
      </ol>
      @if (left()) {
        <p #rest class="second small" [style.height.px]="left() * usualHeight">{{ left() }} more …</p>
      }
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
      content-visibility: auto;
      contain-intrinsic-size: auto 96px;
      border-left: 3px solid transparent;
      border-radius: 8px;
    }
    li.on {
      background: var(--cord-tint);
      border-color: var(--cord);
    }
    textarea.in {
      height: auto;
    }
  `,
})
export class FlowEditor {
  /** Which flow it is: another one is drawn from its beginning. */
  readonly of = input('');
  readonly title = input.required<string>();
  readonly body = input.required<Body>();
  readonly may = input.required<boolean>();
  /** The node that is marked here and in the picture. */
  readonly chosen = input('');
  readonly changed = output<Body>();
  readonly picked = output<string>();
  private readonly names = useKeys('Steps of a case');
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly injector = inject(Injector);
  private readonly drawing = inject(ChangeDetectorRef);
  /** What is on the screen: ahead of the input while keys come faster than pictures. */
  protected readonly here = linkedSignal(() => this.body());
  protected readonly asText = signal(false);
  protected readonly usualHeight = usualHeight;

  constructor() {
    effect((onCleanup) => {
      this.shown();
      const rest = this.rest()?.nativeElement;
      if (!rest) return;
      // Told again for every part, as long as its end is near what is in sight.
      const looked = new IntersectionObserver(
        ([{ isIntersecting }]) => isIntersecting && this.asked.set(this.here().nodes.length - this.left() + step),
        { rootMargin: '400px' },
      );
      looked.observe(rest);
      onCleanup(() => looked.disconnect());
    });
    effect(() => {
      const at = this.here().nodes.findIndex(({ id }) => id === this.chosen());
      if (at >= 0) untracked(() => this.asked.update((n) => Math.max(n, at + step)));
    });
    effect(() => {
      const chosen = this.chosen();
      if (!this.shown().some(({ id }) => id === chosen)) return;
      untracked(() => afterNextRender(() => this.rowOf(chosen)?.scrollIntoView({ block: 'nearest' }), { injector: this.injector }));
    });
  }

  private rowOf(id: string): HTMLElement | null {
    return this.element.nativeElement.querySelector(`[data-node="${CSS.escape(id)}"]`);
  }
  /** Inputs as they are typed, where they cannot be read yet. */
  private readonly typedInputs = signal<string | null>(null);
  protected readonly flow = computed((): Flow => ({ title: this.title(), ...this.here() }));
  /** What is found is looked for once the first rows stand. */
  private readonly standing = inTurn(signal(true), 1);
  private readonly findings = computed(() => (this.standing() ? flowFindings(this.flow()) : []));
  protected readonly elsewhere = computed(() => {
    const ids = new Set(this.here().nodes.map(({ id }) => id));
    return this.findings().filter((f) => !ids.has(f.cell ?? '') && !ids.has((f.cell ?? '').split(' → ')[0]));
  });
  protected readonly variables = computed(() => this.typedInputs() ?? this.here().variables.map(variableWords).join('\n'));
  protected readonly wrongInputs = computed(() => {
    const lines = (this.typedInputs() ?? '').split('\n');
    return lines.findIndex((line) => line.trim() && !readVariableLine(line)) + 1;
  });

  protected readonly none = [];
  /** The first errors of a long list that stand where nobody sees them yet. */
  protected readonly far = computed(() =>
    this.here()
      .nodes.slice(step)
      .flatMap(({ id }, i) =>
        (this.findingsAt().get(id) ?? []).flatMap((f) => (f.severity === 'error' ? [{ id, place: step + i + 1, text: f.text }] : [])),
      )
      .slice(0, 5),
  );
  /** Findings at each node, and at where it leads. */
  protected readonly findingsAt = stable(
    () =>
      groupBy(
        this.findings(),
        (f) => (f.cell ?? '').split(' → ')[0],
        (f) => f,
      ),
    (a, b) => a.text === b.text && a.severity === b.severity,
  );
  protected readonly outcomes = stable(
    () => outcomesByNode(this.here()),
    (a, b) => a.at === b.at && a.edge === b.edge,
  );
  /** Where outcomes may lead, by name and place. */
  protected readonly targets = computed(
    () => new Map(this.here().nodes.map(({ id, text }, i): [string, FlowTarget] => [id, { id, words: `${i + 1} ${text.slice(0, 24)}` }])),
  );
  /** As many nodes are drawn as somebody has looked at, or chosen in the picture. */
  private readonly asked = linkedSignal({ source: this.of, computation: () => step });
  protected readonly shown = gradually(
    computed(() => this.here().nodes),
    this.of,
    { first: 3, asked: this.asked },
  );
  protected readonly left = computed(() => this.here().nodes.length - this.shown().length);
  private readonly rest = viewChild<ElementRef<HTMLElement>>('rest');

  protected set(body: Body): void {
    this.here.set(body);
    this.changed.emit(body);
  }
  protected put(id: string, change: Partial<FlowNode>): void {
    this.set(changeNode(this.here(), id, change));
  }
  protected edge({ at, change }: OutcomeChange): void {
    this.set(changeEdge(this.here(), at, change));
  }
  protected more(from: string): void {
    const ends = this.here().nodes.filter((node) => node.kind === 'end');
    this.set(addOutcome(this.here(), from, ends.at(-1)?.id ?? from));
    this.drawing.detectChanges();
    [...(this.rowOf(from)?.querySelectorAll<HTMLElement>('.label') ?? [])].at(-1)?.focus();
  }
  protected inputs(text: string): void {
    this.typedInputs.set(text);
    const read = text.split('\n').flatMap((line) => (line.trim() ? [readVariableLine(line)] : []));
    const variables = read.flatMap((variable) => variable ?? []);
    if (variables.length === read.length) this.set({ ...this.here(), variables });
  }
  protected remove(id: string, at: number): void {
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
}
