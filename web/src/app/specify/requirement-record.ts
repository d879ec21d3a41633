import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { DatePipe } from '@angular/common';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { ActivatedRoute, Router } from '@angular/router';
import type { Filter, TraceRow } from '@contract/base';
import { listCases } from '@contract/design';
import { listRequirements, type RequirementDetail } from '@contract/specify';
import { requirementFields, type RequirementContent } from '@core/specify';
import {
  askApproval,
  askConfirmation,
  askReason,
  type Draft,
  forgetProblem,
  Icon,
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
import { RequirementForm } from './requirement-form';
import { RequirementProof } from './requirement-proof';
import { specifyCommands, specifyFeature } from './state';

/** One requirement, on one page: its text, where it comes from, its history, and everything that proves it. */
@Component({
  selector: 'cp-requirement-record',
  imports: [
    DatePipe,
    FormsModule,
    MatButtonModule,
    Icon,
    ProblemNote,
    RecordLink,
    WordsDiff,
    OwnFields,
    RecordPanels,
    RecordPicker,
    RequirementForm,
    RequirementProof,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './requirement-record.html',
  styles: `
    .text {
      font-size: 16px;
      white-space: pre-line;
    }
    .trace {
      display: flex;
      gap: 10px;
      align-items: center;
      flex-wrap: wrap;
      padding: 4px 0;
    }
    .versions {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 14px;
      margin-top: 8px;
    }
    .tiny {
      width: 130px;
      padding: 4px 8px;
    }
  `,
})
export class RequirementRecord {
  protected readonly reviewWords = reviewWords;
  readonly key = input.required<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly drafts = useDeviceMemory<Draft<RequirementContent>>('draft');
  private readonly dialogs = inject(MatDialog);
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
  protected readonly fields = requirementFields;
  protected readonly names = {
    save: specifyCommands.saveRequirement.name,
    state: specifyCommands.setState.name,
    approve: specifyCommands.approve.name,
    trace: specifyCommands.addTrace.name,
    confirm: specifyCommands.confirmTrace.name,
    remove: specifyCommands.removeTrace.name,
    place: specifyCommands.placeRequirement.name,
  };
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly reviewer = computed(() => this.scope.roles().includes('reviewer'));
  protected readonly levels = computed(() => this.scope.project()?.profile.levels ?? []);
  private mine: { readonly content: RequirementContent; readonly reason: string } | null = null;
  /** After a conflict: the stored version beside what was typed. */
  protected readonly conflict = computed(() =>
    this.saving().problem?.code === 'conflict'
      ? (this.saving().problem?.current as RequirementContent & { revision: number; updatedBy: string })
      : null,
  );

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      untracked(() => this.read(at));
    });
    // Read again when somebody changed it, or what it is joined to.
    onChanged(['requirement', 'case'], (keys) => {
      const joined = new Set([this.key(), ...(this.shown()?.traces.flatMap((t) => [t.from, t.to]) ?? [])]);
      if (!keys || keys.some((key) => joined.has(key))) this.read({ project: this.scope.slug(), key: this.key() });
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
    for (const done of [specifyCommands.addTrace.done, specifyCommands.confirmTrace.done, specifyCommands.removeTrace.done])
      onAction(done, () => this.store.dispatch(specifyCommands.getRequirement.start({ project: this.scope.slug(), key: this.key() })));
  }

  private read(at: { project: string; key: string }): void {
    this.store.dispatch(specifyCommands.getRequirement.start(at));
  }

  protected save(content: RequirementContent, basedOn: number, reason: string): void {
    this.mine = { content, reason };
    this.store.dispatch(
      specifyCommands.saveRequirement.start({ project: this.scope.slug(), key: this.key(), basedOn, content: { ...content }, reason }),
    );
  }

  /** Keeps what was typed, on top of the version that came in between. */
  protected keepMine(): void {
    const theirs = this.conflict();
    if (theirs && this.mine) this.save(this.mine.content, theirs.revision, this.mine.reason);
  }

  protected takeTheirs(): void {
    this.discard();
    this.store.dispatch(specifyCommands.getRequirement.start({ project: this.scope.slug(), key: this.key() }));
  }

  protected mineText(field: keyof RequirementContent): string {
    return String(this.mine?.content[field] ?? '');
  }

  protected discard(): void {
    this.drafts.drop(this.key());
    this.store.dispatch(forgetProblem({ name: this.names.save }));
    this.editing.set(false);
  }

  /** May the person who is here approve what is shown: a reviewer who did not write it, unless the project allows that. */
  protected mayApprove(r: RequirementDetail): boolean {
    const own = this.scope.project()?.profile.policies?.ownApprovalAt.includes(r.level) ?? false;
    return this.reviewer() && r.state === 'review' && (own || r.author !== this.scope.session()?.person.login);
  }

  protected approve(r: RequirementDetail): void {
    const { key, revision, hash } = r;
    const me = this.scope.session()?.person;
    const confirms = r.parents.filter((t) => t.waits && t.drawnBy !== me?.login).map((t) => t.to);
    askApproval(this.dialogs, { key, what: 'requirement', revision, hash, printedName: me?.printedName ?? '', confirms }).subscribe(
      ({ password, reason }) =>
        this.store.dispatch(specifyCommands.approve.start({ project: this.scope.slug(), key, basedOn: revision, hash, password, reason })),
    );
  }

  protected setState(state: 'draft' | 'review', basedOn: number): void {
    this.store.dispatch(specifyCommands.setState.start({ project: this.scope.slug(), key: this.key(), basedOn, state }));
  }

  protected readonly suspect = suspectWords;
  protected readonly waiting = waitingWords;
  protected readonly me = computed(() => this.scope.session()?.person.login ?? '');

  protected confirm(trace: TraceRow): void {
    askConfirmation(this.dialogs, trace).subscribe((reason) =>
      this.store.dispatch(
        specifyCommands.confirmTrace.start({
          project: this.scope.slug(),
          id: trace.id,
          reason,
          fromRevision: trace.fromNow,
          toRevision: trace.toNow,
        }),
      ),
    );
  }

  protected remove(trace: TraceRow): void {
    const take = (reason: string): void =>
      this.store.dispatch(specifyCommands.removeTrace.start({ project: this.scope.slug(), id: trace.id, reason }));
    if (this.shown()?.state !== 'approved') return take('');
    askReason(this.dialogs, {
      title: 'Take the trace back',
      text: `${trace.from} to ${trace.to}: the requirement is approved, so the ledger keeps why.`,
      confirm: 'Take it back',
    }).subscribe(take);
  }

  protected link(kind: 'parent' | 'verifies', rows: readonly PickedRow[]): void {
    for (const { key: other } of rows)
      this.store.dispatch(
        specifyCommands.addTrace.start({
          project: this.scope.slug(),
          kind,
          from: kind === 'parent' ? this.key() : other,
          to: kind === 'parent' ? other : this.key(),
        }),
      );
  }

  protected designCase(): void {
    void this.router.navigate(['/', this.scope.slug(), 'design'], { queryParams: { for: this.key() } });
  }

  protected text(value: unknown): string {
    return value === true ? 'yes' : value === false ? 'no' : String(value ?? '');
  }
}
