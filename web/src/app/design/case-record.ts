import { fewOf } from '@core/base';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatMenuModule } from '@angular/material/menu';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import type { CaseDetail } from '@contract/design';
import type { Filter } from '@contract/base';
import { listRequirements } from '@contract/specify';
import { caseFaults, laidOutTexts, partOf, samplesFor, saidCase, type CaseContent, type CaseRow } from '@core/design';
import {
  type Conflict,
  type Draft,
  firstMissing,
  forgetProblem,
  Icon,
  Likely,
  Needs,
  linkWords,
  onAction,
  onChanged,
  type PickedRow,
  recordCommands,
  RecordFrame,
  RecordLink,
  RecordPicker,
  RichText,
  type RichWritten,
  selectRequest,
  type SignAnswer,
  Traces,
  useDeviceMemory,
  useProject,
  MadeFor,
  type WrittenText,
} from '../base';
import { designCommands, designFeature } from './state';
import { RowsEditor } from './rows-editor';
import { CaseDetails } from './cases/case-details';
import { caseDifferences } from './cases/case-history';
import { conflictFields, contentOf, fromPassages, said } from './cases/case-merge';
import { CaseFindings } from './cases/case-findings';
import { CaseProposals } from './cases/case-proposals';
import { CaseReadingsChart } from './cases/case-readings';
import { CaseRedlinesNote } from './cases/case-redlines';
import { CaseSteps } from './cases/case-steps';
import { RunNow } from './cases/run-now';
import { LaidOutText } from './cases/laid-out-text';
import { CaseUsesNote } from './cases/case-uses';
import { StepsEditor } from './cases/steps-editor';

const listed = (words: readonly string[]): string => fewOf(words, 5);
type LaidOut = (typeof laidOutTexts)[number];

