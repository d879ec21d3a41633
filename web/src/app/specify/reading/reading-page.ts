import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  Injector,
  input,
  signal,
  untracked,
  viewChildren,
} from '@angular/core';
import { CdkDrag, CdkDragHandle, CdkDragPreview, CdkDropList, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { MatDialog } from '@angular/material/dialog';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { RouterLink } from '@angular/router';
import type { Passage } from '@contract/specify';
import {
  askReason,
  Icon,
  layoutOf,
  onAction,
  onNews,
  ProblemNote,
  selectRequest,
  useAddress,
  useKeys,
  useProject,
  type WrittenText,
} from '../../base';
import { SpecificationChips } from '../specification-chips';
import { SpecifyNav } from '../specify-nav';
import { specifyFeature } from '../state';
import { contentOf } from '../requirement-form';
import { beginningOf, PassageBlock, type Written } from './passage-block';
import { usePlacing } from '../placing';
import { usePassages } from './passages';
import { joinedWith, movedPlace, newPassage } from './places';
import { readingCommands, readingFeature } from './state';

const stretch = 100;

/**
 * A specification as a document: read from top to bottom, written where it stands. Arrows go from one to the next, Enter writes, Alt, Shift
 * and arrows move, as the mouse does; a passage is parted at the cursor, and joined with the one above. Several are chosen with Shift, Ctrl and Space, and dragged
 * as one.
 */
@Component({
  selector: 'cp-reading-page',
  imports: [
    CdkDrag,
    CdkDragHandle,
    CdkDragPreview,
    CdkDropList,
    Icon,
    MatProgressBarModule,
    PassageBlock,
    ProblemNote,
    RouterLink,
    SpecificationChips,
    SpecifyNav,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head">
        <h1 class="grow">{{ title() }}</h1>
        <a class="chip" [routerLink]="['/', scope.slug(), 'specify', specification()]"><cp-icon name="account_tree" /> As a tree</a>
      </div>
      <cp-specify-nav />
      <div class="row" role="group" aria-label="Specifications">
        <cp-specification-chips [of]="specification()" (chosen)="go({ of: $event })" />
        <span class="grow second small" role="status">{{
          many.chosen().length ? many.chosen().length + ' chosen: drag one, and all go along. Esc lets go.' : ''
        }}</span>
        @if (author()) {
          @for (k of kinds; track k) {
            <button class="chip" type="button" (click)="begin(k)"><cp-icon name="add" /> {{ k }}</button>
          }
        }
      </div>
      @for (name of names; track name) {
        <cp-problem [of]="name" />
      }
      @if (reading().pending && !rows().length) {
        <mat-progress-bar mode="indeterminate" aria-label="Reading the specification" />
      }
      <div
        class="text"
        role="list"
        cdkDropList
        [cdkDropListDisabled]="!author() || writing() !== null"
        (cdkDropListDropped)="dropped($event)"
        [attr.aria-label]="title()"
        (keydown)="key($event)"
      >
        @for (p of shown(); track p.key || 'new'; let i = $index) {
          <div
            class="block"
            role="listitem"
            cdkDrag
            cdkDragLockAxis="y"
            [attr.tabindex]="i === at() ? 0 : -1"
            [class.at]="i === at()"
            [class.chosen]="many.has(p.key)"
            [attr.aria-label]="p.key + ' ' + p.title + (many.has(p.key) ? ', chosen' : '')"
            [style.margin-left.px]="22 * p.depth"
            (focus)="at.set(i)"
            (mousedown)="choose($event, p.key, i)"
            (dblclick)="author() && write(p.key)"
          >
            @if (author() && p.key) {
              <cp-icon cdkDragHandle class="grip" name="drag_indicator" title="Drag it to another place" />
            }
            @if (many.several() && many.has(p.key)) {
              <p *cdkDragPreview class="sheet pad">{{ many.several() }} passages</p>
            }
            <cp-passage [of]="p" [writing]="p.key === writing()" (saved)="save(p, $event)" (left)="leave()" />
          </div>
        } @empty {
          @if (!reading().pending) {
            <div class="sheet empty">
              <h2>It is empty</h2>
              <p>Write the first heading or requirement above.</p>
            </div>
          }
        }
        @if (rows().length < total()) {
          <button class="chip more" type="button" (click)="more()">Read on: {{ total() - rows().length }} more</button>
        }
      </div>
    </div>
  `,
  styles: `
    .block {
      padding: 6px 10px;
      border-left: 3px solid transparent;
      border-radius: 6px;
      content-visibility: auto;
      contain-intrinsic-size: auto 70px;
    }
    .grip {
      float: right;
      color: var(--ink-2);
      cursor: grab;
      opacity: 0;
    }
    .block:hover > .grip,
    .block.at > .grip {
      opacity: 1;
    }
    .block.cdk-drag-preview {
      background: var(--surface);
      box-shadow: var(--shadow);
    }
    .block.cdk-drag-placeholder {
      opacity: 0.4;
    }
    .block.at {
      border-color: var(--cord);
    }
    .block.chosen {
      background: var(--cord-tint);
    }
    .block:focus-visible {
      background: var(--cord-tint);
      outline: none;
    }
    .more {
      margin: 18px 10px;
    }
    @media (max-width: 700px) {
      .block {
        margin-left: 0 !important;
      }
    }
  `,
})
export class ReadingPage {
  /** From the address: a specification. */
  readonly of = input<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly injector = inject(Injector);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly keys = useKeys('Lists');
  private readonly documentKeys = useKeys('Document');
  private readonly dialogs = inject(MatDialog);
  protected readonly go = useAddress();
  protected readonly kinds = ['heading', 'requirement', 'note'] as const;
  protected readonly names = [
    readingCommands.read,
    readingCommands.save,
    readingCommands.add,
    readingCommands.place,
    readingCommands.retire,
  ].map(({ name }) => name);
  protected readonly specifications = this.store.selectSignal(specifyFeature.selectSpecifications);
  protected readonly specification = computed(() => this.of() || this.specifications()[0]?.key || '');
  protected readonly title = computed(() => this.specifications().find((s) => s.key === this.specification())?.title ?? 'Specification');
  private readonly state = this.store.selectSignal(readingFeature.selectReadingState);
  protected readonly rows = computed((): readonly Passage[] => (this.state().of === this.specification() ? this.state().rows : []));
  protected readonly total = computed(() => (this.state().of === this.specification() ? this.state().total : 0));
  protected readonly reading = this.store.selectSignal(selectRequest(readingCommands.read.name));
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly at = signal(0);
  private readonly put = usePlacing(readingCommands.place, () => this.again());
  protected readonly many = usePassages(this.rows, this.at, (to) => this.focus(to));
  /** What is written now: a key, nothing for a new one, null where nobody writes. */
  protected readonly writing = signal<string | null>(null);
  /** A new one that is not written yet, and behind what it stands. */
  private readonly fresh = signal<{ readonly passage: Passage; readonly behind: number; readonly after: string | null } | null>(null);
  protected readonly shown = computed(() => {
    const fresh = this.fresh();
    return fresh ? [...this.rows().slice(0, fresh.behind), fresh.passage, ...this.rows().slice(fresh.behind)] : this.rows();
  });
  private readonly blocks = viewChildren(PassageBlock);
  private next = false;

  constructor() {
    effect(() => {
      if (!this.specification()) return;
      untracked(() => {
        this.leave();
        this.at.set(0);
        this.read(0, stretch);
      });
    });
    onNews(1000, () => this.again());
    onAction(readingCommands.save.done, ({ answer }) => {
      const then = this.then?.key === answer.key ? this.then.work : undefined;
      this.then = undefined;
      if (then) then();
      else this.written();
    });
    onAction(readingCommands.save.failed, () => (this.then = undefined));
    onAction(readingCommands.retire.done, () => this.again());
    onAction(readingCommands.add.done, ({ answer }) => {
      this.fresh.set(null);
      this.writing.set(null);
      this.made = answer.key;
      this.again();
    });
    onAction(readingCommands.read.done, () => this.goToMade());
  }

  /** What is done once a passage is saved: the second half of parting or joining. */
  private then: { readonly key: string; readonly work: () => void } | undefined;

  /** What was just written, until it is shown: one goes to it then. */
  private made: string | undefined;

  private goToMade(): void {
    const at = this.rows().findIndex(({ key }) => key === this.made);
    if (this.made === undefined || at < 0) return;
    this.made = undefined;
    afterNextRender(
      () => {
        this.focus(at);
        if (this.next) this.begin(this.rows()[at].kind);
        this.next = false;
      },
      { injector: this.injector },
    );
  }

  private read(skip: number, limit: number): void {
    this.store.dispatch(readingCommands.read.start({ project: this.scope.slug(), key: this.specification(), skip, limit }));
  }

  /** What was read is read again. */
  private again(): void {
    this.read(0, Math.min(500, Math.max(stretch, this.rows().length + 1)));
  }

  protected more(): void {
    this.read(this.rows().length, stretch);
  }

  protected write(key: string): void {
    this.writing.set(key);
    this.intoTitle();
  }

  private intoTitle(): void {
    afterNextRender(
      () =>
        this.blocks()
          .find((block) => block.writing())
          ?.focusTitle(),
      { injector: this.injector },
    );
  }

  protected leave(): void {
    this.fresh.set(null);
    this.writing.set(null);
    afterNextRender(() => this.focus(this.at()), { injector: this.injector });
  }

  /** A new one behind the row that one is at: beside it, or below it where that is a heading. */
  protected begin(kind: (typeof this.kinds)[number]): void {
    const here = this.rows().at(this.at());
    const below = here?.kind === 'heading' && kind !== 'heading';
    // Behind all that stands below it.
    let behind = here ? this.at() + 1 : 0;
    if (here && !below) while (behind < this.rows().length && this.rows()[behind].depth > here.depth) behind++;
    const passage = newPassage(kind, this.specification(), here, below);
    this.fresh.set({ passage, behind, after: below || !here ? null : here.key });
    this.at.set(behind);
    this.writing.set('');
    this.intoTitle();
  }

  protected save(p: Passage, { content, reason, next, behind }: Written): void {
    this.next = next;
    const project = this.scope.slug();
    if (p.key) {
      if (behind) this.then = { key: p.key, work: () => this.addBehind(p, behind) };
      if (next && !reason && JSON.stringify(content.text) === JSON.stringify(p.text) && content.title === p.title) return this.written();
      this.store.dispatch(readingCommands.save.start({ project, key: p.key, basedOn: p.revision, content: { ...content }, reason }));
      return;
    }
    const after = this.fresh()?.after;
    this.store.dispatch(
      readingCommands.add.start({
        project,
        specification: this.specification(),
        under: p.under,
        content: { ...content },
        ...(after ? { after } : {}),
      }),
    );
  }

  /** The second half of a passage that was parted: of the same kind, level, method and parent, behind the first. */
  private addBehind(p: Passage, { text, html }: WrittenText): void {
    const { html: _, criteria: _criteria, ...rest } = contentOf(p);
    const content = { ...rest, text, ...(html ? { html } : {}), title: p.kind === 'note' ? rest.title : beginningOf(text) };
    const [parent] = p.derivedFrom;
    this.store.dispatch(
      readingCommands.add.start({
        project: this.scope.slug(),
        specification: this.specification(),
        under: p.under,
        after: p.key,
        content,
        ...(parent ? { parent } : {}),
      }),
    );
  }

  /** Joins a passage with the one above: that says both then, and this one is retired. */
  private join(here: Passage): void {
    const above = joinedWith(this.rows(), here);
    if (!above) return;
    const html = above.html || here.html ? layoutOf(above) + layoutOf(here) : undefined;
    const content = { ...contentOf(above), text: `${above.text}\n${here.text}`, ...(html ? { html } : {}) };
    askReason(this.dialogs, {
      title: `Join ${here.key} with ${above.key}`,
      text: `${above.key} then says both. ${here.key} is retired and stays readable, with its traces: draw those anew that go on.`,
      confirm: 'Join them',
    }).subscribe((reason) => {
      const project = this.scope.slug();
      const work = (): void => {
        this.focus(this.rows().findIndex(({ key }) => key === above.key));
        this.store.dispatch(
          readingCommands.retire.start({ project, key: here.key, retired: true, reason: `Joined with ${above.key}: ${reason}` }),
        );
      };
      this.then = { key: above.key, work };
      this.store.dispatch(readingCommands.save.start({ project, key: above.key, basedOn: above.revision, content, reason }));
    });
  }

  /** A passage was dropped elsewhere, with those that are chosen beside it. */
  protected dropped(moved: Pick<CdkDragDrop<unknown>, 'previousIndex' | 'currentIndex'>): void {
    const placing = this.many.dropped(moved);
    if (placing) this.put(placing);
  }

  /** With Shift or Ctrl passages are chosen; a plain press lets go of them, but where it may begin to drag one of them. */
  protected choose(event: MouseEvent, key: string, at: number): void {
    if (this.author() && this.writing() === null) this.many.pressed(event, key, at);
  }

  private written(): void {
    const kind = this.rows().at(this.at())?.kind ?? 'requirement';
    this.writing.set(null);
    if (this.next) this.begin(kind);
    else afterNextRender(() => this.focus(this.at()), { injector: this.injector });
    this.next = false;
  }

  protected key(event: KeyboardEvent): void {
    if (this.writing() !== null) return;
    const here = this.rows().at(this.at());
    const name = this.keys.among(event, ['rowUp', 'rowDown', 'rowIn', 'rowOut']);
    if (here && this.author() && this.documentKeys.is(event, 'passageJoin')) this.join(here);
    else if (name && here && this.author()) {
      const place = movedPlace(this.rows(), here, name);
      if (place) this.put({ keys: [here.key], ...place });
    } else if (here && this.author() && this.many.keys(event, here.key)) return event.preventDefault();
    else if (event.key === 'ArrowDown' && !event.altKey) this.focus(this.at() + 1);
    else if (event.key === 'ArrowUp' && !event.altKey) this.focus(this.at() - 1);
    else if (event.key === 'Home') this.focus(0);
    else if (event.key === 'End') this.focus(this.rows().length - 1);
    else if (
      (event.key === 'Enter' || event.key === 'F2') &&
      here &&
      this.author() &&
      (event.target as HTMLElement).classList.contains('block')
    )
      if (event.ctrlKey) this.begin(here.kind);
      else this.write(here.key);
    else return;
    event.preventDefault();
  }

  private focus(i: number): void {
    const to = Math.max(0, Math.min(i, this.shown().length - 1));
    this.at.set(to);
    const blocks = this.host.nativeElement.querySelectorAll<HTMLElement>('.block');
    blocks[to]?.focus();
  }
}
