import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { typedNumber, type CaseStep } from '@core/design';
import { proposedVerdict, readingsAsked, rollUp, verdictWords, type ReadingResult, type RedlineAsked, type StepVerdict } from '@core/run';
import {
  Icon,
  keysOf,
  onAction,
  Opening,
  ProblemNote,
  RecordLink,
  RichText,
  selectRequest,
  useDeviceMemory,
  useKeys,
  Swipe,
  useProject,
} from '../base';
import { keepAwake } from './awake';
import { BenchClock } from './bench-clock';
import { BenchEvidence } from './bench-evidence';
import { BenchQueue } from './bench-queue';
import { useBenchRun } from './bench-run';
import { useCompany } from './bench-company';
import { FilledText } from './filled-text';
import { RaiseProblem } from './raise-problem';
import { RedlineForm } from './redline-form';
import { mayBeShort, ShortRecord, type ShortAsked } from './short-record';
import { StepReadings } from './step-readings';
import { Corrections } from './corrections';
import { stepFaults, verdicts, type HeldStep } from './held-step';
import { HeldSteps } from './held-steps';
import { useNotSent } from './not-sent';
import { clockWords, namedPaste, standingWords } from './words';
import { runCommands } from './state';

const noStep: CaseStep = { action: '', expected: '' };
const autosaveAfter = 1200;
const retryAfter = 3000;

