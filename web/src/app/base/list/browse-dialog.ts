import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { ActivatedRoute, convertToParamMap } from '@angular/router';
import type { Filter, Page, Selection } from '@contract/base';
import { Api } from '../api';
import { useProject } from '../live';
import { RecordTree } from '../tree/record-tree';
import { NodeTemplate } from '../tree/kind';
import { Icon } from '../ui/icon';
import { Needs } from '../ui/needs';
import { RecordLink } from '../ui/record-link';
import type { Browsable } from './browse';
import { together } from './filter-text';
import { RowTemplate, type ListKind } from './kind';
import { RecordList } from './record-list';
import type { PickedRow } from './record-picker';
import { RowLines } from './row-lines';

export interface BrowseData {
  readonly label: string;
  readonly browse: Browsable;
  /** What is not offered: what is linked already, the record itself. */
  readonly without: readonly string[];
  readonly where: Filter | undefined;
  readonly tells: ((row: never) => string) | undefined;
}

/** So many are chosen at once at most: more are linked by acts on many. */
const most = 2000;
const pageOf = 500;

/** A list of its own beside the one on the page below: it stands in no address, and nothing is written or taken away there. */
function asideOf({ exported: _, ...kind }: ListKind<PickedRow>): ListKind<PickedRow> {
  return { ...kind, name: `${kind.name}#browsed`, columns: [], aside: true };
}

/**
 * Records are looked through and several chosen: by the list that their room has, with its filters, views and order, by the place where
 * they stand, or in their tree. What choosing them does is told before.
 */
@Component({
  selector: 'cp-browse-dialog',
  imports: [Icon, MatButtonModule, MatDialogModule, Needs, NodeTemplate, RecordLink, RecordList, RecordTree, RowLines, RowTemplate],
  changeDetection: ChangeDetectionStrategy.OnPush,
  // What is asked here is no part of the address of the page below.
  providers: [{ provide: ActivatedRoute, useValue: { snapshot: { queryParamMap: convertToParamMap({}) } } }],
  template: `
    <h2 mat-dialog-title>{{ data.label }}</h2>
    <mat-dialog-content class="panes">
      @if (places().length) {
        <nav class="places" aria-label="Where they stand">
          <button type="button" class="place" [attr.aria-pressed]="!place()" (click)="go('')">Everywhere</button>
          @for (p of places(); track p.key) {
            <button
              type="button"
              class="place"
              [style.padding-left.px]="10 + p.depth * 14"
              [attr.aria-pressed]="place() === p.key"
              (click)="go(p.key)"
            >
              {{ p.title }}
            </button>
          }
        </nav>
      }
      <section class="found">
        @if (data.browse.tree && place()) {
          <div class="row" role="group" aria-label="Shown">
            <button type="button" class="chip" [attr.aria-pressed]="!inTree()" (click)="show(false)">As a list</button>
            <button type="button" class="chip" [attr.aria-pressed]="inTree()" (click)="show(true)">As a tree</button>
          </div>
        }
        @if (inTree() && data.browse.tree; as tree) {
          <cp-record-tree
            [kind]="tree.kind"
            [of]="treeOf()"
            [listOf]="treeListOf()"
            [bulk]="'requirement'"
            [choosing]="true"
            (opened)="looked.set($event)"
            (chosen)="marked.set($event)"
          >
            <ng-template [cpNode]="tree.kind" let-r
              ><span class="cut"
                ><b class="key">{{ r.key }}</b> {{ r.title }}</span
              ></ng-template
            >
          </cp-record-tree>
        } @else {
          <cp-record-list
            [kind]="kind"
            [within]="within()"
            [current]="looked()"
            (opened)="looked.set($event)"
            (chosen)="marked.set($event)"
          >
            <ng-template [cpRow]="kind" let-r let-found="found"><cp-row-lines [row]="r" [found]="found" [below]="below(r)" /></ng-template>
          </cp-record-list>
        }
      </section>
    </mat-dialog-content>
    <div class="told" aria-live="polite">
      @if (fault()) {
        <p class="fault">{{ fault() }}</p>
      }
      @for (row of told(); track row.key) {
        <p class="small">
          <cp-record [kind]="kindOf()" [key]="row.key" /> {{ row.title }}
          <span class="second">{{ tell(row) }}</span>
        </p>
      }
      @if (count() > told().length) {
        <p class="small second">… and {{ count() - told().length }} more</p>
      }
    </div>
    <mat-dialog-actions align="end">
      <button mat-button type="button" mat-dialog-close>Cancel</button>
      <button mat-flat-button type="button" [cpNeeds]="missing" (click)="take()">
        <cp-icon name="add_link" /> Choose {{ count() || '' }}
      </button>
    </mat-dialog-actions>
  `,
  styles: `
    .panes {
      display: flex;
      gap: 14px;
      height: min(60vh, 560px);
      padding-top: 4px;
    }
    .places {
      flex: none;
      width: 200px;
      overflow: auto;
      display: flex;
      flex-direction: column;
    }
    .place {
      border: 0;
      background: none;
      color: inherit;
      font: inherit;
      text-align: left;
      padding: 6px 10px;
      border-radius: 8px;
      cursor: pointer;
    }
    .place:hover {
      background: var(--cord-tint);
    }
    .place[aria-pressed='true'] {
      background: var(--pick);
      color: var(--on-pick);
    }
    .found {
      flex: 1;
      min-width: 0;
      display: flex;
      flex-direction: column;
      gap: 8px;
    }
    .cut {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .told {
      padding: 0 24px;
      max-height: 110px;
      overflow: auto;
    }
    .told p {
      margin: 2px 0;
    }
    @media (max-width: 819px) {
      .panes {
        flex-direction: column;
      }
      .places {
        width: auto;
        max-height: 90px;
      }
    }
  `,
})
export class BrowseDialog {
  protected readonly data = inject<BrowseData>(MAT_DIALOG_DATA);
  private readonly self = inject<MatDialogRef<BrowseDialog, readonly PickedRow[]>>(MatDialogRef);
  private readonly api = inject(Api);
  private readonly scope = useProject();
  protected readonly kind = asideOf(this.data.browse.kind as unknown as ListKind<PickedRow>);
  protected readonly kindOf = computed(() => this.kind.bulk ?? this.kind.own ?? 'requirement');
  private readonly read = resource({
    params: () => this.scope.slug(),
    loader: ({ params }) => this.data.browse.places?.(this.api, params) ?? Promise.resolve([]),
  });
  protected readonly places = computed(() => (this.read.hasValue() ? this.read.value() : []));
  protected readonly place = signal('');
  protected readonly inTree = signal(false);
  protected readonly treeOf = computed(() => this.data.browse.tree?.of(this.place()) ?? {});
  protected readonly treeListOf = computed(() => this.data.browse.tree?.listOf(this.place()) ?? {});
  protected readonly looked = signal('');
  /** Those with a mark; without any, the one that was pressed. */
  protected readonly marked = signal<Selection | null>(null);
  private readonly chosen = computed(() => this.marked() ?? (this.looked() ? { kind: this.kindOf(), keys: [this.looked()] } : null));
  protected readonly within = computed(() =>
    together([
      { field: 'retired', is: [false] },
      this.data.where,
      this.places().find(({ key }) => key === this.place())?.filter,
      this.data.without.length ? { not: { field: 'key', is: [...this.data.without] } } : undefined,
    ]),
  );
  /** The rows that are chosen, as the list tells them. */
  private readonly rows = resource({
    params: () => this.chosen(),
    loader: ({ params }) => this.rowsOf(params),
  });
  private readonly found = computed(() => (this.rows.hasValue() ? this.rows.value() : { rows: [], total: 0 }));
  protected readonly count = computed(() => this.found().total);
  protected readonly told = computed(() => this.found().rows.slice(0, 4));
  protected readonly missing = (): string => (this.count() ? this.fault() : 'Choose at least one.');
  protected readonly fault = computed(() => (this.count() > most ? `At most ${most} are chosen at once.` : ''));

