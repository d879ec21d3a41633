import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { Router } from '@angular/router';
import type { Connection } from '@contract/prove';
import { groupBy } from '@core/base';
import { recordLink } from '../links';
import { onAction, useProject } from '../live';
import { ProblemNote } from '../ui/problem-note';
import { RecordLink } from '../ui/record-link';
import type { PictureEdge, PictureNode } from '../graph/folding';
import { GraphBox } from '../graph/graph-box';
import { LinkHere } from './link-here';
import { recordCommands, recordFeature } from './state';

/** One of a kind, and several. */
const kindWords: Record<Connection['kind'], readonly [string, string]> = {
  specification: ['specification', 'specifications'],
  requirement: ['requirement', 'requirements'],
  case: ['case', 'cases'],
  build: ['build', 'builds'],
  round: ['round', 'rounds'],
  run: ['run', 'runs'],
  problem: ['problem report', 'problem reports'],
  upload: ['upload', 'uploads'],
  attestation: ['attestation', 'attestations'],
  carry: ['carried measurement', 'carried measurements'],
  carriedRuns: ['carrying of results', 'carryings of results'],
  review: ['Review', 'Reviews'],
  baseline: ['Baseline', 'Baselines'],
  folder: ['folder', 'folders'],
  group: ['group', 'groups'],
  flow: ['flow', 'flows'],
  parameters: ['parameter sheet', 'parameter sheets'],
  decisionTable: ['decision table', 'decision tables'],
  stateTable: ['state table', 'state tables'],
  file: ['function', 'functions'],
};
/** What stands in a box: the key, of code the function. */
function short({ kind, key, title }: Connection): string {
  const text = kind === 'file' ? title : key;
  return text.length > 24 ? `${text.slice(0, 23)}…` : text;
}
const steps = ['', 'Near', 'Two steps away', 'Three steps away', 'Four steps away'];

/** Everything that is connected with a record, near and far: as a list by distance, each with the way that leads there, and as a picture. */
@Component({
  selector: 'cp-connections-panel',
  imports: [GraphBox, LinkHere, ProblemNote, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="stack-s">
      <cp-link-here [key]="key()" />
      @if (kinds().length > 1) {
        <div class="row" role="group" aria-label="Show kinds">
          <button class="chip" type="button" [attr.aria-pressed]="kind() === ''" (click)="kind.set('')">All {{ all().length }}</button>
          @for (k of kinds(); track k.kind) {
            <button class="chip" type="button" [attr.aria-pressed]="kind() === k.kind" (click)="kind.set(k.kind)">
              {{ k.count }} {{ k.words }}
            </button>
          }
        </div>
      }
      @if (all().length) {
        <cp-graph
          [nodes]="nodes()"
          [edges]="edges()"
          [root]="key()"
          [label]="'What is connected with ' + key() + ', drawn'"
          (opened)="go($event)"
        />
      }
      @for (group of groups(); track group.distance) {
        <h3>{{ steps[group.distance] }}</h3>
        <ul>
          @for (c of group.items; track c.key) {
            <li>
              <span class="second small via">{{ c.via }}</span>
              <cp-record [kind]="c.kind" [key]="c.key" />
              <span class="title"
                >{{ c.title }}
                @if (c.distance > 1) {
                  <span class="second small">over {{ way(c) }}</span>
                }
              </span>
              <span class="second small">{{ c.state }}</span>
            </li>
          }
        </ul>
      } @empty {
        <p class="second">{{ read() ? 'Nothing is connected with it yet.' : 'Reading …' }}</p>
      }
      @if (connections()?.more) {
        <p class="second small">There is more than is shown here: the nearest {{ all().length }} are.</p>
      }
      <cp-problem [of]="name" />
    </div>
  `,
  styles: `
    :host {
      display: block;
      container-type: inline-size;
    }
    li {
      display: grid;
      grid-template-columns: 130px minmax(84px, auto) minmax(0, 1fr) auto;
      gap: 10px;
      padding: 5px 0;
      border-top: 1px solid var(--hairline);
      align-items: baseline;
    }
    .title {
      overflow-wrap: anywhere;
    }
    @container (max-width: 620px) {
      li {
        grid-template-columns: auto minmax(0, 1fr) auto;
        gap: 2px 8px;
      }
      .via {
        grid-column: 1 / -1;
      }
    }
  `,
})
export class ConnectionsPanel {
  readonly key = input.required<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly name = recordCommands.connections.name;
  protected readonly connections = this.store.selectSignal(recordFeature.selectConnections);
  protected readonly steps = steps;
  protected readonly kind = signal<Connection['kind'] | ''>('');
  protected readonly read = computed(() => this.connections() !== null);
  protected readonly all = computed(() => this.connections()?.connections ?? []);
  protected readonly kinds = computed(() =>
    [...groupBy(this.all(), ({ kind }) => kind)].map(([kind, list]) => ({
      kind,
      count: list.length,
      words: kindWords[kind][list.length === 1 ? 0 : 1],
    })),
  );
  private readonly shown = computed(() => this.all().filter(({ kind }) => !this.kind() || kind === this.kind()));
  protected readonly groups = computed(() =>
    [...groupBy(this.shown(), ({ distance }) => distance)].map(([distance, items]) => ({ distance, items })),
  );
  protected readonly nodes = computed((): PictureNode[] => [
    { id: this.key(), label: this.key(), title: this.key() },
    ...this.all().map((c) => ({ id: c.key, label: short(c), title: `${c.key} ${c.title}` })),
  ]);
  protected readonly edges = computed((): PictureEdge[] => this.all().map(({ from, key, via }) => ({ from, to: key, words: via })));

  private readonly at = computed(() => ({
    project: this.scope.slug(),
    key: this.key(),
    ...(this.scope.build() ? { build: this.scope.build() } : {}),
  }));

  constructor() {
    effect(() => {
      const at = this.at();
      if (at.project) untracked(() => this.store.dispatch(recordCommands.connections.start(at)));
    });
    for (const done of [recordCommands.addTrace.done, recordCommands.removeTrace.done])
      onAction(done, () => this.store.dispatch(recordCommands.connections.start(this.at())));
  }

  /** The records between, nearest to the open one first. */
  protected way(c: Connection): string {
    const byKey = new Map(this.all().map((other) => [other.key, other]));
    const between: string[] = [];
    for (let at = byKey.get(c.from); at; at = byKey.get(at.from)) between.unshift(at.key);
    return between.join(', ');
  }

  protected go(key: string): void {
    const to = this.all().find((c) => c.key === key);
    if (!to) return;
    const link = recordLink(this.scope.slug(), to);
    void this.router.navigate([...link.path], { queryParams: link.query });
  }
}
