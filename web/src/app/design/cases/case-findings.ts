import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, untracked } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import type { CaseDetail } from '@contract/design';
import { caseWordingRules, checkCaseWording, type CaseContent, type CaseWordingFinding } from '@core/design';
import { isDismissed } from '@core/specify';
import { askReason, Icon, onAction, ProblemNote, useProject } from '../../base';
import { designCommands, designFeature } from '../state';

const fewFindings = 12;

/** What the wording of a case lacks, as it is written; each says why, and is let stand for a reason once it is saved. */
@Component({
  selector: 'cp-case-findings',
  imports: [Icon, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (f of shown(); track $index) {
      <p class="small row">
        <span class="tag waiting">{{ rules[f.rule].name }}</span>
        <span class="grow"
          >{{ f.place }}: <q>{{ f.words }}</q>&ngsp;<span class="second">{{ rules[f.rule].why }}</span></span
        >
        @if (saved() && may()) {
          <button class="chip" type="button" (click)="dismiss(f)">Let it stand</button>
        }
      </p>
    }
    @if (open().length > shown().length) {
      <button class="chip more" type="button" (click)="all.set(true)">Show all {{ open().length }} findings</button>
    }
    @for (d of of().dismissals; track d.id) {
      <p class="small second row">
        <span class="grow"
          >Let stand: <q>{{ d.words }}</q> {{ d.reason }} ({{ d.by }})</span
        >
        @if (may()) {
          <button class="chip" type="button" (click)="again(d.id)" [attr.aria-label]="'Look anew at ' + d.words">
            <cp-icon name="undo" />
          </button>
        }
      </p>
    }
    <cp-problem [of]="name" />
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 4px;
    }
    .more {
      align-self: start;
    }
  `,
})
export class CaseFindings {
  readonly of = input.required<CaseDetail>();
  readonly content = input.required<CaseContent>();
  /** What is shown is what is saved: only that is let stand. */
  readonly saved = input(true);
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialogs = inject(MatDialog);
  private readonly lists = this.store.selectSignal(designFeature.selectWording);
  protected readonly rules = caseWordingRules;
  protected readonly name = designCommands.dismiss.name;
  protected readonly may = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'reviewer'));
  /** More than these few are shown when they are asked for: a long case may have hundreds. */
  protected readonly all = linkedSignal({ source: () => this.of().key, computation: () => false });
  protected readonly shown = computed(() => (this.all() ? this.open() : this.open().slice(0, fewFindings)));
  protected readonly open = computed(() => {
    const lists = this.lists();
    const texts = this.of().verified.map((r) => r.text);
    return checkCaseWording(this.content(), texts, lists ?? undefined).filter((f) => !isDismissed(f, this.of().dismissals));
  });

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.lists() ?? this.store.dispatch(designCommands.wording.start({ project })));
    });
    for (const done of [designCommands.dismiss.done, designCommands.endDismissal.done]) onAction(done, () => this.read());
  }
  private read(): void {
    this.store.dispatch(designCommands.getCase.start({ project: this.scope.slug(), key: this.of().key }));
  }
  protected dismiss({ rule, words }: CaseWordingFinding): void {
    const { key } = this.of();
    askReason(this.dialogs, { title: `Let “${words}” stand`, confirm: 'Let it stand', text: caseWordingRules[rule].why }).subscribe(
      (reason) => {
        this.store.dispatch(designCommands.dismiss.start({ project: this.scope.slug(), key, rule, words, reason }));
      },
    );
  }
  protected again(id: number): void {
    this.store.dispatch(designCommands.endDismissal.start({ project: this.scope.slug(), key: this.of().key, id }));
  }
}
