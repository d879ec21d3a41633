import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { DatePipe } from '@angular/common';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { ActivatedRoute, Router } from '@angular/router';
import type { CaseDetail } from '@contract/design';
import type { Filter, TraceRow } from '@contract/base';
import { listRequirements } from '@contract/specify';
import { caseFaults, plainContent, type CaseContent, type CaseRow } from '@core/design';
import {
  askApproval,
  askConfirmation,
  askReason,
  type Draft,
  firstMissing,
  forgetProblem,
  Icon,
  Needs,
  onAction,
  onChanged,
  OwnFields,
  type PickedRow,
  ProblemNote,
  RecordLink,
  RecordPanels,
  RecordPicker,
  reviewWords,
  selectRequest,
  suspectWords,
  useDeviceMemory,
  useProject,
  waitingWords,
  WordsDiff,
} from '../base';
import { designCommands, designFeature } from './state';
import { RowsEditor } from './rows-editor';
import { StepsEditor } from './steps-editor';

const contentOf = ({ title, objective, preconditions, steps, plannedMinutes, rows }: CaseDetail): CaseContent => ({
  title,
  objective,
  preconditions,
  steps,
  plannedMinutes,
  ...(rows?.length ? { rows } : {}),
});
const callWords = (values: Readonly<Record<string, string>>): string => {
  const given = Object.entries(values).map(([name, value]) => `${name} = ${value}`);
  return given.length ? ` with ${given.join(', ')}` : '';
};
const outline = (content: CaseContent): string =>
  [
    content.title,
    content.objective,
    content.preconditions,
    ...content.steps.map(
      (s, i) =>
        `${i + 1}. ${s.call ? `all steps of ${s.call.key} revision ${s.call.revision}${callWords(s.call.with)}` : `${s.action} → ${s.expected}`}`,
    ),
    `${content.plannedMinutes} min`,
    ...(content.rows ?? []).map(
      (row) =>
        `Row ${row.name}: ${Object.entries(row.values)
          .map(([name, value]) => `${name} = ${value}`)
          .join(', ')}`,
    ),
  ].join('\n');

