import { ChangeDetectionStrategy, Component, computed, effect, input, signal, untracked } from '@angular/core';
import type { Endpoint, TraceKind } from '@contract/base';
import { listCases } from '@contract/design';
import { listProblems, listRounds } from '@contract/run';
import { listBaselines, listRequirements } from '@contract/specify';
import type { VersionedKind } from '@core/base';
import { RecordPicker, type PickedRow } from '../list/record-picker';
import { onAction, useProject } from '../live';
import { baseCommands, baseFeature } from '../state';
import { linkWords } from '../trace-words';
import { ProblemNote } from '../ui/problem-note';
import { recordCommands, recordFeature } from './state';

/** Where records of a kind are found that can be linked. */
const lists: Partial<Record<VersionedKind, { readonly from: Endpoint; readonly words: string }>> = {
  requirement: { from: listRequirements, words: 'requirement' },
  case: { from: listCases, words: 'case' },
  problem: { from: listProblems, words: 'problem report' },
  round: { from: listRounds, words: 'round' },
  baseline: { from: listBaselines, words: 'baseline' },
};

/** A way in which the record can be linked: by a kind of trace, from it or to it, with records of one kind. */
export interface LinkWay {
  readonly name: string;
  readonly trace: string;
  readonly forward: boolean;
  readonly kind: VersionedKind;
  readonly words: string;
}

/** All ways in which the project's kinds of trace let a record of a kind be linked. */
export function linkWays(kinds: readonly TraceKind[], kind: VersionedKind): LinkWay[] {
  const ways = ({ name, forward, backward, fromKinds, toKinds }: TraceKind, from: boolean): LinkWay[] =>
    (from ? fromKinds : toKinds).includes(kind)
      ? (from ? toKinds : fromKinds).flatMap((other) => {
          const words = lists[other]?.words;
          return words
            ? [
                {
                  name: `${name} ${from} ${other}`,
                  trace: name,
                  forward: from,
                  kind: other,
                  words: `${from ? forward : backward}: ${words}`,
                },
              ]
            : [];
        })
      : [];
  // What reads the same from both ends is one way, and what proof rests on comes first.
  const found = kinds.flatMap((of) => [...ways(of, true), ...ways(of, false)]);
  const unlike = found.filter((way, at) => found.findIndex(({ trace, words }) => trace === way.trace && words === way.words) === at);
  const rank = ({ trace }: LinkWay): number => (trace === 'verifies' ? 0 : trace === 'parent' ? 1 : 2);
  return unlike.sort((one, other) => rank(one) - rank(other));
}

/** Links the record that is open with others, in any of the ways that the project knows, from where its connections are shown. */
@Component({
  selector: 'cp-link-here',
  imports: [ProblemNote, RecordPicker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (way(); as w) {
      <div class="row">
        <select class="in" aria-label="How it is linked" [value]="w.name" #how (change)="chosen.set(how.value)">
          @for (one of ways(); track one.name) {
            <option [value]="one.name" [selected]="one.name === w.name">{{ one.words }}</option>
          }
        </select>
        <cp-record-picker
          [from]="from()"
          [label]="'Link it: it ' + w.words"
          placeholder="Link: key or words"
          [without]="without()"
          [tells]="tells"
          (picked)="link($event)"
        />
      </div>
      @if (mine()) {
        <cp-problem [of]="name" />
      }
    }
  `,
  styles: `
    select {
      max-width: 100%;
    }
  `,
})
export class LinkHere {
  readonly key = input.required<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly record = this.store.selectSignal(recordFeature.selectRecordState);
  private readonly kinds = this.store.selectSignal(baseFeature.selectTraceKinds);
  protected readonly name = recordCommands.addTrace.name;
  protected readonly chosen = signal('');
  /** What was refused was asked for here. */
  protected readonly mine = signal(false);
  protected readonly ways = computed(() => {
    const { key, kind } = this.record();
    return this.scope.roles().includes('author') && key === this.key() && kind ? linkWays(this.kinds(), kind) : [];
  });
  protected readonly way = computed(() => this.ways().find(({ name }) => name === this.chosen()) ?? this.ways().at(0));
  protected readonly from = computed(() => lists[this.way()?.kind ?? 'requirement']?.from ?? listRequirements);
  /** What is linked so already, and the record itself. */
  protected readonly without = computed(() => {
    const way = this.way();
    const there = this.record().traces.filter(({ kind }) => kind === way?.trace);
    return [this.key(), ...there.map(({ from, to }) => (way?.forward ? to : from))];
  });
  protected readonly tells = (row: PickedRow): string => {
    const way = this.way();
    const here = { key: this.key(), state: this.record().state };
    return way ? linkWords(way.trace, way.forward ? here : row, way.forward ? row : here) : '';
  };

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      if (project) untracked(() => this.store.dispatch(baseCommands.listTraceKinds.start({ project })));
    });
    onAction(recordCommands.addTrace.done, () =>
      this.store.dispatch(recordCommands.getRecord.start({ project: this.scope.slug(), key: this.key() })),
    );
  }

  protected link(rows: readonly PickedRow[]): void {
    const way = this.way();
    this.mine.set(true);
    if (!way) return;
    for (const { key } of rows) {
      const [from, to] = way.forward ? [this.key(), key] : [key, this.key()];
      this.store.dispatch(recordCommands.addTrace.start({ project: this.scope.slug(), kind: way.trace, from, to }));
    }
  }
}
