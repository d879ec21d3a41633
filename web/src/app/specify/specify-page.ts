import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatMenuModule } from '@angular/material/menu';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import { emptyRequirement, verificationMethods } from '@core/specify';
import type { Filter, Selection } from '@contract/base';
import type { BranchRow } from '@contract/specify';
import {
  type BulkChoice,
  BulkPanel,
  CordDrawing,
  ExportMenu,
  firstMissing,
  Icon,
  Needs,
  NodeTemplate,
  onAction,
  onChanged,
  ProblemNote,
  RecordList,
  RecordTree,
  reviewChoices,
  reviewWords,
  RowLines,
  RowTemplate,
  setChoice,
  treeActions,
  useProject,
} from '../base';
import { projectColumns, projectFields, requirementKind, specificationTree } from './requirement-list';
import { useRowCords } from './row-cords';
import { RequirementRecord } from './requirement-record';
import { usePlacing } from './placing';
import { SpecifyNav } from './specify-nav';
import { CopyOut } from './copy-out';
import { specifyCommands, specifyFeature } from './state';

/** Specify: a specification's tree on the left, the chosen requirement beside it. */
@Component({
  selector: 'cp-specify-page',
  imports: [
    FormsModule,
    RouterLink,
    MatMenuModule,
    MatButtonModule,
    BulkPanel,
    CopyOut,
    CordDrawing,
    ExportMenu,
    Icon,
    ProblemNote,
    RecordList,
    RequirementRecord,
    RecordTree,
    NodeTemplate,
    RowLines,
    RowTemplate,
    Needs,
    SpecifyNav,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panes beside" [class.one]="shownKey()">
      <section class="pane pane-left side" aria-label="Specification">
        <div class="row">
          <h1 class="grow">Specify</h1>
          @if (author()) {
            <a class="chip" [routerLink]="['/', scope.slug(), 'specify', 'import']" [queryParams]="{ into: specification() }"
              ><cp-icon name="upload_file" /> Import</a
            >
          }
          <button class="chip" type="button" [attr.aria-pressed]="asList()" (click)="toList(!asList())">
            <cp-icon name="filter_list" /> Find
          </button>
          @if (!asList()) {
            <cp-export-menu
              list="requirements"
              [of]="exported()"
              [more]="files()"
              [again]="'/api/projects/' + scope.slug() + '/requirements.csv?specification=' + specification()"
            />
          }
        </div>
        <cp-specify-nav />
        <div class="row tabs" role="group" aria-label="Specifications" [hidden]="asList()">
          @for (s of specifications(); track s.key) {
            <button class="chip" type="button" [attr.aria-pressed]="s.key === specification()" (click)="chosen.set(s.key)">
              {{ s.title }} {{ s.requirements }}
            </button>
          }
          @if (author()) {
            <button
              class="chip"
              type="button"
              [attr.aria-expanded]="beginning()"
              (click)="beginning.set(!beginning())"
              aria-label="Begin a specification"
            >
              <cp-icon name="add" />
            </button>
          }
        </div>
        @if (beginning() || (!specifications().length && author())) {
          <form class="stack-s sheet pad" (ngSubmit)="begin()">
            <h2>Begin a specification</h2>
            <label class="field"><span>Title</span><input class="in" name="title" [(ngModel)]="title" /></label>
            <div class="row">
              <label class="field grow"><span>Key, such as BRK</span><input class="in" name="key" [(ngModel)]="key" /></label
              ><label class="field grow"
                ><span>Prefix of its requirements</span><input class="in" name="prefix" [(ngModel)]="prefix"
              /></label>
            </div>
            <cp-problem [of]="names.begin" />
            <div><button mat-flat-button type="submit" [cpNeeds]="missing">Begin</button></div>
          </form>
        }
        @if (asList()) {
          <cp-record-list
            [kind]="kind"
            [moreFields]="fields()"
            [moreColumns]="levelColumns()"
            [current]="shownKey()"
            (opened)="open($event)"
            (chosen)="listed.set($event)"
          >
            <ng-container acts>
              <button class="chip" type="button" [attr.aria-pressed]="acting()" (click)="acting.set(!acting())">
                <cp-icon name="checklist" /> Act on them
              </button>
            </ng-container>
            <ng-template [cpRow]="kind" let-r let-found="found">
              <cp-row-lines [row]="r" [found]="found" [below]="r.text || r.specification" />
              @if (r.state !== 'approved') {
                <span class="tag waiting">{{ reviewWords(r.state) }}</span>
              }
            </ng-template>
            <ng-container empty><h2>No requirement yet</h2></ng-container>
          </cp-record-list>
        } @else if (specification()) {
          <cp-record-tree
            [kind]="tree"
            [of]="{ key: specification() }"
            [listOf]="{ specification: specification() }"
            [moreFields]="fields()"
            [current]="shownKey()"
            [acting]="acting()"
            [movable]="author()"
            bulk="requirement"
            (opened)="open($event)"
            (acts)="acting.set($event)"
            (chosen)="picked.set($event)"
            (placed)="place($event)"
            (asked)="treeFilter.set($event)"
            (seen)="see($event)"
          >
            <ng-template [cpNode]="tree" let-r>
              <b class="key" [class.plain]="r.kind !== 'requirement'">{{ r.key }}</b><span
                class="name"
                [class.heading]="r.kind === 'heading'"
                [class.note]="r.kind === 'note'"
                >{{ r.title }}</span
              >
              @if (r.kind === 'requirement' && r.state !== 'approved') {
                <span class="tag waiting">{{ reviewWords(r.state) }}</span>
              }
              <!-- Of what is open the page beside it says more. -->
              @if (r.key !== shownKey() && cords.of()[r.key]; as states) {
                <cp-cord class="thin" [states]="states" [gap]="11" [radius]="3.2" />
              }
            </ng-template>
            <ng-container empty><p class="empty">This specification is empty.</p></ng-container>
          </cp-record-tree>
        }
        @if (author() && specification()) {
          <div class="row">
            <button mat-stroked-button type="button" (click)="add('requirement')"><cp-icon name="add" /> Requirement</button
            ><button mat-button type="button" (click)="add('heading')">Heading</button>
            <a mat-button [routerLink]="['/', scope.slug(), 'specify', 'outline']" [queryParams]="{ into: specification() }">Outline</a>
          </div>
        }
        <cp-problem [of]="names.add" /><cp-problem [of]="names.place" />
      </section>
      <section class="pane" aria-label="Requirement">
        <button class="chip back" type="button" (click)="open('')"><cp-icon name="chevron_left" /> Requirements</button>
        @if (acting() && selection(); as chosen) {
          <cp-bulk-panel [of]="chosen" [choices]="choices()" (closed)="acting.set(false)" />
          <cp-copy-out [of]="chosen" />
        } @else if (shownKey(); as key) {
          <cp-requirement-record [key]="key" />
        } @else {
          <div class="empty">
            <h2>Choose a requirement</h2>
            <p>Its text, what it comes from and everything that proves it stand here.</p>
          </div>
        }
      </section>
    </div>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
    }
    .side h1 {
      flex: 1;
    }
    .name {
      flex: 1;
      min-width: 0;
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
    }
    .name.heading {
      font-weight: 650;
    }
    .name.note {
      font-style: italic;
      color: var(--ink-2);
    }
    .key.plain {
      color: inherit;
      font-weight: 500;
      font-size: 12px;
    }
  `,
})
export class SpecifyPage {
  protected readonly reviewWords = reviewWords;
  /** From the address: a specification, or a requirement. */
  readonly spec = input<string>();
  readonly record = input<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly specifications = this.store.selectSignal(specifyFeature.selectSpecifications);
  private readonly detail = this.store.selectSignal(specifyFeature.selectDetail);
  /** One list over all specifications, with every question that can be asked; else one specification's tree. */
  protected readonly asList = signal(inject(ActivatedRoute).snapshot.queryParamMap.has('l'));
  protected readonly listed = signal<Selection | null>(null);
  protected readonly picked = signal<Selection | null>(null);
  protected readonly treeFilter = signal<Filter | undefined>(undefined);
  /** Just what the tree shows. */
  protected readonly exported = computed((): Readonly<Record<string, string>> => {
    const filter = this.treeFilter();
    return { specification: this.specification(), ...(filter ? { filter: JSON.stringify(filter) } : {}) };
  });
  protected readonly kind = requirementKind;
  protected readonly tree = specificationTree;
  protected readonly fields = computed(() =>
    projectFields(
      this.scope.project()?.profile.levels ?? [],
      this.specifications().map((s) => s.key),
    ),
  );
  protected readonly levelColumns = computed(() => projectColumns(this.scope.project()?.profile.levels ?? []));
  protected readonly chosen = signal('');
  protected readonly cords = useRowCords();
  protected readonly beginning = signal(false);
  protected readonly title = signal('');
  protected readonly key = signal('');
  protected readonly prefix = signal('');
  protected readonly names = {
    begin: specifyCommands.addSpecification.name,
    add: specifyCommands.addRequirement.name,
    place: specifyCommands.placeRequirement.name,
  };
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly shownKey = computed(() => this.record() ?? '');
  protected readonly specification = computed(() => this.chosen() || this.specifications()[0]?.key || '');
  /** Files that a specification can be had as; where a heading is open, its branch as well. */
  protected readonly files = computed(() => {
    const at = `/api/projects/${this.scope.slug()}/specifications/${this.specification()}`;
    const open = this.detail();
    const branch = open?.kind === 'heading' && open.key === this.shownKey() ? open : undefined;
    const document = (words: string, question: string) => ({ words, address: `${at}/document?${question}` });
    return [
      document('Document (DOCX)', 'format=docx'),
      document('Document (PDF)', 'format=pdf'),
      document('Document with history (PDF)', 'format=pdf&history=1'),
      document('Texts alone (DOCX)', 'format=docx&traces=0'),
      document('Page (HTML)', 'format=html'),
      document('Markdown', 'format=md'),
      ...(branch ? [document(`${branch.key} and below (DOCX)`, `format=docx&under=${branch.key}`)] : []),
      ...(branch ? [document(`${branch.key} and below (PDF)`, `format=pdf&under=${branch.key}`)] : []),
      {
        words: 'Table that can be imported again (XLSX)',
        address: `/api/projects/${this.scope.slug()}/requirements.xlsx?specification=${this.specification()}`,
      },
      { words: 'Exchange format (ReqIF 1.2)', address: `${at}/file.reqif` },
      { words: 'The same with its pictures (reqifz)', address: `${at}/file.reqifz` },
    ];
  });
  protected readonly acting = signal(false);
  protected readonly selection = computed(() => (this.asList() ? this.listed() : this.picked()));
  protected readonly choices = computed((): BulkChoice[] => [
    ...reviewChoices(this.scope.roles()),
    ...(this.author()
      ? [
          ...(this.scope.project()?.profile.levels ?? []).map((level) => setChoice('level', 'Level', level)),
          ...verificationMethods.map((method) => setChoice('method', 'Method', method)),
          ...this.specifications()
            .filter((s) => s.key !== this.specification())
            .map((s): BulkChoice => ({
              words: `Move to ${s.title}`,
              act: { act: 'move', specification: s.key, under: null },
              asks: 'nothing',
            })),
        ]
      : []),
  ]);

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.store.dispatch(specifyCommands.listSpecifications.start({ project })));
    });
    onChanged(['specification'], () => this.store.dispatch(specifyCommands.listSpecifications.start({ project: this.scope.slug() })));
    // The tree shows the specification in which the opened requirement stands.
    effect(() => {
      const found = this.detail();
      if (found && found.key === this.record()) untracked(() => this.chosen.set(found.specification));
      else if (this.spec()) untracked(() => this.chosen.set(this.spec() ?? ''));
    });
    onAction(
      specifyCommands.addRequirement.done,
      ({ answer }) =>
        void this.router.navigate(['/', this.scope.slug(), 'specify', 'requirement', answer.key], {
          queryParams: { edit: 1 },
          queryParamsHandling: 'merge',
        }),
    );
    onAction(specifyCommands.addSpecification.done, ({ answer }) => {
      this.beginning.set(false);
      this.chosen.set(answer.key);
    });
  }

  protected see(rows: readonly BranchRow[]): void {
    this.cords.shown(rows.flatMap(({ kind, key }) => (kind === 'requirement' ? [key] : [])));
  }

  protected toList(list: boolean): void {
    this.asList.set(list);
    this.acting.set(false);
    void this.router.navigate([], {
      queryParams: list ? { l: 1 } : { l: null, v: null, s: null },
      queryParamsHandling: 'merge',
      replaceUrl: true,
    });
  }

  protected open(key: string): void {
    this.acting.set(false);
    void this.router.navigate(['/', this.scope.slug(), 'specify', ...(key ? ['requirement', key] : [])], {
      queryParams: { edit: null },
      queryParamsHandling: 'merge',
    });
  }

  /** What one moved oneself is shown at once. */
  protected readonly place = usePlacing(specifyCommands.placeRequirement, (key) =>
    this.store.dispatch(treeActions.changed({ tree: specificationTree.name, keys: [key], seen: [] })),
  );
  protected readonly missing = (): string =>
    firstMissing([!this.title().trim(), 'Give it a title.'], [!this.key().trim(), 'Give it a key.']);

  protected begin(): void {
    const key = this.key().trim().toUpperCase();
    this.store.dispatch(
      specifyCommands.addSpecification.start({
        project: this.scope.slug(),
        title: this.title().trim(),
        key,
        prefix: (this.prefix().trim() || key).toUpperCase(),
      }),
    );
  }

  /** A new requirement stands where the opened one stands. */
  protected add(kind: 'requirement' | 'heading'): void {
    const here = this.detail()?.specification === this.specification() ? this.detail() : null;
    const under = kind === 'heading' ? null : here?.kind === 'heading' ? here.key : (here?.under ?? null);
    const level = here?.level || (kind === 'requirement' ? (this.scope.project()?.level ?? '') : '');
    this.store.dispatch(
      specifyCommands.addRequirement.start({
        project: this.scope.slug(),
        specification: this.specification(),
        under,
        content: {
          ...emptyRequirement,
          kind,
          title: kind === 'heading' ? 'New heading' : 'New requirement',
          level,
          method: kind === 'heading' ? '' : 'test',
        },
      }),
    );
  }
}
