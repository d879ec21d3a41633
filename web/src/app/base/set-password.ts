import { ChangeDetectionStrategy, Component, inject, signal, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router } from '@angular/router';
import { cameFrom } from './guard';
import { onAction, useProject } from './live';
import { NewPassword } from './settings/new-password';
import { baseCommands } from './state';
import { ProblemNote } from './ui/problem-note';
import { firstMissing, Needs } from './ui/needs';

/** After signing in with a one-time code: one's own password has to be set before anything else. */
@Component({
  selector: 'cp-set-password',
  imports: [FormsModule, MatButtonModule, ProblemNote, NewPassword, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <main class="page-middle">
      <form class="sheet pad stack" (ngSubmit)="set()">
        <h1>Set your password</h1>
        <p class="second">
          You signed in with a one-time code. From now on you sign in, and sign records, with a password that only you know.
        </p>
        <cp-problem [of]="name" />
        <label class="field"
          ><span>The one-time code</span><input class="in" type="password" name="code" autocomplete="one-time-code" [(ngModel)]="code"
        /></label>
        @if (scope.session(); as s) {
          <cp-new-password [person]="s.person" [(value)]="next" />
        }
        <button mat-flat-button type="submit" [cpNeeds]="missing">Set it and go on</button>
      </form>
    </main>
  `,
  styles: `
    form {
      width: 440px;
      max-width: 100%;
    }
  `,
})
export class SetPassword {
  protected readonly scope = useProject();
  private readonly router = inject(Router);
  protected readonly name = baseCommands.changePassword.name;
  protected readonly code = signal('');
  protected readonly next = signal('');
  private readonly field = viewChild(NewPassword);
  protected readonly missing = (): string =>
    firstMissing(
      [!this.code(), 'Type the one-time code.'],
      [!this.next() || !this.field()?.good(), 'The new password is not good enough yet.'],
    );

  constructor() {
    const back = cameFrom();
    onAction(baseCommands.changePassword.done, () => this.scope.store.dispatch(baseCommands.getSession.start({})));
    onAction(baseCommands.getSession.done, ({ answer }) => {
      if (!answer.setPassword) void this.router.navigateByUrl(back);
    });
  }

  protected set(): void {
    this.scope.store.dispatch(baseCommands.changePassword.start({ present: this.code(), password: this.next() }));
  }
}
