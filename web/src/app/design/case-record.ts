import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatMenuModule } from '@angular/material/menu';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import type { CaseDetail } from '@contract/design';
import type { Filter } from '@contract/base';
import { listRequirements } from '@contract/specify';
import { canonicalJson, sentencesOf, type Json } from '@core/base';
import {
  caseDetailNames,
  caseFaults,
  partOf,
  rowWords as wordsOfRow,
  samplesFor,
  saidCase,
  stepWords as wordsOfStep,
  type CaseContent,
  type CaseDetails as CaseDetailsOf,
  type CaseRow,
  type CaseStep,
} from '@core/design';
import {
  type Conflict,
  type Draft,
  firstMissing,
  forgetProblem,
  Icon,
  Needs,
  linkWords,
  onAction,
  onChanged,
  type PickedRow,
  ReadingLine,
  recordCommands,
  RecordFrame,
  RecordLink,
  RecordPicker,
  RichText,
  selectRequest,
  type SignAnswer,
  Traces,
  useDeviceMemory,
  useProject,
  MadeFor,
} from '../base';
import { designCommands, designFeature } from './state';
import { RowsEditor } from './rows-editor';
import { CaseDetails } from './cases/case-details';
import { CaseFindings } from './cases/case-findings';
import { CaseProposals } from './cases/case-proposals';
import { CaseUsesNote } from './cases/case-uses';
import { StepsEditor } from './cases/steps-editor';

const contentOf = (c: CaseDetail): CaseContent => {
  const { title, objective, preconditions, steps, plannedMinutes, rows } = c;
  const details = Object.fromEntries(caseDetailNames.map((name) => [name, c[name]]));
  return saidCase({ title, objective, preconditions, steps, plannedMinutes, ...(rows?.length ? { rows } : {}), ...details });
};
/** What a content says, whichever order its members are in and whether what is empty is named. */
const said = (content: CaseContent | null): string => (content ? canonicalJson(saidCase(content) as unknown as Json) : '');
const callWords = (values: Readonly<Record<string, string>>): string => {
  const given = Object.entries(values).map(([name, value]) => `${name} = ${value}`);
  return given.length ? ` with ${given.join(', ')}` : '';
};
/** A step, and a data row, in one line, as they are compared. */
const stepWords = (text: string): string => wordsOfStep(JSON.parse(text) as CaseStep);
const rowWords = (text: string): string => wordsOfRow(JSON.parse(text) as CaseRow);
const plainWords = (text: string): string => String(JSON.parse(text));

const detailWords: Readonly<Record<keyof CaseDetailsOf, string>> = {
  postconditions: 'Postconditions',
  kind: 'Kind',
  priority: 'Priority',
  tags: 'Tags',
  addresses: 'Addresses',
  dependsOn: 'Depends on',
  script: 'Script',
  arguments: 'Arguments',
  samples: 'Samples',
  layout: 'Layout',
};

/** How the members of a case are compared: texts sentence by sentence, steps and rows one by one, the rest as a whole. */
const members: readonly { name: keyof CaseContent; label: string; show?: (passage: string) => string }[] = [
  { name: 'title', label: 'Title', show: plainWords },
  { name: 'objective', label: 'Objective' },
  { name: 'preconditions', label: 'Preconditions' },
  { name: 'steps', label: 'Steps', show: stepWords },
  { name: 'rows', label: 'Data rows', show: rowWords },
  { name: 'plannedMinutes', label: 'Planned minutes', show: plainWords },
  { name: 'postconditions', label: 'Postconditions' },
  ...caseDetailNames
    .filter((name) => name !== 'postconditions')
    .map((name) => ({
      name,
      label: detailWords[name],
      show: (text: string) => (JSON.parse(text) === null ? '–' : text.replace(/^"|"$/g, '')),
    })),
];
function passages(name: keyof CaseContent, content: CaseContent | undefined): string[] {
  if (!content) return [];
  if (name === 'objective' || name === 'preconditions' || name === 'postconditions') return sentencesOf(content[name] ?? '');
  if (name === 'steps' || name === 'rows') return (content[name] ?? []).map((item) => canonicalJson(item as unknown as Json));
  return [JSON.stringify(name === 'plannedMinutes' ? Number(content[name]) || 0 : (content[name] ?? null))];
}
function fromPassages(mine: CaseContent, chosen: Readonly<Record<string, readonly string[]>>): CaseContent {
  const items = (name: string): unknown[] => (chosen[name] ?? []).map((item) => JSON.parse(item) as unknown);
  const { rows: _, ...rest } = mine;
  const rows = items('rows') as CaseRow[];
  return {
    ...rest,
    title: (items('title')[0] ?? mine.title) as string,
    objective: (chosen['objective'] ?? []).join(''),
    preconditions: (chosen['preconditions'] ?? []).join(''),
    plannedMinutes: (items('plannedMinutes')[0] ?? mine.plannedMinutes) as number,
    steps: items('steps') as CaseStep[],
    ...(rows.length ? { rows } : {}),
    postconditions: (chosen['postconditions'] ?? []).join(''),
    ...Object.fromEntries(
      caseDetailNames.flatMap((detail) =>
        detail === 'postconditions' || !chosen[detail] ? [] : [[detail, items(detail)[0] ?? undefined]],
      ),
    ),
  };
}

/** One verification case: what it shows, its steps, what it verifies, its runs, and what is said of it. */
@Component({
  selector: 'cp-case-record',
  imports: [
    CaseDetails,
    CaseFindings,
    CaseProposals,
    CaseUsesNote,
    FormsModule,
    Icon,
    MadeFor,
    MatButtonModule,
    MatMenuModule,
    Needs,
    ReadingLine,
    RecordFrame,
    RecordLink,
    RecordPicker,
    RichText,
    RouterLink,
    RowsEditor,
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
    .steps td {
      vertical-align: top;
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
  protected readonly formats = [
    ['docx', 'DOCX'],
    ['pdf', 'PDF'],
    ['json', 'JSON'],
  ] as const;
  protected document(format: string): string {
    return `/api/projects/${this.scope.slug()}/cases/document?${new URLSearchParams({ format, cases: this.key() })}`;
  }
  protected copyLink(): void {
    void navigator.clipboard?.writeText(location.href.split('?')[0]);
  }
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly names = {
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
    const fields = members.map(({ name, label, show }) => ({
      name,
      label,
      base: passages(name, JSON.parse(this.base()) as CaseContent),
      mine: passages(name, saidCase(mine)),
      theirs: passages(name, contentOf(theirs)),
      ...(show ? { show } : {}),
    }));
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
