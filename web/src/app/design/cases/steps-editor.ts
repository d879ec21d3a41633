import { CdkDragDrop, DragDropModule } from '@angular/cdk/drag-drop';
import {
  ChangeDetectionStrategy,
  ChangeDetectorRef,
  Component,
  computed,
  ElementRef,
  inject,
  input,
  linkedSignal,
  output,
  signal,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { listCases, type CaseSummary } from '@contract/design';
import { moveItems, stepsFromOutline, type CasePart, type CaseStep } from '@core/design';
import {
  Icon,
  layoutOf,
  onAction,
  ProblemNote,
  recordCommands,
  RecordPicker,
  RichBox,
  toggled,
  useKeys,
  useProject,
  withFileAtEnd,
  wordsOf,
  type RichWritten,
  type WrittenText,
} from '../../base';
import { CallEditor } from '../call-editor';
import { copySteps, pastedSteps } from './step-clipboard';
import { StepMore } from './step-more';

const empty: CaseStep = { action: '', expected: '' };
/** So many changes can be taken back. */
const mostUndone = 100;

/**
 * The numbered steps of a case, written from cell to cell: chosen by their numbers, moved by drag or with Alt and the arrows, cut, copied and pasted
 * within a case, into another one, and from and to a spreadsheet.
 */
@Component({
  selector: 'cp-steps-editor',
  imports: [CallEditor, DragDropModule, FormsModule, Icon, ProblemNote, RecordPicker, RichBox, StepMore],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './steps-editor.html',
  styleUrl: './steps-editor.scss',
  host: { '(paste)': 'paste($event)' },
})
export class StepsEditor {
  private readonly keyNames = useKeys('Steps of a case');
  private readonly scope = useProject();
  readonly steps = input.required<readonly CaseStep[]>();
  /** The key of the case, whose files pictures become. */
  readonly of = input('');
  /** Cases whose steps may not be called: the one that is written. */
  readonly notCalled = input<readonly string[]>([]);
  /** The requirements that the case verifies: a step may be for some of them. */
  readonly requirements = input<readonly string[]>([]);
  readonly part = input<CasePart>('steps');
  readonly changed = output<readonly CaseStep[]>();
  /** What is on the screen: ahead of the input while keys come faster than pictures. */
  protected readonly here = linkedSignal(() => this.steps());
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly drawing = inject(ChangeDetectorRef);
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
  protected readonly chosen = signal<ReadonlySet<number>>(new Set());
  private readonly anchor = signal(0);
  /** Steps whose readings, data and evidence are shown; those that have some are from the beginning. */
  private readonly opened = signal<ReadonlySet<number>>(new Set());
  private readonly shut = signal<ReadonlySet<number>>(new Set());
  /** Every step in one line. */
  protected readonly collapsed = signal(false);
  /** Steps that are not as all of them are: in one line, or whole. */
  private readonly unlike = signal<ReadonlySet<number>>(new Set());
  /** Steps that are written with a layout. */
  private readonly rich = signal<ReadonlySet<number>>(new Set());
  private readonly past = signal<readonly (readonly CaseStep[])[]>([]);
  private readonly future = signal<readonly (readonly CaseStep[])[]>([]);
  protected readonly undoable = computed(() => this.past().length > 0);
  protected readonly redoable = computed(() => this.future().length > 0);

  /** The step over which a file is held, and those on which some were dropped that are still on their way: one upload after the other. */
  protected readonly over = signal(-1);
  protected readonly addingFiles = recordCommands.addFiles.name;
  private readonly dropped: { at: number; count: number }[] = [];

  constructor() {
    onAction(recordCommands.addFiles.done, ({ input, answer }) => {
      const sent = input.key === this.of() ? this.dropped.shift() : undefined;
      const step = sent && this.here().at(sent.at);
      if (!sent || !step) return;
      const { action, layout } = step;
      const html = answer
        .slice(-sent.count)
        .reduce((html, file) => withFileAtEnd({ text: wordsOf(html), html }, file), layout?.action || layoutOf({ text: action }));
      this.opening.clear();
      this.put(sent.at, { action: wordsOf(html), layout: { ...layout, action: html } });
    });
    onAction(recordCommands.addFiles.failed, () => this.dropped.shift());
  }

  protected fileOver(event: DragEvent, at: number): void {
    if (!this.of() || !event.dataTransfer?.types.includes('Files')) return;
    event.preventDefault();
    this.over.set(at);
  }
  protected fileDropped(event: DragEvent, at: number): void {
    const files = [...(event.dataTransfer?.files ?? [])];
    this.over.set(-1);
    // A picture that is dropped into a text that is laid out stands where the cursor is.
    if (!files.length || !this.of() || event.defaultPrevented) return;
    event.preventDefault();
    this.dropped.push({ at, count: files.length });
    this.scope.store.dispatch(recordCommands.addFiles.start({ project: this.scope.slug(), key: this.of() }, files));
  }

  protected folded(at: number): boolean {
    return this.collapsed() !== this.unlike().has(at);
  }
  protected toggleFold(at: number): void {
    this.unlike.update((set) => toggled(set, at));
  }
  protected foldAll(): void {
    this.collapsed.set(!this.collapsed());
    this.unlike.set(new Set());
  }
  protected hasMore(step: CaseStep): boolean {
    return Boolean(step.data || step.readings?.length || step.evidence || step.verifies?.length);
  }
  protected shows(at: number, step: CaseStep): boolean {
    return !this.folded(at) && (this.opened().has(at) || (this.hasMore(step) && !this.shut().has(at)));
  }
  protected toggleMore(at: number, step: CaseStep): void {
    if (this.shows(at, step)) {
      this.opened.update((set) => new Set([...set].filter((i) => i !== at)));
      this.shut.update((set) => new Set([...set, at]));
    } else {
      this.opened.update((set) => new Set([...set, at]));
      this.shut.update((set) => new Set([...set].filter((i) => i !== at)));
    }
  }
  protected isRich(at: number, step: CaseStep): boolean {
    return this.rich().has(at) || Boolean(step.layout?.action || step.layout?.expected);
  }
  protected toggleRich(at: number): void {
    this.rich.update((set) => toggled(set, at));
  }
  /** A text as it was when its box was opened: the box is ahead of what is kept. */
  private readonly opening = new Map<string, WrittenText>();
  protected richOf(at: number, member: 'action' | 'expected', step: CaseStep): WrittenText {
    const id = `${at} ${member}`;
    const html = step.layout?.[member];
    const known = this.opening.get(id) ?? { text: step[member], ...(html ? { html } : {}) };
    this.opening.set(id, known);
    return known;
  }
  protected layout(at: number, member: 'action' | 'expected', { text, html }: RichWritten): void {
    const before = this.here()[at].layout ?? {};
    this.put(at, { [member]: text, layout: { ...before, [member]: html ?? '' } });
  }

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
    this.past.update((list) => [...list.slice(-mostUndone), this.here()]);
    this.future.set([]);
    this.show(steps);
  }
  private show(steps: readonly CaseStep[]): void {
    if (steps.length !== this.here().length) this.opening.clear();
    this.here.set(steps);
    this.changed.emit(steps);
  }
  protected undo(): void {
    const before = this.past().at(-1);
    if (!before) return;
    this.future.update((list) => [...list, this.here()]);
    this.past.update((list) => list.slice(0, -1));
    this.chosen.set(new Set());
    this.show(before);
  }
  protected redo(): void {
    const after = this.future().at(-1);
    if (!after) return;
    this.past.update((list) => [...list, this.here()]);
    this.future.update((list) => list.slice(0, -1));
    this.show(after);
  }

  protected put(at: number, change: Partial<CaseStep>): void {
    this.set(this.here().map((step, i) => (i === at ? { ...step, ...change } : step)));
  }
  protected insert(at: number, steps: readonly CaseStep[] = [empty]): void {
    const list = [...this.here()];
    list.splice(at, 0, ...steps);
    this.set(list);
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

  /** A press on a step's number chooses it; with Shift a stretch, with Ctrl one more. */
  protected choose(event: MouseEvent | KeyboardEvent, at: number): void {
    if (event.shiftKey) {
      const [low, high] = [Math.min(this.anchor(), at), Math.max(this.anchor(), at)];
      this.chosen.set(new Set(Array.from({ length: high - low + 1 }, (_, i) => low + i)));
      return;
    }
    this.anchor.set(at);
    if (event.ctrlKey || event.metaKey) this.chosen.update((set) => toggled(set, at));
    else this.chosen.set(this.chosen().size === 1 && this.chosen().has(at) ? new Set() : new Set([at]));
  }
  /** The places that an act is done to: what is chosen, or the step that one is in. */
  private places(at: number): number[] {
    return this.chosen().has(at) || at < 0 ? [...this.chosen()].sort((a, b) => a - b) : [at];
  }
  protected move(at: number, by: number): void {
    const places = this.places(at);
    this.opening.clear();
    const moved = moveItems(this.here(), places, by);
    this.set(moved.items);
    if (places.length > 1 || this.chosen().size) this.chosen.set(new Set(moved.places));
    const focused = moved.places[Math.max(0, places.indexOf(at))];
    if (focused !== undefined) this.focus(focused);
  }
  protected drop(event: CdkDragDrop<unknown>): void {
    this.move(event.previousIndex, event.currentIndex - event.previousIndex);
  }
  protected remove(at = -1): void {
    const gone = new Set(this.places(at));
    this.chosen.set(new Set());
    this.set(this.here().filter((_, i) => !gone.has(i)));
  }
  protected duplicate(at = -1): void {
    const places = this.places(at);
    const last = places.at(-1);
    if (last === undefined) return;
    this.insert(
      last + 1,
      places.map((place) => this.here()[place]),
    );
    this.chosen.set(new Set(places.map((_, i) => last + 1 + i)));
  }
  protected async copy(): Promise<void> {
    const text = copySteps(this.places(-1).map((at) => this.here()[at]));
    await navigator.clipboard?.writeText(text).catch(() => undefined);
  }
  protected async cut(): Promise<void> {
    await this.copy();
    this.remove();
  }
  /** Pastes what was copied here behind what is chosen, or at the end. */
  protected pasteHere(): void {
    const steps = pastedSteps(this.lastCopied());
    if (steps) this.insert((this.places(-1).at(-1) ?? this.here().length - 1) + 1, steps);
  }
  private lastCopied(): string {
    try {
      return (JSON.parse(localStorage.getItem('cord-proof.steps') ?? '{}') as { text?: string }).text ?? '';
    } catch {
      return '';
    }
  }
  protected paste(event: ClipboardEvent): void {
    const text = event.clipboardData?.getData('text/plain') ?? '';
    const steps = pastedSteps(text);
    if (!steps?.length) return;
    event.preventDefault();
    const at = this.at(event.target as HTMLElement);
    const [here] = this.here().slice(at, at + 1);
    // An empty step makes room.
    const replaced = here && !here.action && !here.expected && !here.call ? 1 : 0;
    const list = [...this.here()];
    list.splice(replaced ? at : at + 1, replaced, ...steps);
    this.set(list);
  }
  private at(target: HTMLElement): number {
    const rows = [...this.element.nativeElement.querySelectorAll('li.step')];
    const row = target.closest('li.step');
    return row ? rows.indexOf(row) : rows.length - 1;
  }

  /** Parts a step where the cursor stands in its action. */
  private split(event: KeyboardEvent, at: number): void {
    const box = event.target as HTMLTextAreaElement;
    const step = this.here()[at];
    const cursor = box.selectionStart ?? step.action.length;
    const list = [...this.here()];
    const { layout: _, ...plain } = step;
    list.splice(
      at,
      1,
      { ...plain, action: step.action.slice(0, cursor).trim(), expected: '' },
      { ...empty, action: step.action.slice(cursor).trim(), expected: step.expected },
    );
    this.set(list);
    this.focus(at + 1);
  }

  protected keys(event: KeyboardEvent, at: number): void {
    const name = this.keyNames.among(event, [
      'stepUp',
      'stepDown',
      'stepBelow',
      'stepSplit',
      'stepTwice',
      'stepUndo',
      'stepRedo',
      'stepMore',
    ]);
    switch (name) {
      case 'stepBelow':
        this.insert(at + 1);
        break;
      case 'stepUp':
        this.move(at, -1);
        break;
      case 'stepDown':
        this.move(at, 1);
        break;
      case 'stepSplit':
        this.split(event, at);
        break;
      case 'stepTwice':
        this.duplicate(at);
        break;
      case 'stepUndo':
        this.undo();
        break;
      case 'stepRedo':
        this.redo();
        break;
      case 'stepMore':
        this.toggleMore(at, this.here()[at]);
        break;
      default:
        return;
    }
    event.preventDefault();
  }

  /** At once: the next key belongs to the step that was just made. */
  private focus(at: number): void {
    this.drawing.detectChanges();
    this.element.nativeElement
      .querySelectorAll<HTMLElement>('li.step')
      [at]?.querySelector<HTMLElement>('textarea, select, [contenteditable]')
      ?.focus();
  }
}
