import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { Router } from '@angular/router';
import type { AnswerOf } from '@contract/base';
import type { getExchange, ImportSummary } from '@contract/specify';
import { decodeText, importFields, readReqif, type ImportField, type ReqifKept } from '@core/specify';
import { EarlierImports } from './earlier-imports';
import { exchangeOf, firstReqif } from './reqif-archive';
import { firstMissing, Icon, Needs, onAction, onChanged, ProblemNote, selectRequest, useKnownFields, useProject, WordsDiff } from '../base';
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
  template: `
    <div class="page stack">
      <div class="page-head">
        <h1>Import requirements</h1>
        <label class="row into"
          ><span class="second">into</span
          ><select class="in" name="into" [ngModel]="target()" (ngModelChange)="retarget($event)">
            @for (s of specifications(); track s.key) {
              <option [value]="s.key">{{ s.title }}</option>
            }
          </select></label
        >
      </div>
      <section class="sheet pad drop" (dragover)="$event.preventDefault()" (drop)="drop($event)">
        <cp-icon name="upload_file" /><span>Drop a CSV, XLSX or ReqIF file here, paste rows of a spreadsheet, or</span
        ><label class="chip"
          >choose one<input
            #pickBox
            class="hidden-visually"
            type="file"
            accept=".csv,.txt,.xlsx,.reqif,.reqifz,text/csv"
            (change)="pick(pickBox)"
        /></label>
        @if (fileName()) {
          <span
            ><b>{{ fileName() }}</b
            >&ngsp;<span class="second small">{{ encoding() }}, {{ preview()?.total ?? 0 }} rows</span></span
          >
        }
      </section>
      @if (reading().pending) {
        <mat-progress-bar mode="indeterminate" aria-label="Reading the file" />
      }
      @if (unreadable()) {
        <div class="note broken" role="alert"><cp-icon name="warning" />{{ unreadable() }}</div>
      }
      @if (sheets().length > 1) {
        <div class="row" role="group" aria-label="Tables of the workbook">
          @for (s of sheets(); track s) {
            <button class="chip" type="button" [attr.aria-pressed]="s === sheet()" (click)="readSheet(s)">{{ s }}</button>
          }
        </div>
      }
      <cp-problem [of]="workbookName" />
      <cp-problem [of]="importName" />
      <cp-problem [of]="previewName" />
      @if (preview(); as p) {
        @if (pictures()) {
          <div class="note">
            <cp-icon name="image" />Its texts refer to {{ pictures() === 1 ? 'one picture' : pictures() + ' pictures' }}: the words beside
            them are read, the pictures are not taken.
          </div>
        }
        <section class="sheet pad stack">
          <h2>Columns</h2>
          <div class="map">
            @for (field of fields; track field) {
              <label class="field"
                ><span>{{ fieldWords[field] }}{{ field === 'key' || field === 'title' || field === 'text' ? ' (needed)' : '' }}</span
                ><select class="in" [name]="field" [ngModel]="p.mapping[field] || ''" (ngModelChange)="map(field, $event)">
                  <option value="">none</option>
                  @for (column of p.columns; track column) {
                    <option [value]="column">{{ column }}</option>
                  }
                </select></label
              >
            }
            @for (f of ownFields(); track f.id) {
              <label class="field"
                ><span>{{ f.name }}</span
                ><select class="in" [name]="'own' + f.id" [ngModel]="ownColumn(p, f.id)" (ngModelChange)="mapOwn(f.id, $event)">
                  <option value="">none</option>
                  @for (column of p.columns; track column) {
                    <option [value]="column">{{ column }}</option>
                  }
                </select></label
              >
            }
          </div>
        </section>
        @if (p.findings.length) {
          <section class="sheet pad stack-s">
            <h2 class="t-broken">
              {{ p.findings.length === 1 ? 'One error' : p.findings.length + (p.findings.length >= 500 ? ' or more errors' : ' errors') }}:
              nothing can be written yet
            </h2>
            <table class="list">
              <thead>
                <tr>
                  <th scope="col" class="num">Row</th>
                  <th scope="col">Cell</th>
                  <th scope="col">What is wrong</th>
                </tr>
              </thead>
              <tbody>
                @for (f of p.findings.slice(0, 100); track $index) {
                  <tr>
                    <td class="num">{{ f.row ?? '–' }}</td>
                    <td>{{ f.cell ?? '–' }}</td>
                    <td>{{ f.text }}</td>
                  </tr>
                }
              </tbody>
            </table>
            @if (p.findings.length > 100) {
              <p class="second">The first 100 are shown.</p>
            }
          </section>
        }
        @if (p.rows.length) {
          <section class="sheet pad stack-s">
            @if (p.missing) {
              <fieldset class="row">
                <legend>
                  The specification has {{ p.missing === 1 ? 'one requirement' : p.missing + ' requirements' }} that the table does not
                  name: <span class="key">{{ p.missingKeys.slice(0, 12).join(', ') }}</span>{{ p.missing > 12 ? ' …' : '' }}
                </legend>
                <label class="check"
                  ><input type="radio" name="missing" [checked]="!retires()" (change)="retires.set(false)" /> leave them as they are</label
                >
                <label class="check"
                  ><input type="radio" name="missing" [checked]="retires()" (change)="retires.set(true)" /> retire them</label
                >
              </fieldset>
            }
            <div class="between">
              <h2>{{ p.good }} of {{ p.total }} rows are good: {{ p.new }} new, {{ p.changed }} changed, {{ p.same }} the same</h2>
              <button mat-flat-button type="button" [disabled]="writing().pending > 0" [cpNeeds]="missing" (click)="write()">
                {{ writing().pending ? 'Writing …' : writeWords(p) }}
              </button>
            </div>
            <table class="list">
              <thead>
                <tr>
                  <th scope="col">Key</th>
                  <th scope="col">Is</th>
                  <th scope="col">Title</th>
                  <th scope="col">Level</th>
                  <th scope="col">Method</th>
                  <th scope="col">Parent</th>
                </tr>
              </thead>
              <tbody>
                @for (r of p.rows; track r.key) {
                  <tr>
                    <td class="key">{{ r.key }}</td>
                    <td>{{ r.status }}</td>
                    <td>
                      {{ r.content.title }}
                      @for (d of r.differences; track d.name) {
                        <div class="small">
                          <span class="second">{{ d.name }}:</span> <cp-words-diff [before]="d.before" [after]="d.after" />
                        </div>
                      }
                    </td>
                    <td>{{ r.content.level }}</td>
                    <td>{{ r.content.method }}</td>
                    <td>{{ r.parents.join(', ') }}</td>
                  </tr>
                }
              </tbody>
            </table>
            @if (p.good > p.rows.length) {
              <p class="second">{{ p.rows.length }} of them are shown, those that change something first.</p>
            }
          </section>
        }
      } @else {
        <div class="sheet empty">
          <h2>A table with a heading row</h2>
          <p>Comma, semicolon or tab; UTF-8, UTF-16 or Windows-1252. Nothing is written before you have seen it.</p>
        </div>
        <cp-earlier-imports />
      }
    </div>
  `,
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
  /** The ReqIF document that is read, and what of it has no place here. */
  private xml: string | undefined;
  private kept: ReqifKept | undefined;
  protected readonly pictures = signal(0);
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
    this.xml = this.kept = undefined;
    this.pictures.set(0);
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
      const bytes = new Uint8Array(await file.arrayBuffer());
      this.xml = /z$/i.test(file.name) ? await firstReqif(bytes) : new TextDecoder().decode(bytes);
      if (this.xml === undefined)
        return this.unreadable.set(`${file.name}: There is no ReqIF document in the archive, or it unpacks to far more than one has.`);
      this.store.dispatch(specifyCommands.getExchange.start({ project: this.scope.slug(), key: this.target() }));
    } catch {
      this.unreadable.set(`${file.name} cannot be read as ReqIF. Nothing was written.`);
    }
  }

  private takeReqif({ prefix, next, identifiers }: AnswerOf<typeof getExchange>): void {
    if (this.xml === undefined) return;
    const read = readReqif(this.xml, { known: new Map(Object.entries(identifiers)), prefix, next });
    if ('fault' in read) return this.unreadable.set(`${this.fileName()}: ${read.fault}`);
    this.encoding.set('ReqIF');
    this.csv = read.csv;
    this.kept = read.kept;
    this.pictures.set(read.pictures);
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
        ...(mapping ? { mapping } : {}),
      }),
    );
  }

  protected retarget(key: string): void {
    this.target.set(key);
    if (this.xml !== undefined) this.store.dispatch(specifyCommands.getExchange.start({ project: this.scope.slug(), key }));
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

  protected write(): void {
    const mapping = this.preview()?.mapping;
    if (mapping)
      this.store.dispatch(
        specifyCommands.importRequirements.start({
          project: this.scope.slug(),
          specification: this.target(),
          fileName: this.fileName(),
          csv: this.csv,
          mapping,
          missing: this.retires() ? 'retire' : 'leave',
          ...(this.kept ? { exchange: exchangeOf(this.kept) } : {}),
        }),
      );
  }
}
