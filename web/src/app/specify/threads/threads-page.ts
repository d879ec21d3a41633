import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Router } from '@angular/router';
import { listThreads, type ThreadRow } from '@contract/prove';
import { threadGap, type ThreadColumn } from '@core/specify';
import {
  type CellLink,
  type ListColumn,
  type ListKind,
  RecordList,
  recordFilterFields,
  reviewStates,
  reviewWords,
  RowLines,
  RowTemplate,
  useProject,
} from '../../base';
import { allView, projectFields, tracedFields, uncasedView } from '../requirement-list';
import { SpecifyNav } from '../specify-nav';
import { specifyCommands, specifyFeature } from '../state';

type End = ThreadRow['parents'][number];
const tones: Readonly<Record<string, CellLink['tone']>> = { failed: 'broken', blocked: 'waiting', planned: 'waiting', open: 'broken' };

const links = (kind: CellLink['kind'], ends: readonly End[], states = false): CellLink[] =>
  ends.map(({ key, state, suspect }) => ({
    kind,
    key,
    note: [states ? state : '', suspect ? 'suspect' : ''].filter(Boolean).join(', '),
    tone: suspect ? 'suspect' : states ? tones[state] : undefined,
  }));

/** A column whose cells are records; an empty one says what is missing there. */
const ends = (
  name: Exclude<ThreadColumn, 'functions'>,
  words: string,
  width: number,
  kind: CellLink['kind'],
  states = false,
): ListColumn<ThreadRow> => ({
  name,
  words,
  width,
  usual: true,
  links: (r) => links(kind, r[name], states),
  show: (r) => r[name].map(({ key }) => key).join(', ') || threadGap(r, name),
  tone: (r) => (threadGap(r, name) ? (name === 'runs' ? 'waiting' : 'broken') : undefined),
});

/** Requirements with their whole chain in columns: where they come from, and what shows that they hold. */
export const threadKind: ListKind<ThreadRow> = {
  name: 'threads',
  endpoint: listThreads,
  noun: ['thread', 'threads'],
  changedBy: ['requirement', 'case', 'run', 'problem', 'trace'],
  tableFirst: true,
  fields: [...recordFilterFields, { name: 'state', words: 'State', type: 'text', values: reviewStates }, ...tracedFields],
  views: [
    allView,
    uncasedView,
    {
      name: 'orphans',
      words: 'No parent',
      filter: {
        and: [
          { field: 'kind', is: ['requirement'] },
          { field: 'trace.parent', is: [0] },
          { field: 'topLevel', is: [false] },
          { field: 'derived', is: [false] },
        ],
      },
    },
    {
      name: 'troubled',
      words: 'With problems',
      filter: {
        and: [
          { field: 'kind', is: ['requirement'] },
          { field: 'trace.problems', from: 1 },
        ],
      },
    },
  ],
  sorts: [
    ['key', 'Key'],
    ['title', 'Title'],
    ['level', 'Level'],
  ],
  columns: [
    ends('parents', 'Comes from', 120, 'requirement'),
    { name: 'key', words: 'Key', width: 84, sort: 'key', usual: true, show: (r) => r.key },
    { name: 'title', words: 'Title', width: 210, sort: 'title', usual: true, show: (r) => r.title },
    { name: 'state', words: 'State', width: 84, usual: true, show: (r) => reviewWords(r.state) },
    ends('children', 'Derived from it', 130, 'requirement'),
    ends('cases', 'Verified by', 150, 'case'),
    ends('runs', 'Run as', 190, 'run', true),
    {
      name: 'functions',
      words: 'Code',
      width: 160,
      usual: true,
      show: (r) => r.functions.join(', ') || threadGap(r, 'functions'),
      links: (r) => (r.functions.length ? undefined : []),
      tone: (r) => (threadGap(r, 'functions') ? 'waiting' : undefined),
    },
    ends('problems', 'Problems', 150, 'problem', true),
    { name: 'level', words: 'Level', width: 84, sort: 'level', show: (r) => r.level },
    { name: 'specification', words: 'Specification', width: 110, show: (r) => r.specification },
  ],
  rowHeight: 50,
  exported: 'threads',
};

/** The table of threads: each row a requirement with what it hangs together with, gaps shown as gaps. */
@Component({
  selector: 'cp-threads-page',
  imports: [RecordList, RowLines, RowTemplate, SpecifyNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack whole">
      <div class="page-head"><h1 class="grow">Threads</h1></div>
      <cp-specify-nav />
      <cp-record-list class="grow" [kind]="kind" [of]="of()" [moreFields]="fields()" [current]="''" (opened)="open($event)">
        <ng-template [cpRow]="kind" let-r let-found="found">
          <cp-row-lines [row]="r" [found]="found" [below]="lines(r)" />
        </ng-template>
        <ng-container empty><h2>No requirement yet</h2></ng-container>
      </cp-record-list>
    </div>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
    }
    .whole {
      display: flex;
      flex-direction: column;
      height: 100%;
      max-width: none;
      box-sizing: border-box;
    }
    cp-record-list {
      flex: 1;
      min-height: 0;
    }
  `,
})
export class ThreadsPage {
  protected readonly kind = threadKind;
  private readonly scope = useProject();
  private readonly router = inject(Router);
  private readonly specifications = this.scope.store.selectSignal(specifyFeature.selectSpecifications);
  /** Results and code are those of the build that is being proved. */
  protected readonly of = computed(() => ({ ...(this.scope.build() ? { build: this.scope.build() } : {}) }));
  protected readonly fields = computed(() =>
    projectFields(
      this.scope.project()?.profile.levels ?? [],
      this.specifications().map((s) => s.key),
    ),
  );

  constructor() {
    this.scope.store.dispatch(specifyCommands.listSpecifications.start({ project: this.scope.slug() }));
  }

  protected lines(r: ThreadRow): string {
    const keys = (list: readonly End[]): string => list.map(({ key }) => key).join(', ');
    return [keys(r.parents) || threadGap(r, 'parents'), keys(r.cases) || threadGap(r, 'cases'), keys(r.runs) || threadGap(r, 'runs')]
      .filter(Boolean)
      .join(' · ');
  }

  protected open(key: string): void {
    if (key) void this.router.navigate(['/', this.scope.slug(), 'specify', 'requirement', key]);
  }
}
