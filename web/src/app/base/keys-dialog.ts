import { ChangeDetectionStrategy, Component } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialogModule } from '@angular/material/dialog';

const groups: readonly { readonly title: string; readonly keys: readonly (readonly [string, string])[] }[] = [
  {
    title: 'Everywhere',
    keys: [
      ['Ctrl K', 'jump to a key or a word'],
      ['Alt 1 … Alt 5', 'Specify, Design, Run, Measure, Prove'],
      ['Alt 0', 'the Cord board'],
      ['/', 'filter the list'],
      ['Alt Shift 1 … 5', 'connections, comments, files, history, activity of a record'],
      ['?', 'this page'],
    ],
  },
  {
    title: 'Lists',
    keys: [
      ['↑ ↓', 'move'],
      ['Enter', 'open'],
      ['Space', 'choose'],
      ['Home End', 'first, last'],
    ],
  },
  {
    title: 'Bench',
    keys: [
      ['1 2 3 4', 'Pass, Fail, Deviation, Blocked'],
      ['Enter', 'next step'],
      ['↑ ↓', 'step before, after'],
      ['O', 'write what you observed'],
      ['R', 'raise a problem report'],
    ],
  },
  {
    title: 'Steps of a case',
    keys: [
      ['Alt ↑ Alt ↓', 'move the step'],
      ['Ctrl Enter', 'a new step below'],
      ['Ctrl S', 'save'],
    ],
  },
];

@Component({
  selector: 'cp-keys-dialog',
  imports: [MatDialogModule, MatButtonModule],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h2 mat-dialog-title>Keys</h2>
    <mat-dialog-content class="groups">
      @for (group of groups; track group.title) {
        <section>
          <h3>{{ group.title }}</h3>
          <dl>
            @for (key of group.keys; track key[0]) {
              <dt>
                <kbd>{{ key[0] }}</kbd>
              </dt>
              <dd>{{ key[1] }}</dd>
            }
          </dl>
        </section>
      }
      <p class="second small">Everything that a key does has a button as well.</p>
    </mat-dialog-content>
    <mat-dialog-actions align="end"><button mat-button mat-dialog-close>Close</button></mat-dialog-actions>
  `,
  styles: `
    .groups {
      display: grid;
      gap: 14px;
    }
    dl {
      display: grid;
      grid-template-columns: 130px 1fr;
      gap: 4px 12px;
      margin-top: 4px;
    }
  `,
})
export class KeysDialog {
  protected readonly groups = groups;
}
