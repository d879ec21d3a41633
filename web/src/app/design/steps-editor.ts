import { CdkDragDrop, DragDropModule } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { moveItem, stepsFromOutline, type CaseStep } from '@core/design';
import { listCases, type CaseSummary } from '@contract/design';
import { Icon, RecordPicker, useKeys } from '../base';
import { CallEditor } from './call-editor';

/** The numbered steps of a case: written in place, ordered by drag or with Alt and the arrows. */
@Component({
  selector: 'cp-steps-editor',
  imports: [CallEditor, DragDropModule, FormsModule, Icon, RecordPicker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <ol cdkDropList (cdkDropListDropped)="drop($event)">
      @for (step of here(); track $index; let i = $index, last = $last) {
        <li cdkDrag>
          <span class="grip" cdkDragHandle aria-hidden="true"><cp-icon name="drag_indicator" /></span>
          <b class="n">{{ i + 1 }}</b>
          @if (step.call; as call) {
            <cp-call-editor class="called" [call]="call" [without]="notCalled()" [number]="i + 1" (changed)="put(i, { call: $event })" />
          } @else {
            <textarea
              class="in"
              rows="2"
              [name]="'action' + i"
              [attr.aria-label]="'Step ' + (i + 1) + ', action'"
              placeholder="Do this"
              [ngModel]="step.action"
              (ngModelChange)="put(i, { action: $event })"
              (keydown)="keys($event, i)"
            ></textarea>
            <textarea
              class="in"
              rows="2"
              [name]="'expected' + i"
              [attr.aria-label]="'Step ' + (i + 1) + ', expected result'"
              placeholder="Expect that"
              [ngModel]="step.expected"
              (ngModelChange)="put(i, { expected: $event })"
              (keydown)="keys($event, i)"
            ></textarea>
          }
          <span class="tools">
            <button
              type="button"
              class="tool"
              [disabled]="i === 0"
              [attr.aria-label]="'Move step ' + (i + 1) + ' up'"
              (click)="move(i, i - 1)"
            >
              <cp-icon name="arrow_upward" />
            </button>
            <button
              type="button"
              class="tool"
              [disabled]="last"
              [attr.aria-label]="'Move step ' + (i + 1) + ' down'"
              (click)="move(i, i + 1)"
            >
              <cp-icon name="arrow_downward" />
            </button>
            <button type="button" class="tool" [attr.aria-label]="'Delete step ' + (i + 1)" (click)="set(without(i))">
              <cp-icon name="delete" />
            </button>
          </span>
        </li>
      }
    </ol>
    @if (outlining()) {
      <div class="sheet pad outline">
        <label class="field"
          ><span>An outline: a line a step; “expected: …”, an arrow or an indented line is what must be seen</span
          ><textarea
            class="in"
            rows="6"
            name="outline"
            placeholder="1. Turn the key -> the lamp is green"
            [ngModel]="outline()"
            (ngModelChange)="outline.set($event)"
          ></textarea>
        </label>
        <div class="row">
          <button class="chip" type="button" [disabled]="!read().steps.length" (click)="take()">
            <cp-icon name="add" /> Add {{ read().steps.length }} steps</button
          ><button class="chip" type="button" (click)="outlining.set(false)">Cancel</button
          ><span class="second small" role="status">
            @if (read().findings.length) {
              Without an expected result: line {{ lines() }}
            }
          </span>
        </div>
      </div>
    }
    <div class="row">
      <button class="chip" type="button" (click)="insert(here().length)"><cp-icon name="add" /> Step</button>
      <button class="chip" type="button" [attr.aria-expanded]="outlining()" (click)="openOutline()">
        <cp-icon name="account_tree" /> From an outline
      </button>
      @if (calling()) {
        <cp-record-picker
          [from]="from"
          [without]="notCalled()"
          label="Case whose steps are done here"
          placeholder="Which case? Key or words"
          (picked)="insertCalls($event)"
        />
      } @else {
        <button class="chip" type="button" (click)="openCalls()"><cp-icon name="add_link" /> Steps of another case</button>
      }
      <span class="second small">Alt ↑ ↓ moves a step, Ctrl Enter adds one below</span>
    </div>
  `,
  styles: `
    li {
      display: grid;
      grid-template-columns: 20px 22px 1fr 1fr 84px;
      gap: 8px;
      align-items: start;
      padding: 6px 0;
      background: var(--surface);
    }
    .grip {
      cursor: grab;
      color: var(--ink-2);
      padding-top: 8px;
    }
    .n {
      padding-top: 8px;
      text-align: right;
    }
    .tools {
      display: flex;
      padding-top: 4px;
    }
    .tool {
      border: 0;
      background: none;
      color: var(--ink-2);
      cursor: pointer;
      padding: 5px;
      border-radius: 6px;
      height: 28px;
    }
    .tool:hover:not(:disabled) {
      background: var(--cord-tint);
      color: var(--cord);
    }
    .tool:disabled {
      opacity: 0.35;
      cursor: default;
    }
    .called {
      grid-column: span 2;
    }
    .outline {
      display: flex;
      flex-direction: column;
      gap: 8px;
      margin: 8px 0;
    }
    .cdk-drag-preview {
      box-shadow: var(--shadow);
      border-radius: 8px;
    }
    .cdk-drag-placeholder {
      opacity: 0.3;
    }
  `,
})
export class StepsEditor {
  private readonly keyNames = useKeys('Steps of a case');
  readonly steps = input.required<readonly CaseStep[]>();
  /** Cases whose steps may not be called: the one that is written. */
  readonly notCalled = input<readonly string[]>([]);
  readonly changed = output<readonly CaseStep[]>();
  /** What is on the screen: ahead of the input while keys come faster than pictures. */
  protected readonly here = linkedSignal(() => this.steps());
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly outlining = signal(false);
  protected readonly calling = signal(false);
  protected readonly from = listCases;
  protected readonly outline = signal('');
  protected readonly read = computed(() => stepsFromOutline(this.outline()));
  protected readonly lines = computed(() =>
    this.read()
      .findings.map((finding) => finding.row)
      .join(', '),
  );

  protected openOutline(): void {
    this.outlining.update((open) => !open);
    setTimeout(() => this.element.nativeElement.querySelector<HTMLTextAreaElement>('.outline textarea')?.focus());
  }

  /** The outline's steps behind those that are there; a last step that is still empty makes room. */
  protected take(): void {
    const retained = this.here().filter((step, i, all) => i < all.length - 1 || step.action || step.expected || step.call);
    this.set([...retained, ...this.read().steps]);
    this.outline.set('');
    this.outlining.set(false);
    this.focus(retained.length);
  }

  protected set(steps: readonly CaseStep[]): void {
    this.here.set(steps);
    this.changed.emit(steps);
  }

  protected put(at: number, change: Partial<CaseStep>): void {
    this.set(this.here().map((step, i) => (i === at ? { ...step, ...change } : step)));
  }

  protected without(at: number): readonly CaseStep[] {
    return this.here().filter((_, i) => i !== at);
  }

  protected insert(at: number): void {
    const steps = [...this.here()];
    steps.splice(at, 0, { action: '', expected: '' });
    this.set(steps);
    this.focus(at);
  }

  protected openCalls(): void {
    this.calling.set(true);
    setTimeout(() => this.element.nativeElement.querySelector<HTMLInputElement>('cp-record-picker input')?.focus());
  }

  protected insertCalls(cases: readonly CaseSummary[]): void {
    this.calling.set(false);
    this.set([...this.here(), ...cases.map(({ key, revision }) => ({ action: '', expected: '', call: { key, revision, with: {} } }))]);
  }

  protected move(from: number, to: number): void {
    if (to < 0 || to >= this.here().length) return;
    this.set(moveItem(this.here(), from, to));
    this.focus(to);
  }

  protected drop(event: CdkDragDrop<unknown>): void {
    this.set(moveItem(this.here(), event.previousIndex, event.currentIndex));
  }

  protected keys(event: KeyboardEvent, at: number): void {
    const name = this.keyNames.among(event, ['stepUp', 'stepDown', 'stepBelow']);
    if (!name) return;
    if (name === 'stepBelow') this.insert(at + 1);
    else this.move(at, name === 'stepUp' ? at - 1 : at + 1);
    event.preventDefault();
  }

  private focus(at: number): void {
    setTimeout(() =>
      this.element.nativeElement.querySelectorAll<HTMLElement>('li')[at]?.querySelector<HTMLElement>('textarea, select')?.focus(),
    );
  }
}