  private async rowsOf(chosen: Pick<Selection, 'keys' | 'filter'> | null): Promise<{ rows: readonly PickedRow[]; total: number }> {
    if (!chosen) return { rows: [], total: 0 };
    const asked: Filter = chosen.keys ? { field: 'key', is: [...chosen.keys] } : (JSON.parse(chosen.filter ?? '{}') as Filter);
    const filter = JSON.stringify(together([asked, this.within()]));
    const rows: PickedRow[] = [];
    let total = 0;
    for (let after: string | null | undefined; after !== null && rows.length < most;) {
      const input = { project: this.scope.slug(), filter, limit: pageOf, ...(after ? { after } : {}) };
      const page = (await this.api.call(this.kind.endpoint, input as never)) as Page<PickedRow>;
      total = page.total ?? total;
      rows.push(...page.rows);
      after = page.next;
    }
    return { rows, total };
  }

  protected readonly said = ({ state, text, objective, description }: PickedRow): string =>
    [state && state !== 'approved' ? state : '', text ?? objective ?? description ?? ''].filter(Boolean).join(' · ');
  protected readonly below = (row: PickedRow): string => this.data.browse.below?.(row) ?? this.said(row);
  protected readonly tell = (row: PickedRow): string => this.data.tells?.(row as never) ?? '';

  protected go(place: string): void {
    this.place.set(place);
    if (!place) this.show(false);
  }

  protected show(tree: boolean): void {
    this.inTree.set(tree);
    this.marked.set(null);
    this.looked.set('');
  }

  protected take(): void {
    this.self.close(this.found().rows);
  }
}
