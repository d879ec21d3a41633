import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { MatMenuModule } from '@angular/material/menu';
import { MatSnackBar } from '@angular/material/snack-bar';
import { keysFilter } from '../list/filter-text';
import { useProject } from '../live';
import { Icon } from './icon';

/** Lists that the server writes as a file. */
export type ExportedList = 'requirements' | 'cases' | 'runs' | 'problems' | 'threads' | 'models' | 'groups' | 'cords' | 'code';

/** As many keys as an address holds. */
const mostKeys = 800;

/** Offers a list as a file: what is shown of it where that is a part that can be named, else all. */
@Component({
  selector: 'cp-export-menu',
  imports: [MatMenuModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <button class="chip" type="button" [class.sign]="small()" [matMenuTriggerFor]="menu" aria-label="Export">
      <cp-icon name="download" />{{ small() ? '' : ' Export' }}
    </button>
    <mat-menu #menu="matMenu">
      <div class="second small says">
        {{
          part()
            ? 'The ' + part()?.length + ' shown'
            : found() === null
              ? 'All of this list'
              : 'The ' + found() + ' that are found, in this order'
        }}
      </div>
      @for (f of formats; track f[0]) {
        <a mat-menu-item [href]="address(f[0])" download>{{ f[1] }}</a>
      }
      @if (list() === 'requirements' && !of()['specification']) {
        @for (f of documents; track f[0]) {
          <a mat-menu-item [href]="document(f[0])" download>{{ f[1] }}</a>
        }
      }
      <button mat-menu-item type="button" (click)="copy()">Copy as a table</button>
      @for (m of more(); track m.address) {
        <a mat-menu-item [href]="m.address" download>{{ m.words }}</a>
      }
      @if (again()) {
        <a mat-menu-item [href]="again()" download>Table that can be imported again (CSV)</a>
      }
    </mat-menu>
  `,
  styles: `
    :host {
      display: flex;
    }
    .says {
      padding: 6px 16px;
    }
  `,
})
export class ExportMenu {
  /** Its sign alone, where there is little room. */
  readonly small = input(false);
  private readonly scope = useProject();
  private readonly notes = inject(MatSnackBar);
  /** The list, as its address names it. */
  readonly list = input.required<ExportedList>();
  /** Further members of the question: the build, the specification. */
  readonly of = input<Readonly<Record<string, string>>>({});
  /** Keys that are shown, and how many there are in all. */
  readonly shown = input<readonly string[]>([]);
  readonly total = input(0);
  /** How many the question finds that `of` asks: where it is asked as the list is. */
  readonly found = input<number | null>(null);
  readonly again = input('');
  /** Further files that just this list can be had as. */
  readonly more = input<readonly { readonly words: string; readonly address: string }[]>([]);

  protected readonly formats = [
    ['xlsx', 'Workbook (XLSX)'],
    ['csv', 'Table (CSV)'],
    ['json', 'Data (JSON)'],
  ] as const;
  /** What is found, to be read rather than worked with; a specification as a whole has its own. */
  protected readonly documents = [
    ['docx', 'What is found, as a document (DOCX)'],
    ['pdf', 'What is found, on paper (PDF)'],
  ] as const;
  protected readonly part = computed(() => {
    const shown = this.shown();
    return shown.length && shown.length < this.total() && shown.length <= mostKeys ? shown : undefined;
  });

  /** Puts the table on the clipboard, for a spreadsheet that is open beside this window. */
  protected async copy(): Promise<void> {
    const answer = await fetch(this.address('csv'));
    if (!answer.ok) return this.says('It could not be read; try again.');
    const { default: papa } = await import('papaparse');
    const { data } = papa.parse<string[]>(await answer.text(), { skipEmptyLines: true });
    await navigator.clipboard.writeText(papa.unparse(data, { delimiter: '\t' }));
    this.says(`${data.length - 1} ${data.length === 2 ? 'row is' : 'rows are'} on the clipboard.`);
  }

  private says(text: string): void {
    this.notes.open(text, undefined, { duration: 4000 });
  }

  protected document(format: string): string {
    return this.address(format).replace('/exports/requirements?', '/requirements/document?');
  }

  protected address(format: string): string {
    const part = this.part();
    const asked = new URLSearchParams({ format, ...this.of(), ...(part ? { filter: keysFilter(part) } : {}) });
    return `/api/projects/${this.scope.slug()}/exports/${this.list()}?${asked}`;
  }
}
