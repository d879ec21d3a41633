import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { Router } from '@angular/router';
import type { AnswerOf } from '@contract/base';
import type { getExchange, ImportSummary } from '@contract/specify';
import { decodeText, importFields, type ImportField } from '@core/specify';
import { EarlierImports } from './earlier-imports';
import { exchangeOf } from './reqif-archive';
import { ReqifFile, type ReqifTable } from './reqif-reading';
import {
  Api,
  failureWords,
  firstMissing,
  Icon,
  Needs,
  onAction,
  onChanged,
  ProblemNote,
  selectRequest,
  useKnownFields,
  useProject,
  WordsDiff,
} from '../base';
import { specifyCommands, specifyFeature } from './state';

const fieldWords: Record<ImportField, string> = {
  key: 'Key',
  title: 'Title',
  text: 'Text',
  rationale: 'Rationale',
  level: 'Level',
  method: 'Verification method',
  parent: 'Parent',
  under: 'Heading it stands under',
  numbering: 'Number of its place, as in 1.2.3',
  depth: 'Depth: a number, or blanks before its words',
  kind: 'Kind',
  topLevel: 'Top level (yes or no)',
  derived: 'Derived (yes or no)',
  notInCode: 'Why not in code',
  criteria: 'Acceptance criteria, one a line',
  source: 'Source',
  risk: 'Risk',
  priority: 'Priority',
  tags: 'Tags',
};

/** Import of a requirements table: the columns are mapped, every row is checked first, and all rows are written or none. */
@Component({
  selector: 'cp-import-page',
  imports: [EarlierImports, FormsModule, MatButtonModule, MatProgressBarModule, Icon, ProblemNote, Needs, WordsDiff],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '(document:paste)': 'paste($event)' },
  templateUrl: './import-page.html',
  styles: `
    .into {
      flex-wrap: nowrap;
    }
    .drop {
      display: flex;
      align-items: center;
      gap: 12px;
      border-style: dashed;
      border-color: var(--hairline-strong);
    }
    fieldset,
    legend {
      border: 0;
      padding: 0;
    }
    .map {
      display: grid;
      grid-template-columns: repeat(4, 1fr);
      gap: 10px 16px;
    }
  `,
})
export class ImportPage {
  readonly into = input<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly specifications = this.store.selectSignal(specifyFeature.selectSpecifications);
  private readonly fieldList = useKnownFields();
  protected readonly writing = this.store.selectSignal(selectRequest(specifyCommands.importRequirements.name));
  protected readonly reading = this.store.selectSignal(selectRequest(specifyCommands.previewImport.name));
  protected readonly importName = specifyCommands.importRequirements.name;
  protected readonly previewName = specifyCommands.previewImport.name;
  protected readonly fields = importFields;
  protected readonly fieldWords = fieldWords;
  protected readonly target = signal('');
  protected readonly fileName = signal('');
  protected readonly encoding = signal('');
  protected readonly unreadable = signal('');
  protected readonly preview = signal<ImportSummary | null>(null);
  /** Does what the table does not name go out of use? */
  protected readonly retires = signal(false);
  private csv = '';
  /** The ReqIF document that is read, and what it holds. */
  private document: ReqifFile | undefined;
  protected readonly reqif = signal<ReqifTable | null>(null);
  protected readonly storing = signal(false);
  private readonly api = inject(Api);
  private workbook: File | undefined;
  protected readonly sheets = signal<readonly string[]>([]);
  protected readonly sheet = signal('');
  protected readonly workbookName = specifyCommands.readWorkbook.name;
  /** The project's own fields of requirements. */
  protected readonly ownFields = computed(() => this.fieldList().filter((f) => f.kind === 'requirement' && !f.retired));

  constructor() {
    const project = this.scope.slug();
    this.store.dispatch(specifyCommands.listSpecifications.start({ project }));
    effect(() => {
      const chosen = this.into() || this.specifications()[0]?.key || '';
      untracked(() => !this.target() && this.target.set(chosen));
    });
    // Others may write meanwhile what the table is compared with: then it is looked at again.
    onChanged(['requirement', 'field', 'project'], () => this.csv && this.check(this.preview()?.mapping));
    onAction(specifyCommands.previewImport.done, ({ answer }) => this.preview.set(answer));
    onAction(specifyCommands.getExchange.done, ({ answer }) => this.takeReqif(answer));
    onAction(specifyCommands.readWorkbook.done, ({ answer }) => {
      this.sheets.set(answer.sheets);
      this.sheet.set(answer.sheet);
      this.encoding.set('workbook');
      this.csv = answer.csv;
      this.check(undefined);
    });
    onAction(specifyCommands.importRequirements.done, () => void this.router.navigate(['/', this.scope.slug(), 'specify', this.target()]));
  }

  protected drop(event: DragEvent): void {
    event.preventDefault();
    const file = event.dataTransfer?.files[0];
    if (file) void this.read(file);
  }

  protected pick(input: HTMLInputElement): void {
    if (input.files?.[0]) void this.read(input.files[0]);
    input.value = '';
  }

