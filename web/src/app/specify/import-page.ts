import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { DecimalPipe } from '@angular/common';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { Router } from '@angular/router';
import { getExchange, type ImportSummary } from '@contract/specify';
import { decodeText, importFields, type ImportField } from '@core/specify';
import { EarlierImports } from './earlier-imports';
import type { ShownPicture } from './reqif-tasks';
import { exchangeOf, packedWhereLarge, type PackedTable, type PlainTable, type Table } from './table';
import { pictureWords, Stopped, storePictures, useTableReading } from './table-reading';
import {
  Api,
  ApiFailure,
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
  imports: [DecimalPipe, EarlierImports, FormsModule, MatButtonModule, MatProgressBarModule, Icon, ProblemNote, Needs, WordsDiff],
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
  protected readonly asking = this.store.selectSignal(selectRequest(specifyCommands.importSentTable.name));
  protected readonly readingSent = this.store.selectSignal(selectRequest(specifyCommands.previewSentTable.name));
  protected readonly requests = [
    specifyCommands.readWorkbook.name,
    specifyCommands.importRequirements.name,
    specifyCommands.importSentTable.name,
    specifyCommands.previewImport.name,
    specifyCommands.previewSentTable.name,
  ];
  protected readonly fields = importFields;
  protected readonly fieldWords = fieldWords;
  protected readonly target = signal('');
  protected readonly fileName = signal('');
  protected readonly encoding = signal('');
  protected readonly unreadable = signal('');
  protected readonly preview = signal<ImportSummary | null>(null);
  /** Does what the table does not name go out of use? */
  protected readonly retires = signal(false);
  private readonly api = inject(Api);
  protected readonly large = useTableReading();
  /** The table that is looked at: as it was read, or as the server has it. */
  private table: PlainTable | (PackedTable & { readonly sent: string }) | undefined;
  /** The ReqIF document with what was chosen beside it, and the pictures that its texts show. */
  private document: readonly File[] = [];
  private shown: readonly ShownPicture[] = [];
  protected readonly pictures = signal('');
  protected readonly storing = signal(false);
  private workbook: File | undefined;
  protected readonly sheets = signal<readonly string[]>([]);
  protected readonly sheet = signal('');
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
    onChanged(['requirement', 'field', 'project'], () => this.check(this.preview()?.mapping));
    onAction(specifyCommands.previewImport.done, ({ answer }) => this.preview.set(answer));
    onAction(specifyCommands.previewSentTable.done, ({ answer }) => this.preview.set(answer));
    // A job writes it: how far it is, is shown here.
    onAction(specifyCommands.importSentTable.done, () => this.begin(''));
    onAction(specifyCommands.readWorkbook.done, ({ answer }) => {
      this.sheets.set(answer.sheets);
      this.sheet.set(answer.sheet);
      this.encoding.set('workbook');
      void this.take({ csv: answer.csv });
    });
    onAction(specifyCommands.importRequirements.done, () => void this.router.navigate(['/', this.scope.slug(), 'specify', this.target()]));
  }

  protected drop(event: DragEvent): void {
    event.preventDefault();
    void this.read([...(event.dataTransfer?.files ?? [])]);
  }

  protected pick(input: HTMLInputElement): void {
    void this.read([...(input.files ?? [])]);
    input.value = '';
  }

  /** Rows of a spreadsheet come as text with tabs: a table like any other. */
  protected paste(event: ClipboardEvent): void {
    const text = event.clipboardData?.getData('text/plain') ?? '';
    const typing = event.target instanceof HTMLElement && event.target.closest('input:not([type=file]), textarea, [contenteditable]');
    if (typing || !/[\t,;]/.test(text) || !text.trim().includes('\n')) return;
    event.preventDefault();
    void this.read([new File([text], 'pasted rows.csv', { type: 'text/csv' })]);
  }

  private begin(name: string): void {
    this.large.stop();
    this.fileName.set(name);
    this.preview.set(null);
    this.sheets.set([]);
    this.unreadable.set('');
    this.table = undefined;
    this.document = [];
    this.shown = [];
    this.pictures.set('');
  }

  /** Of several files the ReqIF document is read, with the pictures beside it; else the first. */
  private async read(files: readonly File[]): Promise<void> {
    const file = files.find(({ name }) => /\.reqifz?$/i.test(name)) ?? files.at(0);
    if (!file) return;
    this.begin(file.name);
    if (/\.xlsx$/i.test(file.name)) {
      this.workbook = file;
      return this.readSheet(undefined);
    }
    if (/\.reqifz?$/i.test(file.name)) {
      this.document = [file, ...files.filter((other) => other !== file)];
      return this.readReqif();
    }
    if (file.size > 40 * 1024 * 1024) return this.unreadable.set('The file is larger than 40 MiB. Nothing was read.');
    const decoded = decodeText(new Uint8Array(await file.arrayBuffer()));
    if (!decoded) return this.unreadable.set(`${file.name} is not a text file.`);
    this.encoding.set(decoded.encoding);
    await this.take(await packedWhereLarge({ csv: decoded.text }));
  }

  /** ReqIF becomes the table that it holds, of an archive its first document; by which identifiers it is known here, the server says. */
  private async readReqif(): Promise<void> {
    const { document } = this;
    try {
      const here = await this.api.call(getExchange, { project: this.scope.slug(), key: this.target() });
      const read = await this.large.read(document, here);
      if ('fault' in read) return this.unreadable.set(`${this.fileName()}: ${read.fault}`);
      this.encoding.set('ReqIF');
      this.shown = read.shown;
      this.pictures.set(pictureWords(read));
      await this.take(read.table);
    } catch (error) {
      if (error instanceof Stopped) return;
      const why = error instanceof ApiFailure ? failureWords(error) : 'It cannot be read as ReqIF.';
      this.unreadable.set(`${this.fileName()}: ${why} Nothing was written.`);
    }
  }

  /** Somebody stopped what was being read or sent. */
  protected stop(): void {
    this.begin('');
  }

  private async take(table: Table): Promise<void> {
    try {
      const project = this.scope.slug();
      this.table = 'csv' in table ? table : { ...table, sent: await this.large.send(project, table.packed) };
      this.check(undefined);
    } catch (error) {
      if (error instanceof Stopped) return;
      this.unreadable.set(`${this.fileName()} could not be sent, and nothing was written: ${failureWords(error)}`);
    }
  }

  /** A workbook is read by the server: one of its tables at a time. */
  protected readSheet(sheet: string | undefined): void {
    if (!this.workbook) return;
    this.store.dispatch(specifyCommands.readWorkbook.start({ project: this.scope.slug(), ...(sheet ? { sheet } : {}) }, [this.workbook]));
  }

  private check(given: Record<string, string> | undefined): void {
    const { table } = this;
    if (!table) return;
    const at = { project: this.scope.slug(), specification: this.target() };
    const mapping = given ? { mapping: given } : {};
    if ('csv' in table) {
      const { csv, layouts } = table;
      this.store.dispatch(specifyCommands.previewImport.start({ ...at, csv, ...(layouts ? { layouts } : {}), ...mapping }));
    } else
      this.store.dispatch(specifyCommands.previewSentTable.start({ ...at, table: table.sent, columns: [...table.columns], ...mapping }));
  }

  protected retarget(key: string): void {
    this.target.set(key);
    if (this.document.length) void this.readReqif();
    else this.check(this.preview()?.mapping);
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

  protected async write(): Promise<void> {
    const { table } = this;
    const mapping = this.preview()?.mapping;
    if (!mapping || !table || !(await this.picturesStored())) return;
    const asked = {
      project: this.scope.slug(),
      specification: this.target(),
      fileName: this.fileName(),
      mapping,
      missing: this.retires() ? ('retire' as const) : ('leave' as const),
    };
    if (!('csv' in table)) return this.store.dispatch(specifyCommands.importSentTable.start({ ...asked, table: table.sent }));
    const { csv, layouts, kept } = table;
    this.store.dispatch(
      specifyCommands.importRequirements.start({
        ...asked,
        csv,
        ...(kept ? { exchange: exchangeOf(kept) } : {}),
        ...(layouts ? { layouts } : {}),
      }),
    );
  }

  private async picturesStored(): Promise<boolean> {
    this.storing.set(true);
    try {
      await storePictures(this.api, { project: this.scope.slug(), key: this.target() }, this.shown);
      return true;
    } catch (error) {
      this.unreadable.set(`The pictures could not be stored, and nothing was written: ${failureWords(error)}`);
      return false;
    } finally {
      this.storing.set(false);
    }
  }
}
