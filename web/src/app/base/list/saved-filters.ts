import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { SavedFilter } from '@contract/base';
import { groupBy } from '@core/base';
import { useProject } from '../live';
import { baseCommands, baseFeature } from '../state';
import { Icon } from '../ui/icon';
import { ProblemNote } from '../ui/problem-note';
import { Needs } from '../ui/needs';

/** Questions of a list under names, in folders: one's own and those that are shared; one of them may be where the list begins. */
@Component({
  selector: 'cp-saved-filters',
  imports: [FormsModule, Icon, ProblemNote, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="box stack-s" role="group" aria-label="Saved filters">
      @for (folder of folders(); track folder.name) {
        @if (folder.name) {
          <span class="second small">{{ folder.name }}</span>
        }
        @for (f of folder.filters; track f.id) {
          <div class="between" [class.deep]="folder.name">
            <button class="pick" type="button" [attr.aria-pressed]="f.question === question()" (click)="picked.emit(f.question)">
              {{ last(f.name) }}
            </button>
            <span class="row">
              @if (f.login === login()) {
                <button
                  class="chip"
                  type="button"
                  [attr.aria-pressed]="f.first"
                  [attr.aria-label]="'Begin with ' + f.name"
                  title="Your list begins with it"
                  (click)="change(f, { first: !f.first })"
                >
                  <cp-icon name="flag" />
                </button>
                <button
                  class="chip"
                  type="button"
                  [attr.aria-pressed]="f.shared"
                  [attr.aria-label]="'Share ' + f.name"
                  title="Everybody in the project has it"
                  (click)="change(f, { shared: !f.shared })"
                >
                  <cp-icon name="group" />
                </button>
                <button class="chip" type="button" [attr.aria-label]="'Forget ' + f.name" title="Forget it" (click)="drop(f)">
                  <cp-icon name="delete" />
                </button>
              } @else {
                <span class="second small">of {{ f.login }}</span>
              }
            </span>
          </div>
        }
      } @empty {
        <p class="second small">Nothing is saved yet. Ask the list for something, and give it a name here.</p>
      }
      @if (maySave()) {
        <form class="row" (ngSubmit)="save()">
          <input
            class="in grow"
            name="name"
            maxlength="120"
            placeholder="Name, or Folder/Name"
            aria-label="Name under which this filter is saved"
            [ngModel]="name()"
            (ngModelChange)="name.set($event)"
          /><button class="chip" type="submit" [cpNeeds]="missing"><cp-icon name="save" /> Save</button>
        </form>
      }
      <cp-problem [of]="names.save" /><cp-problem [of]="names.change" />
    </div>
  `,
  styles: `
    .box {
      border: 1px solid var(--hairline);
      border-radius: 10px;
      padding: 10px 12px;
      background: var(--surface);
    }
    .pick {
      border: 0;
      background: none;
      color: var(--cord);
      font: inherit;
      font-weight: 600;
      text-align: left;
      cursor: pointer;
      padding: 4px 0;
      min-height: 24px;
      overflow-wrap: anywhere;
    }
    .pick[aria-pressed='true'] {
      color: var(--ink);
    }
    .deep {
      padding-left: 12px;
    }
    .row {
      flex-wrap: nowrap;
    }
  `,
})
export class SavedFilters {
  readonly list = input.required<string>();
  /** What the list asks now. */
  readonly question = input.required<string>();
  readonly picked = output<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly all = this.store.selectSignal(baseFeature.selectFilters);
  protected readonly names = { save: baseCommands.saveFilter.name, change: baseCommands.changeFilter.name };
  protected readonly name = signal('');
  protected readonly missing = (): string => (this.name().trim() ? '' : 'Give it a name.');
  protected readonly login = computed(() => this.scope.session()?.person.login ?? '');
  protected readonly maySave = computed(() => this.scope.roles().some((role) => role !== 'auditor'));
  protected readonly folders = computed(() => {
    const folderOf = ({ name }: SavedFilter): string => name.split('/').slice(0, -1).join(' / ');
    return [...groupBy(this.all()[this.list()] ?? [], folderOf)]
      .map(([name, filters]) => ({ name, filters }))
      .sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0));
  });

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), list: this.list() };
      if (at.project) untracked(() => this.store.dispatch(baseCommands.listFilters.start(at)));
    });
  }

  protected last(name: string): string {
    return name.split('/').at(-1) ?? name;
  }

  protected save(): void {
    const name = this.name().trim();
    this.store.dispatch(baseCommands.saveFilter.start({ project: this.scope.slug(), list: this.list(), name, question: this.question() }));
    this.name.set('');
  }

  protected change({ id }: SavedFilter, change: { shared?: boolean; first?: boolean }): void {
    this.store.dispatch(baseCommands.changeFilter.start({ project: this.scope.slug(), id, ...change }));
  }

  protected drop({ id }: SavedFilter): void {
    this.store.dispatch(baseCommands.dropFilter.start({ project: this.scope.slug(), id }));
  }
}
