import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, signal, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { onAction, useProject } from '../live';
import { baseCommands, baseFeature } from '../state';
import { ProblemNote } from '../ui/problem-note';
import { NewPassword } from './new-password';
import { firstMissing, Needs } from '../ui/needs';

/** A device's own words about itself, as people know it. */
export function deviceWords(agent: string): string {
  const system = /Android|iPhone|iPad|Windows|Mac OS|Linux/.exec(agent)?.[0].replace('Mac OS', 'Mac') ?? '';
  const browser = /(Firefox|Edg|Chrome|Safari)\/(\d+)/.exec(agent);
  const name = browser && `${browser[1] === 'Edg' ? 'Edge' : browser[1]} ${browser[2]}`;
  return [name, system].filter(Boolean).join(' on ') || 'an unknown device';
}

/** One's own password and sessions. */
@Component({
  selector: 'cp-account-panel',
  imports: [DatePipe, FormsModule, MatButtonModule, ProblemNote, NewPassword, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="sheet pad stack" (ngSubmit)="change()">
      <h2>Your password</h2>
      <cp-problem [of]="names.password" />
      @if (changed()) {
        <p role="status" class="note">Changed. All your other sessions have ended.</p>
      }
      @if (scope.session(); as s) {
        <div class="row top">
          <label class="field"
            ><span>Present password</span
            ><input class="in" type="password" name="present" autocomplete="current-password" [(ngModel)]="present"
          /></label>
          <cp-new-password [person]="s.person" [(value)]="next" />
          <button mat-stroked-button type="submit" [cpNeeds]="missing">Change it</button>
        </div>
      }
    </form>
    <section class="sheet pad stack">
      <h2>Where you are signed in</h2>
      <table class="list">
        <thead>
          <tr>
            <th scope="col">Device</th>
            <th scope="col">Since</th>
            <th scope="col">Last used</th>
            <th scope="col"><span class="hidden-visually">Change</span></th>
          </tr>
        </thead>
        <tbody>
          @for (s of sessions(); track s.id) {
            <tr>
              <th scope="row">{{ device(s.device) }}</th>
              <td>{{ s.createdAt | date: 'yyyy-MM-dd HH:mm' }}</td>
              <td>{{ s.seenAt | date: 'yyyy-MM-dd HH:mm' }}</td>
              <td>
                @if (s.here) {
                  <span class="second">this one</span>
                } @else {
                  <button class="chip" type="button" (click)="end(s.id)">End it</button>
                }
              </td>
            </tr>
          }
        </tbody>
      </table>
    </section>
  `,
  styles: `
    :host {
      display: grid;
      gap: 16px;
    }
    .top {
      align-items: start;
    }
    .top button {
      margin-top: 22px;
    }
  `,
})
export class AccountPanel {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly sessions = this.store.selectSignal(baseFeature.selectSessions);
  protected readonly names = { password: baseCommands.changePassword.name };
  protected readonly device = deviceWords;
  protected readonly present = signal('');
  protected readonly next = signal('');
  protected readonly changed = signal(false);
  private readonly field = viewChild(NewPassword);
  protected readonly missing = (): string =>
    firstMissing(
      [!this.present(), 'Type your present password.'],
      [!this.next() || !this.field()?.good(), 'The new password is not good enough yet.'],
    );

  constructor() {
    this.store.dispatch(baseCommands.listSessions.start({}));
    onAction(baseCommands.changePassword.done, () => {
      this.changed.set(true);
      this.present.set('');
      this.next.set('');
      this.store.dispatch(baseCommands.listSessions.start({}));
    });
  }

  protected change(): void {
    this.changed.set(false);
    this.store.dispatch(baseCommands.changePassword.start({ present: this.present(), password: this.next() }));
  }

  protected end(id: string): void {
    this.store.dispatch(baseCommands.endSession.start({ id }));
  }
}
