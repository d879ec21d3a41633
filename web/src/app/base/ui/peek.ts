import { ChangeDetectionStrategy, Component, effect, signal } from '@angular/core';
import { getRecord } from '@contract/base';
import { getCase } from '@contract/design';
import { getCord } from '@contract/prove';
import { getRun } from '@contract/run';
import { getRequirement } from '@contract/specify';
import { createFeature, createReducer, on } from '@ngrx/store';
import type { Knot, RecordKind } from '@core/base';
import type { KnotState } from '@core/prove';
import { command } from '../command';
import { useProject } from '../live';
import { CordDrawing } from './cord';

/** What is looked at: a record; without a kind, the one that has the key. */
export interface Peeked {
  readonly kind?: RecordKind;
  readonly key: string;
}
export const peekTarget = signal<Peeked>({ key: '' });

export const peekCommands = {
  requirement: command('[Peek] requirement', getRequirement),
  case: command('[Peek] case', getCase),
  run: command('[Peek] run', getRun),
  cord: command('[Peek] cord', getCord),
  record: command('[Peek] record', getRecord),
};

/** What a snapshot says first, as people read it. */
function saidFirst(snapshot: Readonly<Record<string, unknown>> | null): string {
  const said = ['description', 'question', 'objective', 'statement', 'reason', 'configuration'].map((name) => snapshot?.[name]);
  return said.find((value): value is string => typeof value === 'string' && value !== '') ?? '';
}

interface PeekState {
  /** Told where only its key was known. */
  readonly kind: RecordKind | null;
  readonly key: string;
  readonly title: string;
  readonly lines: readonly string[];
  readonly cord: { readonly key: string; readonly states: Record<Knot, KnotState>; readonly words: string } | null;
}
const nothing: PeekState = { kind: null, key: '', title: '', lines: [], cord: null };

export const peekFeature = createFeature({
  name: 'peek',
  reducer: createReducer(
    nothing,
    on(peekCommands.requirement.done, (state, { answer: r }): PeekState => ({
      ...state,
      kind: null,
      key: r.key,
      title: r.title,
      lines: [r.text, `${r.level || 'no level'} · ${r.method || 'no method'} · revision ${r.revision}, ${r.state}`],
    })),
    on(peekCommands.case.done, (state, { answer: c }): PeekState => ({
      ...state,
      kind: null,
      key: c.key,
      title: c.title,
      lines: [c.objective, `${c.steps.length} steps · ${c.plannedMinutes} min · revision ${c.revision}, ${c.state}`],
      cord: null,
    })),
    on(peekCommands.run.done, (state, { answer: r }): PeekState => ({
      ...state,
      kind: null,
      key: r.key,
      title: `${r.caseKey} · ${r.caseTitle}`,
      lines: [
        `${r.verdict ?? 'not recorded'} on ${r.build}${r.row === null ? '' : `, row ${r.row}`}`,
        `${r.configuration} · ${r.testerName}`,
      ],
      cord: null,
    })),
    on(peekCommands.record.done, (state, { answer: { record: r, snapshot } }): PeekState => ({
      ...state,
      kind: r.kind,
      key: r.key,
      title: r.title,
      lines: [saidFirst(snapshot), `${r.kind} · ${r.state} · ${r.updatedBy}, ${r.updatedAt.slice(0, 10)}`].filter(Boolean),
      cord: null,
    })),
    on(peekCommands.cord.done, (state, { answer: c }): PeekState => ({
      ...state,
      cord: { key: c.key, states: c.states, words: c.break?.words ?? 'Proved' },
    })),
  ),
});

/** The card that shows a record while its key is hovered or focused. */
@Component({
  selector: 'cp-peek',
  imports: [CordDrawing],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (shown(); as peek) {
      <div class="card" role="tooltip">
        <div class="key">{{ peek.key }}</div>
        <strong>{{ peek.title }}</strong>
        @for (line of peek.lines; track $index) {
          <p [class.second]="$index > 0">{{ line }}</p>
        }
        @if (peek.cord && peek.cord.key === peek.key) {
          <cp-cord [states]="peek.cord.states" [gap]="48" [radius]="6" />
          <p class="second small">{{ peek.cord.words }}</p>
        }
      </div>
    }
  `,
  styles: `
    .card {
      width: 340px;
      padding: 12px 16px;
      background: var(--surface);
      border: 1px solid var(--hairline);
      border-radius: 12px;
      box-shadow: var(--shadow);
      display: flex;
      flex-direction: column;
      gap: 4px;
      font-size: 13px;
    }
    p {
      white-space: pre-line;
      display: -webkit-box;
      -webkit-line-clamp: 4;
      -webkit-box-orient: vertical;
      overflow: hidden;
    }
  `,
})
export class Peek {
  private readonly scope = useProject();
  private readonly state = this.scope.store.selectSignal(peekFeature.selectPeekState);
  protected readonly shown = () => (this.state().key === peekTarget().key ? this.state() : null);

  constructor() {
    const { store, slug, build } = this.scope;
    effect(() => {
      const { kind, key } = peekTarget();
      const at = { project: slug(), key };
      if (!key) return;
      if (kind === 'requirement') {
        store.dispatch(peekCommands.requirement.start(at));
        if (build()) store.dispatch(peekCommands.cord.start({ ...at, build: build() }));
      } else if (kind === 'case') store.dispatch(peekCommands.case.start(at));
      else if (kind === 'run') store.dispatch(peekCommands.run.start(at));
      else if (kind !== 'file') store.dispatch(peekCommands.record.start(at));
    });
    // Of these kinds there is more to be seen.
    effect(() => {
      const { kind, key } = this.state();
      if ((kind === 'requirement' || kind === 'case' || kind === 'run') && key === peekTarget().key && !peekTarget().kind)
        peekTarget.set({ kind, key });
    });
  }
}
