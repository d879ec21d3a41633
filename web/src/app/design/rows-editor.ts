import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, linkedSignal, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { placeholdersIn, rowFindings, textsOf, type CaseContent, type CaseRow } from '@core/design';
import { Icon } from '../base';

/** The data rows of a case: a column for each name in braces that its texts use. The case is run once with each row. */
@Component({
  selector: 'cp-rows-editor',
  imports: [FormsModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (here().length) {
      <table class="list">
        <thead>
          <tr>
            <th scope="col">Row</th>
            @for (name of columns(); track name) {
              <th scope="col">{{ name }}</th>
            }
            <th scope="col"><span class="hidden-visually">Delete</span></th>
          </tr>
        </thead>
        <tbody>
          @for (row of here(); track $index; let i = $index) {
            <tr>
              <td>
                <input
                  class="in name"
                  [name]="'row' + i"
                  [attr.aria-label]="'Name of row ' + (i + 1)"
                  [ngModel]="row.name"
                  (ngModelChange)="put(i, { name: $event })"
                />
              </td>
              @for (name of columns(); track name) {
                <td>
                  <input
                    class="in"
                    [name]="'value' + i + name"
                    [attr.aria-label]="'Row ' + (i + 1) + ', ' + name"
                    [ngModel]="row.values[name]"
                    (ngModelChange)="value(i, name, $event)"
                    (keydown.control.enter)="$event.preventDefault(); add()"
                  />
                </td>
              }
              <td>
                <button type="button" class="chip" [attr.aria-label]="'Delete row ' + (i + 1)" (click)="remove(i)">
                  <cp-icon name="delete" />
                </button>
              </td>
            </tr>
          }
        </tbody>
      </table>
    }
    <div class="row">
      <button class="chip" type="button" (click)="add()"><cp-icon name="add" /> Data row</button>
      <span class="second small">{{
        columns().length
          ? 'One run for each row. Ctrl Enter adds one.'
          : 'Write a name in braces into a step, as in “Wait ' + braces + ' s”: it becomes a column.'
      }}</span>
    </div>
    @for (f of findings(); track $index) {
      <p [class]="'small ' + (f.severity === 'error' ? 't-broken' : 'second')">{{ f.text }}</p>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 8px;
    }
    .in {
      width: 100%;
      min-width: 70px;
      padding: 4px 8px;
    }
    .name {
      width: 70px;
    }
    td {
      padding: 3px 6px 3px 0;
    }
  `,
})
export class RowsEditor {
  readonly content = input.required<CaseContent>();
  readonly changed = output<readonly CaseRow[]>();
  protected readonly braces = '{{time}}';
  /** What is on the screen: ahead of the input while keys come faster than pictures. */
  protected readonly here = linkedSignal(() => this.content().rows ?? []);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  /** Names that the texts use, and behind them columns that no text uses any more. */
  protected readonly columns = computed(() => {
    const used = textsOf(this.content()).flatMap(({ text }) => placeholdersIn(text));
    const retained = this.here().flatMap((row) => Object.keys(row.values).filter((name) => row.values[name]));
    return [...new Set([...used, ...retained])];
  });
  protected readonly findings = computed(() => rowFindings({ ...this.content(), rows: this.here() }).slice(0, 6));

  private set(rows: readonly CaseRow[]): void {
    this.here.set(rows);
    this.changed.emit(rows);
  }

  protected put(at: number, change: Partial<CaseRow>): void {
    this.set(this.here().map((row, i) => (i === at ? { ...row, ...change } : row)));
  }

  protected value(at: number, name: string, value: string): void {
    this.put(at, { values: { ...this.here()[at].values, [name]: value } });
  }

  /** A new row has the values of the last one, so that only what differs is typed. */
  protected add(): void {
    const rows = this.here();
    const names = new Set(rows.map((row) => row.name));
    let number = rows.length + 1;
    while (names.has(String(number))) number++;
    this.set([...rows, { name: String(number), values: rows.at(-1)?.values ?? {} }]);
    setTimeout(() => this.element.nativeElement.querySelectorAll('tbody tr')[rows.length]?.querySelectorAll('input')[1]?.focus());
  }

  protected remove(at: number): void {
    this.set(this.here().filter((_, i) => i !== at));
  }
}
