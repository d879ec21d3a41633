import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toObservable, takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router, RouterLink } from '@angular/router';
import type { Selection } from '@contract/base';
import { largeRound } from '@contract/run';
import { firstConfiguration } from '@core/run';
import { debounceTime } from 'rxjs';
import {
  baseActions,
  baseFeature,
  Icon,
  JobsPanel,
  Needs,
  onAction,
  onChanged,
  ProblemNote,
  RecordLink,
  RecordList,
  reviewWords,
  RowLines,
  RowTemplate,
  selectRequest,
  useProject,
  toggled,
} from '../base';
import { ConfigurationChoice, type ConfigurationWay } from './configuration-choice';
import { plannedKind } from './round-list';
import { runCommands, runFeature } from './state';
import { useTesters } from './testers';

/** A round is planned: the cases are chosen on the left, and what it would be is told beside them before it is written. */
@Component({
  selector: 'cp-plan-page',
  imports: [
    ConfigurationChoice,
    FormsModule,
    JobsPanel,
    RouterLink,
    MatButtonModule,
    Icon,
    ProblemNote,
    RecordLink,
    RecordList,
    RowLines,
    RowTemplate,
    Needs,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './plan-page.html',
  styles: `
    :host {
      display: block;
      height: 100%;
    }
    .plan {
      grid-template-columns: minmax(0, 1fr) minmax(340px, 440px);
    }
    .two {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 12px;
    }
    .share {
      border: 1px solid var(--hairline);
      border-radius: 10px;
      margin: 0;
      padding: 6px 12px 10px;
    }
    summary {
      cursor: pointer;
    }
    @media (max-width: 819px) {
      .side {
        height: 60vh;
      }
    }
  `,
})
export class PlanPage {
  protected readonly reviewWords = reviewWords;
  /** From the address: cases that are to be planned, beside what is chosen here. */
  readonly cases = input<string>();
  /** From the address: an earlier round, and which part of it; requirements, a specification or groups whose cases are meant. */
  readonly round = input<string>();
  readonly part = input<string>();
  readonly requirements = input<string>();
  readonly spec = input<string>();
  readonly groups = input<string>();
  protected readonly scope = useProject();
  protected readonly kind = plannedKind;
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  protected readonly names = {
    preview: runCommands.previewRound.name,
    round: runCommands.addRound.name,
    large: runCommands.addLargeRound.name,
  };
  protected readonly given = signal<readonly string[]>([]);
  protected readonly selection = signal<Selection | null>(null);
  protected readonly title = signal('');
  protected readonly configuration = signal('');
  protected readonly unit = signal('');
  protected readonly tools = signal('');
  protected readonly tester = signal('');
  protected readonly shared = signal<ReadonlySet<string>>(new Set());
  protected readonly leaveOut = signal(false);
  protected readonly why = signal('');
  protected readonly testers = useTesters();
  protected readonly others = computed(() => this.testers().filter(({ login }) => login !== this.tester()));
  private readonly answer = this.store.selectSignal(runFeature.selectRoundPreview);
  private readonly sending = this.store.selectSignal(selectRequest(this.names.round));
  private readonly asking = this.store.selectSignal(selectRequest(this.names.large));
  private readonly last = this.store.selectSignal(runFeature.selectLastRound);
  private readonly jobs = this.store.selectSignal(baseFeature.selectJobs);
  /** The job that was asked here for a large round. */
  protected readonly job = signal<number | null>(null);
  private readonly atWork = computed(() => {
    const id = this.job();
    const known = this.jobs().find((job) => job.id === id);
    return id !== null && (known === undefined || known.state === 'queued' || known.state === 'running');
  });

  protected readonly programs = this.store.selectSignal(runFeature.selectPrograms);
  protected readonly choice = signal<ConfigurationWay>('words');
  /** The configurations that the round takes; none where it is named in words. */
  protected readonly configurations = signal<readonly string[]>([]);
  /** What the round is planned from, beside cases; null where only cases are chosen. */
  private readonly from = computed(() => {
    const list = (keys: string | undefined): string[] => (keys ?? '').split(',').filter(Boolean);
    const [requirements, groups, specification, round] = [list(this.requirements()), list(this.groups()), this.spec(), this.round()];
    if (!requirements.length && !groups.length && !specification && !round) return null;
    const part = this.part() === 'failed' ? ('failed' as const) : this.part() === 'notPassed' ? ('notPassed' as const) : ('all' as const);
    return { requirements, groups, part, ...(specification ? { specification } : {}), ...(round ? { round } : {}) };
  });
  protected readonly fromWords = computed(() => {
    const from = this.from();
    if (!from) return '';
    const parts = { all: '', notPassed: ', without what passed and stands', failed: ', what failed or was blocked' };
    return [
      ...(from.round ? [`${from.round}${parts[from.part]}`] : []),
      ...(from.specification ? [`all requirements of ${from.specification}`] : []),
      ...(from.requirements.length ? [from.requirements.slice(0, 8).join(', ')] : []),
      ...(from.groups.length ? [from.groups.join(', ')] : []),
    ].join(' and ');
  });

  /** The cases that are meant; null for none. */
  private readonly chosen = computed((): { cases: string[]; filter?: string } | null => {
    const selection = this.selection();
    if (selection?.filter !== undefined) return { cases: [], filter: selection.filter };
    const cases = [...new Set([...this.given(), ...(selection?.keys ?? [])])];
    return cases.length || this.from() ? { cases } : null;
  });
  /** What is asked of the server, as the round would be now. */
  protected readonly asked = computed(() => {
    const chosen = this.chosen();
    const configurations = this.configurations();
    if (!chosen || !this.scope.build() || !(this.configuration().trim() || configurations.length) || !this.tester()) return null;
    const from = this.from();
    return {
      project: this.scope.slug(),
      build: this.scope.build(),
      configuration: configurations[0] ?? this.configuration().trim(),
      configurations,
      tester: this.tester(),
      ...(from ? { from } : {}),
      sharedWith: [...this.shared()].filter((login) => login !== this.tester()),
      ...chosen,
      ...(this.leaveOut() ? { leaveOut: 'passed' as const } : {}),
    };
  });
  /** What the last question was answered with. */
  protected readonly preview = computed(() => {
    const { of, answer } = this.answer();
    return answer && of === JSON.stringify(this.asked()) ? answer : null;
  });
  protected readonly large = computed(() => (this.preview()?.runs ?? 0) > largeRound);
  /** What is still needed before it can be planned, in words. */
  protected readonly missing = computed(() => {
    if (this.atWork()) return 'It is being planned: how far it is stands below.';
    if (!this.chosen()) return 'No case is chosen yet.';
    if (!this.title().trim()) return 'It needs a title.';
    if (!this.configurations().length && !(this.choice() === 'words' && this.configuration().trim()))
      return 'Say in which configuration it is run.';
    const p = this.preview();
    if (!p || this.sending().pending || this.asking().pending) return '…';
    if (!p.runs) return 'Nothing is left to run.';
    return p.againCount && this.why().trim().length < 3 ? 'Say why what has a result is planned again.' : '';
  });

  constructor() {
    effect(() => {
      const keys = (this.cases() ?? '').split(',').filter(Boolean);
      untracked(() => this.given.set(keys));
    });
    effect(() => {
      const project = this.scope.slug();
      untracked(() => {
        this.store.dispatch(runCommands.listPrograms.start({ project }));
      });
    });
    // Nothing is typed twice: the last round tells what is usual here.
    effect(() => {
      const at = { project: this.scope.slug(), build: this.scope.build(), sort: '-createdAt', limit: 1 };
      untracked(() => at.build && this.store.dispatch(runCommands.lastRound.start(at)));
    });
    effect(() => {
      const last = this.last();
      const testers = this.testers();
      untracked(() => {
        if (last && !this.configuration()) this.configuration.set(firstConfiguration(last.configuration));
        if (last && !this.unit()) this.unit.set(last.unit);
        if (last && !this.tools()) this.tools.set(last.tools);
        const me = this.scope.session()?.person.login;
        if (!this.tester()) this.tester.set(testers.find((t) => t.login === me)?.login ?? testers[0]?.login ?? '');
      });
    });
    const ask = (): void => {
      const asked = this.asked();
      if (asked) this.store.dispatch(runCommands.previewRound.start(asked));
    };
    toObservable(computed(() => JSON.stringify(this.asked())))
      .pipe(debounceTime(200), takeUntilDestroyed())
      .subscribe(ask);
    onChanged(['case', 'run', 'round'], ask);
    onAction(runCommands.addRound.done, ({ answer }) => this.open(answer.key));
    onAction(runCommands.addLargeRound.done, ({ answer }) => this.job.set(answer.id));
    onAction(baseActions.liveNews, ({ entries }) => {
      const mine = entries.find(({ action, who }) => action === 'round planned' && who === this.scope.session()?.person.login);
      if (mine && this.atWork()) this.open(mine.key);
    });
  }

  private open(round: string): void {
    void this.router.navigate(['/', this.scope.slug(), 'run', 'round', round]);
  }

  protected without(key: string): void {
    this.given.set(this.given().filter((other) => other !== key));
  }

  protected share(login: string): void {
    this.shared.set(toggled(this.shared(), login));
  }

  protected nameOf(login: string): string {
    return this.testers().find((t) => t.login === login)?.printedName ?? login;
  }

  protected duration(minutes: number): string {
    return minutes < 120 ? `${minutes} min` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
  }

  protected look(key: string): void {
    void this.router.navigate(['/', this.scope.slug(), 'design', key]);
  }

  protected send(): void {
    const asked = this.asked();
    const preview = this.preview();
    if (!asked || !preview) return;
    const refused = new Set(preview.refused.map(({ key }) => key));
    const add = this.large() ? runCommands.addLargeRound : runCommands.addRound;
    this.store.dispatch(
      add.start({
        ...asked,
        cases: asked.cases.filter((key) => !refused.has(key)),
        title: this.title().trim(),
        unit: this.unit().trim(),
        tools: this.tools().trim(),
        reason: this.why().trim(),
      }),
    );
  }
}
