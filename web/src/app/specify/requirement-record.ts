import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { MatMenuModule } from '@angular/material/menu';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import type { Filter } from '@contract/base';
import { listCases } from '@contract/design';
import { listRequirements, type Requirement } from '@contract/specify';
import { canonicalJson, readable, sentencesOf } from '@core/base';
import { detailsOf, requirementFields, type RequirementContent } from '@core/specify';
import {
  blocksOf,
  type Conflict,
  type Draft,
  forgetProblem,
  Icon,
  layoutOf,
  Likely,
  linkWords,
  type MergeField,
  onAction,
  onChanged,
  type PickedRow,
  recordCommands,
  RecordFrame,
  RecordPicker,
  RichText,
  selectRequest,
  type SignAnswer,
  Traces,
  useDeviceMemory,
  useProject,
  wordsOf,
} from '../base';
import { ImpactNote } from './impact/impact-note';
import { RequirementBoundaries } from './requirement-boundaries';
import { contentOf, RequirementForm } from './requirement-form';
import { RequirementProof } from './requirement-proof';
import { specifyCommands, specifyFeature } from './state';
import { WordingNote } from './wording/wording-note';

type Member = keyof RequirementContent;
/** Members that are texts: compared sentence by sentence. The others are one value. */
const texts: ReadonlySet<Member> = new Set<Member>(['text', 'rationale', 'notInCodeRationale']);
/** A member that is one value: lists and words that are not there are empty ones. */
const valueOf = (member: Member, content: Partial<RequirementContent>): unknown => ({ ...content, ...detailsOf(content) })[member] ?? '';
const passages = (member: Member, content: Partial<RequirementContent> | undefined): string[] =>
  content === undefined ? [] : texts.has(member) ? sentencesOf(String(content[member] ?? '')) : [JSON.stringify(valueOf(member, content))];
/** A text that somebody laid out is compared block by block. */
const blocks = (content: RequirementContent | undefined): string[] => (content === undefined ? [] : blocksOf(layoutOf(content)));
const valueWords = (value: string): string => {
  const given: unknown = JSON.parse(value);
  return given === true ? 'yes' : given === false ? 'no' : readable(given) || 'not given';
};

