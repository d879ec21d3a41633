import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, signal, viewChild } from '@angular/core';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { coveredPercent, matrixOnly, matrixSums, type MatrixOnly } from '@core/specify';
import {
  askReason,
  FilterBar,
  filterOf,
  onAction,
  onChanged,
  ProblemNote,
  readFilter,
  recordCommands,
  recordFilterFields,
  reviewStates,
  selectRequest,
  useAddress,
  useProject,
} from '../../base';
import { MatDialog } from '@angular/material/dialog';
import { projectFields, requirementKind } from '../requirement-list';
import { SpecifyNav } from '../specify-nav';
import { specifyCommands, specifyFeature } from '../state';
import { type CellPlace, MatrixGrid } from './matrix-grid';
import { TraceNote } from './trace-note';

const pairs = [
  { name: 'cases', words: 'Requirements down, cases across: verifies', rows: 'requirement', columns: 'case', trace: 'verifies' },
  { name: 'requirements', words: 'Cases down, requirements across: verifies', rows: 'case', columns: 'requirement', trace: 'verifies' },
  {
    name: 'parents',
    words: 'Requirements down, parents across: is derived from',
    rows: 'requirement',
    columns: 'requirement',
    trace: 'parent',
  },
] as const;
const onlys = ['all', 'gaps', 'few', 'suspect'] as const;