/** One verification case: what it shows, its steps, what it verifies, its runs, and what is said of it. */
@Component({
  selector: 'cp-case-record',
  imports: [
    DatePipe,
    FormsModule,
    MatButtonModule,
    Icon,
    ProblemNote,
    RecordLink,
    OwnFields,
    RecordPanels,
    RecordPicker,
    WordsDiff,
    RowsEditor,
    StepsEditor,
    Needs,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './case-record.html',
  styles: `
    .trace {
      display: flex;
      gap: 10px;
      align-items: center;
      padding: 4px 0;
    }
    .tiny {
      width: 130px;
      padding: 4px 8px;
    }
    .steps td {
      vertical-align: top;
    }
    .minutes {
      width: 120px;
    }
    .revision {
      padding: 10px 0;
      border-top: 1px solid var(--hairline);
    }
  `,
})
export class CaseRecord {
  protected readonly reviewWords = reviewWords;
  readonly key = input.required<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly drafts = useDeviceMemory<Draft<CaseContent>>('draft');
  private readonly dialogs = inject(MatDialog);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  private readonly detail = this.store.selectSignal(designFeature.selectDetail);
  /** Why an approved case changes. */
  protected readonly reason = signal('');
  protected readonly saving = this.store.selectSignal(selectRequest(designCommands.saveCase.name));
  protected readonly shown = computed(() => (this.detail()?.key === this.key() ? this.detail() : null));
  protected readonly editing = signal(false);
  protected readonly draft = signal<CaseContent | null>(null);
  private readonly base = signal('');
  protected readonly changed = computed(() => this.draft() !== null && JSON.stringify(this.draft()) !== this.base());
  protected readonly missing = (): string =>
    firstMissing(
      [!this.changed(), 'Nothing changed.'],
      [!this.draft()?.title.trim(), 'It needs a title.'],
      [this.shown()?.state === 'approved' && this.reason().trim().length < 3, 'It is approved: say why it changes.'],
    );
  protected readonly faults = computed(() => (this.draft() ? caseFaults(this.draft() as CaseContent) : []));
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly reviewer = computed(() => this.scope.roles().includes('reviewer'));
  protected readonly names = {
    save: designCommands.saveCase.name,
    state: designCommands.setState.name,
    approve: designCommands.approve.name,
    trace: designCommands.addTrace.name,
    confirm: designCommands.confirmTrace.name,
    remove: designCommands.removeTrace.name,
  };
  protected readonly conflict = computed(() =>
    this.saving().problem?.code === 'conflict' ? (this.saving().problem?.current as CaseDetail) : null,
  );
  private edited = '';
  /** The revision that was read when writing began: saving on top of a newer one must be a choice. */
  protected readonly basedOn = signal(0);

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      untracked(() => this.read(at));
    });
    // Read again when somebody changed it, what it verifies, or a run of it.
    onChanged(['case', 'requirement', 'run', 'round'], (keys) => {
      const shown = this.shown();
      const joined = new Set([this.key(), ...(shown?.verifies.map((t) => t.to) ?? []), ...(shown?.runs.map((r) => r.key) ?? [])]);
      if (!keys || keys.some((key) => joined.has(key) || key.startsWith('R-'))) this.read({ project: this.scope.slug(), key: this.key() });
    });
    effect(() => {
      const shown = this.shown();
      if (!shown || this.edited === shown.key) return;
      this.edited = shown.key;
      untracked(() => {
        this.store.dispatch(forgetProblem({ name: this.names.save }));
        this.begin(this.route.snapshot.queryParamMap.has('edit') || this.drafts.read(shown.key) !== undefined);
      });
    });
    onAction(designCommands.saveCase.done, ({ answer }) => {
      this.drafts.drop(answer.key);
      this.begin(false);
      void this.router.navigate([], { queryParams: {} });
    });
    for (const done of [designCommands.addTrace.done, designCommands.confirmTrace.done, designCommands.removeTrace.done])
      onAction(done, () => this.store.dispatch(designCommands.getCase.start({ project: this.scope.slug(), key: this.key() })));
  }

  /** Begins or ends editing; what was typed before and not saved comes back. */
  protected begin(editing: boolean): void {
    const shown = this.shown();
    if (!shown) return;
    const content = contentOf(shown);
    this.base.set(JSON.stringify(content));
    const known = editing ? this.drafts.read(shown.key) : undefined;
    this.basedOn.set(known?.basedOn ?? shown.revision);
    this.draft.set(known?.content ?? content);
    this.reason.set('');
    this.editing.set(editing);
  }

  protected put(change: Partial<CaseContent>): void {
    const draft = this.draft();
    if (!draft) return;
    this.draft.set({ ...draft, ...change });
    if (this.changed()) this.drafts.keep(this.key(), { content: { ...draft, ...change }, basedOn: this.basedOn() });
    else this.drafts.drop(this.key());
  }

  /** Without any row, the case is one that is run once: nothing of rows is kept. */
  protected putRows(rows: readonly CaseRow[]): void {
    const draft = this.draft();
    if (!draft) return;
    const { rows: _, ...rest } = draft;
    this.draft.set(rest);
    this.put(rows.length ? { rows } : {});
  }

  protected readonly callWords = callWords;
  protected readonly linkFrom = listRequirements;
  protected readonly linkable: Filter = { field: 'kind', is: ['requirement'] };
  protected readonly verified = computed(() => this.shown()?.verifies.map((t) => t.to) ?? []);

  protected rowColumns(rows: readonly CaseRow[]): string[] {
    return [...new Set(rows.flatMap((row) => Object.keys(row.values)))];
  }

  protected save(basedOn: number): void {
    const draft = this.draft();
    if (draft && this.changed())
      this.store.dispatch(
        designCommands.saveCase.start({
          project: this.scope.slug(),
          key: this.key(),
          basedOn,
          reason: this.reason().trim(),
          content: { ...plainContent(draft), plannedMinutes: Number(draft.plannedMinutes) || 0 },
        }),
      );
  }

  protected discard(): void {
    this.drafts.drop(this.key());
    this.store.dispatch(forgetProblem({ name: this.names.save }));
    this.begin(false);
    this.store.dispatch(designCommands.getCase.start({ project: this.scope.slug(), key: this.key() }));
  }

  private read(at: { project: string; key: string }): void {
    this.store.dispatch(designCommands.getCase.start(at));
  }

  /** A reviewer approves what somebody else wrote. */
  protected mayApprove(c: CaseDetail): boolean {
    return this.reviewer() && c.state === 'review' && (c.author !== this.me() || this.ownAllowed());
  }

  protected approve(c: CaseDetail): void {
    const { key, revision, hash } = c;
    const confirms = c.verifies.filter((t) => t.waits && t.drawnBy !== this.me()).map((t) => t.to);
    const printedName = this.scope.session()?.person.printedName ?? '';
    askApproval(this.dialogs, { key, what: 'case', revision, hash, printedName, confirms }).subscribe(({ password, reason }) =>
      this.store.dispatch(designCommands.approve.start({ project: this.scope.slug(), key, basedOn: revision, hash, password, reason })),
    );
  }

  protected setState(state: 'draft' | 'review', basedOn: number): void {
    this.store.dispatch(designCommands.setState.start({ project: this.scope.slug(), key: this.key(), basedOn, state }));
  }

  protected readonly suspect = suspectWords;
  protected readonly waiting = waitingWords;
  protected readonly me = computed(() => this.scope.session()?.person.login ?? '');
  private readonly ownAllowed = computed(() => (this.scope.project()?.profile.policies?.ownApprovalAt.length ?? 0) > 0);

  protected confirm(trace: TraceRow): void {
    askConfirmation(this.dialogs, trace).subscribe((reason) =>
      this.store.dispatch(
        designCommands.confirmTrace.start({
          project: this.scope.slug(),
          id: trace.id,
          reason,
          fromRevision: trace.fromNow,
          toRevision: trace.toNow,
        }),
      ),
    );
  }

  protected link(rows: readonly PickedRow[]): void {
    for (const { key: to } of rows)
      this.store.dispatch(designCommands.addTrace.start({ project: this.scope.slug(), kind: 'verifies', from: this.key(), to }));
  }

  protected unlink(trace: TraceRow): void {
    const take = (reason: string): void =>
      this.store.dispatch(designCommands.removeTrace.start({ project: this.scope.slug(), id: trace.id, reason }));
    if (this.shown()?.state !== 'approved') return take('');
    askReason(this.dialogs, {
      title: 'Take the trace back',
      text: `${trace.from} to ${trace.to}: the case is approved, so the ledger keeps why.`,
      confirm: 'Take it back',
    }).subscribe(take);
  }

  protected plan(): void {
    void this.router.navigate(['/', this.scope.slug(), 'run', 'plan'], { queryParams: { cases: this.key() } });
  }

  protected theirs(conflict: CaseDetail): string {
    return outline(contentOf(conflict));
  }

  protected mine(): string {
    return this.draft() ? outline(this.draft() as CaseContent) : '';
  }
}
