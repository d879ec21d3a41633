import { ChangeDetectionStrategy, Component, computed, effect, ElementRef, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { Folder } from '@contract/design';
import { counted } from '@core/base';
import { Icon, Needs, onAction, onChanged, ProblemNote, pastedKeys, toggled, useDeviceMemory, useKeys, useProject } from '../../base';
import { designCommands, designFeature } from '../state';

const dragType = 'text/x-folder';

/** The folders of the library, with what is in each: chosen, made, renamed and moved here; cases are dropped onto them. */
@Component({
  selector: 'cp-folder-tree',
  imports: [FormsModule, Icon, Needs, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <!-- The rows take the focus, and keys go up from them. -->
    <!-- eslint-disable-next-line @angular-eslint/template/interactive-supports-focus -->
    <div class="tree" role="tree" aria-label="Folders: arrows move, Enter chooses, F2 renames" (keydown)="key($event)">
      @for (row of rows(); track row.key; let i = $index) {
        <!-- eslint-disable-next-line @angular-eslint/template/click-events-have-key-events -->
        <div
          role="treeitem"
          class="item"
          [class.on]="row.key === chosen()"
          [class.over]="row.key === over()"
          [attr.tabindex]="row.key === at() ? 0 : -1"
          [attr.data-folder]="row.key"
          [attr.aria-level]="row.depth + 1"
          [attr.aria-selected]="row.key === chosen()"
          [attr.aria-expanded]="row.folds ? !folded().has(row.key) : null"
          [style.padding-left.px]="6 + row.depth * 14"
          [attr.draggable]="row.folder && may() ? true : null"
          [title]="row.said"
          (click)="choose(row.key)"
          (focus)="at.set(row.key)"
          (dragstart)="drag($event, row.key)"
          (dragover)="hover($event, row.key)"
          (dragleave)="over.set(null)"
          (drop)="drop($event, row.key)"
        >
          @if (row.folds) {
            <button
              class="fold"
              type="button"
              tabindex="-1"
              [attr.aria-label]="folded().has(row.key) ? 'Unfold' : 'Fold'"
              (click)="fold($event, row.key)"
            >
              <cp-icon [name]="folded().has(row.key) ? 'chevron_right' : 'keyboard_arrow_down'" />
            </button>
          } @else {
            <span class="fold"></span>
          }
          @if (renaming() === row.key) {
            <input
              class="in"
              aria-label="Name of the folder"
              [ngModel]="name()"
              (ngModelChange)="name.set($event)"
              (click)="$event.stopPropagation()"
              (keydown.enter)="$event.stopPropagation(); rename()"
              (keydown.escape)="$event.stopPropagation(); renaming.set(null)"
              (keydown)="$event.stopPropagation()"
            />
          } @else {
            <span class="grow name">{{ row.title }}</span>
            <span class="second small">{{ row.cases }}</span>
          }
        </div>
      }
      @if (adding()) {
        <input
          class="in"
          aria-label="Name of the new folder"
          placeholder="Name, then Enter"
          [ngModel]="name()"
          (ngModelChange)="name.set($event)"
          (keydown.enter)="add()"
          (keydown.escape)="adding.set(false)"
          (keydown)="$event.stopPropagation()"
        />
      }
    </div>
    @for (problem of names; track problem) {
      <cp-problem [of]="problem" />
    }
    <div class="row tools">
      <span class="second small grow">{{ saidNow() }}</span>
      @if (may()) {
        <button class="chip sign" type="button" [attr.aria-label]="newName()" [title]="newName()" (click)="begin()">
          <cp-icon name="add" />
        </button>
        @if (current(); as folder) {
          <button class="chip sign" type="button" aria-label="Rename" title="Rename (F2)" (click)="startRename(folder)">
            <cp-icon name="edit_note" />
          </button>
          <button
            class="chip sign"
            type="button"
            aria-label="Describe"
            title="Describe what belongs here"
            [attr.aria-expanded]="describing()"
            (click)="startDescribing(folder)"
          >
            <cp-icon name="description" />
          </button>
          <button class="chip sign" type="button" [cpNeeds]="empty" aria-label="Retire this folder" (click)="remove(folder)">
            <cp-icon name="delete" />
          </button>
        }
      }
    </div>
    @if (current(); as folder) {
      @if (describing()) {
        <textarea
          class="in words"
          rows="2"
          maxlength="2000"
          [attr.aria-label]="'What belongs into ' + folder.title"
          placeholder="What belongs here"
          [ngModel]="words()"
          (ngModelChange)="words.set($event)"
          (keydown.control.enter)="describe(folder)"
          (keydown.escape)="describing.set(false)"
        ></textarea>
        <div class="row">
          <button class="chip" type="button" (click)="describe(folder)">Save</button>
          <button class="chip" type="button" (click)="describing.set(false)">Cancel</button>
        </div>
      } @else if (folder.description) {
        <p class="small about">{{ folder.description }}</p>
      }
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 6px;
    }
    .tree {
      max-height: 156px;
      overflow: auto;
      border: 1px solid var(--hairline);
      border-radius: 10px;
      padding: 4px;
    }
    .item {
      display: flex;
      align-items: center;
      gap: 4px;
      padding: 3px 6px;
      border-radius: 6px;
      cursor: pointer;
      min-height: 28px;
    }
    .item:hover {
      background: var(--lane);
    }
    .item.on {
      background: var(--cord-tint);
      font-weight: 600;
    }
    .item.over {
      outline: 2px solid var(--cord);
    }
    .name {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .fold {
      width: 20px;
      border: 0;
      background: none;
      padding: 0;
      color: var(--ink-2);
      cursor: pointer;
      flex: none;
    }
    .tools {
      flex-wrap: nowrap;
    }
    .words {
      height: auto;
      flex: none;
    }
    .about {
      white-space: pre-line;
    }
    input.in {
      height: 26px;
      flex: 1;
      padding: 2px 6px;
    }
  `,
})
export class FolderTree {
  /** The folder that is chosen; empty for all cases, a hyphen for those in none. */
  readonly chosen = input.required<string>();
  readonly picked = output<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly keys = useKeys();
  private readonly memory = useDeviceMemory<readonly string[]>('folded');
  protected readonly may = computed(() => this.scope.roles().includes('author'));
  private readonly folders = this.store.selectSignal(designFeature.selectFolders);
  private readonly unfiled = this.store.selectSignal(designFeature.selectUnfiled);
  protected readonly names = [
    designCommands.addFolder.name,
    designCommands.saveFolder.name,
    designCommands.removeFolder.name,
    designCommands.fileCases.name,
  ];
  protected readonly folded = signal<ReadonlySet<string>>(new Set(this.memory.read('folders') ?? []));
  protected readonly at = signal('');
  protected readonly over = signal<string | null>(null);
  protected readonly adding = signal(false);
  protected readonly renaming = signal<string | null>(null);
  protected readonly name = signal('');
  protected readonly describing = signal(false);
  protected readonly words = signal('');
  /** Why the chosen folder cannot be retired. */
  protected readonly empty = (): string => {
    const cases = this.current()?.cases ?? 0;
    return cases
      ? `${counted(cases, 'case')} ${cases === 1 ? 'is' : 'are'} in it or below it: move ${cases === 1 ? 'it' : 'them'} first.`
      : '';
  };
  protected readonly current = computed(() => this.folders().find((f) => f.key === this.chosen()));
  protected readonly rows = computed(() => {
    const folders = this.folders();
    const depth = new Map<string, number>();
    const hidden = new Set<string>();
    const shown = folders.flatMap((f) => {
      depth.set(f.key, f.under === null ? 1 : (depth.get(f.under) ?? 0) + 1);
      if (f.under !== null && (hidden.has(f.under) || this.folded().has(f.under))) {
        hidden.add(f.key);
        return [];
      }
      return [
        {
          key: f.key,
          title: f.title,
          cases: f.cases,
          depth: depth.get(f.key) ?? 1,
          folds: folders.some((o) => o.under === f.key),
          folder: true,
          said: this.said(f),
        },
      ];
    });
    const none = this.unfiled();
    const all = folders.filter((f) => f.under === null).reduce((sum, f) => sum + f.cases, 0) + (none?.cases ?? 0);
    const top = { depth: 0, folds: false, folder: false, said: '' };
    return [
      { ...top, key: '', title: 'All cases', cases: all },
      ...shown,
      ...(none?.cases && folders.length ? [{ ...top, key: '-', title: 'In no folder', cases: none.cases, depth: 1 }] : []),
    ];
  });

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.store.dispatch(designCommands.listFolders.start({ project })));
    });
    onChanged(['folder', 'case'], () => this.store.dispatch(designCommands.listFolders.start({ project: this.scope.slug() })));
    onAction(designCommands.addFolder.done, ({ answer }) => {
      this.adding.set(false);
      this.picked.emit(answer.key);
    });
    onAction(designCommands.saveFolder.done, () => {
      this.renaming.set(null);
      this.describing.set(false);
    });
    // What is written belongs to the folder that was chosen.
    effect(() => {
      this.chosen();
      this.describing.set(false);
    });
    onAction(designCommands.removeFolder.done, () => this.picked.emit(''));
  }

  protected said({ cases, approved, neverRun, minutes }: Folder): string {
    return `${counted(cases, 'case')}, ${approved} approved, ${neverRun} never run, ${Math.round(minutes)} min`;
  }
  protected readonly saidNow = computed(() => {
    const folder = this.current();
    return folder ? this.said(folder) : '';
  });
  protected readonly newName = computed(() => (this.current() ? `New folder in ${this.current()?.title}` : 'New folder'));
  protected choose(key: string): void {
    this.at.set(key);
    this.picked.emit(key);
  }
  protected fold(event: Event, key: string): void {
    event.stopPropagation();
    this.toggle(key);
  }
  private toggle(key: string): void {
    this.folded.update((set) => toggled(set, key));
    this.memory.keep('folders', [...this.folded()]);
  }
  protected begin(): void {
    this.name.set('');
    this.adding.set(true);
    this.focusOn('.tree .in');
  }
  protected add(): void {
    const title = this.name().trim();
    if (title)
      this.store.dispatch(designCommands.addFolder.start({ project: this.scope.slug(), title, under: this.current()?.key ?? null }));
  }
  protected startRename(folder: Folder): void {
    this.name.set(folder.title);
    this.renaming.set(folder.key);
    this.focusOn('.tree .in');
  }
  private focusOn(selector: '.tree .in' | '.words'): void {
    setTimeout(() => this.element.nativeElement.querySelector<HTMLElement>(selector)?.focus());
  }
  protected rename(): void {
    const folder = this.folders().find((f) => f.key === this.renaming());
    if (folder && this.name().trim()) this.save(folder, { title: this.name().trim() });
  }
  protected startDescribing(folder: Folder): void {
    this.words.set(folder.description);
    this.describing.set(true);
    this.focusOn('.words');
  }
  protected describe(folder: Folder): void {
    this.save(folder, { description: this.words().trim() });
  }
  private save(folder: Folder, change: { title?: string; description?: string; under?: string | null; after?: string | null }): void {
    const { key, title, description, under, revision: basedOn } = folder;
    this.store.dispatch(
      designCommands.saveFolder.start({ project: this.scope.slug(), key, basedOn, title, description, under, ...change }),
    );
  }
  protected remove(folder: Folder): void {
    this.store.dispatch(designCommands.removeFolder.start({ project: this.scope.slug(), key: folder.key }));
  }

  protected key(event: KeyboardEvent): void {
    const rows = this.rows();
    const here = rows.findIndex((row) => row.key === this.at());
    const row = rows[Math.max(0, here)];
    const folder = this.folders().find((f) => f.key === row.key);
    const move = this.keys.among(event, ['rowUp', 'rowDown', 'rowIn', 'rowOut']);
    if (move && folder && this.may()) this.move(folder, move);
    else if (event.key === 'ArrowDown') this.focus(rows[Math.min(rows.length - 1, here + 1)].key);
    else if (event.key === 'ArrowUp') this.focus(rows[Math.max(0, here - 1)].key);
    else if (event.key === 'ArrowRight' && row.folds && this.folded().has(row.key)) this.toggle(row.key);
    else if (event.key === 'ArrowLeft' && row.folds && !this.folded().has(row.key)) this.toggle(row.key);
    else if (event.key === 'Enter' || event.key === ' ') this.choose(row.key);
    else if (event.key === 'F2' && folder && this.may()) this.startRename(folder);
    else return;
    event.preventDefault();
  }

  /** Moves a folder by a key: among its siblings, under the one above it, or a level higher. */
  private move(folder: Folder, how: 'rowUp' | 'rowDown' | 'rowIn' | 'rowOut'): void {
    const siblings = this.folders().filter((f) => f.under === folder.under);
    const at = siblings.indexOf(folder);
    if (how === 'rowUp' && at > 0) this.save(folder, { after: siblings[at - 2]?.key ?? null });
    if (how === 'rowDown' && at < siblings.length - 1) this.save(folder, { after: siblings[at + 1].key });
    if (how === 'rowIn' && at > 0) this.save(folder, { under: siblings[at - 1].key });
    if (how === 'rowOut' && folder.under !== null) {
      const above = this.folders().find((f) => f.key === folder.under);
      this.save(folder, { under: above?.under ?? null, after: folder.under });
    }
  }
  private focus(key: string): void {
    this.at.set(key);
    this.element.nativeElement.querySelector<HTMLElement>(`[data-folder="${CSS.escape(key)}"]`)?.focus();
  }

  protected drag(event: DragEvent, key: string): void {
    event.dataTransfer?.setData(dragType, key);
    event.dataTransfer?.setData('text/plain', key);
  }
  protected hover(event: DragEvent, key: string): void {
    if (!this.may()) return;
    event.preventDefault();
    this.over.set(key);
  }
  protected drop(event: DragEvent, key: string): void {
    event.preventDefault();
    this.over.set(null);
    if (!this.may()) return;
    const to = key && key !== '-' ? key : null;
    const folder = this.folders().find((f) => f.key === event.dataTransfer?.getData(dragType));
    if (folder) {
      if (folder.key !== to) this.save(folder, { under: to });
      return;
    }
    const cases = pastedKeys(event.dataTransfer?.getData('text/plain') ?? '');
    if (cases.length) this.store.dispatch(designCommands.fileCases.start({ project: this.scope.slug(), cases, folder: to }));
  }
}
