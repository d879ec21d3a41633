import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { ModelDetail } from '@contract/design';
import { writeCsv } from '@core/base';
import {
  flowFindings,
  reachCriteria,
  type CaseStep,
  type Flow,
  type FlowCriterion,
  type FlowShare,
  type ModelChoice,
  type ReachCriterion,
} from '@core/design';
import { gradually, Icon, inTurn, Needs, RecordLink } from '../../base';
import { ChosenSet, criterionWords, reachedWords } from './chosen-set';
import { download } from './download';
import { MadePanel } from './made-panel';
import type { ChosenCoverage, ShownPath, ShownReach } from './model-tasks';
import { useModelWork } from './model-work';

/** Paths of longer flows are sought once their picture stands: both want the whole machine. */
const longFlow = 120;

/** What the paths of a flow reach: for each criterion how many suffice, the paths themselves, a set chosen by hand, and the cases of them. */
@Component({
  selector: 'cp-flow-paths',
  imports: [ChosenSet, FormsModule, Icon, MadePanel, Needs, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h2>What should the cases reach?</h2>
    @if (!standing()) {
      <p class="second">Looking at the flow …</p>
    } @else if (faults()) {
      <p class="second">Mend the findings on the left first: of a flow that leads nowhere no path is counted.</p>
    } @else {
      <div role="radiogroup" aria-label="What the cases reach" class="criteria">
        @for (c of criteria; track c) {
          <button
            type="button"
            role="radio"
            class="criterion"
            [class.on]="c === criterion()"
            [attr.aria-checked]="c === criterion()"
            (click)="choose(c)"
          >
            <span class="grow">{{ words[c] }}{{ c === 'loops' ? loopWords() : '' }}</span>
            <b>{{ countOf(c) }}</b>
            <span class="second small why">{{ whyOf(c) }}</span>
          </button>
        }
      </div>
      <div class="row">
        <label class="row small second"
          >loops gone round
          <input
            class="in rounds"
            type="number"
            min="0"
            max="5"
            name="rounds"
            [ngModel]="rounds()"
            (ngModelChange)="rounds.set($event ?? 0)"
          />
          times at most</label
        >
        @if (total(); as n) {
          <span class="second small">{{ largeWords(n) }} paths in all</span>
        }
        @if (work.working()) {
          <button class="chip" type="button" (click)="work.stop()"><cp-icon name="cancel" /> Stop</button>
        }
      </div>
      @if (shown(); as r) {
        <div class="row" role="status">
          <strong>{{ r.shown.length }} {{ r.shown.length === 1 ? 'path' : 'paths' }}</strong>
          <span class="second">reach {{ r.covered }} of {{ r.of }} {{ reached[r.criterion] }}{{ r.complete ? '' : ', cut off' }}</span>
        </div>
        <ol class="paths">
          @for (p of drawnPaths(); track p.identity; let i = $index) {
            <li [class.on]="p.identity === at()">
              <input
                type="checkbox"
                [attr.aria-label]="'Choose path ' + (i + 1)"
                [checked]="chosen().has(p.identity)"
                (change)="toggle(p)"
              />
              <button type="button" class="path" [attr.aria-pressed]="p.identity === at()" (click)="show(p)">
                <span class="second">{{ i + 1 }}</span> {{ p.words.length > 240 ? p.words.slice(0, 240) + ' …' : p.words }}
              </button>
              @if (caseOf(p.identity); as made) {
                <cp-record kind="case" [key]="made.key" />
                @if (made.retired) {
                  <span class="tag">retired</span>
                }
              } @else {
                <span class="tag waiting">new</span>
              }
            </li>
          }
        </ol>
        @if (r.forbidden.length) {
          <details>
            <summary class="second small">{{ r.forbidden.length }} forbidden by a condition</summary>
            @for (f of r.forbidden.slice(0, 20); track $index) {
              <button type="button" class="path small" (click)="lit.emit(f.path)">
                by <code>{{ f.guard }}</code>
              </button>
            }
          </details>
        }
      }
      @if (coverage(); as c) {
        @if (criterion() !== 'loops') {
          <cp-chosen-set [count]="chosen().size" [coverage]="c" [shares]="shares()" (add)="add($event)" />
        }
      }
      @if (current(); as p) {
        <div class="sheet pad small case">
          <p class="second">
            As a case{{ rowWords(p) ? ', row ' : '' }}<b>{{ rowWords(p) }}</b>
          </p>
          <ol class="steps">
            @for (step of steps(); track $index) {
              <li>
                {{ step.action }}. <span class="second">{{ step.expected }}</span>
              </li>
            } @empty {
              <li class="second">No action and no check lies on this path.</li>
            }
          </ol>
        </div>
      }
      <cp-made-panel [of]="of()" [choice]="choice()" [count]="chosen().size" [unsaved]="unsaved()">
        <button class="chip" type="button" [cpNeeds]="noPath" (click)="rows('csv')" title="The rows of the chosen paths, for automation">
          <cp-icon name="download" /> CSV
        </button>
        <button class="chip" type="button" [cpNeeds]="noPath" (click)="rows('json')" title="The rows of the chosen paths, for automation">
          JSON
        </button>
      </cp-made-panel>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 10px;
    }
    .criteria {
      display: flex;
      flex-direction: column;
    }
    .criterion {
      display: flex;
      gap: 10px;
      align-items: center;
      border: 0;
      border-left: 3px solid transparent;
      border-radius: 8px;
      background: none;
      font: inherit;
      color: inherit;
      text-align: left;
      padding: 7px 10px;
      cursor: pointer;
    }
    .criterion.on {
      background: var(--cord-tint);
      border-color: var(--cord);
      font-weight: 600;
    }
    .why {
      width: 108px;
      text-align: right;
      font-weight: 400;
    }
    .rounds {
      width: 56px;
      height: 26px;
      padding: 2px 6px;
    }
    .paths {
      max-height: 260px;
      overflow: auto;
    }
    .paths li {
      display: flex;
      gap: 6px;
      align-items: center;
      padding: 3px 8px;
      border-radius: 8px;
    }
    .paths li.on {
      background: var(--cord-tint);
    }
    .path {
      border: 0;
      background: none;
      font: inherit;
      color: inherit;
      text-align: left;
      cursor: pointer;
      flex: 1;
      padding: 3px 0;
    }
    .case {
      display: flex;
      flex-direction: column;
      gap: 6px;
      padding: 10px 14px;
      background: var(--lane);
    }
    .steps {
      list-style: decimal;
      padding-left: 20px;
    }
  `,
})
export class FlowPaths {
  readonly of = input.required<ModelDetail>();
  /** The flow as it is written now, saved or not. */
  readonly flow = input.required<Flow>();
  readonly unsaved = input.required<boolean>();
  /** The edges of what is shown, for the picture; and the edges and nodes that a chosen set misses. */
  readonly lit = output<readonly number[]>();
  readonly missing = output<{ readonly edges: readonly number[]; readonly nodes: readonly number[] }>();
  protected readonly criteria = reachCriteria;
  protected readonly words = criterionWords;
  protected readonly reached = reachedWords;
  protected readonly criterion = signal<ReachCriterion>('edges');
  protected readonly rounds = signal(1);
  protected readonly work = useModelWork();
  /** What was found for each criterion, of the flow as it is written now. */
  private readonly found = signal<Readonly<Partial<Record<ReachCriterion, ShownReach>>>>({});
  protected readonly total = signal('');
  protected readonly at = signal('');
  private readonly extra = signal<readonly ShownPath[]>([]);
  protected readonly chosen = signal<ReadonlyMap<string, ShownPath>>(new Map());
  protected readonly noPath = (): string => (this.chosen().size ? '' : 'Choose a path first.');
  protected readonly coverage = signal<ChosenCoverage | null>(null);
  protected readonly shares = signal<readonly FlowShare[]>([]);
  private readonly counting = useModelWork();
  private readonly reading = useModelWork();
  /** The steps of the path that is shown: hundreds of paths of hundreds of steps are not kept for it. */
  protected readonly steps = signal<readonly CaseStep[]>([]);
  /** Its heading stands before the flow is looked at: of a long one that takes its time. */
  protected readonly standing = inTurn(signal(true), 1);
  protected readonly faults = computed(() => flowFindings(this.flow()).some((f) => f.severity === 'error'));
  protected readonly shown = computed(() => this.found()[this.criterion()]);
  /** The paths of the criterion, and those that were added by hand. */
  protected readonly paths = computed(() => {
    const own = this.shown()?.shown ?? [];
    const known = new Set(own.map((p) => p.identity));
    return [...own, ...this.extra().filter((p) => !known.has(p.identity))];
  });
  protected readonly drawnPaths = gradually(this.paths, this.shown);
  protected readonly current = computed(() => this.paths().find((p) => p.identity === this.at()));
  protected readonly choice = computed((): ModelChoice => ({ of: 'paths', paths: [...this.chosen().values()].map((p) => [...p.path]) }));

  constructor() {
    effect((onCleanup) => {
      if (!this.standing()) return;
      const flow = this.flow();
      const rounds = Math.max(0, Math.min(5, Math.round(this.rounds())));
      const faults = this.faults();
      const timer = setTimeout(() => untracked(() => void this.workOut(flow, rounds, faults)), flow.nodes.length > longFlow ? 1500 : 200);
      onCleanup(() => clearTimeout(timer));
    });
    effect(() => {
      const paths = [...this.chosen().values()].map((p) => p.path);
      const criterion = this.criterion();
      const flow = this.flow();
      if (!this.standing() || this.faults() || criterion === 'loops') return;
      untracked(() => void this.cover(flow, paths, criterion));
    });
    effect(() => {
      const path = this.current()?.path;
      const flow = this.flow();
      untracked(() => void this.read(flow, path));
    });
  }

  private async read(flow: Flow, path: Uint32Array | undefined): Promise<void> {
    const steps = path ? await this.reading.ask((tasks) => tasks.steps(flow, path)) : [];
    if (steps) this.steps.set(steps);
  }

  private async workOut(flow: Flow, rounds: number, faults: boolean): Promise<void> {
    this.found.set({});
    this.total.set('');
    this.extra.set([]);
    if (faults) return this.work.stop();
    await this.work.ask(async (tasks) => {
      this.total.set(await tasks.count(flow, rounds));
      for (const criterion of reachCriteria) {
        const reach = await tasks.reach(flow, criterion, rounds);
        this.found.update((all) => ({ ...all, [criterion]: reach }));
        if (criterion === this.criterion()) this.begin(reach);
      }
    });
  }

  /** Of what was found for a criterion all paths are chosen at first, and the first one is shown. */
  private begin(reach: ShownReach): void {
    this.chosen.set(new Map(reach.shown.map((p) => [p.identity, p])));
    const first = reach.shown.find((p) => p.identity === this.at()) ?? reach.shown.at(0);
    if (first) this.show(first);
  }

  private async cover(flow: Flow, paths: readonly Uint32Array[], criterion: FlowCriterion): Promise<void> {
    // What is asked anew ends this: nothing of an older set comes after it.
    await this.counting.ask(async (tasks) => {
      const coverage = await tasks.chosen(flow, paths, criterion);
      this.coverage.set(coverage);
      const flat = coverage.missing.flat();
      this.missing.emit(criterion === 'nodes' ? { edges: [], nodes: flat } : { edges: flat, nodes: [] });
      this.shares.set(await tasks.shares(flow, paths));
    });
  }

  protected choose(criterion: ReachCriterion): void {
    this.criterion.set(criterion);
    this.extra.set([]);
    const reach = this.found()[criterion];
    if (reach) this.begin(reach);
  }
  protected show(path: ShownPath): void {
    this.at.set(path.identity);
    this.lit.emit([...path.path]);
  }
  protected toggle(path: ShownPath): void {
    const next = new Map(this.chosen());
    if (!next.delete(path.identity)) next.set(path.identity, path);
    this.chosen.set(next);
  }
  protected add(path: ShownPath): void {
    if (!this.paths().some((p) => p.identity === path.identity)) this.extra.update((list) => [...list, path]);
    this.chosen.set(new Map([...this.chosen(), [path.identity, path]]));
    this.show(path);
  }
  protected caseOf(identity: string) {
    return this.of().made.find((m) => m.identity === identity);
  }
  protected countOf(criterion: ReachCriterion): string {
    const reach = this.found()[criterion];
    return reach
      ? `${reach.shown.length}${reach.complete ? '' : '+'} ${reach.shown.length === 1 ? 'path' : 'paths'}`
      : this.work.working()
        ? '…'
        : '';
  }
  protected whyOf(criterion: ReachCriterion): string {
    const reach = this.found()[criterion];
    if (!reach) return '';
    if (reach.forbidden.length) return `${reach.forbidden.length} forbidden by a condition`;
    if (!reach.complete) return 'cut off';
    return criterion === 'loops' ? '' : reach.minimal ? 'proved fewest' : `at least ${reach.lowerBound}`;
  }
  /** A count with more digits than anybody reads, by its size. */
  protected largeWords(count: string): string {
    return count.length > 15 ? `about ${count[0]}.${count[1]} × 10^${count.length - 1}` : count;
  }
  protected readonly loopWords = computed(() =>
    this.rounds() ? `, loops ${this.rounds() === 1 ? 'once' : `${this.rounds()} times`}` : ', no loop twice',
  );
  protected rowWords({ row }: ShownPath): string {
    return Object.entries(row)
      .map(([name, value]) => `${name} = ${value}`)
      .join(', ');
  }

  /** The rows of the chosen paths as a file for automation. */
  protected rows(format: 'csv' | 'json'): void {
    const paths = [...this.chosen().values()];
    const names = this.flow().variables.map((v) => v.name);
    const list = paths.map((p, i) => ({ path: i + 1, outcomes: p.words, case: this.caseOf(p.identity)?.key ?? '', ...p.row }));
    if (format === 'json') return download(`${this.of().key}-rows.json`, 'application/json', `${JSON.stringify(list, null, 1)}\n`);
    const columns = ['path', 'outcomes', 'case', ...names];
    const cells = list.map((row) => columns.map((name) => String((row as Record<string, unknown>)[name] ?? '')));
    download(`${this.of().key}-rows.csv`, 'text/csv', writeCsv(columns, cells));
  }
}
