import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatMenuModule } from '@angular/material/menu';
import { Router, RouterLink } from '@angular/router';
import type { Filter, Selection } from '@contract/base';
import { emptyCase } from '@core/design';
import {
  type BulkChoice,
  BulkPanel,
  type FilterField,
  Icon,
  onAction,
  ProblemNote,
  RecordList,
  reviewChoices,
  reviewWords,
  RowLines,
  RowTemplate,
  useAddress,
  useProject,
} from '../base';
import { caseKind } from './case-list';
import { CopyCases } from './cases/copy-cases';
import { CaseRecord } from './case-record';
import { DesignNav } from './design-nav';
import { FolderTree } from './library/folder-tree';
import { designCommands, designFeature } from './state';

/** The library: verification cases by folder on the left, the chosen one beside them. */
@Component({
  selector: 'cp-design-page',
  imports: [
    BulkPanel,
    CaseRecord,
    CopyCases,
    DesignNav,
    FolderTree,
    FormsModule,
    Icon,
    MatButtonModule,
    MatMenuModule,
    ProblemNote,
    RecordList,
    RouterLink,
    RowLines,
    RowTemplate,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './design-page.html',
  styles: `
    :host {
      display: block;
      height: 100%;
    }
    .says {
      padding: 4px 16px;
    }
  `,
})
export class DesignPage {
  protected readonly reviewWords = reviewWords;
  readonly record = input<string>();
  /** From the address: requirements for which a case is to be designed. */
  readonly for = input<string>();
  /** And under which title. */
  readonly title = input<string>();
  /** The folder that is shown; a hyphen: what stands in none. */
  readonly folder = input<string>();
  protected readonly scope = useProject();
  protected readonly kind = caseKind;
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly go = useAddress();
  protected readonly list = viewChild(RecordList);
  protected readonly addName = designCommands.addCase.name;
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly acting = signal(false);
  protected readonly selection = signal<Selection | null>(null);
  private readonly folders = this.store.selectSignal(designFeature.selectFolders);
  protected readonly showsFolders = signal(true);
  /** What only the project knows: its levels, and what its folders are called. */
  protected readonly known = computed((): FilterField[] => [
    { name: 'level', words: 'Level of what it verifies', type: 'text', values: this.scope.project()?.profile.levels ?? [] },
    {
      name: 'folder',
      words: 'Folder',
      type: 'text',
      grouped: true,
      names: Object.fromEntries(this.folders().map(({ key, title }) => [key, title])),
    },
  ]);
  /** A folder with all below it. */
  protected readonly within = computed((): Filter | undefined => {
    const key = this.folder();
    if (!key) return undefined;
    if (key === '-') return { field: 'folder', is: [''] };
    const keys = new Set([key]);
    for (const f of this.folders()) if (f.under !== null && keys.has(f.under)) keys.add(f.key);
    return { field: 'folder', is: [...keys] };
  });
  protected readonly find = signal('');
  protected readonly replace = signal('');
  protected readonly sameCase = signal(false);
  protected readonly wholeWords = signal(true);
  protected readonly choices = computed((): BulkChoice[] => {
    const review = reviewChoices(this.scope.roles());
    if (!this.author()) return review;
    const find = this.find();
    const moves = this.folders().slice(0, 40);
    return [
      ...review,
      ...(find
        ? [
            {
              words: `Replace “${find}” by “${this.replace()}”`,
              act: { act: 'replace', find, replace: this.replace(), sameCase: this.sameCase(), wholeWords: this.wholeWords() },
              asks: 'reason',
            } as const,
          ]
        : []),
      ...moves.map((f) => ({ words: `Into ${f.title}`, act: { act: 'file', folder: f.key }, asks: 'nothing' }) as const),
      ...(moves.length ? [{ words: 'Out of all folders', act: { act: 'file', folder: null }, asks: 'nothing' } as const] : []),
    ];
  });
  /** Do documents say what their cases verify? */
  protected readonly traced = signal(true);
  protected readonly formats = [
    ['docx', 'Word processor (DOCX)'],
    ['pdf', 'PDF'],
    ['html', 'HTML'],
    ['json', 'JSON, to be read back'],
  ] as const;

  constructor() {
    effect(() => {
      const requirement = this.for();
      if (requirement) untracked(() => this.add([requirement]));
    });
    onAction(
      designCommands.addCase.done,
      ({ answer }) =>
        void this.router.navigate(['/', this.scope.slug(), 'design', answer.key], {
          queryParams: { edit: 1, for: null, title: null },
          queryParamsHandling: 'merge',
        }),
    );
  }

  /** What is shown as a document: what is chosen, the folder, or all. */
  protected document(format: string): string {
    const folder = this.folder();
    const of = this.selection()?.keys;
    const part: Record<string, string> = of?.length ? { cases: of.slice(0, 800).join(',') } : folder && folder !== '-' ? { folder } : {};
    return `/api/projects/${this.scope.slug()}/cases/document?${new URLSearchParams({ format, traces: this.traced() ? 'with' : 'without', ...part })}`;
  }

  protected add(verifies: string[] = []): void {
    const folder = this.folder();
    this.store.dispatch(
      designCommands.addCase.start({
        project: this.scope.slug(),
        content: { ...emptyCase, title: this.title() ?? (verifies.length ? `Case for ${verifies.join(', ')}` : 'New case') },
        verifies,
        ...(folder && folder !== '-' ? { folder } : {}),
      }),
    );
  }

  protected open(key: string): void {
    this.acting.set(false);
    void this.router.navigate(['/', this.scope.slug(), 'design', ...(key ? [key] : [])], {
      queryParams: { edit: null },
      queryParamsHandling: 'merge',
    });
  }

  protected plan(): void {
    void this.router.navigate(['/', this.scope.slug(), 'run', 'plan'], { queryParams: { cases: this.selection()?.keys?.join(',') } });
    this.list()?.none();
  }
}