/** One verification case: what it shows, its steps, what it verifies, its runs, and what is said of it. */
@Component({
  selector: 'cp-case-record',
  imports: [
    CaseDetails,
    CaseFindings,
    CaseProposals,
    CaseReadingsChart,
    CaseRedlinesNote,
    CaseSteps,
    CaseUsesNote,
    FormsModule,
    Icon,
    LaidOutText,
    Likely,
    MadeFor,
    MatButtonModule,
    MatMenuModule,
    Needs,
    RecordFrame,
    RecordLink,
    RecordPicker,
    RichText,
    RouterLink,
    RowsEditor,
    RunNow,
    StepsEditor,
    Traces,
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
    .minutes {
      width: 120px;
    }
  `,
})
export class CaseRecord {
  readonly key = input.required<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly drafts = useDeviceMemory<Draft<CaseContent>>('draft');
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
  protected readonly changed = computed(() => this.draft() !== null && said(this.draft()) !== this.base());
  protected readonly missing = (): string =>
    firstMissing(
      [!this.changed(), 'Nothing changed.'],
      [!this.draft()?.title.trim(), 'It needs a title.'],
      [this.shown()?.state === 'approved' && this.reason().trim().length < 3, 'It is approved: say why it changes.'],
    );
  protected readonly kinds = this.store.selectSignal(designFeature.selectKinds);
  protected readonly part = computed(() => partOf((this.editing() ? this.draft() : this.shown())?.kind, this.kinds()));
  protected readonly faults = computed(() => (this.draft() ? caseFaults(this.draft() as CaseContent, this.part()) : []));
  protected readonly content = contentOf;
  /** What a case has beside its texts, in words. */
  protected readonly facts = computed((): [string, string][] => {
    const c = this.shown();
    if (!c) return [];
    const kind = this.kinds().find(({ name }) => name === c.kind)?.title ?? c.kind ?? '';
    const { samples } = c;
    const facts: [string, string][] = [
      ['Kind', kind],
      ['Priority', c.priority ?? ''],
      ['Tags', (c.tags ?? []).join(', ')],
      ['Script', [c.script, c.arguments].filter(Boolean).join(' ')],
      [
        'Samples',
        samples
          ? `${samplesFor(samples.confidence, samples.reliability, samples.failures) ?? 'too many'}: reliability ${samples.reliability * 100} % with confidence ${samples.confidence * 100} %, ${samples.failures} may fail`
          : '',
      ],
    ];
    return facts.filter(([, value]) => value);
  });
  /** Does the document say what the case verifies? */
  protected readonly traced = signal(true);
  protected readonly formats = [
    ['docx', 'DOCX'],
    ['pdf', 'PDF'],
    ['json', 'JSON'],
  ] as const;
  protected document(format: string): string {
    return `/api/projects/${this.scope.slug()}/cases/document?${new URLSearchParams({ format, traces: this.traced() ? 'with' : 'without', cases: this.key() })}`;
  }
  protected readonly running = signal(false);
  protected readonly tester = computed(() => this.scope.roles().includes('tester'));
  /** Does it, or did it, ask for readings? */
  protected readonly measures = computed(() => (this.shown()?.steps ?? []).some((step) => step.readings?.length));
  protected reread(): void {
    this.read({ project: this.scope.slug(), key: this.key() });
  }
  protected readonly differs = caseDifferences;
  /** Somebody came for what the requirements' words propose. */
  protected readonly proposing = this.route.snapshot.queryParamMap.has('propose');
  private readonly uses = this.store.selectSignal(designFeature.selectUses);
  /** What rests on another revision than the one that is shown. */
  protected readonly brings = computed((): string[] => {
    const runs = (this.shown()?.runs ?? []).filter((run) => run.outdated);
    const callers = this.uses()?.key === this.key() ? (this.uses()?.of.callers ?? []).filter(({ newer }) => newer) : [];
    return [
      ...(runs.length
        ? [`${listed(runs.map(({ key, build }) => `${key} on ${build}`))} of an older revision: suspect until carried over or run again.`]
        : []),
      ...(callers.length
        ? [`${listed(callers.map(({ key }) => key))} still ${callers.length === 1 ? 'calls' : 'call'} an older revision.`]
        : []),
    ];
  });
  /** What another revision would make suspect, in a sentence; nothing where it would not. */
  protected readonly makesSuspect = computed((): string => {
    const c = this.shown();
    if (c?.state !== 'approved') return '';
    const runs = c.runs.filter((run) => run.verdict !== null && !run.superseded && !run.outdated);
    const parts = [
      ...(c.verifies.length ? [`its ${c.verifies.length === 1 ? 'trace' : `${c.verifies.length} traces`}`] : []),
      ...(runs.length ? [`the ${runs.length === 1 ? 'result' : `${runs.length} results`} ${listed(runs.map(({ key }) => key))}`] : []),
    ];
    return parts.length ? `Another revision makes suspect: ${parts.join(' and ')}.` : '';
  });
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly names = {
    open: designCommands.getCase.name,
    save: designCommands.saveCase.name,
    state: designCommands.setState.name,
    approve: designCommands.approve.name,
  };
  /** After a conflict: what was stored meanwhile beside what was typed, passage by passage. */
  protected readonly conflict = computed((): Conflict | null => {
    const { problem } = this.saving();
    const mine = this.draft();
    if (problem?.code !== 'conflict' || !mine) return null;
    const theirs = problem.current as CaseDetail;
    const fields = conflictFields(JSON.parse(this.base()) as CaseContent, mine, contentOf(theirs));
    return { by: theirs.updatedBy, revision: theirs.revision, fields };
  });
  private edited = '';
  /** The revision that was read when writing began: saving on top of a newer one must be a choice. */
  protected readonly basedOn = signal(0);

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      untracked(() => this.read(at));
    });
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.store.dispatch(designCommands.listKinds.start({ project })));
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
    for (const done of [recordCommands.addTrace.done, recordCommands.confirmTrace.done, recordCommands.removeTrace.done])
      onAction(done, () => this.store.dispatch(designCommands.getCase.start({ project: this.scope.slug(), key: this.key() })));
  }

  /** Begins or ends editing; what was typed before and not saved comes back. */
  protected begin(editing: boolean): void {
    const shown = this.shown();
    if (!shown) return;
    const content = contentOf(shown);
    const known = editing ? this.drafts.read(shown.key) : undefined;
    this.base.set(said(known?.base ?? content));
    this.basedOn.set(known?.basedOn ?? shown.revision);
    this.draft.set(known?.content ?? content);
    this.reason.set('');
    this.editing.set(editing);
  }

  protected put(change: Partial<CaseContent>): void {
    const draft = this.draft();
    if (!draft) return;
    this.draft.set({ ...draft, ...change });
    if (this.changed())
      this.drafts.keep(this.key(), {
        content: { ...draft, ...change },
        basedOn: this.basedOn(),
        base: JSON.parse(this.base()) as CaseContent,
      });
    else this.drafts.drop(this.key());
  }

  /** A text of the case as it is written, with its layout where it has one. */
  protected textOf(name: LaidOut, content: CaseContent): WrittenText {
    const html = content.layout?.[name];
    return { text: content[name] ?? '', ...(html ? { html } : {}) };
  }
  protected write(name: LaidOut, { text, html }: RichWritten): void {
    const { [name]: _, ...rest } = this.draft()?.layout ?? {};
    this.put({ [name]: text, layout: html ? { ...rest, [name]: html } : rest });
  }

  /** Without any row, the case is one that is run once: nothing of rows is kept. */
  protected putRows(rows: readonly CaseRow[]): void {
    const draft = this.draft();
    if (!draft) return;
    const { rows: _, ...rest } = draft;
    this.draft.set(rest);
    this.put(rows.length ? { rows } : {});
  }

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
          content: { ...saidCase(draft), plannedMinutes: Number(draft.plannedMinutes) || 0 },
        }),
      );
  }

  /** Saves what was chosen passage by passage, on top of the version that came in between. */
  protected saveMerged(chosen: Readonly<Record<string, readonly string[]>>): void {
    const [theirs, mine] = [this.conflict(), this.draft()];
    if (!theirs || !mine) return;
    this.base.set(said(contentOf(this.saving().problem?.current as CaseDetail)));
    this.basedOn.set(theirs.revision);
    this.put(fromPassages(mine, chosen));
    if (this.changed()) this.save(theirs.revision);
    else this.discard();
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

  protected readonly ownAllowed = computed(() => (this.scope.project()?.profile.policies?.ownApprovalAt.length ?? 0) > 0);
  protected readonly confirms = computed(
    () => this.shown()?.verifies.flatMap((t) => (t.waits && t.drawnBy !== this.scope.session()?.person.login ? t.to : [])) ?? [],
  );

  protected approve({ password, reason }: SignAnswer): void {
    const c = this.shown();
    if (!c) return;
    const { key, revision: basedOn, hash } = c;
    this.store.dispatch(designCommands.approve.start({ project: this.scope.slug(), key, basedOn, hash, password, reason }));
  }

  protected setState(state: 'draft' | 'review'): void {
    const basedOn = this.shown()?.revision ?? 0;
    this.store.dispatch(designCommands.setState.start({ project: this.scope.slug(), key: this.key(), basedOn, state }));
  }

  protected readonly tellsRequirement = (row: PickedRow): string => linkWords('verifies', this.shown() ?? { key: this.key() }, row);

  protected link(rows: readonly PickedRow[]): void {
    for (const { key: to } of rows)
      this.store.dispatch(recordCommands.addTrace.start({ project: this.scope.slug(), kind: 'verifies', from: this.key(), to }));
  }

  protected plan(): void {
    void this.router.navigate(['/', this.scope.slug(), 'run', 'plan'], { queryParams: { cases: this.key() } });
  }
}