  /** Rows of a spreadsheet come as text with tabs: a table like any other. */
  protected paste(event: ClipboardEvent): void {
    const text = event.clipboardData?.getData('text/plain') ?? '';
    const typing = event.target instanceof HTMLElement && event.target.closest('input:not([type=file]), textarea, [contenteditable]');
    if (typing || !/[\t,;]/.test(text) || !text.trim().includes('\n')) return;
    event.preventDefault();
    void this.read(new File([text], 'pasted rows.csv', { type: 'text/csv' }));
  }

  private async read(file: File): Promise<void> {
    this.fileName.set(file.name);
    this.preview.set(null);
    this.sheets.set([]);
    this.unreadable.set('');
    this.csv = '';
    this.document = undefined;
    this.reqif.set(null);
    if (/\.xlsx$/i.test(file.name)) {
      this.workbook = file;
      return this.readSheet(undefined);
    }
    if (file.size > 40 * 1024 * 1024) return this.unreadable.set('The file is larger than 40 MiB. Nothing was read.');
    if (/\.reqifz?$/i.test(file.name)) return this.readReqif(file);
    const decoded = decodeText(new Uint8Array(await file.arrayBuffer()));
    if (!decoded) return this.unreadable.set(`${file.name} is not a text file.`);
    this.csv = decoded.text;
    this.encoding.set(decoded.encoding);
    this.check(undefined);
  }

  /** ReqIF becomes the table that it holds, of an archive its first document; by which identifiers it is known here, the server says. */
  private async readReqif(file: File): Promise<void> {
    try {
      this.document = await ReqifFile.open(file);
      if (!this.document)
        return this.unreadable.set(`${file.name}: There is no ReqIF document in the archive, or it unpacks to far more than one has.`);
      this.store.dispatch(specifyCommands.getExchange.start({ project: this.scope.slug(), key: this.target() }));
    } catch {
      this.unreadable.set(`${file.name} cannot be read as ReqIF. Nothing was written.`);
    }
  }

  private takeReqif(known: AnswerOf<typeof getExchange>): void {
    if (!this.document) return;
    const read = this.document.read(known);
    if ('fault' in read) return this.unreadable.set(`${this.fileName()}: ${read.fault}`);
    this.encoding.set('ReqIF');
    this.csv = read.csv;
    this.reqif.set(read);
    this.check(undefined);
  }

  /** A workbook is read by the server: one of its tables at a time. */
  protected readSheet(sheet: string | undefined): void {
    if (!this.workbook) return;
    this.store.dispatch(specifyCommands.readWorkbook.start({ project: this.scope.slug(), ...(sheet ? { sheet } : {}) }, [this.workbook]));
  }

  private check(mapping: Record<string, string> | undefined): void {
    this.store.dispatch(
      specifyCommands.previewImport.start({
        project: this.scope.slug(),
        csv: this.csv,
        specification: this.target(),
        ...this.layouts(),
        ...(mapping ? { mapping } : {}),
      }),
    );
  }

  protected retarget(key: string): void {
    this.target.set(key);
    if (this.document) this.store.dispatch(specifyCommands.getExchange.start({ project: this.scope.slug(), key }));
    else if (this.csv) this.check(this.preview()?.mapping);
  }

  protected map(field: string, column: string): void {
    const { [field]: _, ...rest } = this.preview()?.mapping ?? {};
    this.check(column ? { ...rest, [field]: column } : rest);
  }

  protected writeWords({ new: fresh, changed, missing }: ImportSummary): string {
    const words = [fresh ? `${fresh} new` : '', changed ? `${changed} changed` : ''].filter(Boolean).join(' and ');
    const retired = this.retires() && missing ? `retire ${missing}` : '';
    return [words && `Write ${words}`, retired].filter(Boolean).join(', ') || 'Nothing differs';
  }

  protected ownColumn(p: ImportSummary, id: number): string {
    return p.mapping[`own:${id}`] ?? '';
  }

  protected mapOwn(id: number, column: string): void {
    this.map(`own:${id}`, column);
  }

  protected readonly missing = (): string => {
    const p = this.preview();
    return firstMissing(
      [!this.target(), 'Say into which specification.'],
      [!!p?.findings.length, 'Something in the file is faulty: mend it first. Nothing is written by halves.'],
      [p?.same === p?.good && !(this.retires() && p?.missing), 'Every row is here already as the file has it.'],
    );
  };

  private layouts(): { layouts?: Record<string, string> } {
    const read = this.reqif();
    return read ? { layouts: read.layouts } : {};
  }

  protected async write(): Promise<void> {
    const mapping = this.preview()?.mapping;
    if (!mapping || !(await this.picturesStored())) return;
    const kept = this.reqif()?.kept;
    this.store.dispatch(
      specifyCommands.importRequirements.start({
        project: this.scope.slug(),
        specification: this.target(),
        fileName: this.fileName(),
        csv: this.csv,
        mapping,
        missing: this.retires() ? 'retire' : 'leave',
        ...(kept ? { exchange: exchangeOf(kept) } : {}),
        ...this.layouts(),
      }),
    );
  }

  private async picturesStored(): Promise<boolean> {
    this.storing.set(true);
    try {
      await this.document?.storePictures(this.api, { project: this.scope.slug(), key: this.target() });
      return true;
    } catch (error) {
      this.unreadable.set(`The pictures could not be stored, and nothing was written: ${failureWords(error)}`);
      return false;
    } finally {
      this.storing.set(false);
    }
  }
}
