import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { MatDialog, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { Router } from '@angular/router';
import type { JumpItem } from '@contract/base';
import { groupBy } from '@core/base';
import { actsHere } from './here-acts';
import { jumpOffers, type JumpAct, type JumpOffer } from './jump-offers';
import { KeysDialog } from './keys-dialog';
import { recordLink } from './links';
import { useProject } from './live';
import { baseActions, baseCommands, baseFeature } from './state';
import { theme } from './theme';
import { Icon } from './ui/icon';
import { useVisited } from './visited';

const icons: Record<JumpItem['kind'], string> = {
  specification: 'menu_book',
  requirement: 'edit_note',
  case: 'account_tree',
  run: 'library_books',
  round: 'assignment_turned_in',
  problem: 'bug_report',
  review: 'checklist',
  baseline: 'library_books',
  folder: 'folder',
  group: 'stacks',
  flow: 'account_tree',
  parameters: 'rule',
  decisionTable: 'table',
  stateTable: 'table',
  file: 'description',
};
const kindWords: Record<JumpItem['kind'], string> = {
  specification: 'Specifications',
  requirement: 'Requirements',
  case: 'Cases',
  run: 'Runs',
  round: 'Rounds',
  problem: 'Problem reports',
  review: 'Reviews',
  baseline: 'Baselines',
  folder: 'Folders of cases',
  group: 'Groups of cases',
  flow: 'Flows',
  parameters: 'Parameter sheets',
  decisionTable: 'Decision tables',
  stateTable: 'State tables',
  file: 'Code',
};

/** A line of the jump: a record that was found, or an offer. */
interface Line {
  readonly icon: string;
  readonly key: string;
  readonly title: string;
  readonly note: string;
  readonly take: JumpItem | JumpOffer;
  /** Its place among all lines. */
  at: number;
}

/** Finds records by key or words, goes to places, and does what can be done from anywhere; what was visited last comes first. */
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
          [attr.aria-activedescendant]="lines().length ? 'jump-' + at() : null"
          placeholder="BRK-007, wind, brake.c, today …"
          [value]="q()"
          (input)="q.set(qBox.value)"
          (keydown)="keys($event)"
        />
      </label>
      <div id="jump-list" class="found" role="listbox" aria-label="Found">
        @for (group of groups(); track group.name) {
          <div role="group" [attr.aria-label]="group.name">
            <span class="group second small" aria-hidden="true">{{ group.name }}</span>
            <ul role="presentation">
              @for (line of group.lines; track line.at) {
                <li
                  role="option"
                  tabindex="-1"
                  [id]="'jump-' + line.at"
                  [attr.aria-selected]="line.at === at()"
                  [class.on]="line.at === at()"
                  (click)="take(line)"
                  (keydown.enter)="take(line)"
                  (mouseenter)="at.set(line.at)"
                >
                  <cp-icon [name]="line.icon" />
                  @if (line.key) {
                    <b class="key">{{ line.key }}</b>
                  }
                  <span class="grow">
                    @for (part of parts(line.title); track $index) {
                      @if (part.found) {
                        <mark>{{ part.text }}</mark>
                      } @else {
                        <span>{{ part.text }}</span>
                      }
                    }</span
                  >&ngsp;<span class="second small">{{ line.note }}</span>
                </li>
              }
            </ul>
          </div>
        } @empty {
          <p class="none second" role="option" aria-selected="false">
            {{ q().trim() ? 'Nothing has this key or these words.' : 'Type a key or a word.' }}
          </p>
        }
      </div>
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
    .found {
      max-height: 460px;
      overflow: auto;
      padding: 6px 0;
    }
    .group {
      display: block;
      padding: 8px 10px 2px;
    }
    li,
    .none {
      display: flex;
      align-items: center;
      gap: 10px;
      padding: 7px 10px;
      border-radius: 8px;
      cursor: pointer;
      margin: 0;
    }
    li.on {
      background: var(--cord-tint);
    }
    .none {
      cursor: default;
    }
    mark {
      background: var(--waiting-tint);
      color: inherit;
    }
  `,
})
export class JumpDialog {
  private readonly scope = useProject();
  private readonly router = inject(Router);
  private readonly dialog = inject(MatDialogRef);
  private readonly dialogs = inject(MatDialog);
  protected readonly q = signal('');
  protected readonly at = signal(0);
  private readonly found = this.scope.store.selectSignal(baseFeature.selectFound);
  private readonly visited = useVisited().list();
  /** The page behind stays as it is while one looks. */
  private readonly here = actsHere(document.querySelector('main'));
  protected readonly groups = computed(() => {
    const offers = jumpOffers(
      {
        slug: this.scope.slug(),
        build: this.scope.build(),
        builds: (this.scope.project()?.builds ?? []).map(({ name }) => name),
        visited: this.visited,
        here: this.here,
      },
      this.q(),
    );
    const groups = [
      ...[...groupBy(offers, ({ group }) => group)].map(([name, list]) => ({
        name: name as string,
        lines: list.map((take): Line => ({ icon: take.icon, key: '', title: take.words, note: take.note, take, at: 0 })),
      })),
      ...[...groupBy(this.q().trim() ? this.found() : [], ({ kind }) => kind)].map(([kind, list]) => ({
        name: kindWords[kind],
        lines: list.map((take): Line => ({
          icon: icons[take.kind],
          key: take.key,
          title: take.title === take.key ? '' : take.title,
          note: take.note,
          take,
          at: 0,
        })),
      })),
    ];
    // A whole key was typed: its record comes before all places.
    const exact = groups.findIndex(({ lines }) =>
      lines.some(({ key }) => key !== '' && key.toLowerCase() === this.q().trim().toLowerCase()),
    );
    if (exact > 0) groups.unshift(...groups.splice(exact, 1));
    groups.flatMap(({ lines }) => lines).forEach((line, i) => (line.at = i));
    return groups;
  });
  protected readonly lines = computed(() => this.groups().flatMap(({ lines }) => lines));

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

  /** A title in pieces, those marked that were looked for. */
  protected parts(title: string): { readonly text: string; readonly found: boolean }[] {
    const words = this.q().trim().toLowerCase().split(/\s+/).filter(Boolean);
    const lower = title.toLowerCase();
    const parts: { text: string; found: boolean }[] = [];
    for (let from = 0; from < title.length;) {
      const next = words
        .map((word) => ({ at: lower.indexOf(word, from), length: word.length }))
        .filter(({ at }) => at >= 0)
        .sort((a, b) => a.at - b.at || b.length - a.length)[0] ?? { at: title.length, length: 0 };
      if (next.at > from) parts.push({ text: title.slice(from, next.at), found: false });
      if (next.length) parts.push({ text: title.slice(next.at, next.at + next.length), found: true });
      from = next.at + next.length;
    }
    return parts;
  }

  protected keys(event: KeyboardEvent): void {
    const lines = this.lines();
    if (event.key === 'ArrowDown') this.at.set(Math.min(lines.length - 1, this.at() + 1));
    else if (event.key === 'ArrowUp') this.at.set(Math.max(0, this.at() - 1));
    else if (event.key === 'Enter' && lines[this.at()]) this.take(lines[this.at()]);
    else return;
    event.preventDefault();
  }

  protected take({ take }: Line): void {
    const to = 'to' in take ? take.to : recordLink(this.scope.slug(), take);
    if ('do' in to && to.do === 'press')
      // What is pressed may open something: not before the focus is back on the page.
      this.dialog.afterClosed().subscribe(() => {
        to.button.focus();
        to.button.click();
      });
    this.dialog.close();
    if ('path' in to) void this.router.navigate([...to.path], { queryParams: to.query });
    else if ('do' in to) this.act(to);
    else if (to.length === 1) void this.router.navigateByUrl(to[0]);
    else void this.router.navigate([...to]);
  }

  private act(act: JumpAct): void {
    switch (act.do) {
      case 'build':
        return this.scope.store.dispatch(baseActions.buildChosen({ build: act.build }));
      case 'theme':
        return theme.toggle();
      case 'keys':
        return void this.dialogs.open(KeysDialog, { width: '520px' });
      case 'signOut':
        return this.scope.store.dispatch(baseCommands.signOut.start({}));
    }
  }
}
