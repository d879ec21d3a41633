import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { modelFindings, type ModelBodies, type ModelOf, type Transition } from '@core/design';
import { Icon, ShapeBox, type ShapeEdge, type ShapeNode } from '../../base';

type Body = ModelBodies['stateTable'];

/** A state table as a grid: states down, events across, in each cell where the event leads and what is seen; and the same drawn. */
@Component({
  selector: 'cp-state-editor',
  imports: [FormsModule, Icon, ShapeBox],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="scroll">
      <table class="list grid">
        <thead>
          <tr>
            <th scope="col">In state</th>
            @for (event of here().events; track $index; let e = $index) {
              <th scope="col" [class.bad]="faults(event).length">
                <input
                  #eventBox
                  class="in"
                  [attr.aria-label]="'Event ' + (e + 1)"
                  placeholder="event"
                  [readOnly]="!may()"
                  [ngModel]="event"
                  (change)="renameEvent(e, eventBox.value)"
                />
                @if (may()) {
                  <button class="tool" type="button" [attr.aria-label]="'Delete event ' + event" (click)="dropEvent(event)">
                    <cp-icon name="close" />
                  </button>
                }
              </th>
            }
          </tr>
        </thead>
        <tbody>
          @for (state of here().states; track $index; let s = $index) {
            <tr>
              <th scope="row" [class.bad]="faults(state).length">
                <div class="head">
                  <input
                    type="radio"
                    name="initial"
                    [attr.aria-label]="'It begins in ' + state"
                    title="it begins here"
                    [disabled]="!may()"
                    [checked]="here().initial === state"
                    (change)="set({ initial: state })"
                  />
                  <input
                    #stateBox
                    class="in"
                    [attr.aria-label]="'State ' + (s + 1)"
                    placeholder="state"
                    [readOnly]="!may()"
                    [ngModel]="state"
                    (change)="renameState(s, stateBox.value)"
                  />
                  @if (may()) {
                    <button class="tool" type="button" [attr.aria-label]="'Delete state ' + state" (click)="dropState(state)">
                      <cp-icon name="close" />
                    </button>
                  }
                </div>
                @for (text of faults(state); track text) {
                  <p class="small t-broken">{{ text }}</p>
                }
              </th>
              @for (event of here().events; track $index) {
                <td>
                  <select
                    class="in"
                    [attr.aria-label]="'In ' + state + ', ' + event + ' leads to'"
                    [disabled]="!may()"
                    [ngModel]="cell(state, event)?.to ?? ''"
                    (ngModelChange)="lead(state, event, $event)"
                  >
                    <option value="">–</option>
                    @for (to of here().states; track to) {
                      <option [value]="to">{{ to }}</option>
                    }
                  </select>
                  @if (cell(state, event); as t) {
                    <input
                      class="in seen"
                      [attr.aria-label]="'What is seen in ' + state + ' on ' + event"
                      placeholder="what is seen"
                      [readOnly]="!may()"
                      [ngModel]="t.output ?? ''"
                      (ngModelChange)="see(t, $event)"
                    />
                  }
                </td>
              }
            </tr>
          }
        </tbody>
      </table>
    </div>
    @if (may()) {
      <div class="row">
        <button class="chip" type="button" (click)="addState()"><cp-icon name="add" /> State</button>
        <button class="chip" type="button" (click)="addEvent()"><cp-icon name="add" /> Event</button>
        <span class="second small">A cell without a state: the event is refused there.</span>
      </div>
    }
    @for (f of elsewhere(); track $index) {
      <p class="small" [class]="f.severity === 'error' ? 't-broken' : 'second'">{{ f.text }}</p>
    }
    @if (here().states.length) {
      <cp-shapes class="picture" [nodes]="nodes()" [edges]="edges()" [lit]="lit()" label="The states, drawn" />
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 10px;
    }
    .scroll {
      overflow: auto;
    }
    .grid td,
    .grid th {
      padding: 4px 6px 4px 0;
      vertical-align: top;
      min-width: 120px;
    }
    .head {
      display: flex;
      gap: 4px;
      align-items: center;
    }
    .in {
      width: 100%;
      padding: 4px 8px;
    }
    thead .in {
      width: calc(100% - 28px);
    }
    .seen {
      margin-top: 3px;
      font-size: 12.5px;
    }
    th.bad .in {
      border-color: var(--broken);
    }
    .tool {
      border: 0;
      background: none;
      color: var(--ink-2);
      cursor: pointer;
    }
    .picture {
      height: 380px;
    }
  `,
})
export class StateEditor {
  readonly content = input.required<ModelOf<'stateTable'>>();
  readonly may = input.required<boolean>();
  /** The transitions of the walk that is shown. */
  readonly lit = input<readonly number[]>([]);
  readonly changed = output<Body>();
  protected readonly here = linkedSignal(() => this.content().body);
  private readonly findings = computed(() => modelFindings({ ...this.content(), body: this.here() }));
  protected readonly elsewhere = computed(() => {
    const names = new Set([...this.here().states, ...this.here().events]);
    return this.findings().filter((f) => !names.has(f.cell ?? ''));
  });
  protected readonly nodes = computed(() =>
    this.here().states.map((state): ShapeNode => ({
      id: state,
      label: state,
      shape: state === this.here().initial ? 'round' : 'box',
      title: state === this.here().initial ? `${state}, where it begins` : state,
      tone: this.faults(state).length ? 'broken' : undefined,
    })),
  );
  protected readonly edges = computed(() => this.here().transitions.map(({ from, to, event }): ShapeEdge => ({ from, to, label: event })));

  protected faults(name: string): string[] {
    return this.findings().flatMap((f) => (f.cell === name && f.severity === 'error' ? [f.text] : []));
  }
  protected cell(state: string, event: string): Transition | undefined {
    return this.here().transitions.find((t) => t.from === state && t.event === event);
  }

  protected set(change: Partial<Body>): void {
    const body = { ...this.here(), ...change };
    this.here.set(body);
    this.changed.emit(body);
  }
  protected lead(state: string, event: string, to: string): void {
    const others = this.here().transitions.filter((t) => t.from !== state || t.event !== event);
    const before = this.cell(state, event);
    const output = before?.output ? { output: before.output } : {};
    this.set({ transitions: to ? [...others, { from: state, event, to, ...output }] : others });
  }
  protected see(transition: Transition, text: string): void {
    this.set({
      transitions: this.here().transitions.map((t) => {
        if (t.from !== transition.from || t.event !== transition.event) return t;
        const { output: _, ...rest } = t;
        return text ? { ...rest, output: text } : rest;
      }),
    });
  }
  private free(list: readonly string[], what: string): string {
    let number = list.length + 1;
    while (list.includes(`${what} ${number}`)) number++;
    return `${what} ${number}`;
  }
  protected addState(): void {
    const { states, initial } = this.here();
    const name = this.free(states, 'state');
    this.set({ states: [...states, name], ...(initial ? {} : { initial: name }) });
  }
  protected addEvent(): void {
    this.set({ events: [...this.here().events, this.free(this.here().events, 'event')] });
  }
  protected renameState(at: number, name: string): void {
    const { states, initial, transitions } = this.here();
    const old = states[at];
    const put = (state: string): string => (state === old ? name : state);
    this.set({
      states: states.map((s, i) => (i === at ? name : s)),
      initial: put(initial),
      transitions: transitions.map((t) => ({ ...t, from: put(t.from), to: put(t.to) })),
    });
  }
  protected renameEvent(at: number, name: string): void {
    const { events, transitions } = this.here();
    const old = events[at];
    this.set({
      events: events.map((e, i) => (i === at ? name : e)),
      transitions: transitions.map((t) => (t.event === old ? { ...t, event: name } : t)),
    });
  }
  protected dropState(state: string): void {
    const { states, initial, transitions } = this.here();
    const left = states.filter((s) => s !== state);
    this.set({
      states: left,
      initial: initial === state ? (left[0] ?? '') : initial,
      transitions: transitions.filter((t) => t.from !== state && t.to !== state),
    });
  }
  protected dropEvent(event: string): void {
    this.set({
      events: this.here().events.filter((e) => e !== event),
      transitions: this.here().transitions.filter((t) => t.event !== event),
    });
  }
}
