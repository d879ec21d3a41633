import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { DatePipe } from '@angular/common';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { RouterLink } from '@angular/router';
import { getCase } from '@contract/design';
import { getRun, type RunDetail } from '@contract/run';
import { doneByProgram, verdictWords } from '@core/run';
import {
  Api,
  Icon,
  onAction,
  onChanged,
  Opening,
  ProblemNote,
  ReadingLine,
  ReasonDialog,
  RecordLink,
  RecordPanels,
  useProject,
  type ReasonRequest,
  SignAs,
  type SignAnswer,
  type SignRequest,
  askSignature,
} from '../base';
import { AwayNotes } from './away-notes';
import { NextRun } from './next-run';
import { clockWords, runStateWords } from './words';
import { runCommands, runFeature } from './state';

/** A run record, whole, as a reviewer signs it and an auditor reads it. */
@Component({
  selector: 'cp-record-page',
  imports: [
    AwayNotes,
    NextRun,
    DatePipe,
    MatButtonModule,
    RouterLink,
    Icon,
    Opening,
    ProblemNote,
    ReadingLine,
    RecordLink,
    RecordPanels,
    SignAs,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './record-page.html',
  styles: `
    .two {
      display: grid;
      grid-template-columns: minmax(0, 1fr) 320px;
      gap: 16px;
      align-items: start;
    }
    .sig {
      display: flex;
      gap: 10px;
      padding: 6px 0;
      border-top: 1px solid var(--hairline);
    }
    .hash {
      font-size: 11px;
      overflow-wrap: anywhere;
    }
    .ev {
      margin-top: 4px;
      font-size: 12.5px;
      display: flex;
      flex-direction: column;
      gap: 2px;
    }
    .ev a {
      display: inline-flex;
      align-items: center;
      gap: 4px;
    }
    .ev img {
      max-width: 200px;
      border-radius: 6px;
      border: 1px solid var(--hairline);
    }
    a[mat-stroked-button] {
      color: var(--cord);
    }
  `,
})
export class RecordPage {
  readonly key = input.required<string>();
  protected readonly opens = runCommands.getRun.name;
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialogs = inject(MatDialog);
  private readonly loaded = this.store.selectSignal(runFeature.selectRun);
  protected readonly run = computed(() => (this.loaded()?.key === this.key() ? this.loaded() : null));
  protected readonly names = { sign: runCommands.signRun.name, decide: runCommands.decideRun.name, block: runCommands.blockRun.name };
  private readonly me = computed(() => this.scope.session()?.person);
  private readonly has = (role: 'tester' | 'reviewer'): boolean => this.scope.roles().includes(role);
  private readonly signed = (meaning: string): boolean => this.run()?.signatures.some((s) => s.meaning === meaning) ?? false;
  protected readonly mayRecord = computed(
    () => this.run()?.tester === this.me()?.login && this.has('tester') && !this.run()?.signatures.length && !this.run()?.supersededBy,
  );
  protected readonly mayPerform = computed(
    () =>
      this.run()?.verdict != null &&
      !this.run()?.supersededBy &&
      this.run()?.tester === this.me()?.login &&
      this.has('tester') &&
      !this.signed('performed'),
  );
  protected readonly mayReview = computed(
    () =>
      // What a program did, nobody signs as performed: whoever reviews it answers for it.
      (this.signed('performed') || (this.run()?.verdict != null && doneByProgram(this.run()?.tester ?? ''))) &&
      !this.signed('reviewed') &&
      !this.run()?.supersededBy &&
      this.has('reviewer') &&
      this.run()?.tester !== this.me()?.login,
  );
  protected readonly mayDecide = computed(
    () => this.run()?.verdict != null && !this.run()?.supersededBy && (this.has('tester') || this.has('reviewer')),
  );
  /** What rests on this run and is mine to record. */
  protected readonly mineHeldUp = computed(() =>
    this.has('tester') ? (this.run()?.holdsUp ?? []).filter(({ tester }) => tester === this.me()?.login) : [],
  );
  /** A reviewer who is not the tester. */
  protected readonly others = computed(() => this.has('reviewer') && this.run()?.tester !== this.me()?.login);
  protected readonly signedReview = computed(() => this.signed('reviewed'));
  protected readonly waitsForOther = computed(() => {
    if (this.signed('performed') && !this.signed('reviewed') && this.run()?.tester === this.me()?.login && this.has('reviewer'))
      return 'You recorded this run, so another person must review it.';
    return '';
  });

  private readonly api = inject(Api);
  /** The other runs of its case, the newest first. */
  protected readonly earlier = signal<readonly { readonly key: string; readonly build: string; readonly verdict: string | null }[]>([]);
  protected readonly besideKey = signal('');
  /** Another run of the case, shown beside this one. */
  protected readonly beside = signal<RunDetail | null>(null);
  private looked = '';

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      untracked(() => {
        this.beside.set(null);
        this.besideKey.set('');
        this.store.dispatch(runCommands.getRun.start(at));
      });
    });
    effect(() => {
      const run = this.run();
      if (!run) return;
      untracked(() => {
        void this.readEarlier(run);
        this.look(run);
      });
    });
    // What was blocked because of this run is told by it anew.
    onAction(runCommands.blockRun.done, () =>
      this.store.dispatch(runCommands.getRun.start({ project: this.scope.slug(), key: this.key() })),
    );
    onChanged(['run', 'case', 'problem'], (keys) => {
      const run = this.run();
      const mine = new Set([this.key(), run?.caseKey, run?.plannedAgain, ...(run?.problems.map((p) => p.key) ?? [])]);
      if (!keys || keys.some((key) => mine.has(key) || key.startsWith('PR-')))
        this.store.dispatch(runCommands.getRun.start({ project: this.scope.slug(), key: this.key() }));
    });
  }

  private async readEarlier({ key, caseKey }: RunDetail): Promise<void> {
    // What cannot be read now is read with the next change.
    const runs = await this.api.call(getCase, { project: this.scope.slug(), key: caseKey }).then(
      (c) => c.runs,
      () => [],
    );
    if (this.run()?.key === key) this.earlier.set(runs.filter((other) => other.key !== key).slice(0, 12));
  }

  /** Who signs many at once signs only what they had on the screen: that is noted once for each state of the record. */
  private look({ key, hash, finishedAt }: RunDetail): void {
    if (finishedAt === null || this.looked === hash || !(this.has('tester') || this.has('reviewer'))) return;
    this.looked = hash;
    this.store.dispatch(runCommands.lookAtRun.start({ project: this.scope.slug(), key, hash }));
  }

  protected async compare(key: string): Promise<void> {
    if (this.besideKey() === key) {
      this.besideKey.set('');
      return this.beside.set(null);
    }
    this.besideKey.set(key);
    const other = await this.api.call(getRun, { project: this.scope.slug(), key }).catch(() => null);
    if (this.besideKey() === key) this.beside.set(other);
  }

  /** The result of the same step in another run: at its place where it says the same, else wherever it stands. */
  protected sameStep(other: RunDetail, at: number): RunDetail['steps'][number] | undefined {
    const action = this.run()?.case.steps[at].action;
    const place = other.case.steps[at]?.action === action ? at : other.case.steps.findIndex((s) => s.action === action);
    return other.steps.at(place < 0 ? other.steps.length : place);
  }

  protected sign(meaning: 'performed' | 'reviewed'): void {
    const run = this.run();
    if (!run) return;
    const remark = run.steps
      .map((s, i) => (s.verdict === 'deviation' ? `step ${i + 1}: ${s.observed}` : ''))
      .filter(Boolean)
      .join('; ');
    const data: SignRequest = {
      title: `Sign ${run.key}`,
      meaning:
        meaning === 'performed'
          ? `I performed this run of ${run.caseKey} on ${run.build} and recorded what I observed. Verdict: ${run.verdict ? verdictWords[run.verdict] : ''}.`
          : `I reviewed this record of ${run.caseKey} on ${run.build}, its observations and its evidence. Verdict: ${run.verdict ? verdictWords[run.verdict] : ''}.`,
      printedName: this.me()?.printedName ?? '',
      hash: run.hash,
      needsReason: false,
      ...(meaning === 'reviewed' && run.verdict === 'deviation' ? { deviation: remark } : {}),
    };
    this.ask(data, ({ password, reason, acceptDeviation }) =>
      this.store.dispatch(
        runCommands.signRun.start({ project: this.scope.slug(), key: run.key, meaning, password, hash: run.hash, reason, acceptDeviation }),
      ),
    );
  }

  protected blockMine(): void {
    for (const { key } of this.mineHeldUp())
      this.store.dispatch(runCommands.blockRun.start({ project: this.scope.slug(), key, on: this.key() }));
  }

  protected decide(choice: 'carryOver' | 'return' | 'acceptDeviation'): void {
    const run = this.run();
    if (!run) return;
    const asks = {
      carryOver: [
        `Carry ${run.key} over`,
        `${run.caseKey} is now at revision ${run.caseNow}. I state that the result recorded against revision ${run.caseRevision} stands for it.`,
      ],
      return: [`Return ${run.key}`, `I do not accept this record of ${run.caseKey}. It stays as it is, and the case is run again.`],
      acceptDeviation: [`Accept the deviation of ${run.key}`, `I accept the deviation with which ${run.caseKey} passed on ${run.build}.`],
    } as const;
    const [title, meaning] = asks[choice];
    const data: SignRequest = { title, meaning, printedName: this.me()?.printedName ?? '', hash: run.hash, needsReason: true };
    this.ask(data, ({ password, reason }) =>
      this.store.dispatch(runCommands.decideRun.start({ project: this.scope.slug(), key: run.key, choice, reason, password })),
    );
  }

  private ask(data: SignRequest, then: (answer: SignAnswer) => void): void {
    askSignature(this.dialogs, data).subscribe(then);
  }

  protected rerun(): void {
    const run = this.run();
    if (!run) return;
    const data: ReasonRequest = {
      title: `Run ${run.caseKey} again`,
      text: `A new run of ${run.caseKey} revision ${run.caseNow} is planned for ${run.testerName}. ${run.key} stands until that one is finished, and stays readable.`,
      confirm: 'Plan the rerun',
    };
    this.dialogs
      .open<ReasonDialog, ReasonRequest, string>(ReasonDialog, { data })
      .afterClosed()
      .subscribe((reason) => {
        if (reason) this.store.dispatch(runCommands.decideRun.start({ project: this.scope.slug(), key: run.key, choice: 'rerun', reason }));
      });
  }

  protected words(run: RunDetail): string {
    return runStateWords(run);
  }

  protected tone(run: RunDetail): string {
    return run.verdict === 'failed' || run.state === 'returned' ? 'broken' : run.state === 'reviewed' ? 'sound' : 'waiting';
  }

  protected clock(seconds: number): string {
    return clockWords(seconds);
  }
}
