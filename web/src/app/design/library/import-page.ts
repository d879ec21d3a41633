import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import { readWorkbook } from '@contract/specify';
import { sheetColumns, type SheetColumn } from '@core/design';
import { Api, ApiFailure, firstMissing, Icon, Needs, ProblemNote, RecordLink, selectRequest, useProject } from '../../base';
import { designCommands, designFeature } from '../state';

const columnWords: Readonly<Record<SheetColumn, string>> = {
  title: 'Title',
  objective: 'Objective',
  preconditions: 'Preconditions',
  postconditions: 'Postconditions',
  action: 'Action of a step',
  expected: 'Expected result',
  minutes: 'Planned minutes',
  verifies: 'Verifies',
  tags: 'Tags',
  priority: 'Priority',
  kind: 'Kind',
  folder: 'Folder (Brake / Cold)',
};

/** Cases from a table, a file of cases or pasted rows: which column holds what, what is wrong by row and cell, and then all or nothing. */
@Component({
  selector: 'cp-case-import-page',
  imports: [FormsModule, Icon, MatButtonModule, Needs, ProblemNote, RecordLink, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="row">
        <a class="chip" [routerLink]="['/', scope.slug(), 'design']"><cp-icon name="chevron_left" /> Cases</a>
        <h1 class="grow">Import cases</h1>
      </div>
      @if (imported(); as keys) {
        <p class="note sound" role="status">
          {{ keys.length }} cases written.
          @for (key of keys.slice(0, 20); track key) {
            <cp-record kind="case" [key]="key" />{{ ' ' }}
          }
        </p>
      }
      <section class="sheet pad stack">
        <div class="row">
          <label class="chip file"
            ><cp-icon name="upload_file" /> XLSX, CSV or JSON
            <input class="hidden-visually" type="file" accept=".xlsx,.csv,.tsv,.txt,.json" (change)="read($event)"
          /></label>
          <span class="second">{{
            fileName() || 'or paste rows from a spreadsheet below; a row a step, or a row a case with numbered lines'
          }}</span>
        </div>
        <textarea
          class="in"
          rows="6"
          aria-label="Rows, with their headings"
          spellcheck="false"
          [ngModel]="text()"
          (ngModelChange)="paste($event)"
        ></textarea>
        @if (fault()) {
          <p class="t-broken small" role="alert">{{ fault() }}</p>
        }
        <cp-problem [of]="names.preview" /><cp-problem [of]="names.import" />
      </section>
      @if (preview(); as p) {
        @if (p.headings.length) {
          <section class="sheet pad stack-s" aria-label="Which column holds what">
            <h2>Which column holds what {{ p.remembered ? '(as for the last table with these headings)' : '' }}</h2>
            <div class="columns">
              @for (column of columns; track column) {
                <label class="field"
                  ><span>{{ words[column] }}</span
                  ><select class="in" [name]="column" [ngModel]="p.columns[column] ?? -1" (ngModelChange)="map(column, $event)">
                    <option [ngValue]="-1">–</option>
                    @for (heading of p.headings; track $index) {
                      <option [ngValue]="$index">{{ heading || 'column ' + ($index + 1) }}</option>
                    }
                  </select></label
                >
              }
            </div>
          </section>
        }
        <section class="sheet pad stack-s" aria-label="What would be written">
          <h2 role="status">
            {{ p.total }} {{ p.total === 1 ? 'case' : 'cases' }}, {{ errors() }} {{ errors() === 1 ? 'fault' : 'faults' }}
          </h2>
          @for (f of p.findings; track $index) {
            <p class="small" [class]="f.severity === 'error' ? 't-broken' : 'second'">
              {{ f.row ? 'Row ' + f.row + (f.cell ? ', ' + f.cell : '') + ': ' : '' }}{{ f.text }}
            </p>
          }
          <table class="list">
            <thead>
              <tr>
                <th scope="col" class="num">Row</th>
                <th scope="col">Title</th>
                <th scope="col" class="num">Steps</th>
                <th scope="col">Verifies</th>
                <th scope="col">Folder</th>
              </tr>
            </thead>
            <tbody>
              @for (c of p.cases; track c.row) {
                <tr>
                  <td class="num">{{ c.row }}</td>
                  <td>{{ c.title }}</td>
                  <td class="num">{{ c.steps }}</td>
                  <td>{{ c.verifies.join(', ') }}</td>
                  <td>{{ c.folder }}</td>
                </tr>
              }
            </tbody>
          </table>
          <div>
            <button mat-flat-button type="button" [disabled]="importing().pending > 0" [cpNeeds]="missing" (click)="write()">
              Write {{ p.total }} cases
            </button>
          </div>
        </section>
      }
    </div>
  `,
  styles: `
    .columns {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(170px, 1fr));
      gap: 10px;
    }
    textarea {
      font-family: 'Source Code Pro', monospace;
      font-size: 12.5px;
      white-space: pre;
    }
    .file:focus-within {
      outline: 2px solid var(--cord);
    }
  `,
})
export class CaseImportPage {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly api = inject(Api);
  protected readonly columns = sheetColumns;
  protected readonly words = columnWords;
  protected readonly names = { preview: designCommands.previewImport.name, import: designCommands.importCases.name };
  protected readonly importing = this.store.selectSignal(selectRequest(this.names.import));
  private readonly shown = this.store.selectSignal(designFeature.selectPreview);
  protected readonly imported = this.store.selectSignal(designFeature.selectImported);
  protected readonly text = signal('');
  protected readonly fileName = signal('');
  protected readonly fault = signal('');
  private readonly mapping = signal<Readonly<Partial<Record<SheetColumn, number>>> | null>(null);
  protected readonly preview = computed(() => (this.text().trim() ? this.shown() : null));
  protected readonly errors = computed(() => this.preview()?.findings.filter((f) => f.severity === 'error').length ?? 0);
  protected readonly missing = (): string =>
    firstMissing(
      [this.errors() > 0, 'Mend the faults first: all is written, or nothing.'],
      [!this.preview()?.total, 'There is no case in it.'],
    );
  private timer: ReturnType<typeof setTimeout> | undefined;

  protected async read(event: Event): Promise<void> {
    const box = event.target as HTMLInputElement;
    const file = box.files?.[0];
    box.value = '';
    if (!file) return;
    this.fault.set('');
    try {
      const text = /\.xlsx$/i.test(file.name)
        ? (await this.api.call(readWorkbook, { project: this.scope.slug() }, [file])).csv
        : await file.text();
      this.fileName.set(file.name);
      this.paste(text);
    } catch (error) {
      this.fault.set(error instanceof ApiFailure ? error.message : 'The file could not be read.');
    }
  }
  protected paste(text: string): void {
    this.text.set(text);
    this.mapping.set(null);
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.ask(), 250);
  }
  protected map(column: SheetColumn, at: number): void {
    const { [column]: _, ...others } = this.preview()?.columns ?? {};
    this.mapping.set(at < 0 ? others : { ...others, [column]: at });
    this.ask();
  }
  private asked() {
    const columns = this.mapping();
    return { project: this.scope.slug(), text: this.text(), ...(columns ? { columns } : {}) };
  }
  private ask(): void {
    if (this.text().trim()) this.store.dispatch(designCommands.previewImport.start(this.asked()));
  }
  protected write(): void {
    const preview = this.preview();
    if (!preview) return;
    const columns = preview.headings.length ? { columns: preview.columns } : {};
    this.store.dispatch(
      designCommands.importCases.start({ ...this.asked(), ...columns, digest: preview.digest, fileName: this.fileName() || 'pasted rows' }),
    );
    this.text.set('');
  }
}
