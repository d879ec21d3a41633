import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { countTraces, type TraceKind } from '@contract/base';
import { Api } from '../api';
import { onAction, useProject } from '../live';
import { baseCommands, baseFeature } from '../state';
import { kindName } from '../trace-words';
import { Icon } from '../ui/icon';
import { firstMissing, Needs } from '../ui/needs';
import { ProblemNote } from '../ui/problem-note';

/** Kinds of record that people trace, and how they are said. */
const traced = [
  'requirement',
  'case',
  'group',
  'flow',
  'parameters',
  'decisionTable',
  'stateTable',
  'run',
  'problem',
  'round',
  'specification',
  'review',
  'baseline',
  'build',
] as const;
type Traced = (typeof traced)[number];
const kindWords = (kinds: readonly string[], between = ', '): string => kinds.map(kindName).join(between);
const empty: TraceKind = { name: '', forward: '', backward: '', fromKinds: ['requirement'], toKinds: ['requirement'], circles: false };

/** The kinds of trace of a project: what they join, and how they are told from either end. */
@Component({
  selector: 'cp-trace-kinds-panel',
  imports: [FormsModule, MatButtonModule, Icon, Needs, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet pad stack" tabindex="0" aria-label="Kinds of trace">
      <div class="between">
        <h2>Kinds of trace</h2>
        @if (admin() && !writing()) {
          <button class="chip" type="button" (click)="write(null)"><cp-icon name="add" /> Kind of trace</button>
        }
      </div>
      <table class="list">
        <thead>
          <tr>
            <th scope="col">From</th>
            <th scope="col">is told as</th>
            <th scope="col">To</th>
            <th scope="col">and back as</th>
            <th scope="col">Circles</th>
            <th scope="col" class="num">Traces</th>
            <th scope="col"><span class="hidden-visually">Change</span></th>
          </tr>
        </thead>
        <tbody>
          @for (k of kinds(); track k.name) {
            <tr>
              <td>{{ words(k.fromKinds) }}</td>
              <th scope="row">{{ k.forward }}</th>
              <td>{{ words(k.toKinds) }}</td>
              <td>{{ k.backward }}</td>
              <td>{{ k.circles ? 'allowed' : 'refused' }}</td>
              <td class="num">{{ used(k.name) }}</td>
              <td>
                @if (admin()) {
                  <button class="chip" type="button" (click)="write(k)">
                    Change<span class="hidden-visually"> {{ k.forward }}</span>
                  </button>
                }
              </td>
            </tr>
          }
        </tbody>
      </table>
      @if (writing(); as w) {
        <form class="stack-s" (ngSubmit)="save(w)">
          <div class="row end">
            @if (adding()) {
              <label class="field"
                ><span>Short name, such as refines</span
                ><input class="in" name="kn" maxlength="30" [ngModel]="w.name" (ngModelChange)="put({ name: $event })"
              /></label>
            }
            <label class="field"
              ><span>Told forwards, such as “refines”</span
              ><input class="in" name="kf" maxlength="60" [ngModel]="w.forward" (ngModelChange)="put({ forward: $event })"
            /></label>
            <label class="field"
              ><span>Told backwards, such as “is refined by”</span
              ><input class="in" name="kb" maxlength="60" [ngModel]="w.backward" (ngModelChange)="put({ backward: $event })"
            /></label>
          </div>
          @for (end of ends; track end[0]) {
            <div class="row" role="group" [attr.aria-label]="end[1]">
              <span class="second">{{ end[1] }}</span>
              @for (kind of traced; track kind) {
                <label class="row"
                  ><input type="checkbox" [disabled]="!!standing()" [checked]="w[end[0]].includes(kind)" (change)="choose(end[0], kind)" />
                  {{ words([kind]) }}</label
                >
              }
            </div>
          }
          <label class="row"
            ><input type="checkbox" [checked]="w.circles" (change)="put({ circles: !w.circles })" /> It may run in a circle</label
          >
          <p class="second small">{{ sentence(w) }} {{ standing() }}</p>
          <cp-problem [of]="name" />
          <div class="row">
            <button mat-flat-button type="submit" [cpNeeds]="missing">{{ adding() ? 'Add the kind' : 'Change the kind' }}</button><button
              mat-button
              type="button"
              (click)="writing.set(null)"
            >
              Cancel
            </button>
          </div>
        </form>
      }
    </section>
  `,
})
export class TraceKindsPanel {
  private readonly api = inject(Api);
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly kinds = this.store.selectSignal(baseFeature.selectTraceKinds);
  protected readonly traced = traced;
  protected readonly words = kindWords;
  protected readonly ends = [
    ['fromKinds', 'From'],
    ['toKinds', 'To'],
  ] as const;
  protected readonly name = baseCommands.saveTraceKind.name;
  protected readonly admin = computed(() => this.scope.roles().includes('administrator'));
  protected readonly writing = signal<TraceKind | null>(null);
  protected readonly adding = signal(false);
  private readonly counts = signal<ReadonlyMap<string, number>>(new Map());
  /** What a change of the kind that is written touches; empty where nothing stands. */
  protected readonly standing = computed(() => {
    const n = this.adding() ? 0 : this.used(this.writing()?.name ?? '');
    return n
      ? `${n} ${n === 1 ? 'trace stands and is' : 'traces stand and are'} told so from then on; what the kind joins cannot change while they do.`
      : '';
  });
  protected readonly missing = (): string => {
    const w = this.writing();
    return firstMissing(
      [!/^[a-z][A-Za-z0-9]{1,29}$/.test(w?.name ?? ''), 'A short name of letters and digits, beginning with a small letter.'],
      [this.adding() && this.kinds().some(({ name }) => name === w?.name), 'There is a kind of that short name.'],
      [!w?.forward.trim() || !w.backward.trim(), 'Say how it is told, forwards and backwards.'],
      [!w?.fromKinds.length || !w.toKinds.length, 'Choose what it joins, at both ends.'],
    );
  };

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      if (!project) return;
      untracked(() => {
        this.store.dispatch(baseCommands.listTraceKinds.start({ project }));
        void this.api.call(countTraces, { project }).then(
          (list) => this.counts.set(new Map(list.map(({ kind, traces }) => [kind, traces]))),
          () => undefined,
        );
      });
    });
    onAction(baseCommands.saveTraceKind.done, () => this.writing.set(null));
  }

  protected used(kind: string): number {
    return this.counts().get(kind) ?? 0;
  }

  protected write(kind: TraceKind | null): void {
    this.adding.set(kind === null);
    this.writing.set(kind ?? empty);
  }

  protected put(change: Partial<TraceKind>): void {
    this.writing.update((w) => w && { ...w, ...change });
  }

  protected choose(end: 'fromKinds' | 'toKinds', kind: Traced): void {
    const now = this.writing()?.[end] ?? [];
    this.put({ [end]: now.includes(kind) ? now.filter((other) => other !== kind) : [...now, kind] });
  }

  protected sentence({ forward, backward, fromKinds, toKinds }: TraceKind): string {
    const [from, to] = [kindWords(fromKinds, ' or '), kindWords(toKinds, ' or ')];
    return `A ${from} ${forward || '…'} a ${to}; a ${to} ${backward || '…'} a ${from}.`;
  }

  protected save({ name, forward, backward, fromKinds, toKinds, circles }: TraceKind): void {
    this.store.dispatch(
      baseCommands.saveTraceKind.start({
        project: this.scope.slug(),
        name,
        forward: forward.trim(),
        backward: backward.trim(),
        fromKinds,
        toKinds,
        circles,
      }),
    );
  }
}
