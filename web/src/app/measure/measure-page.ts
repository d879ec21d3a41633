import { ChangeDetectionStrategy, Component, computed, effect, ElementRef, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import type { Diagnosis, FileDetail } from '@contract/measure';
import { listRequirements } from '@contract/specify';
import { metrics, type Metric, type PointState } from '@core/measure';
import { metricWords } from '@core/prove';
import { Icon, ProblemNote, RecordLink, RecordList, RecordPicker, RowTemplate, useProject } from '../base';
import { AttestUnit } from './attest-unit';
import { CarryPanel } from './carry-panel';
import { codeKind, fileName, share, shareWords } from './code-list';
import { LoadPanel } from './load-panel';
import { measureCommands, measureFeature } from './state';

type Remedy = Diagnosis['remedies'][number];

const heads: Record<PointState, string> = {
  credited: 'Credited',
  justified: 'Justified: somebody wrote why it needs no evidence',
  otherCases: 'Reached only by a case of another requirement',
  noRequirement: 'No requirement is traced to this code',
  noCase: 'Its requirements have no case',
  noPassingRun: 'Its cases have no passing, current run',
  neverHit: 'Never run by any case',
};
const stateWord: Record<PointState, string> = {
  credited: 'credited',
  justified: 'justified',
  otherCases: 'hit by other cases only',
  noRequirement: 'no requirement',
  noCase: 'no case',
  noPassingRun: 'no passing run',
  neverHit: 'never hit',
};
const tones: Record<PointState, string> = {
  credited: 'sound',
  justified: 'sound',
  otherCases: 'suspect',
  noRequirement: 'waiting',
  noCase: 'broken',
  noPassingRun: 'waiting',
  neverHit: 'broken',
};
const remedyIcons: Record<Remedy['kind'], string> = {
  extendCase: 'trending_up',
  traceCode: 'add_link',
  linkCase: 'rule',
  designCase: 'account_tree',
  recordRun: 'play_arrow',
  removeCode: 'delete',
};

/** Measure: how much of the code the runs exercised, how much of that counts, and what would close each gap. */
@Component({
  selector: 'cp-measure-page',
  imports: [AttestUnit, CarryPanel, FormsModule, Icon, LoadPanel, ProblemNote, RecordLink, RecordList, RecordPicker, RowTemplate],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './measure-page.html',
  styleUrl: './measure-page.scss',
})
export class MeasurePage {
  /** From the address: the file and line that are shown. */
  readonly path = input<string>();
  readonly line = input<string>();
  /** Set: what was loaded, and more of it, stands in place of the file. */
  readonly load = input<string>();
  /** Set: what was, and what may be, carried from the sources before stands in place of the file. */
  readonly carried = input<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly code = this.store.selectSignal(measureFeature.selectCode);
  protected readonly offers = this.store.selectSignal(measureFeature.selectOffers);
  protected readonly traceOffers = this.store.selectSignal(measureFeature.selectTraceOffers);
  protected readonly carries = this.store.selectSignal(measureFeature.selectCarries);
  protected readonly carrying = computed(
    () => !!this.carried() && this.offers().rows.length + this.carries().length + this.traceOffers().length > 0,
  );
  private readonly loadedFile = this.store.selectSignal(measureFeature.selectFile);
  protected readonly diagnosis = this.store.selectSignal(measureFeature.selectDiagnosis);
  protected readonly chosenMetric = signal<Metric>('branch');
  /** Metrics that this build's coverage tells of. */
  protected readonly metrics = computed(() => metrics.filter((metric) => this.code()?.total[metric].found));
  /** The chosen one, where this build's coverage tells of it. */
  protected readonly metric = computed(() => {
    const known = this.metrics();
    return known.includes(this.chosenMetric()) ? this.chosenMetric() : (known.find((m) => m === 'line') ?? known[0] ?? 'line');
  });
  protected readonly metricWords = metricWords;
  protected readonly heads = heads;
  protected readonly stateWord = stateWord;
  protected readonly tones = tones;
  protected readonly remedyIcons = remedyIcons;
  protected readonly loading = computed(() => !!this.load() || (!!this.code() && this.code()?.files === 0 && this.mayLoad()));
  /** How the files are listed, which changes with the metric alone. */
  protected readonly kind = computed(() => codeKind(this.metric()));
  protected readonly of = computed(() => ({ build: this.scope.build(), metric: this.metric() }));
  protected readonly fileName = fileName;
  protected readonly share = share;
  protected readonly shareWords = shareWords;
  protected readonly requirementsFrom = listRequirements;
  protected readonly requirementsOnly = { field: 'kind', is: ['requirement'] } as const;
  protected readonly names = {
    trace: measureCommands.traceCode.name,
    link: measureCommands.linkCase.name,
  };
  protected readonly mayLoad = computed(() => this.scope.roles().some((r) => r === 'author' || r === 'tester'));
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly shownPath = computed(() => this.path() ?? this.code()?.first ?? '');
  protected readonly shownLine = computed(() => Number(this.line()) || 0);
  protected readonly file = computed(() => (this.loadedFile()?.path === this.shownPath() ? this.loadedFile() : null));
  /** The source, line by line, with what was measured and the function that it lies in. */
  protected readonly rows = computed(() => {
    const file = this.file();
    if (!file) return [];
    const credit = new Map(file.lines.map((line) => [line.line, line]));
    const text = (file.text ?? '').replace(/\r/g, '').replace(/\n$/, '').split('\n');
    return text.map((content, i) => ({
      number: i + 1,
      content: content || ' ',
      credit: credit.get(i + 1),
      comment: /^\s*(\/\*|\*|\/\/)/.test(content),
    }));
  });
  protected readonly unit = computed(() => this.file()?.units.find((u) => this.shownLine() >= u.start && this.shownLine() <= u.end));
  private scrolledTo = '';

  constructor() {
    effect(() => {
      this.scope.judged();
      const at = { project: this.scope.slug(), build: this.scope.build() };
      if (at.build)
        untracked(() => {
          this.store.dispatch(measureCommands.getCode.start(at));
          this.store.dispatch(measureCommands.offerCarries.start(at));
          this.store.dispatch(measureCommands.offerTraces.start(at));
          this.store.dispatch(measureCommands.listCarries.start({ ...at, limit: 100 }));
        });
    });
    effect(() => {
      this.scope.judged();
      const at = { project: this.scope.slug(), build: this.scope.build(), path: this.shownPath() };
      if (at.build && at.path) untracked(() => this.store.dispatch(measureCommands.getFile.start(at)));
    });
    effect(() => {
      const file = this.file();
      const line = this.shownLine();
      if (!file || !line || !file.lines.some((l) => l.line === line)) return;
      untracked(() =>
        this.store.dispatch(
          measureCommands.diagnose.start({ project: this.scope.slug(), build: this.scope.build(), path: file.path, line }),
        ),
      );
    });
    effect(() => {
      const id = `${this.file()?.path}:${this.shownLine()}`;
      if (!this.file() || !this.shownLine() || this.scrolledTo === id) return;
      this.scrolledTo = id;
      setTimeout(() => this.element.nativeElement.querySelector('.line.at')?.scrollIntoView({ block: 'center' }), 60);
    });
  }

  protected open(path: string, line?: number): void {
    void this.router.navigate(['/', this.scope.slug(), 'measure'], { queryParams: { path, ...(line ? { line } : {}) } });
  }

  /** What stands in place of the file. */
  protected show(panel: 'load' | 'carried' | null): void {
    const queryParams = { load: panel === 'load' ? '1' : null, carried: panel === 'carried' ? '1' : null };
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }

  protected step(event: KeyboardEvent): void {
    const delta = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const lines = this.file()?.lines ?? [];
    if (!delta || !lines.length) return;
    event.preventDefault();
    const numbers = lines.map((l) => l.line).sort((a, b) => a - b);
    const at = numbers.findIndex((n) => n >= this.shownLine());
    const next =
      numbers[
        Math.min(
          numbers.length - 1,
          Math.max(0, (at < 0 ? numbers.length : numbers[at] === this.shownLine() || delta < 0 ? at : at - 1) + delta),
        )
      ];
    this.open(this.shownPath(), next);
  }

  protected traceAll(chosen: readonly { readonly key: string }[]): void {
    for (const { key } of chosen) this.trace(key, true);
  }

  protected trace(requirement: string, traced: boolean): void {
    const unit = this.unit();
    if (!unit || !requirement.trim()) return;
    this.store.dispatch(
      measureCommands.traceCode.start({
        project: this.scope.slug(),
        build: this.scope.build(),
        path: this.shownPath(),
        unit: unit.name,
        requirement: requirement.trim().toUpperCase(),
        traced,
      }),
    );
  }

  /** What a point of a decision is, in words: an outcome, or whether a condition was shown to matter by itself. */
  protected outcomeWords(outcome: Diagnosis['outcomes'][number], { outcomes }: Pick<Diagnosis, 'outcomes'>): string {
    const { metric, detail } = outcome;
    const [, which] = detail.split(':');
    if (metric === 'mcdc') return `condition ${which}, MC/DC`;
    if (metric === 'condition') return `condition ${which}`;
    const branches = outcomes.filter((o) => o.metric === 'branch');
    return `branch ${branches.indexOf(outcome) + 1} of ${branches.length}`;
  }

  protected metricName(metric: string): string {
    return metricWords[metric as Metric];
  }

  /** How much of a file that was measured on other text counts all the same. */
  protected carriedWords({ units }: FileDetail): string {
    const count = units.filter(({ carried }) => carried).length;
    return count ? `; ${count} of ${units.length} functions carried` : '';
  }

  protected title(r: Remedy): string {
    switch (r.kind) {
      case 'extendCase':
        return `Extend ${r.caseKey}, a case of ${r.requirement}`;
      case 'traceCode':
        return `Say this code also implements ${r.requirement}`;
      case 'linkCase':
        return `Let ${r.caseKey} also verify ${r.requirement}`;
      case 'designCase':
        return `Design a case for ${r.requirement}`;
      case 'recordRun':
        return `Get a passing run of ${r.caseKey}`;
      case 'removeCode':
        return 'Show that it can be reached, or take it out';
    }
  }

  protected about(r: Remedy): string {
    switch (r.kind) {
      case 'extendCase':
        return `It hits ${r.near?.hit} of ${r.near?.of} points of this function already, more than any other.`;
      case 'traceCode':
        return `Adds a trace from ${this.diagnosis()?.unit} to it.`;
      case 'linkCase':
        return 'Only if its objective fits: read it first.';
      case 'designCase':
        return 'Nothing verifies it yet.';
      case 'recordRun':
        return 'It reaches this place, and its latest run does not count.';
      case 'removeCode':
        return 'Nothing that was run comes here.';
    }
  }

  protected take(r: Remedy): void {
    const project = this.scope.slug();
    if (r.kind === 'traceCode' && r.requirement && this.author()) this.trace(r.requirement, true);
    else if (r.kind === 'linkCase' && r.caseKey && r.requirement && this.author())
      this.store.dispatch(measureCommands.linkCase.start({ project, kind: 'verifies', from: r.caseKey, to: r.requirement }));
    else if (r.kind === 'designCase' && r.requirement)
      void this.router.navigate(['/', project, 'design'], { queryParams: { for: r.requirement } });
    else if (r.kind === 'recordRun' && r.caseKey)
      void this.router.navigate(['/', project, 'run', 'plan'], { queryParams: { cases: r.caseKey } });
    else if (r.caseKey) void this.router.navigate(['/', project, 'design', r.caseKey], { queryParams: { edit: 1 } });
  }

  protected canTake(r: Remedy): boolean {
    return r.kind === 'removeCode' ? false : r.kind === 'recordRun' ? this.mayLoad() : this.author();
  }
}
