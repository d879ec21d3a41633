import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, signal, untracked } from '@angular/core';
import { useDeviceMemory } from '../device-memory';
import { useKeys } from '../keys';
import { onChanged, useProject } from '../live';
import { initialsOf } from '../ui/initials';
import { EntryLine } from '../ui/entry-line';
import { Icon } from '../ui/icon';
import { ConnectionsPanel } from './connections-panel';
import { CommentsPanel } from './comments-panel';
import { FilesPanel } from './files-panel';
import { HistoryPanel } from './history-panel';
import type { ItemDifferences } from './revision-diff';
import { Passages } from './passages';
import { recordCommands, recordFeature, recordOpened } from './state';

const panels = ['connections', 'comments', 'files', 'history', 'activity'] as const;
type Panel = (typeof panels)[number];
const words: Record<Panel, string> = {
  connections: 'Connections',
  comments: 'Comments',
  files: 'Files',
  history: 'History',
  activity: 'Activity',
};
const signs: Record<Panel, string> = {
  connections: 'hub',
  comments: 'forum',
  files: 'attach_file',
  history: 'history',
  activity: 'timeline',
};
/** A word that one is here, so often; half a minute without one ends it. */
export const presentEvery = 12_000;

/** What every record has besides its content, whatever its kind: comments, files, history, activity; who follows it, and who is here. */
@Component({
  selector: 'cp-record-panels',
  host: { '(document:keydown)': 'keys($event)', '[class.folded]': 'folded()' },
  imports: [ConnectionsPanel, EntryLine, Icon, CommentsPanel, FilesPanel, HistoryPanel],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet pad stack about" aria-label="About this record">
      <div class="row heads">
        <div class="row grow" role="tablist" aria-label="About this record">
          @for (p of panels; track p) {
            <button
              class="chip"
              type="button"
              role="tab"
              [id]="'tab-' + p"
              [title]="words[p]"
              [attr.aria-selected]="panel() === p"
              [attr.aria-controls]="'panel-' + p"
              [class.on]="panel() === p"
              [tabindex]="panel() === p ? 0 : -1"
              (click)="open(p)"
              (keydown)="move($event)"
            >
              <cp-icon class="sign" [name]="signs[p]" /><span class="word">{{ words[p] }}</span
              >{{ count(p) }}
            </button>
          }
        </div>
        <button
          class="chip sign fold"
          type="button"
          [attr.aria-expanded]="!folded()"
          [attr.aria-label]="folded() ? 'Show what is said about it' : 'Fold to the side'"
          (click)="fold(!folded())"
        >
          <cp-icon [name]="folded() ? 'right_panel_open' : 'right_panel_close'" />
        </button>
      </div>
      @if (present().length) {
        <p class="row here" role="status">
          <span class="second small said">Also here: {{ here() }}</span>
          @for (p of present(); track p.login) {
            <b class="who" aria-hidden="true" [title]="p.printedName + (p.field ? ' writes in ' + p.field : '')">{{
              initialsOf(p.printedName)
            }}</b>
          }
        </p>
      }
      <div class="row opened">
        <h2 class="grow name">{{ words[panel()] }}</h2>
        <button class="chip" type="button" [attr.aria-pressed]="following()" (click)="follow()">
          <cp-icon name="notifications" /> {{ following() ? 'You follow it' : 'Follow' }}
        </button>
      </div>
      <div class="opened" role="tabpanel" [id]="'panel-' + panel()" [attr.aria-labelledby]="'tab-' + panel()">
        @switch (panel()) {
          @case ('connections') {
            <cp-connections-panel [key]="key()" />
          }
          @case ('comments') {
            <cp-comments-panel [key]="key()" />
          }
          @case ('files') {
            <cp-files-panel [key]="key()" />
          }
          @case ('history') {
            <cp-history-panel [differs]="differs()" />
          }
          @case ('activity') {
            @for (entry of activity(); track entry.seq) {
              <div class="entry">
                <cp-entry [of]="entry" [name]="names().get(entry.who)" />
                <span class="second small">entry {{ entry.seq }}</span>
              </div>
            } @empty {
              <p class="second">Nothing happened to it yet.</p>
            }
          }
        }
      </div>
    </section>
  `,
  styles: `
    /* Only where they stand beside the record. */
    .sign:not(.chip),
    .fold,
    .name {
      display: none;
    }
    .who {
      display: none;
      place-items: center;
      width: 30px;
      height: 30px;
      border: 2px solid var(--waiting);
      border-radius: 50%;
      color: var(--waiting);
      font-size: 11.5px;
    }
    .entry {
      display: grid;
      grid-template-columns: 1fr auto;
      gap: 10px;
      padding: 5px 0;
      border-top: 1px solid var(--hairline);
    }
    .entry:first-child {
      border-top: 0;
    }
  `,
})
export class RecordPanels {
  readonly key = input.required<string>();
  /** How its lists are told item by item in its history. */
  readonly differs = input<ItemDifferences | null>(null);
  /** The record needs the room: they fold to the side, where they stand there, until somebody opens them. */
  readonly away = input(false);
  private readonly scope = useProject();
  protected readonly names = this.scope.names;
  private readonly store = this.scope.store;
  private readonly memory = useDeviceMemory<boolean>('panels');
  private readonly asked = linkedSignal<boolean, boolean | null>({ source: this.away, computation: () => null });
  protected readonly folded = computed(() => this.asked() ?? (this.away() || this.memory.read('folded') === true));
  protected readonly signs = signs;
  protected readonly initialsOf = initialsOf;
  private readonly state = this.store.selectSignal(recordFeature.selectRecordState);
  private readonly keyNames = useKeys('Record');
  private readonly passages = inject(Passages);
  private readonly askedBefore = this.passages.asked();
  protected readonly panels = panels;
  protected readonly words = words;
  protected readonly panel = signal<Panel>('comments');
  protected readonly activity = computed(() =>
    this.state().activity.filter((entry) => entry.key === this.key() || entry.key.split(' → ').includes(this.key())),
  );
  protected readonly present = computed(() => this.state().present);
  protected readonly following = computed(() => this.state().following);
  protected readonly here = computed(() =>
    this.present()
      .map((p) => (p.field ? `${p.printedName} (writing in ${p.field})` : p.printedName))
      .join(', '),
  );

  constructor() {
    effect((onCleanup) => {
      const at = { project: this.scope.slug(), key: this.key() };
      untracked(() => {
        this.store.dispatch(recordOpened({ key: at.key }));
        this.store.dispatch(recordCommands.getRecord.start(at));
        this.store.dispatch(recordCommands.listComments.start(at));
        this.store.dispatch(recordCommands.listFiles.start(at));
        this.read(this.panel());
        this.store.dispatch(recordCommands.presence.start(at));
      });
      const timer = setInterval(() => this.store.dispatch(recordCommands.presence.start(at)), presentEvery);
      onCleanup(() => {
        clearInterval(timer);
        this.store.dispatch(recordCommands.presence.start({ ...at, here: false }));
      });
    });
    // Somebody wants to write about words that they chose.
    effect(() => {
      if (this.passages.asked() > this.askedBefore) untracked(() => this.open('comments'));
    });
    onChanged(['requirement', 'case', 'run', 'problem', 'round', 'build', 'specification', 'upload'], (keys) => {
      if (keys && !keys.includes(this.key())) return;
      const at = { project: this.scope.slug(), key: this.key() };
      this.store.dispatch(recordCommands.listComments.start(at));
      this.store.dispatch(recordCommands.listFiles.start(at));
      this.read(this.panel());
    });
  }

  protected count(panel: Panel): string {
    const { comments, files } = this.state();
    const open = comments.filter((c) => c.parent === null && c.resolvedAt === null).length;
    const n = panel === 'comments' ? open : panel === 'files' ? files.length : 0;
    return n ? ` ${n}` : '';
  }

  protected open(panel: Panel): void {
    this.asked.set(false);
    this.panel.set(panel);
    this.read(panel);
  }

  /** Folds them, or unfolds them: here, and where the next record is read. */
  protected fold(folded: boolean): void {
    this.asked.set(folded);
    if (!this.away()) this.memory.keep('folded', folded);
  }

  /** What only some look at is read when they do. */
  private read(panel: Panel): void {
    const project = this.scope.slug();
    if (panel === 'history') this.store.dispatch(recordCommands.history.start({ project, key: this.key() }));
    if (panel === 'activity') this.store.dispatch(recordCommands.activity.start({ project, q: this.key(), limit: 50 }));
  }

  /** The same keys open the panels, whatever the record. */
  protected keys(event: KeyboardEvent): void {
    const panel = this.keyNames.among(event, panels);
    if (!panel) return;
    event.preventDefault();
    this.open(panel);
  }

  protected move(event: KeyboardEvent): void {
    const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (!step) return;
    event.preventDefault();
    const next = panels[(panels.indexOf(this.panel()) + step + panels.length) % panels.length];
    this.open(next);
    document.getElementById(`tab-${next}`)?.focus();
  }

  protected follow(): void {
    this.store.dispatch(recordCommands.follow.start({ project: this.scope.slug(), key: this.key(), follow: !this.following() }));
  }
}