/** The trace matrix: any two filters against each other; what is missing, few or suspect at one press; traces made and broken in the cell. */
@Component({
  selector: 'cp-matrix-page',
  imports: [MatProgressBarModule, FilterBar, MatrixGrid, ProblemNote, SpecifyNav, TraceNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page">
      <div class="row">
        <h1>Trace matrix</h1>
        <select class="in" aria-label="What is set against what" #pick (change)="go({ pair: pick.value, rf: null, cf: null })">
          @for (p of pairs; track p.name) {
            <option [value]="p.name" [selected]="p.name === sides().name">{{ p.words }}</option>
          }
        </select>
        <span class="grow"></span>
        @for (f of ['xlsx', 'csv', 'html']; track f) {
          <a class="chip" [href]="file(f)" download>{{ f.toUpperCase() }}</a>
        }
      </div>
      <cp-specify-nav />
      <div class="filters">
        <div class="field">
          <span>Down</span>
          <cp-filter-bar [text]="rf() ?? ''" [fields]="fieldsOf(sides().rows)" (textChange)="go({ rf: $event || null })" />
        </div>
        <div class="field">
          <span>Across</span>
          <cp-filter-bar [text]="cf() ?? ''" [fields]="fieldsOf(sides().columns)" (textChange)="go({ cf: $event || null })" />
        </div>
      </div>
      <div class="row" role="group" aria-label="Which rows">
        @for (o of onlys; track o) {
          <button class="chip" type="button" [attr.aria-pressed]="asked().only === o" (click)="go({ only: o === 'all' ? null : o })">
            {{ onlyWords(o) }}
          </button>
        }
        @if (asked().only === 'few') {
          <label class="row small"
            >fewer than
            <input #few class="in few" type="number" min="1" max="100" [value]="fewerThan()" (change)="go({ fewer: few.value })"
          /></label>
        }
        <span class="grow"></span>
        <span class="second small">Space links, Delete breaks, Enter opens, N next suspect</span>
      </div>
      <cp-problem [of]="names.get" /><cp-problem [of]="names.add" /><cp-problem [of]="names.remove" /><cp-problem [of]="names.confirm" />
      @if (reading().pending && !matrix()) {
        <mat-progress-bar mode="indeterminate" aria-label="Reading the matrix" />
      }
      @if (shown(); as m) {
        @if (m.rows.length && m.columns.length) {
          <cp-matrix-grid
            [of]="m"
            [rowKind]="sides().rows"
            [columnKind]="sides().columns"
            [corner]="corner()"
            (chosen)="chosen.set($event)"
            (opened)="open($event)"
            (linked)="link($event)"
            (broken)="unlink($event)"
          />
        } @else {
          <div class="sheet empty">
            <h2>{{ asked().only === 'all' ? 'Nothing to set against each other' : 'No such row' }}</h2>
            <p>
              {{
                asked().only === 'gaps'
                  ? 'Every row has a trace.'
                  : asked().only === 'suspect'
                    ? 'No trace is suspect.'
                    : 'Another filter finds more.'
              }}
            </p>
          </div>
        }
      }
      @if (note(); as n) {
        <cp-trace-note [id]="n.id" [end]="n.end" (closed)="noteOf.set(null)" />
      }
    </div>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
    }
    .page {
      height: 100%;
      display: flex;
      flex-direction: column;
      gap: 10px;
    }
    cp-matrix-grid {
      flex: 1;
      min-height: 260px;
    }
    .filters {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 12px;
    }
    .page {
      position: relative;
    }
    h1 + select {
      width: auto;
      max-width: 340px;
    }
    cp-trace-note {
      position: absolute;
      right: 112px;
      bottom: 64px;
      width: min(480px, calc(100% - 48px));
      z-index: 5;
      box-shadow: 0 8px 28px rgb(0 0 0 / 22%);
      border-radius: 12px;
    }
    .few {
      width: 64px;
    }
    @media (max-width: 600px) {
      .filters {
        grid-template-columns: 1fr;
      }
    }
  `,
})
export class MatrixPage {
  /** From the address: which pair, the filters of both sides, which rows. */
  readonly pair = input<string>();
  readonly rf = input<string>();
  readonly cf = input<string>();
  readonly only = input<string>();
  readonly fewer = input<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly go = useAddress();
  private readonly dialogs = inject(MatDialog);
  private readonly grid = viewChild(MatrixGrid);
  private readonly specifications = this.store.selectSignal(specifyFeature.selectSpecifications);
  protected readonly matrix = this.store.selectSignal(specifyFeature.selectMatrix);
  protected readonly reading = this.store.selectSignal(selectRequest(specifyCommands.getMatrix.name));
  protected readonly names = {
    get: specifyCommands.getMatrix.name,
    add: recordCommands.addTrace.name,
    remove: recordCommands.removeTrace.name,
    confirm: recordCommands.confirmTrace.name,
  };
  protected readonly pairs = pairs;
  protected readonly onlys = onlys;
  protected readonly sides = computed(() => pairs.find(({ name }) => name === this.pair()) ?? pairs[0]);
  protected readonly fewerThan = computed(() => Math.max(1, Number(this.fewer()) || 2));
  protected readonly asked = computed((): MatrixOnly => ({ only: onlys.find((o) => o === this.only()) ?? 'all', fewer: this.fewerThan() }));
  protected readonly shown = computed(() => {
    const m = this.matrix();
    return m && matrixOnly(m, this.asked());
  });
  private readonly sums = computed(() => {
    const m = this.matrix();
    return m && matrixSums(m);
  });
  protected readonly corner = computed(() => {
    const [m, s] = [this.matrix(), this.sums()];
    return m && s ? `${s.coveredRows} of ${m.rows.length} have a trace, ${coveredPercent(s.coveredRows, m.rows.length)} %` : '';
  });
  protected readonly chosen = signal<CellPlace>({ row: 0, column: 0 });
  /** The trace that was opened; another matrix closes it. */
  protected readonly noteOf = linkedSignal<unknown, { readonly id: number; readonly end: string } | null>({
    source: this.sides,
    computation: () => null,
  });
  protected readonly note = this.noteOf.asReadonly();
  private readonly author = computed(() => this.scope.roles().includes('author'));

  constructor() {
    const project = this.scope.slug();
    this.store.dispatch(specifyCommands.listSpecifications.start({ project }));
    effect((onCleanup) => {
      this.sides();
      this.rf();
      this.cf();
      const timer = setTimeout(() => this.read(), 150);
      onCleanup(() => clearTimeout(timer));
    });
    onChanged(['requirement', 'case'], () => this.read());
    for (const done of [recordCommands.addTrace.done, recordCommands.removeTrace.done, recordCommands.confirmTrace.done])
      onAction(done, () => this.read());
  }

  private filter(text: string | undefined, kind: 'requirement' | 'case'): string | undefined {
    const asked = filterOf(readFilter(text ?? '', this.fieldsOf(kind)));
    const only = kind === 'requirement' ? { and: [{ field: 'kind', is: ['requirement'] }, ...(asked ? [asked] : [])] } : asked;
    return only && JSON.stringify(only);
  }

  private question() {
    const { rows, columns, trace } = this.sides();
    const [rowFilter, columnFilter] = [this.filter(this.rf(), rows), this.filter(this.cf(), columns)];
    return { rows, columns, trace, ...(rowFilter ? { rowFilter } : {}), ...(columnFilter ? { columnFilter } : {}) };
  }

  private read(): void {
    this.store.dispatch(specifyCommands.getMatrix.start({ project: this.scope.slug(), ...this.question() }));
  }

  protected fieldsOf(kind: 'requirement' | 'case') {
    if (kind === 'case') return [...recordFilterFields, { name: 'state', words: 'State', type: 'text' as const, values: reviewStates }];
    const levels = this.scope.project()?.profile.levels ?? [];
    return [
      ...requirementKind.fields,
      ...projectFields(
        levels,
        this.specifications().map((s) => s.key),
      ),
    ];
  }

  protected onlyWords(o: (typeof onlys)[number]): string {
    const [m, s] = [this.matrix(), this.sums()];
    if (!m || !s) return o;
    if (o === 'all') return `All ${m.rows.length} × ${m.columns.length}`;
    if (o === 'gaps') return `Without a trace ${m.rows.length - s.coveredRows}`;
    if (o === 'suspect') return `Suspect ${s.suspect}`;
    return `Fewer than ${this.fewerThan()} · ${s.rows.filter(({ traces }) => traces < this.fewerThan()).length}`;
  }

  protected file(format: string): string {
    const asked = { format, ...this.question(), only: this.asked().only, fewer: String(this.fewerThan()) };
    return `/api/projects/${this.scope.slug()}/matrix/file?${new URLSearchParams(asked)}`;
  }

  private keysAt({ row, column }: CellPlace): { from: string; to: string; end: string } | undefined {
    const m = this.shown();
    const [left, above] = [m?.rows.at(row)?.key, m?.columns.at(column)?.key];
    if (!left || !above) return undefined;
    return this.matrix()?.from === 'row' ? { from: left, to: above, end: left } : { from: above, to: left, end: left };
  }

  protected open(place: CellPlace): void {
    const cell = this.grid()?.cellAt(place);
    const keys = this.keysAt(place);
    this.noteOf.set(cell && keys ? { id: cell.id, end: keys.end } : null);
  }

  protected link(place: CellPlace): void {
    if (this.grid()?.cellAt(place)) return this.open(place);
    const keys = this.keysAt(place);
    if (!keys || !this.author()) return;
    const { from, to } = keys;
    this.store.dispatch(recordCommands.addTrace.start({ project: this.scope.slug(), kind: this.sides().trace, from, to }));
  }

  protected unlink(place: CellPlace): void {
    const cell = this.grid()?.cellAt(place);
    const keys = this.keysAt(place);
    if (!cell || !keys || !this.author()) return;
    askReason(this.dialogs, {
      title: 'Take the trace back',
      text: `${keys.from} to ${keys.to}: it stays in the ledger, with the reason.`,
      confirm: 'Take it back',
    }).subscribe((reason) => this.store.dispatch(recordCommands.removeTrace.start({ project: this.scope.slug(), id: cell.id, reason })));
  }
}
