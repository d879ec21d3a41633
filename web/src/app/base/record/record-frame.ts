import { LiveAnnouncer } from '@angular/cdk/a11y';
import { Clipboard } from '@angular/cdk/clipboard';
import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, output } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import type { BulkAct, RecordHead, Selection } from '@contract/base';
import type { VersionedKind } from '@core/base';
import { askApproval } from '../approval';
import { BulkPanel } from '../bulk/bulk-panel';
import { reviewChoices } from '../bulk/choices';
import { keysOf, useKeys } from '../keys';
import { useProject } from '../live';
import { inTurn } from '../gradually';
import { reviewWords } from '../list/kind';
import { Icon } from '../ui/icon';
import { Opening } from '../ui/opening';
import { ProblemNote } from '../ui/problem-note';
import type { SignAnswer } from '../ui/sign-dialog';
import { useVisited } from '../visited';
import type { ItemDifferences } from './revision-diff';
import { MergeNote, type MergeField } from './merge-note';
import { OwnFields } from './own-fields';
import { PassagesBody } from './passages';
import { RecordPanels } from './record-panels';
import { Signatures } from './signatures';
import { recordCommands } from './state';

/** What every record that is reviewed tells of itself, whatever its kind. */
export interface ReviewedRecord {
  readonly key: string;
  readonly title: string;
  readonly revision: number;
  readonly state: string;
  readonly updatedBy: string;
  readonly updatedAt: string;
  /** Who wrote the present revision, and what an approval of it is bound to. */
  readonly author: string;
  readonly hash: string;
  readonly own: RecordHead['own'];
}

/** What becomes of a record as a whole. */
const wholeActs: readonly BulkAct['act'][] = ['copy', 'retire', 'restore'];

/** What somebody saved while one wrote, beside what one wrote. */
export interface Conflict {
  readonly by: string;
  readonly revision: number;
  readonly fields: readonly MergeField[];
}

/**
 * The page of a record that is written, reviewed and approved: who changed it when, its state with what may be done next, what went wrong,
 * a conflict by passage, its body from its own room, the project's fields and the panels that every record has.
 */
