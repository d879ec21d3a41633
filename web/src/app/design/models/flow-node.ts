import {
  ChangeDetectionStrategy,
  Component,
  computed,
  inject,
  input,
  linkedSignal,
  output,
  signal,
  ChangeDetectorRef,
} from '@angular/core';
import type { Finding } from '@core/base';
import { flowNodeKinds, guardWords, readGuard, type FlowEdge, type FlowNode, type FlowNodeKind, type Outcome } from '@core/design';
import { Icon } from '../../base';

/** A node that an outcome may lead to, and how it is named there. */
export interface FlowTarget {
  readonly id: string;
  readonly words: string;
}
/** What is changed of an outcome, by its place among the edges of the flow; null takes it away. */
export interface OutcomeChange {
  readonly at: number;
  readonly change: Partial<FlowEdge> | null;
}

const hints: Readonly<Record<FlowNodeKind, string>> = {
  start: 'how it begins',
  action: 'do this',
  check: 'look at this',
  decision: 'a question?',
  end: 'how it ends',
};
const sameTargets = (a: readonly FlowTarget[], b: readonly FlowTarget[]): boolean =>
  a === b || (a.length === 1 && b.length === 1 && a[0].id === b[0].id && a[0].words === b[0].words);

/**
 * One node of a flow in its list: what it is, what is seen there, and where it leads. Its fields are bound without the forms' directives: a flow has hundreds
 * of rows of up to ten fields, and they are checked by the flow, not one by one.
 */
@Component({
  selector: 'cp-flow-node',
  imports: [Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="node">
      <b class="n">{{ place() }}</b>
      <select
        #kind
        class="in kind"
        [attr.aria-label]="'Kind of node ' + place()"
        [disabled]="!may()"
        (change)="put.emit({ kind: kinds[kind.selectedIndex] })"
      >
        @for (k of kinds; track k) {
          <option [value]="k" [selected]="k === node().kind">{{ k }}</option>
        }
      </select>
      <input
        #text
        class="in grow text"
        [attr.aria-label]="'Node ' + place()"
        [placeholder]="hints[node().kind]"
        [readOnly]="!may()"
        [value]="node().text"
        (input)="put.emit({ text: text.value })"
        (focus)="picked.emit()"
        (keydown)="pressed.emit($event)"
      />
      @if (may()) {
        <button class="tool" type="button" [attr.aria-label]="'Delete node ' + place()" (click)="removed.emit()">
          <cp-icon name="delete" />
        </button>
      }
    </div>
    @if (node().kind === 'action' || node().kind === 'check' || node().expected) {
      <input
        #expected
        class="in expected"
        [attr.aria-label]="'What must be seen at node ' + place()"
        placeholder="what must be seen"
        [readOnly]="!may()"
        [value]="node().expected ?? ''"
        (input)="put.emit({ expected: expected.value })"
      />
    }
    @for (out of outcomes(); track out.at; let o = $index) {
      <div class="out">
        <span class="arrow" aria-hidden="true">↳</span>
        @if (node().kind === 'decision') {
          <input
            #label
            class="in label"
            [attr.aria-label]="'Outcome of node ' + place()"
            placeholder="outcome"
            [readOnly]="!may()"
            [value]="out.edge.label"
            (input)="edge.emit({ at: out.at, change: { label: label.value } })"
            (focus)="picked.emit()"
          />
          <input
            #when
            class="in guard"
            [class.wrong]="out.at in typed()"
            [attr.aria-label]="'When this outcome of node ' + place() + ' is taken'"
            placeholder="when"
            [readOnly]="!may()"
            [value]="guardOf(out)"
            (input)="guard(out.at, when.value)"
          />
        } @else {
          <span class="grow second">then</span>
        }
        <select
          #to
          class="in to"
          [attr.aria-label]="'Where node ' + place() + ' leads to'"
          [disabled]="!may()"
          (change)="edge.emit({ at: out.at, change: { to: to.value } })"
          (pointerenter)="offer(o)"
          (focus)="offer(o)"
        >
          @for (other of led()[o]; track other.id) {
            <option [value]="other.id" [selected]="other.id === out.edge.to">to {{ other.words }}</option>
          }
        </select>
        @if (may() && (node().kind === 'decision' || outcomes().length > 1)) {
          <button
            class="tool"
            type="button"
            [attr.aria-label]="'Delete an outcome of node ' + place()"
            (click)="edge.emit({ at: out.at, change: null })"
          >
            <cp-icon name="close" />
          </button>
        }
      </div>
    }
    @if (may() && node().kind === 'decision') {
      <button class="add" type="button" (click)="more.emit()"><cp-icon name="add" /> outcome</button>
    }
    @for (f of findings(); track $index) {
      <p class="small" [class]="f.severity === 'error' ? 't-broken' : 'second'">{{ f.text }}</p>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 3px;
    }
    .node,
    .out {
      display: flex;
      gap: 5px;
      align-items: center;
    }
    .n {
      min-width: 20px;
      text-align: right;
    }
    .in {
      height: 28px;
      padding: 2px 7px;
      min-width: 0;
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
  `,
})
export class FlowNodeRow {
  readonly node = input.required<FlowNode>();
  /** Counted from 1. */
  readonly place = input.required<number>();
  readonly outcomes = input.required<readonly Outcome[]>();
  readonly findings = input.required<readonly Finding[]>();
  readonly targets = input.required<ReadonlyMap<string, FlowTarget>>();
  readonly may = input.required<boolean>();
  readonly put = output<Partial<FlowNode>>();
  readonly edge = output<OutcomeChange>();
  readonly more = output<void>();
  readonly removed = output<void>();
  readonly picked = output<void>();
  readonly pressed = output<KeyboardEvent>();
  private readonly drawing = inject(ChangeDetectorRef);
  protected readonly kinds = flowNodeKinds;
  protected readonly hints = hints;
  /** Guards as they are typed, where they cannot be read yet, by the place of their edge; gone when edges go. */
  protected readonly typed = linkedSignal<string, Readonly<Record<number, string>>>({
    source: () =>
      this.outcomes()
        .map(({ at }) => at)
        .join(),
    computation: () => ({}),
  });
  /** The outcome that somebody is about to lead elsewhere: only it names every node, a flow of hundreds has as many of them. */
  private readonly offered = signal(-1);
  protected readonly led = computed(
    () => {
      const targets = this.targets();
      return this.outcomes().map(({ edge }, o) => {
        const target = targets.get(edge.to);
        return o === this.offered() || !target ? [...targets.values()] : [target];
      });
    },
    { equal: (a, b) => a.length === b.length && a.every((list, i) => sameTargets(list, b[i])) },
  );

  protected offer(o: number): void {
    if (this.offered() === o) return;
    this.offered.set(o);
    // Before the browser opens its list.
    this.drawing.detectChanges();
  }
  protected guardOf({ edge, at }: Outcome): string {
    return at in this.typed() ? this.typed()[at] : guardWords(edge.guard ?? []);
  }
  protected guard(at: number, text: string): void {
    const guard = text.trim() ? readGuard(text) : [];
    const { [at]: _, ...others } = this.typed();
    this.typed.set(guard ? others : { ...others, [at]: text });
    if (guard) this.edge.emit({ at, change: { guard } });
  }
}
