import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { ModelDetail } from '@contract/design';
import { writeCsv } from '@core/base';
import {
  coverageCurve,
  modelFindings,
  readConstraints,
  rowCriteria,
  rowValues,
  type MadeRow,
  type MadeRows,
  type ModelBodies,
  type ModelChoice,
  type ModelOf,
  type Row,
  type RowCriterion,
} from '@core/design';
import { Icon, Needs, RecordLink, toggled } from '../../base';
import { Curve } from './curve';
import { download } from './download';
import { MadePanel } from './made-panel';
import { useModelWork } from './model-work';

type Body = ModelBodies['parameters'];
export const rowCriterionWords: Readonly<Record<RowCriterion, string>> = {
  eachChoice: 'Each class once',
  baseChoice: 'Base choice: one value off the usual ones at a time',
  twoValue: 'Boundaries, two values',
  threeValue: 'Boundaries, three values',
  pairs: 'Every pair of values',
  triples: 'Every three values',
  quadruples: 'Every four values',
  all: 'All combinations',
};

/** Rows made of parameters: by a criterion, with what each adds and where one can stop; kept, chosen, and given to a case. */
@Component({
  selector: 'cp-parameter-rows',
  imports: [Curve, FormsModule, Icon, MadePanel, Needs, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h2>Rows</h2>
    <div class="row end">
      <label class="field grow"
        ><span>What they cover</span
        ><select
          class="in"
          name="criterion"
          [disabled]="!may()"
          [ngModel]="body().criterion"
          (ngModelChange)="changed.emit({ criterion: $event })"
        >
          @for (c of criteria; track c) {
            <option [value]="c">{{ words[c] }}</option>
          }
        </select></label
      >
      <label class="field seed"
        ><span>Seed</span
        ><input
          class="in"
          type="number"
          min="0"
          name="seed"
          [readOnly]="!may()"
          [ngModel]="body().seed"
          (ngModelChange)="changed.emit({ seed: $event ?? 1 })"
      /></label>
    </div>
    @if (faults()) {
      <p class="second">Mend the findings on the left first.</p>
    } @else if (work.working()) {
      <div class="row" role="status">
        <span class="grow second">Working out rows …</span>
        <button class="chip" type="button" (click)="work.stop()"><cp-icon name="cancel" /> Stop</button>
      </div>
    } @else if (made(); as m) {
      <p role="status">
        <strong>{{ m.rows.length }} {{ m.rows.length === 1 ? 'row' : 'rows' }}</strong>
        <span class="second"> cover {{ m.covered }} of {{ m.of }}</span>
        @if (m.impossibleCount) {
          <span class="second">, {{ m.impossibleCount }} impossible under the constraints</span>
        }
      </p>
      @for (text of m.impossible.slice(0, 4); track text) {
        <p class="second small">{{ text }}</p>
      }
      @if (m.rows.length > 1 && m.of) {
        @defer (on immediate) {
          <cp-curve [of]="curve()" label="Share of what is to be covered after each row" />
        }
      }
      <div class="scroll">
        <table class="list">
          <thead>
            <tr>
              <th scope="col">
                <input type="checkbox" aria-label="Choose all rows" [checked]="chosen().size === m.rows.length" (change)="all(m)" />
              </th>
              @for (name of columns(); track name) {
                <th scope="col">{{ name }}</th>
              }
              <th scope="col">adds</th>
              <th scope="col"><span class="hidden-visually">Keep</span></th>
            </tr>
          </thead>
          <tbody>
            @for (row of m.rows.slice(0, 500); track $index; let i = $index) {
              <tr [title]="row.covers.join('; ')">
                <td>
                  <input type="checkbox" [attr.aria-label]="'Choose row ' + (i + 1)" [checked]="chosen().has(i)" (change)="toggle(i)" />
                </td>
                @for (name of columns(); track name) {
                  <td>{{ row.row[name] }}</td>
                }
                <td class="num">{{ row.given ? 'kept' : row.adds }}{{ row.valid ? '' : ', refused' }}</td>
                <td>
                  @if (may()) {
                    <button
                      class="chip"
                      type="button"
                      [attr.aria-pressed]="row.given"
                      [attr.aria-label]="(row.given ? 'No longer keep row ' : 'Keep row ') + (i + 1)"
                      (click)="keep(row)"
                    >
                      <cp-icon name="lock" />
                    </button>
                  }
                </td>
              </tr>
            }
          </tbody>
        </table>
      </div>
      @if (made()!.rows.length > 500) {
        <p class="second small">The first 500 are shown.</p>
      }
    }
    @for (one of of().made; track one.key) {
      <p class="small">
        Its rows went to <cp-record kind="case" [key]="one.key" />&ngsp;<span class="second">from revision {{ one.modelRevision }}</span>
      </p>
    }
    <cp-made-panel [of]="of()" [choice]="choice()" [count]="chosen().size" [unsaved]="unsaved()">
      <button class="chip" type="button" [cpNeeds]="noRow" (click)="file()"><cp-icon name="download" /> CSV</button>
    </cp-made-panel>
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 10px;
    }
    .seed {
      width: 90px;
    }
    .scroll {
      max-height: 340px;
      overflow: auto;
    }
    .list td,
    .list th {
      padding: 3px 6px 3px 0;
    }
  `,
})
export class ParameterRows {
  readonly of = input.required<ModelDetail>();
  readonly content = input.required<ModelOf<'parameters'>>();
  readonly unsaved = input.required<boolean>();
  readonly may = input.required<boolean>();
  readonly changed = output<Partial<Body>>();
  protected readonly criteria = rowCriteria;
  protected readonly words = rowCriterionWords;
  protected readonly work = useModelWork();
  protected readonly body = computed(() => this.content().body);
  protected readonly made = signal<MadeRows | null>(null);
  protected readonly chosen = signal<ReadonlySet<number>>(new Set());
  protected readonly noRow = (): string => (this.chosen().size ? '' : 'Choose a row first.');
  protected readonly faults = computed(() => modelFindings(this.content()).some((f) => f.severity === 'error'));
  protected readonly columns = computed(() => this.body().parameters.map((p) => p.name));
  protected readonly curve = computed(() => coverageCurve(this.made() ?? { rows: [], of: 0 }));
  protected readonly choice = computed((): ModelChoice => ({ of: 'rows', rows: this.rows() }));
  private readonly rows = computed(() =>
    (this.made()?.rows ?? []).flatMap(({ row }, i) => (this.chosen().has(i) ? [row] : [])).slice(0, 500),
  );

  constructor() {
    effect((onCleanup) => {
      const body = this.body();
      const faults = this.faults();
      const timer = setTimeout(() => untracked(() => void this.workOut(body, faults)), 250);
      onCleanup(() => clearTimeout(timer));
    });
  }

  private async workOut({ parameters, constraints, criterion, given, seed }: Body, faults: boolean): Promise<void> {
    if (faults) {
      this.work.stop();
      return this.made.set(null);
    }
    const read = readConstraints(constraints, parameters).constraints;
    const made = await this.work.ask((tasks) => tasks.rows(parameters, read, criterion, { given, seed }));
    if (!made) return;
    this.made.set(made);
    this.chosen.set(new Set(made.rows.slice(0, 500).keys()));
  }

  protected toggle(at: number): void {
    this.chosen.update((set) => toggled(set, at));
  }
  protected all({ rows }: MadeRows): void {
    this.chosen.set(this.chosen().size === rows.length ? new Set() : new Set(rows.keys()));
  }
  /** A row that is kept stays as it is, whatever is made beside it. */
  protected keep({ row, given }: MadeRow): void {
    const same = (other: Row): boolean => this.columns().every((name) => other[name] === row[name]);
    const others = this.body().given.filter((other) => !same(other));
    this.changed.emit({ given: given ? others : [...others, row] });
  }
  protected file(): void {
    const columns = this.columns();
    download(
      `${this.of().key}-rows.csv`,
      'text/csv',
      writeCsv(
        columns,
        this.rows().map((row) => columns.map((name) => rowValues(row)[name] ?? '')),
      ),
    );
  }
}