/** One requirement, on one page: its text, where it comes from, its history, and everything that proves it. */
@Component({
  selector: 'cp-requirement-record',
  imports: [
    RouterLink,
    Icon,
    ImpactNote,
    Likely,
    MatMenuModule,
    RecordFrame,
    RecordPicker,
    RequirementBoundaries,
    RequirementForm,
    RequirementProof,
    RichText,
    Traces,
    WordingNote,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './requirement-record.html',
  styles: `
    .text {
      font-size: 16px;
      white-space: pre-line;
    }
    .criteria {
      margin: 0;
      padding-left: 18px;
      list-style: decimal;
    }
  `,
})
export class RequirementRecord {
  readonly key = input.required<string>();
  protected readonly scope = useProject();
  protected readonly tagFilter = (tag: string): string => `tags:"${tag.replaceAll('"', '')}"`;
  private readonly store = this.scope.store;
  private readonly drafts = useDeviceMemory<Draft<RequirementContent>>('draft');
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  private readonly detail = this.store.selectSignal(specifyFeature.selectDetail);
  protected readonly saving = this.store.selectSignal(selectRequest(specifyCommands.saveRequirement.name));
  protected readonly shown = computed(() => (this.detail()?.key === this.key() ? this.detail() : null));
  protected readonly editing = signal(false);
  protected readonly requirementsFrom = listRequirements;
  protected readonly casesFrom = listCases;
  protected readonly tracedKind: Filter = { field: 'kind', is: ['requirement'] };
  protected readonly parentsAndSelf = computed(() => [this.key(), ...(this.shown()?.parents.map((t) => t.to) ?? [])]);
  protected readonly verifiedBy = computed(() => this.shown()?.cases.map((t) => t.from) ?? []);
  protected readonly names = {
    open: specifyCommands.getRequirement.name,
    save: specifyCommands.saveRequirement.name,
    state: specifyCommands.setState.name,
    approve: specifyCommands.approve.name,
    place: specifyCommands.placeRequirement.name,
  };
  protected readonly casesOf = computed(() => this.shown()?.cases.map(({ from }) => from) ?? []);
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly levels = computed(() => this.scope.project()?.profile.levels ?? []);
  protected readonly ownAllowed = computed(
    () => this.scope.project()?.profile.policies?.ownApprovalAt.includes(this.shown()?.level ?? '') ?? false,
  );
  protected readonly confirms = computed(
    () => this.shown()?.parents.flatMap((t) => (t.waits && t.drawnBy !== this.scope.session()?.person.login ? t.to : [])) ?? [],
  );
  private mine: (Draft<RequirementContent> & { readonly reason: string }) | null = null;
  /** After a conflict: what was stored meanwhile beside what was typed, passage by passage. */
  protected readonly conflict = computed((): Conflict | null => {
    const { problem } = this.saving();
    if (problem?.code !== 'conflict' || !this.mine) return null;
    const theirs = problem.current as RequirementContent & { revision: number; updatedBy: string };
    const { content, base } = this.mine;
    const laidOut = [content, theirs, base].some((one) => one?.html);
    const fields = requirementFields.map(({ name, label }): MergeField => {
      if (name === 'text' && laidOut)
        return { name: 'html', label, base: blocks(base), mine: blocks(content), theirs: blocks(theirs), show: wordsOf };
      return {
        name,
        label,
        base: passages(name, base),
        mine: passages(name, content),
        theirs: passages(name, theirs),
        ...(texts.has(name) ? {} : { show: valueWords }),
      };
    });
    return { by: theirs.updatedBy, revision: theirs.revision, fields };
  });

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      untracked(() => this.store.dispatch(specifyCommands.getRequirement.start(at)));
    });
    // Read again when somebody changed it, or what it is joined to.
    onChanged(['requirement', 'case'], (keys) => {
      const joined = new Set([this.key(), ...(this.shown()?.traces.flatMap((t) => [t.from, t.to]) ?? [])]);
      if (!keys || keys.some((key) => joined.has(key))) this.read();
    });
    effect(() => {
      const key = this.key();
      untracked(() => {
        this.editing.set(this.route.snapshot.queryParamMap.has('edit') || this.drafts.read(key) !== undefined);
        this.store.dispatch(forgetProblem({ name: this.names.save }));
      });
    });
    onAction(specifyCommands.saveRequirement.done, ({ answer }) => {
      this.drafts.drop(answer.key);
      this.editing.set(false);
      void this.router.navigate([], { queryParams: {} });
    });
    for (const done of [recordCommands.addTrace.done, recordCommands.confirmTrace.done, recordCommands.removeTrace.done])
      onAction(done, () => this.read());
  }

  private read(): void {
    this.store.dispatch(specifyCommands.getRequirement.start({ project: this.scope.slug(), key: this.key() }));
  }

  protected save(written: Draft<RequirementContent> & { readonly reason: string }): void {
    this.mine = written;
    const { content, basedOn, reason } = written;
    this.store.dispatch(
      specifyCommands.saveRequirement.start({ project: this.scope.slug(), key: this.key(), basedOn, content: { ...content }, reason }),
    );
  }

  /** Saves what was chosen passage by passage, on top of the version that came in between. */
  protected saveMerged(chosen: Readonly<Record<string, readonly string[]>>): void {
    const theirs = this.conflict();
    if (!theirs || !this.mine) return;
    const values = Object.entries(chosen).flatMap(([name, given]) => {
      if (name === 'html')
        return [
          ['html', given.join('')],
          ['text', wordsOf(given.join(''))],
        ];
      if (texts.has(name as Member)) return [[name, given.join('')]];
      return given.length ? [[name, JSON.parse(given[0]) as unknown]] : [];
    });
    const content = contentOf({ ...this.mine.content, ...(Object.fromEntries(values) as Partial<RequirementContent>) });
    const stored = contentOf(this.saving().problem?.current as Requirement);
    if (canonicalJson({ ...content }) === canonicalJson({ ...stored })) return this.takeTheirs();
    this.save({ ...this.mine, content, basedOn: theirs.revision, base: stored });
  }

  protected takeTheirs(): void {
    this.discard();
    this.read();
  }

  protected discard(): void {
    this.drafts.drop(this.key());
    this.store.dispatch(forgetProblem({ name: this.names.save }));
    this.editing.set(false);
  }

  protected approve({ password, reason }: SignAnswer): void {
    const r = this.shown();
    if (!r) return;
    const { key, revision: basedOn, hash } = r;
    this.store.dispatch(specifyCommands.approve.start({ project: this.scope.slug(), key, basedOn, hash, password, reason }));
  }

  protected setState(state: 'draft' | 'review'): void {
    const basedOn = this.shown()?.revision ?? 0;
    this.store.dispatch(specifyCommands.setState.start({ project: this.scope.slug(), key: this.key(), basedOn, state }));
  }

  protected link(kind: 'parent' | 'verifies', rows: readonly PickedRow[]): void {
    for (const { key: other } of rows) {
      const [from, to] = kind === 'parent' ? [this.key(), other] : [other, this.key()];
      this.store.dispatch(recordCommands.addTrace.start({ project: this.scope.slug(), kind, from, to }));
    }
  }

  protected readonly tellsParent = (row: PickedRow): string => linkWords('parent', this.shown() ?? { key: this.key() }, row);
  protected readonly tellsCase = (row: PickedRow): string => linkWords('verifies', row, this.shown() ?? { key: this.key() });

  protected designCase(title?: string): void {
    void this.router.navigate(['/', this.scope.slug(), 'design'], { queryParams: { for: this.key(), ...(title ? { title } : {}) } });
  }
}