@Component({
  selector: 'cp-record-frame',
  imports: [BulkPanel, DatePipe, MatButtonModule, Icon, MergeNote, Opening, OwnFields, PassagesBody, ProblemNote, RecordPanels, Signatures],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '(document:keydown)': 'press($event)' },
  template: `
    @if (of(); as r) {
      <article class="stack">
        <div class="row">
          <span class="key">{{ r.key }}</span><span class="second small"
            >revision {{ r.revision }}, {{ r.updatedBy }}, {{ r.updatedAt | date: 'yyyy-MM-dd HH:mm' }}</span
          >
          <span [class]="'tag ' + (r.state === 'approved' ? 'sound' : 'waiting')">{{ reviewWords(r.state) }}</span>
          <button
            class="chip"
            type="button"
            [attr.aria-label]="'Copy a link to ' + r.key"
            [title]="'Copy a link to ' + r.key + ' (' + keysOf(keyNames.of('copyLink')).join(' ') + ')'"
            (click)="copyLink()"
          >
            <cp-icon name="link" />
          </button>
          @if (author() && !editing() && copied.includes(kind())) {
            <button
              class="chip"
              type="button"
              [attr.aria-expanded]="acting()"
              aria-label="Copy it or retire it"
              title="Copy it or retire it"
              (click)="acting.set(!acting())"
            >
              <cp-icon name="more_horiz" />
            </button>
          }
          <span class="grow"></span>
          @if (!editing()) {
            @if (author() && !direct()) {
              <button mat-stroked-button type="button" (click)="edited.emit()"><cp-icon name="edit_note" /> Edit</button>
            }
            @if (author() && r.state === 'draft') {
              <button mat-stroked-button type="button" (click)="stated.emit('review')">Ask for review</button>
            }
            @if (mayApprove()) {
              <button mat-flat-button type="button" (click)="approve(r)"><cp-icon name="approval_delegation" /> Approve</button>
            }
            @if (r.state === 'review' && (author() || reviewer())) {
              <button mat-button type="button" (click)="stated.emit('draft')">Back to draft</button>
            }
            <ng-content select="[acts]" />
          }
        </div>
        @if (acting()) {
          <cp-bulk-panel [of]="itself()" [choices]="copies()" (closed)="acting.set(false)" />
        }
        @for (name of problems(); track name) {
          <cp-problem [of]="name" />
        }
        @if (conflict(); as c) {
          <cp-merge-note [by]="c.by" [revision]="c.revision" [of]="c.fields" (saved)="merged.emit($event)" (taken)="taken.emit()" />
        } @else {
          <cp-problem [of]="saving()" />
        }
        <cp-passages class="stack" [version]="r.key + ' ' + r.revision + (editing() ? ' written' : '')"><ng-content /></cp-passages>
        @if (withFields()) {
          <cp-own-fields [kind]="kind()" [of]="r" [level]="level()" />
        }
        @if (standing()) {
          <cp-signatures [kind]="kind()" [key]="r.key" />
          <cp-record-panels [key]="r.key" [differs]="differs()" [away]="editing()" />
        }
      </article>
    } @else {
      <cp-opening [key]="key()" [by]="opens()" />
    }
  `,
})
export class RecordFrame {
  readonly kind = input.required<VersionedKind>();
  /** As people say it, where that is not its kind’s name. */
  readonly noun = input('');
  /** It is written where it stands: nothing is pressed before. */
  readonly direct = input(false);
  readonly key = input.required<string>();
  /** The command that reads it. */
  readonly opens = input.required<string>();
  /** Null until it was read. */
  readonly of = input.required<ReviewedRecord | null>();
  /** What is said about it stands once the record itself does. */
  protected readonly standing = inTurn(
    computed(() => this.of() !== null),
    1,
  );
  readonly editing = input(false);
  /** Are there fields of the project for it? A heading has none. */
  readonly withFields = input(true);
  readonly level = input('');
  /** May somebody approve what they wrote, at its level? */
  readonly ownAllowed = input(false);
  /** How its lists are told item by item in its history. */
  readonly differs = input<ItemDifferences | null>(null);
  /** What else an approval brings with it, in sentences: told before it is signed. */
  readonly brings = input<readonly string[]>([]);
  /** Traces that an approval confirms along with it. */
  readonly confirms = input<readonly string[]>([]);
  /** The command that saves it, and the others whose refusals are told here. */
  readonly saving = input.required<string>();
  readonly commands = input.required<readonly string[]>();
  readonly conflict = input<Conflict | null>(null);
  readonly edited = output<void>();
  readonly stated = output<'draft' | 'review'>();
  readonly approved = output<SignAnswer>();
  readonly merged = output<Readonly<Record<string, readonly string[]>>>();
  readonly taken = output<void>();
  private readonly scope = useProject();
  private readonly dialogs = inject(MatDialog);
  private readonly clipboard = inject(Clipboard);
  private readonly voice = inject(LiveAnnouncer);
  protected readonly keyNames = useKeys();
  protected readonly keysOf = keysOf;
  protected readonly reviewWords = reviewWords;
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly reviewer = computed(() => this.scope.roles().includes('reviewer'));
  protected readonly problems = computed(() => [
    ...this.commands(),
    recordCommands.addTrace.name,
    recordCommands.confirmTrace.name,
    recordCommands.removeTrace.name,
  ]);
  /** A reviewer approves what somebody else wrote, unless the project allows them their own. */
  protected readonly mayApprove = computed(() => {
    const r = this.of();
    return this.reviewer() && r?.state === 'review' && (this.ownAllowed() || r.author !== this.scope.session()?.person.login);
  });

  protected readonly copied: readonly VersionedKind[] = ['requirement', 'case'];
  /** What is done to it as a whole is being chosen; another record begins without. */
  protected readonly acting = linkedSignal({ source: this.key, computation: () => false });
  protected readonly itself = computed((): Selection => ({ kind: this.kind(), keys: [this.key()] }));
  protected readonly copies = computed(() => reviewChoices(this.scope.roles()).filter(({ act }) => wholeActs.includes(act.act)));

  constructor() {
    const visited = useVisited();
    effect(() => {
      const record = this.of();
      if (record) visited.name(record.key, record.title);
    });
  }

  protected press(event: KeyboardEvent): void {
    if (!this.of() || !this.keyNames.is(event, 'copyLink')) return;
    event.preventDefault();
    this.copyLink();
  }

  /** Its address without what is only this screen's: whoever may see it opens it there, others are told that they may not. */
  protected copyLink(): void {
    const copied = this.clipboard.copy(location.origin + location.pathname);
    void this.voice.announce(copied ? `A link to ${this.key()} is copied.` : 'This browser does not let it be copied.');
  }

  protected approve({ key, revision, hash }: ReviewedRecord): void {
    const printedName = this.scope.session()?.person.printedName ?? '';
    askApproval(this.dialogs, {
      key,
      what: this.noun() || this.kind(),
      revision,
      hash,
      printedName,
      confirms: this.confirms(),
      brings: this.brings(),
    }).subscribe((answer) => this.approved.emit(answer));
  }
}