/** The Bench: one step at a time, for hands that hold a device. Keys first; every key has a button. */
@Component({
  selector: 'cp-bench-page',
  imports: [
    Opening,
    BenchClock,
    BenchEvidence,
    BenchQueue,
    FilledText,
    FormsModule,
    Icon,
    ProblemNote,
    RaiseProblem,
    RecordLink,
    RedlineForm,
    RichText,
    RouterLink,
    ShortRecord,
    StepReadings,
    Swipe,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './bench-page.html',
  styleUrl: './bench-page.scss',
  host: { '(document:keydown)': 'keys($event)', '(document:paste)': 'paste($event)', '(window:beforeunload)': 'flush()' },
})
export class BenchPage {
  readonly key = input.required<string>();
  protected readonly opens = runCommands.getRun.name;
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  private readonly box = viewChild<ElementRef<HTMLTextAreaElement>>('box');
  private readonly asked = viewChild(StepReadings);
  private readonly bench = useBenchRun(this.key);
  protected readonly saving = this.store.selectSignal(selectRequest(runCommands.recordStep.name));
  protected readonly run = this.bench.run;
  protected readonly round = this.bench.round;
  protected readonly folders = this.bench.folders;
  protected readonly keyNames = useKeys('Bench');
  protected readonly keysOf = keysOf;
  /** Fingers have no keys to press. */
  protected readonly toWrite = matchMedia('(pointer: coarse)').matches
    ? 'Tap to write'
    : `Press ${keysOf(this.keyNames.of('observed')).join(' ')} to write`;
  protected readonly verdicts = verdicts;
  protected readonly verdictWords = verdictWords;
  protected readonly standingWords = standingWords;
  protected readonly at = signal(0);
  protected readonly observed = signal('');
  protected readonly seconds = signal(0);
  protected readonly dropping = signal(false);
  private readonly held = new HeldSteps();
  protected readonly unsaved = this.held.steps;
  protected readonly raising = signal(false);
  /** The clock stands still until somebody goes on. */
  protected readonly paused = signal(false);
  protected readonly redlining = signal(false);
  /** The run is recorded as a whole, without stepping. */
  protected readonly whole = signal(false);
  protected readonly conclusion = signal('');
  private readonly conclusions = useDeviceMemory<string>('conclusion');
  protected readonly names = {
    step: runCommands.recordStep.name,
    finish: runCommands.finishRun.name,
    evidence: runCommands.addEvidence.name,
    start: runCommands.startRun.name,
    block: runCommands.blockRun.name,
    redline: runCommands.addRedline.name,
    short: runCommands.recordShort.name,
    take: runCommands.reassignRun.name,
  };
  protected readonly mine = computed(
    () => this.run()?.tester === this.scope.session()?.person.login && this.scope.roles().includes('tester'),
  );
  protected readonly notSent = useNotSent(this.key);
  protected readonly locked = computed(() => !this.mine() || ['performed', 'reviewed', 'superseded'].includes(this.run()?.state ?? ''));
  protected readonly company = useCompany(this.key, this.run);
  protected readonly mayRedline = computed(() => !this.locked() && !this.run()?.finishedAt && !this.result()?.verdict && !this.redlining());
  /** May a run of this kind of case be recorded without stepping? */
  protected readonly mayShort = computed(
    () => !this.locked() && mayBeShort(this.run(), this.scope.project()?.profile?.policies?.shortRecordFor ?? []),
  );
  protected readonly step = computed(() => this.run()?.case.steps[this.at()]);
  protected readonly result = computed(() => this.resultAt(this.at()));
  protected readonly files = computed(() => (this.run()?.evidence ?? []).filter((file) => file.step === this.at() + 1));
  protected readonly readings = computed(() => readingsAsked(this.step() ?? noStep, this.result()?.readings ?? []));
  /** What the readings say that the verdict is, while none is given. */
  protected readonly proposed = computed(() =>
    this.result()?.verdict ? undefined : proposedVerdict(this.step() ?? noStep, this.readings()),
  );
  /** What stands in the way of the verdict that is given here. */
  protected readonly faults = computed(() => this.faultsAt(this.at(), this.result() ?? { observed: '', verdict: null }));
  /** The cases that must have passed before this one and have not. */
  protected readonly notPassed = computed(() => (this.run()?.restsOn ?? []).filter(({ standing }) => standing !== 'passed'));
  protected readonly outcome = computed(() => rollUp((this.run()?.steps ?? []).map((_, i) => this.resultAt(i)?.verdict ?? null)));
  protected readonly items = this.bench.items;
  protected readonly recorded = computed(() => this.items().filter((item) => item.verdict !== null).length);
  private readonly corrections = new Corrections();
  /** Somebody asked to finish, and what is held here is still on its way. */
  private readonly finishing = signal(false);
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    effect(() => {
      const run = this.run();
      if (!run || this.held.run === run.key) return;
      this.held.run = run.key;
      untracked(() => this.open());
    });
    // The clock runs while the run is open and the page is seen.
    effect((onCleanup) => {
      if (this.locked() || this.run()?.finishedAt) return;
      const timer = setInterval(() => document.visibilityState === 'visible' && !this.paused() && this.seconds.update((s) => s + 1), 1000);
      onCleanup(() => clearInterval(timer));
    });
    keepAwake(() => !this.locked() && !this.run()?.finishedAt);
    onAction(runCommands.addRedline.done, () => this.redlining.set(false));
    onAction(runCommands.correctClock.done, ({ answer }) => {
      this.seconds.set(answer.seconds);
    });
    onAction(runCommands.recordShort.done, ({ answer }) => {
      if (answer.key === this.key()) void this.router.navigate(['/', this.scope.slug(), 'run', 'record', answer.key]);
    });
    onAction(
      runCommands.recordStep.done,
      ({ input }) => input.key === this.held.run && this.held.arrived((input.step as number) - 1, input),
    );
    effect(() => {
      if (!this.finishing() || Object.keys(this.unsaved()).length || this.held.run !== this.key()) return;
      untracked(() => {
        this.finishing.set(false);
        const conclusion = this.conclusion().trim();
        this.store.dispatch(
          runCommands.finishRun.start({
            project: this.scope.slug(),
            key: this.key(),
            seconds: this.seconds(),
            ...(conclusion ? { conclusion } : {}),
          }),
        );
      });
    });
    onAction(runCommands.recordStep.failed, ({ problem }) => {
      this.held.failed();
      if (problem.status === 0 || problem.status === 503 || problem.status === 502) setTimeout(() => this.resend(), retryAfter);
      else this.finishing.set(false);
    });
    // A verdict that waited for its picture or file has it now.
    onAction(runCommands.addEvidence.done, ({ answer }) => answer.key === this.held.run && this.resend());
    onAction(runCommands.blockRun.done, ({ answer }) => {
      if (answer.key === this.key()) void this.router.navigate(['/', this.scope.slug(), 'run', 'record', answer.key]);
    });
    onAction(runCommands.finishRun.done, ({ answer }) => {
      this.conclusions.drop(answer.key);
      const { steps } = answer;
      const failed = steps.findIndex((s) => s.verdict === 'fail');
      if (failed >= 0 && !answer.problems.length) this.raise(failed);
      else void this.router.navigate(['/', this.scope.slug(), 'run', 'record', answer.key]);
    });
  }

  /** Opens a run where it was left: what this device still holds comes back first. */
  private open(): void {
    const run = this.run();
    if (!run) return;
    // Whoever asked to finish the run before did not ask it of this one.
    this.corrections.forget();
    this.finishing.set(false);
    this.paused.set(false);
    this.redlining.set(false);
    this.whole.set(false);
    this.conclusion.set(this.conclusions.read(run.key) ?? run.conclusion);
    const retained = this.held.open(run.key);
    this.seconds.set(run.seconds);
    if (run.state === 'planned' && !this.locked())
      this.store.dispatch(runCommands.startRun.start({ project: this.scope.slug(), key: run.key }));
    const first = run.steps.findIndex((_, i) => !this.resultAt(i)?.verdict);
    this.go(first < 0 ? Math.max(0, run.steps.length - 1) : first);
    if (retained) this.resend();
  }

  protected resultAt(i: number): HeldStep | undefined {
    return this.unsaved()[i] ?? this.run()?.steps[i];
  }

  protected go(i: number): void {
    this.flush();
    const last = (this.run()?.steps.length ?? 1) - 1;
    this.at.set(Math.min(last, Math.max(0, i)));
    this.observed.set(this.resultAt(this.at())?.observed ?? '');
  }

  /** Holds what is typed on this device at once, and sends it when the hands rest. */
  protected typed(text: string): void {
    this.observed.set(text);
    this.holdSoon({ observed: text });
  }

  protected read(readings: readonly ReadingResult[]): void {
    this.holdSoon({ readings });
  }

  /** After the last reading: the verdict that they propose, or the words that a verdict needs. */
  protected readAll(): void {
    const proposed = this.proposed();
    if (proposed) this.judge(proposed);
    if (!this.faults().length) (document.activeElement as HTMLElement | null)?.blur();
  }

  private holdSoon(change: Partial<HeldStep>): void {
    this.held.hold(this.at(), { ...this.here(), ...change });
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.flush(), autosaveAfter);
  }

  /** What is at this step now: as typed, with what it asks to be read. */
  private here(): HeldStep {
    const readings = this.readings();
    return { observed: this.observed(), verdict: this.result()?.verdict ?? null, ...(readings.length ? { readings } : {}) };
  }

  private faultsAt(i: number, held: HeldStep): string[] {
    const run = this.run();
    return run ? stepFaults(run, i, held) : [];
  }

  /** Sends what is held for the step that is open. */
  protected flush(): void {
    clearTimeout(this.timer);
    const held = this.unsaved()[this.at()];
    if (held) this.send(this.at(), held);
  }

  private resend(): void {
    for (const [i, held] of Object.entries(this.unsaved())) this.send(Number(i), held);
  }

  private send(i: number, held: HeldStep): void {
    // Between two runs the steps on the screen are still those of the one before: they wait in its own memory.
    if (this.held.run !== this.key() || this.locked() || this.faultsAt(i, held).length) return;
    if (this.mustSayWhy(() => this.resend()) || !this.held.sending(i, held)) return;
    this.store.dispatch(
      runCommands.recordStep.start({
        project: this.scope.slug(),
        key: this.key(),
        step: i + 1,
        ...held,
        seconds: this.seconds(),
        ...(this.corrections.reason() ? { reason: this.corrections.reason() } : {}),
      }),
    );
  }

  private mustSayWhy(then: () => void): boolean {
    return this.corrections.mustSayWhy(this.run(), then);
  }

  protected judge(verdict: StepVerdict): void {
    if (this.locked()) return;
    this.held.hold(this.at(), { ...this.here(), verdict });
    if (this.faults().length) this.write();
    else this.flush();
  }

  /** Most steps pass: one press gives the verdict and goes on, unless it asks for words or a reading first. */
  protected passOn(): void {
    if (this.locked()) return;
    this.judge('pass');
    if (!this.faults().length) this.next();
  }

  /** To where something is missing: a reading first, then the words. */
  private write(): void {
    const open = this.readings().findIndex(({ value }) => value === '' || typedNumber(value) === undefined);
    if (open < 0) this.box()?.nativeElement.focus();
    // A step that was just gone to is not drawn yet.
    else if (!this.asked()?.focusAt(open)) setTimeout(() => this.asked()?.focusAt(open));
  }

  protected next(): void {
    if (this.faults().length) return this.write();
    this.flush();
    if (
      this.outcome() &&
      (this.at() === (this.run()?.steps.length ?? 0) - 1 || this.outcome() === 'failed' || this.outcome() === 'blocked')
    )
      return this.finish();
    this.go(this.at() + 1);
  }

  /** Finishes once everything that this device holds has arrived: two requests on their way may overtake each other. */
  protected finish(): void {
    if (this.run()?.finishedAt) return void this.router.navigate(['/', this.scope.slug(), 'run', 'record', this.key()]);
    const lacking = Object.entries(this.unsaved()).find(([i, held]) => this.faultsAt(Number(i), held).length);
    if (lacking) {
      this.go(Number(lacking[0]));
      return this.write();
    }
    for (const [i, held] of Object.entries(this.unsaved())) if (Number(i) !== this.at()) this.send(Number(i), held);
    this.finishing.set(true);
  }

  /** Kept on this device until the run is finished with it. */
  protected conclude(text: string): void {
    this.conclusion.set(text);
    this.conclusions.keep(this.key(), text);
  }

  protected redline(): void {
    this.flush();
    this.redlining.set(true);
  }

  protected sendRedline(asked: RedlineAsked): void {
    const { after, ...rest } = asked;
    this.store.dispatch(
      runCommands.addRedline.start({ project: this.scope.slug(), key: this.key(), ...rest, after: after && { ...after } }),
    );
  }

  protected recordShort(asked: ShortAsked): void {
    this.store.dispatch(runCommands.recordShort.start({ project: this.scope.slug(), key: this.key(), ...asked }));
  }

  /** What it rests on did not pass: nothing is typed for that. */
  protected block(on: string): void {
    this.store.dispatch(runCommands.blockRun.start({ project: this.scope.slug(), key: this.key(), on }));
  }

  protected raise(i: number): void {
    this.flush();
    this.at.set(i);
    this.raising.set(true);
  }

  protected attach(files: readonly File[]): void {
    if (!files.length || this.locked()) return;
    this.flush();
    if (this.mustSayWhy(() => this.attach(files))) return;
    const at = { project: this.scope.slug(), key: this.key(), step: this.at() + 1, reason: this.corrections.reason() };
    this.store.dispatch(runCommands.addEvidence.start(at, files));
  }

  protected drop(event: DragEvent): void {
    this.attach([...(event.dataTransfer?.files ?? [])]);
  }

  protected paste(event: ClipboardEvent): void {
    const files = [...(event.clipboardData?.files ?? [])];
    if (!files.length) return;
    event.preventDefault();
    this.attach(files.map((file, i) => namedPaste(file, this.at() + 1, this.files().length + i + 1)));
  }

  protected detach(id: number): void {
    if (this.mustSayWhy(() => this.detach(id))) return;
    this.store.dispatch(
      runCommands.removeEvidence.start({ project: this.scope.slug(), key: this.key(), id, reason: this.corrections.reason() }),
    );
  }

  protected keys(event: KeyboardEvent): void {
    const target = event.target as HTMLElement;
    const typing = /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName);
    if (this.raising() || this.redlining() || this.whole()) return;
    const name = this.keyNames.among(event, ['pass', 'fail', 'deviation', 'blocked', 'passOn', 'observed', 'raise', 'redline', 'pause']);
    // A sign alone is typed where one writes.
    if (name && !(typing && this.keyNames.of(name).length === 1)) {
      event.preventDefault();
      if (name === 'observed') return this.write();
      if (name === 'passOn') return this.passOn();
      if (name === 'pause') return this.paused.set(!this.paused());
      if (name === 'redline') return this.mayRedline() ? this.redline() : undefined;
      return name === 'raise' ? this.raise(this.at()) : this.judge(name);
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (typing && event.key === 'Escape') return target.blur();
    if (event.key === 'Enter' && !event.shiftKey && (!typing || target === this.box()?.nativeElement)) {
      if (!typing && /^(A|BUTTON)$/.test(target.tagName)) return;
      event.preventDefault();
      if (typing) {
        this.flush();
        target.blur();
        if (this.result()?.verdict) this.next();
      } else this.next();
      return;
    }
    if (typing) return;
    if (event.key === 'ArrowDown') this.go(this.at() + 1);
    else if (event.key === 'ArrowUp') this.go(this.at() - 1);
    else return;
    event.preventDefault();
  }

  protected turn(key: string): void {
    this.flush();
    void this.router.navigate(['/', this.scope.slug(), 'run', 'bench', key]);
  }

  protected readonly clock = clockWords;
}
