import { ChangeDetectionStrategy, Component, computed, effect, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import type { ModelDetail } from '@contract/design';
import { listRequirements } from '@contract/specify';
import type { Filter } from '@contract/base';
import { counted } from '@core/base';
import { flowOf, modelFindings, type ModelContent, type ModelOf } from '@core/design';
import {
  type Conflict,
  type Draft,
  firstMissing,
  forgetProblem,
  Icon,
  inTurn,
  Needs,
  onAction,
  onChanged,
  type PickedRow,
  recordCommands,
  RecordFrame,
  RecordPicker,
  selectRequest,
  ShapeBox,
  type ShapeEdge,
  type ShapeNode,
  type SignAnswer,
  Traces,
  useDeviceMemory,
  useProject,
} from '../../base';
import { DecisionEditor } from './decision-editor';
import { FlowEditor } from './flow-editor';
import { FlowPaths } from './flow-paths';
import { mergedModel, modelMerge } from './merging';
import { modelWords } from './model-list';
import { ParameterRows } from './parameter-rows';
import { ParametersEditor } from './parameters-editor';
import { StateEditor } from './state-editor';
import { modelCommands, modelFeature } from './state';
import { RuleChoice, WalkChoice } from './table-choice';

/** One model: what it says, written where it stands; its picture; and the cases that are made of it. */
@Component({
  selector: 'cp-model-page',
  imports: [
    DecisionEditor,
    FlowEditor,
    FlowPaths,
    FormsModule,
    Icon,
    MatButtonModule,
    Needs,
    ParameterRows,
    ParametersEditor,
    RecordFrame,
    RecordPicker,
    RouterLink,
    RuleChoice,
    ShapeBox,
    StateEditor,
    Traces,
    WalkChoice,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './model-page.html',
  styleUrl: './model-page.scss',
})
export class ModelPage {
  readonly key = input.required<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly drafts = useDeviceMemory<Draft<ModelContent>>('draft');
  private readonly detail = this.store.selectSignal(modelFeature.selectDetail);
  protected readonly shown = computed(() => (this.detail()?.key === this.key() ? this.detail() : null));
  protected readonly names = {
    open: modelCommands.get.name,
    save: modelCommands.save.name,
    state: modelCommands.setState.name,
    approve: modelCommands.approve.name,
  };
  protected readonly saving = this.store.selectSignal(selectRequest(this.names.save));
  protected readonly author = computed(() => this.scope.roles().includes('author') && this.shown()?.state !== 'retired');
  protected readonly words = modelWords;
  /** What is written: the saved content until somebody writes. */
  private readonly typed = signal<Draft<ModelContent> | null>(null);
  /** What it is stands first, then its list, its picture, and what is made of it. */
  protected readonly standing = inTurn(
    computed(() => this.shown() !== null),
    3,
  );
  protected readonly content = computed(() => this.typed()?.content ?? (this.shown()?.content as ModelContent | undefined) ?? null);
  protected readonly changed = computed(() => {
    const [typed, shown] = [this.typed(), this.shown()];
    return typed !== null && shown !== null && JSON.stringify(typed.content) !== JSON.stringify(shown.content);
  });
  protected readonly reason = signal('');
  protected readonly counted = counted;
  protected readonly errors = computed(() =>
    this.content() ? modelFindings(this.content() as ModelContent).filter((f) => f.severity === 'error').length : 0,
  );
  protected readonly missing = (): string =>
    firstMissing(
      [!this.content()?.title.trim(), 'It needs a title.'],
      [this.shown()?.state === 'approved' && this.reason().trim().length < 3, 'It is approved: say why it changes.'],
    );
  protected readonly linkFrom = listRequirements;
  protected readonly linkable: Filter = { field: 'kind', is: ['requirement'] };
  protected readonly modelled = computed(() => this.shown()?.models.map((t) => t.to) ?? []);
  protected readonly linking = signal(false);
  /** The node that is marked in list and picture, and the edges of the path that is shown. */
  protected readonly node = signal('');
  protected readonly lit = signal<readonly number[]>([]);
  protected readonly missed = signal<{ readonly edges: readonly number[]; readonly nodes: readonly number[] }>({ edges: [], nodes: [] });
  protected readonly asFlow = computed(() => (this.content()?.kind === 'flow' ? (this.content() as ModelOf<'flow'>) : null));
  protected readonly asParameters = computed(() =>
    this.content()?.kind === 'parameters' ? (this.content() as ModelOf<'parameters'>) : null,
  );
  protected readonly asDecisions = computed(() =>
    this.content()?.kind === 'decisionTable' ? (this.content() as ModelOf<'decisionTable'>) : null,
  );
  protected readonly asStates = computed(() => (this.content()?.kind === 'stateTable' ? (this.content() as ModelOf<'stateTable'>) : null));
  protected readonly flow = computed(() => {
    const model = this.asFlow();
    return model && flowOf(model);
  });
  private readonly flowFaults = computed(
    () => new Set(this.asFlow() ? modelFindings(this.asFlow() as ModelContent).map((f) => f.cell) : []),
  );
  protected readonly nodes = computed((): ShapeNode[] => {
    const missed = new Set(this.missed().nodes);
    return (this.flow()?.nodes ?? []).map(({ id, kind, text, expected }, i) => ({
      id,
      label: text || kind,
      shape: kind === 'start' || kind === 'end' ? 'round' : kind === 'decision' ? 'decision' : kind === 'check' ? 'check' : 'box',
      title: `${i + 1} ${kind}: ${text}${expected ? `. ${expected}` : ''}`,
      tone: this.flowFaults().has(id) ? 'broken' : missed.has(i) ? 'missing' : undefined,
    }));
  });
  protected readonly edges = computed((): ShapeEdge[] => {
    const missed = new Set(this.missed().edges);
    return (this.flow()?.edges ?? []).map(({ from, to, label }, i) => ({ from, to, label, tone: missed.has(i) ? 'missing' : undefined }));
  });
  protected readonly conflict = computed((): Conflict | null => {
    const { problem } = this.saving();
    const typed = this.typed();
    if (problem?.code !== 'conflict' || !typed) return null;
    const theirs = problem.current as ModelDetail;
    return {
      by: theirs.updatedBy,
      revision: theirs.revision,
      fields: modelMerge(typed.base ?? typed.content, typed.content, theirs.content as ModelContent),
    };
  });

  constructor() {
    effect(() => {
      const key = this.key();
      untracked(() => {
        this.typed.set(this.drafts.read(key) ?? null);
        this.lit.set([]);
        this.node.set('');
        this.reason.set('');
        this.store.dispatch(forgetProblem({ name: this.names.save }));
        this.read();
      });
    });
    onChanged(['flow', 'parameters', 'decisionTable', 'stateTable', 'requirement', 'case', 'trace'], (keys) => {
      const joined = new Set([this.key(), ...this.modelled(), ...(this.shown()?.made.map((m) => m.key) ?? [])]);
      if (!keys || keys.some((key) => joined.has(key) || key.startsWith(`${this.key()} →`))) this.read();
    });
    onAction(modelCommands.save.done, ({ answer }) => {
      if (answer.key === this.key()) this.forget();
    });
  }

  private read(): void {
    this.store.dispatch(modelCommands.get.start({ project: this.scope.slug(), key: this.key() }));
  }
  private forget(): void {
    this.drafts.drop(this.key());
    this.typed.set(null);
    this.reason.set('');
  }

  protected put(content: ModelContent): void {
    const shown = this.shown();
    if (!shown) return;
    const before = this.typed();
    const draft = { content, basedOn: before?.basedOn ?? shown.revision, base: before?.base ?? (shown.content as ModelContent) };
    this.typed.set(draft);
    if (this.changed()) this.drafts.keep(this.key(), draft);
    else this.forget();
  }
  protected say(change: { title?: string; description?: string }): void {
    const content = this.content();
    if (content) this.put({ ...content, ...change });
  }
  protected body(body: unknown): void {
    const content = this.content();
    if (content) this.put({ ...content, body } as ModelContent);
  }
  protected part(change: object): void {
    const content = this.content();
    if (content) this.body({ ...content.body, ...change });
  }

  protected save(basedOn = this.typed()?.basedOn ?? 0): void {
    const content = this.content();
    if (content && this.changed() && !this.missing())
      this.store.dispatch(
        modelCommands.save.start({ project: this.scope.slug(), key: this.key(), basedOn, content, reason: this.reason().trim() }),
      );
  }
  protected discard(): void {
    this.forget();
    this.store.dispatch(forgetProblem({ name: this.names.save }));
    this.read();
  }
  protected saveMerged(chosen: Readonly<Record<string, readonly string[]>>): void {
    const conflict = this.conflict();
    const typed = this.typed();
    if (!conflict || !typed) return;
    const theirs = (this.saving().problem?.current as ModelDetail).content as ModelContent;
    this.typed.set({ content: mergedModel(typed.content, chosen), basedOn: conflict.revision, base: theirs });
    this.save(conflict.revision);
  }
  protected setState(state: 'draft' | 'review'): void {
    const basedOn = this.shown()?.revision ?? 0;
    this.store.dispatch(modelCommands.setState.start({ project: this.scope.slug(), key: this.key(), basedOn, state }));
  }
  protected approve({ password, reason }: SignAnswer): void {
    const shown = this.shown();
    if (!shown) return;
    const { key, revision: basedOn, hash } = shown;
    this.store.dispatch(modelCommands.approve.start({ project: this.scope.slug(), key, basedOn, hash, password, reason }));
  }
  protected link(rows: readonly PickedRow[]): void {
    for (const { key: to } of rows)
      this.store.dispatch(recordCommands.addTrace.start({ project: this.scope.slug(), kind: 'models', from: this.key(), to }));
  }
}
