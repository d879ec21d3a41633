import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { classWords, parameterFindings, readClasses, readConstraints, type ModelBodies, type Parameter } from '@core/design';
import { Icon } from '../../base';

type Body = ModelBodies['parameters'];

/** Parameters with their classes, and what excludes what: written as text, with what is wrong at its word. */
@Component({
  selector: 'cp-parameters-editor',
  imports: [FormsModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <table class="list">
      <thead>
        <tr>
          <th scope="col">Parameter</th>
          <th scope="col">Type</th>
          <th scope="col">Unit</th>
          <th scope="col">Step</th>
          <th scope="col">Classes, one a line; ! before what is not valid</th>
          <th scope="col"><span class="hidden-visually">Delete</span></th>
        </tr>
      </thead>
      <tbody>
        @for (p of here().parameters; track $index; let i = $index) {
          <tr>
            <td>
              <input
                class="in name"
                [attr.aria-label]="'Name of parameter ' + (i + 1)"
                [readOnly]="!may()"
                [ngModel]="p.name"
                (ngModelChange)="put(i, { name: $event })"
              />
            </td>
            <td>
              <select
                class="in"
                [attr.aria-label]="'Type of ' + p.name"
                [disabled]="!may()"
                [ngModel]="p.type"
                (ngModelChange)="type(i, $event)"
              >
                <option value="number">number</option>
                <option value="text">words</option>
                <option value="boolean">yes/no</option>
              </select>
            </td>
            <td>
              <input
                class="in unit"
                [attr.aria-label]="'Unit of ' + p.name"
                [readOnly]="!may()"
                [ngModel]="p.unit ?? ''"
                (ngModelChange)="unit(i, $event)"
              />
            </td>
            <td>
              @if (p.type === 'number') {
                <input
                  class="in unit"
                  type="number"
                  step="any"
                  [attr.aria-label]="'Smallest step of ' + p.name"
                  [readOnly]="!may()"
                  [ngModel]="p.resolution ?? null"
                  (ngModelChange)="put(i, { resolution: $event ?? undefined })"
                />
              }
            </td>
            <td>
              <textarea
                class="in"
                [rows]="lines(i, p)"
                [attr.aria-label]="'Classes of ' + p.name"
                [placeholder]="p.type === 'number' ? 'low: 0 to 3' : p.type === 'text' ? 'NORMAL' : 'any: yes, no'"
                [readOnly]="!may()"
                [ngModel]="classes(i, p)"
                (ngModelChange)="write(i, p, $event)"
              ></textarea>
              @for (f of findings(i, p); track $index) {
                <p class="small t-broken">{{ f }}</p>
              }
            </td>
            <td>
              @if (may()) {
                <button class="chip" type="button" [attr.aria-label]="'Delete parameter ' + p.name" (click)="remove(i)">
                  <cp-icon name="delete" />
                </button>
              }
            </td>
          </tr>
        }
      </tbody>
    </table>
    @if (may()) {
      <div>
        <button class="chip" type="button" (click)="add()"><cp-icon name="add" /> Parameter</button>
      </div>
    }
    <label class="field"
      ><span>Constraints, one a line</span
      ><textarea
        class="in code"
        rows="4"
        name="constraints"
        spellcheck="false"
        placeholder="mode = MAINT => speed <= 3"
        [readOnly]="!may()"
        [ngModel]="here().constraints"
        (ngModelChange)="set({ constraints: $event })"
      ></textarea>
    </label>
    @for (f of constraintFindings(); track $index) {
      <p class="small t-broken">Line {{ f.row }}, “{{ f.cell }}”: {{ f.text }}</p>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 10px;
    }
    .list th {
      padding-inline: 0 8px;
    }
    .list td {
      vertical-align: top;
      padding: 6px 8px 6px 0;
    }
    .in {
      width: 100%;
      padding: 4px 8px;
    }
    .name {
      min-width: 90px;
    }
    .unit {
      width: 62px;
    }
    select.in {
      min-width: 92px;
    }
    .code {
      font-family: 'Source Code Pro', monospace;
      font-size: 13px;
    }
  `,
})
export class ParametersEditor {
  readonly body = input.required<Body>();
  readonly may = input.required<boolean>();
  readonly changed = output<Body>();
  protected readonly here = linkedSignal(() => this.body());
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  /** Classes as they are typed, by the parameter's place: they need not be readable yet. */
  private readonly typed = signal<Readonly<Record<number, string>>>({});
  protected readonly constraintFindings = computed(() => readConstraints(this.here().constraints, this.here().parameters).findings);
  private readonly wrong = computed(() => parameterFindings(this.here().parameters));

  protected set(change: Partial<Body>): void {
    const body = { ...this.here(), ...change };
    this.here.set(body);
    this.changed.emit(body);
  }
  protected put(at: number, change: Partial<Parameter>): void {
    this.set({
      parameters: this.here().parameters.map((p, i) => {
        if (i !== at) return p;
        const { resolution, ...rest } = { ...p, ...change };
        return resolution === undefined ? rest : { ...rest, resolution };
      }),
    });
  }
  protected unit(at: number, unit: string): void {
    this.set({
      parameters: this.here().parameters.map((p, i) => {
        if (i !== at) return p;
        const { unit: _, ...rest } = p;
        return unit.trim() ? { ...rest, unit: unit.trim() } : rest;
      }),
    });
  }
  protected type(at: number, type: Parameter['type']): void {
    const text = this.classes(at, this.here().parameters[at]);
    this.put(at, { type, classes: readClasses(text, type).classes });
  }
  protected classes(at: number, p: Parameter): string {
    return this.typed()[at] ?? p.classes.map(classWords).join('\n');
  }
  protected lines(at: number, p: Parameter): number {
    return Math.max(2, this.classes(at, p).split('\n').length);
  }
  protected write(at: number, p: Parameter, text: string): void {
    this.typed.update((all) => ({ ...all, [at]: text }));
    this.put(at, { classes: readClasses(text, p.type).classes });
  }
  protected findings(at: number, p: Parameter): string[] {
    const text = this.typed()[at];
    const lines = text === undefined ? [] : readClasses(text, p.type).findings.map((f) => `Line ${f.row}: ${f.text}`);
    return [...lines, ...this.wrong().flatMap((f) => (f.cell === p.name ? [f.text] : []))];
  }
  protected add(): void {
    const names = new Set(this.here().parameters.map((p) => p.name));
    let number = this.here().parameters.length + 1;
    while (names.has(`p${number}`)) number++;
    this.set({ parameters: [...this.here().parameters, { name: `p${number}`, type: 'number', resolution: 1, classes: [] }] });
    setTimeout(() => [...this.element.nativeElement.querySelectorAll<HTMLInputElement>('.name')].at(-1)?.select());
  }
  protected remove(at: number): void {
    this.typed.set({});
    this.set({ parameters: this.here().parameters.filter((_, i) => i !== at) });
  }
}
