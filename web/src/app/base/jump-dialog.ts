import { ChangeDetectionStrategy, Component, effect, inject, signal, untracked } from '@angular/core';
import { MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { Router } from '@angular/router';
import type { JumpItem } from '@contract/base';
import { recordLink } from './links';
import { useProject } from './live';
import { baseCommands, baseFeature } from './state';
import { Icon } from './ui/icon';

const icons: Record<JumpItem['kind'], string> = {
  specification: 'menu_book',
  requirement: 'edit_note',
  case: 'account_tree',
  run: 'library_books',
  round: 'assignment_turned_in',
  problem: 'bug_report',
  file: 'description',
};

/** Jumps to any record by its key or the words of its title. */
@Component({
  selector: 'cp-jump-dialog',
  imports: [MatDialogModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="box">
      <label class="line"
        ><cp-icon name="search" /><span class="hidden-visually">Jump to a key or a word</span>
        <input
          #qBox
          class="ask"
          role="combobox"
          aria-expanded="true"
          aria-controls="jump-list"
          [attr.aria-activedescendant]="found().length ? 'jump-' + at() : null"
          placeholder="BRK-007, wind, brake.c …"
          [value]="q()"
          (input)="q.set(qBox.value)"
          (keydown)="keys($event)"
        />
      </label>
      <ul id="jump-list" role="listbox" aria-label="Found">
        @for (item of found(); track item.kind + item.key; let i = $index) {
          <li
            role="option"
            tabindex="-1"
            [id]="'jump-' + i"
            [attr.aria-selected]="i === at()"
            [class.on]="i === at()"
            (click)="go(item)"
            (keydown.enter)="go(item)"
            (mouseenter)="at.set(i)"
          >
            <cp-icon [name]="icons[item.kind]" /><b class="key">{{ item.key }}</b
            ><span class="grow">{{ item.title === item.key ? '' : item.title }}</span
            ><span class="second small">{{ item.note }}</span>
          </li>
        } @empty {
          <li role="option" aria-selected="false" class="none second">
            {{ q().trim() ? 'Nothing has this key or these words.' : 'Type a key or a word.' }}
          </li>
        }
      </ul>
    </div>
  `,
  styles: `
    .box {
      padding: 10px;
    }
    .line {
      display: flex;
      align-items: center;
      gap: 10px;
      padding: 4px 10px;
      border-bottom: 1px solid var(--hairline);
      font-size: 16px;
    }
    .ask {
      flex: 1;
      border: 0;
      outline: 0;
      background: none;
      color: inherit;
      font: inherit;
      padding: 8px 0;
    }
    ul {
      max-height: 420px;
      overflow: auto;
      padding: 6px 0;
    }
    li {
      display: flex;
      align-items: center;
      gap: 10px;
      padding: 7px 10px;
      border-radius: 8px;
      cursor: pointer;
    }
    li.on {
      background: var(--cord-tint);
    }
    li.none {
      cursor: default;
    }
  `,
})
export class JumpDialog {
  private readonly scope = useProject();
  private readonly router = inject(Router);
  private readonly dialog = inject(MatDialogRef);
  protected readonly icons = icons;
  protected readonly q = signal('');
  protected readonly at = signal(0);
  protected readonly found = this.scope.store.selectSignal(baseFeature.selectFound);

  constructor() {
    effect((onCleanup) => {
      const q = this.q();
      const timer = setTimeout(
        () =>
          untracked(() => {
            this.at.set(0);
            this.scope.store.dispatch(baseCommands.jump.start({ project: this.scope.slug(), q, build: this.scope.build() || undefined }));
          }),
        90,
      );
      onCleanup(() => clearTimeout(timer));
    });
  }

  protected keys(event: KeyboardEvent): void {
    const last = this.found().length - 1;
    if (event.key === 'ArrowDown') this.at.set(Math.min(last, this.at() + 1));
    else if (event.key === 'ArrowUp') this.at.set(Math.max(0, this.at() - 1));
    else if (event.key === 'Enter' && this.found()[this.at()]) this.go(this.found()[this.at()]);
    else return;
    event.preventDefault();
  }

  protected go(item: JumpItem): void {
    const link = recordLink(this.scope.slug(), item);
    this.dialog.close();
    void this.router.navigate([...link.path], { queryParams: link.query });
  }
}
