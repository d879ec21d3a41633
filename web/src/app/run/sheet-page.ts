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
import { MatButtonModule } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import { addEvidence, finishRun, getRun, listRuns, recordStep, type RunDetail } from '@contract/run';
import { readingsAsked, rollUp, verdictWords, type ReadingResult, type StepVerdict } from '@core/run';
import { Api, failureWords, Icon, keysOf, Needs, RecordLink, useKeys, useProject } from '../base';
import { FilledText } from './filled-text';
import { heldText, stepFaults, verdicts, type HeldStep } from './held-step';
import { openRunsOf } from './run-list';
import { StepReadings } from './step-readings';

/** How many runs stand beside each other at most. */
const mostAcross = 40;
const cellName = (run: string, step: number): string => `${run} ${step}`;

/**
 * Runs of one case beside each other, steps down and runs across: a case with many data rows, or what was written on paper. A cell takes its
 * verdict by a key; what it lacks is asked below.
 */
@Component({
  selector: 'cp-sheet-page',
  imports: [FilledText, FormsModule, Icon, MatButtonModule, Needs, RecordLink, RouterLink, StepReadings],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './sheet-page.html',
  styleUrl: './sheet-page.scss',
})
export class SheetPage {
  readonly key = input.required<string>();
  protected readonly scope = useProject();
  private readonly api = inject(Api);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly words = viewChild<ElementRef<HTMLTextAreaElement>>('words');
  protected readonly keyNames = useKeys('Bench');
  protected readonly keysOf = keysOf;
  protected readonly verdicts = verdicts;
  protected readonly verdictWords = verdictWords;
  /** The run that was asked for first, then the others of its case and round that are one's own and open. */
  protected readonly runs = signal<readonly RunDetail[]>([]);
  private readonly typed = signal<Readonly<Record<string, HeldStep>>>({});
  /** Why a cell, or the end of a run, was not taken, by its name. */
  protected readonly failures = signal<Readonly<Record<string, string>>>({});
  protected readonly at = signal({ step: 0, run: 0 });
  protected readonly minutes = signal<Readonly<Partial<Record<string, number>>>>({});
  protected readonly paper = signal(false);
  /** When it was written on paper. */
  protected readonly writtenAt = signal('');
  protected readonly busy = signal(false);
  protected readonly failed = signal('');
  protected readonly steps = computed(() => this.runs()[0]?.case.steps ?? []);
  protected readonly run = computed((): RunDetail | undefined => this.runs()[this.at().run]);
  protected readonly step = computed(() => this.run()?.case.steps[this.at().step]);
  protected readonly cell = computed(() => {
    const run = this.run();
    return run ? this.held(run, this.at().step) : undefined;
  });
  protected readonly readings = computed(() => {
    const step = this.step();
    return step ? readingsAsked(step, this.cell()?.readings ?? []) : [];
  });
  protected readonly faults = computed(() => {
    const [run, held] = [this.run(), this.cell()];
    return run && held ? stepFaults(run, this.at().step, held) : [];
  });
  protected readonly columns = computed(() =>
    this.runs().map((run) => {
      const outcome = run.verdict ?? rollUp(run.case.steps.map((_, i) => this.held(run, i).verdict));
      return {
        run,
        outcome,
        done: run.finishedAt !== null,
        recorded: run.case.steps.filter((_, i) => this.held(run, i).verdict !== null).length,
        failure: this.failures()[run.key],
      };
    }),
  );
  protected readonly ready = computed(() => this.columns().filter(({ done, outcome }) => !done && outcome));
  protected readonly missing = (): string => (this.ready().length ? '' : 'No run has a verdict at each of its steps yet.');

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      const login = this.scope.session()?.person.login;
      if (at.project && login) untracked(() => void this.open(at, login));
    });
  }

  private async open(at: { project: string; key: string }, login: string): Promise<void> {
    try {
      const first = await this.api.call(getRun, at);
      const filter = openRunsOf(login, { round: first.round, case: first.caseKey });
      const page = await this.api.call(listRuns, { project: at.project, filter, sort: 'position', limit: mostAcross });
      const keys = page.rows.map(({ key }) => key).filter((key) => key !== first.key);
      const others = await Promise.all(keys.map((key) => this.api.call(getRun, { project: at.project, key })));
      // Runs of another revision have other steps: they are recorded by themselves.
      const alike = others.filter(({ caseRevision }) => caseRevision === first.caseRevision);
      this.runs.set([first, ...alike]);
      this.minutes.set(Object.fromEntries(this.runs().map((run) => [run.key, Math.round(run.seconds / 60)])));
    } catch (error) {
      this.failed.set(failureWords(error));
    }
  }

  protected held(run: RunDetail, step: number): HeldStep {
    return this.typed()[cellName(run.key, step)] ?? run.steps[step] ?? { observed: '', verdict: null };
  }

  protected locked(run: RunDetail): boolean {
    return run.finishedAt !== null || run.tester !== this.scope.session()?.person.login || !['planned', 'onBench'].includes(run.state);
  }

  /** What a cell says, aloud. */
  protected said(run: RunDetail, step: number): string {
    const { verdict, observed } = this.held(run, step);
    const failure = this.failures()[cellName(run.key, step)];
    return `${run.row === null ? run.key : `Row ${run.row}`}, step ${step + 1}: ${verdict ?? 'open'}${observed ? `, ${observed}` : ''}${failure ? `, not stored: ${failure}` : ''}`;
  }

  protected go(step: number, run: number): void {
    const to = {
      step: Math.min(this.steps().length - 1, Math.max(0, step)),
      run: Math.min(this.runs().length - 1, Math.max(0, run)),
    };
    this.at.set(to);
    // The cell that has the focus is drawn as such first.
    setTimeout(() => this.host.nativeElement.querySelector<HTMLElement>(`[data-cell="${to.step} ${to.run}"]`)?.focus());
  }

  protected keys(event: KeyboardEvent): void {
    const { step, run } = this.at();
    const move = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key];
    if (move && !event.altKey && !event.ctrlKey) this.go(step + move[0], run + move[1]);
    else {
      const name = this.keyNames.among(event, ['pass', 'fail', 'deviation', 'blocked', 'passOn', 'observed']);
      if (name === 'observed' || event.key === 'Enter') this.write();
      else if (name) this.judge(name === 'passOn' ? 'pass' : name);
      else return;
    }
    event.preventDefault();
  }

  protected judge(verdict: StepVerdict): void {
    const run = this.run();
    if (!run || this.locked(run)) return;
    const { step } = this.at();
    this.put({ verdict });
    if (this.faults().length) return this.write();
    void this.save(run, step);
    this.onward();
  }

  /** To the next step of the run, or to the beginning of the run beside it. */
  private onward(): void {
    const { step, run } = this.at();
    if (step + 1 < this.steps().length) this.go(step + 1, run);
    else this.go(0, run + 1);
  }

  protected write(): void {
    const reading = this.host.nativeElement.querySelector<HTMLInputElement>('cp-step-readings input');
    const open = this.readings().some(({ value }) => !value);
    (open && reading ? reading : this.words()?.nativeElement)?.focus();
  }

  protected read(readings: readonly ReadingResult[]): void {
    this.put({ readings });
  }

  protected put(change: Partial<HeldStep>): void {
    const run = this.run();
    const held = this.cell();
    if (!run || !held) return;
    const readings = this.readings();
    const next = { observed: held.observed, verdict: held.verdict, ...(readings.length ? { readings } : {}), ...change };
    this.typed.update((all) => ({ ...all, [cellName(run.key, this.at().step)]: next }));
  }

  /** Written, and back to the cells. */
  protected written(event: Event): void {
    event.preventDefault();
    const run = this.run();
    if (run && !this.faults().length) {
      void this.save(run, this.at().step);
      if (this.cell()?.verdict) return this.onward();
    }
    this.go(this.at().step, this.at().run);
  }

  protected left(): void {
    const run = this.run();
    if (run && !this.faults().length) void this.save(run, this.at().step);
  }

  private note(name: string, words: string): void {
    const { [name]: _, ...rest } = this.failures();
    this.failures.set(words ? { ...rest, [name]: words } : rest);
  }

  /** Stores a cell, if it says something that the server does not have. */
  private async save(run: RunDetail, step: number): Promise<void> {
    const name = cellName(run.key, step);
    const held = this.typed()[name];
    if (!held || heldText(held) === heldText(run.steps[step])) return;
    try {
      const saved = await this.api.call(recordStep, {
        project: this.scope.slug(),
        key: run.key,
        step: step + 1,
        ...held,
        seconds: 60 * (this.minutes()[run.key] ?? 0),
      });
      this.runs.update((runs) =>
        runs.map((other) =>
          other.key === run.key
            ? { ...other, steps: other.steps.map((was, i) => (i === step ? saved.result : was)), state: 'onBench' }
            : other,
        ),
      );
      if (heldText(this.typed()[name] ?? held) === heldText(held)) {
        const { [name]: _, ...rest } = this.typed();
        this.typed.set(rest);
      }
      this.note(name, '');
    } catch (error) {
      this.note(name, failureWords(error));
    }
  }

  protected minute(run: string, minutes: number): void {
    this.minutes.update((all) => ({ ...all, [run]: Math.max(0, Math.round(minutes) || 0) }));
  }

  /** The sheet itself, as evidence of the first step of every run on it. */
  protected async attach(box: HTMLInputElement): Promise<void> {
    const files = [...(box.files ?? [])];
    box.value = '';
    for (const { key } of this.runs().filter((run) => !this.locked(run)))
      try {
        const now = await this.api.call(addEvidence, { project: this.scope.slug(), key, step: 1 }, files);
        this.runs.update((runs) => runs.map((run) => (run.key === key ? { ...run, evidence: now.evidence } : run)));
      } catch (error) {
        this.note(key, failureWords(error));
      }
  }

  /** Finishes every run that has an outcome, after what is still typed was stored. */
  protected async finish(): Promise<void> {
    this.busy.set(true);
    for (const { run } of this.ready()) {
      for (const step of run.case.steps.keys()) await this.save(run, step);
      if (run.case.steps.some((_, step) => this.failures()[cellName(run.key, step)])) continue;
      const said = this.paper() ? `Entered from paper${this.writtenAt() ? ` of ${this.writtenAt().replace('T', ' ')}` : ''}.` : '';
      try {
        const seconds = 60 * (this.minutes()[run.key] ?? 0);
        const conclusion = [run.conclusion, said].filter(Boolean).join(' ');
        const done = await this.api.call(finishRun, { project: this.scope.slug(), key: run.key, seconds, ...(said ? { conclusion } : {}) });
        this.runs.update((runs) => runs.map((other) => (other.key === run.key ? done : other)));
        this.note(run.key, '');
      } catch (error) {
        this.note(run.key, failureWords(error));
      }
    }
    this.busy.set(false);
  }
}
