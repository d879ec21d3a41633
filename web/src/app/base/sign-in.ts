import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router } from '@angular/router';
import { selectRequest } from './command';
import { cameFrom } from './guard';
import { onAction, useProject } from './live';
import { baseCommands, baseFeature } from './state';
import { Icon } from './ui/icon';
import { ProblemNote } from './ui/problem-note';

/** Sign-in; on a new installation, the first administrator with the code printed at start. */
@Component({
  selector: 'cp-sign-in',
  imports: [FormsModule, MatButtonModule, ProblemNote, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <main class="page-middle">
      <form class="sheet pad stack" (ngSubmit)="enter()">
        <div class="row">
          <svg width="40" height="30" viewBox="0 0 34 26" aria-hidden="true">
            <path d="M3 20c6 0 7-9 14-9s8 5 14-5" fill="none" stroke="var(--cord)" stroke-width="3" stroke-linecap="round" />
            <circle cx="16.5" cy="12" r="4.6" fill="var(--ink)" />
          </svg>
          <h1>Cord Proof</h1>
        </div>
        @if (setup()) {
          <p>
            This installation is new. Make its first administrator with the one-time code that was printed where the server was started.
          </p>
          <label class="field"
            ><span>One-time code</span><input class="in" name="code" [(ngModel)]="code" autocomplete="one-time-code"
          /></label>
          <label class="field"
            ><span>Your name, as it is printed beside signatures</span
            ><input class="in" name="printed" [(ngModel)]="printedName" autocomplete="name"
          /></label>
        } @else {
          <p class="second">The thread from requirement to proof, kept whole.</p>
        }
        <label class="field"><span>Sign-in name</span><input class="in" name="login" [(ngModel)]="login" autocomplete="username" /></label>
        <label class="field"
          ><span>Password</span
          ><input
            class="in"
            type="password"
            name="password"
            [(ngModel)]="password"
            [autocomplete]="setup() ? 'new-password' : 'current-password'"
        /></label>
        <cp-problem [of]="setup() ? setUpName : signInName" />
        <button mat-flat-button type="submit" [disabled]="busy()">
          <cp-icon name="lock" /> {{ setup() ? 'Make the administrator' : 'Sign in' }}
        </button>
      </form>
    </main>
  `,
  styles: `
    form {
      width: 400px;
      max-width: 100%;
    }
  `,
})
export class SignIn {
  private readonly scope = useProject();
  private readonly router = inject(Router);
  protected readonly setup = this.scope.store.selectSignal(baseFeature.selectSetupNeeded);
  private readonly entering = this.scope.store.selectSignal(selectRequest(baseCommands.signIn.name));
  protected readonly signInName = baseCommands.signIn.name;
  protected readonly setUpName = baseCommands.setUp.name;
  protected readonly busy = () => this.entering().pending > 0;
  protected readonly code = signal('');
  protected readonly printedName = signal('');
  protected readonly login = signal('');
  protected readonly password = signal('');

  constructor() {
    this.scope.store.dispatch(baseCommands.getSetup.start({}));
    const back = cameFrom();
    const go = () => void this.router.navigateByUrl(back);
    onAction(baseCommands.signIn.done, go);
    onAction(baseCommands.setUp.done, go);
  }

  protected enter(): void {
    const login = this.login().trim().toLowerCase();
    const password = this.password();
    if (this.setup())
      this.scope.store.dispatch(baseCommands.setUp.start({ code: this.code(), printedName: this.printedName(), login, password }));
    else this.scope.store.dispatch(baseCommands.signIn.start({ login, password }));
  }
}
