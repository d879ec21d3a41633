import { ChangeDetectionStrategy, Component, effect, ElementRef, inject, signal, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { Factor } from '@contract/base';
import { Router } from '@angular/router';
import { selectRequest } from './command';
import { cameFrom } from './guard';
import { onAction, useProject } from './live';
import { Passkeys } from './passkeys';
import { baseCommands, baseFeature } from './state';
import { Icon } from './ui/icon';
import { ProblemNote } from './ui/problem-note';
import { Needs } from './ui/needs';

/** Sign-in; on a new installation, the first administrator with the code printed at start. */
@Component({
  selector: 'cp-sign-in',
  imports: [FormsModule, MatButtonModule, ProblemNote, Icon, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <main class="page-middle">
      <form class="sheet pad stack" (ngSubmit)="factor() ? show() : enter()">
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
        } @else if (!factor()) {
          <p class="second">The thread from requirement to proof, kept whole.</p>
        }
        @if (factor(); as kinds) {
          <p>Your password was right. Now your second factor:</p>
          @if (kinds.includes('totp') || kinds.includes('recovery')) {
            <label class="field"
              ><span>{{ codeWords(kinds) }}</span
              ><input
                #codeBox
                class="in"
                name="factor-code"
                [attr.inputmode]="kinds.includes('recovery') ? null : 'numeric'"
                maxlength="20"
                autocomplete="one-time-code"
                [(ngModel)]="factorCode"
            /></label>
          }
          <cp-problem [of]="showName" />
          <cp-problem [of]="askName" />
          @if (fault()) {
            <p class="note broken" role="alert"><cp-icon name="warning" /> {{ fault() }}</p>
          }
          <div class="row">
            @if (kinds.includes('totp') || kinds.includes('recovery')) {
              <button mat-flat-button type="submit" [cpNeeds]="codeMissing"><cp-icon name="lock" /> Sign in</button>
            }
            @if (kinds.includes('passkey')) {
              <button mat-stroked-button type="button" (click)="askPasskey()">Use a passkey</button>
            }
            <button mat-button type="button" (click)="again()">Somebody else</button>
          </div>
        } @else {
          <label class="field"
            ><span>Sign-in name</span><input class="in" name="login" [(ngModel)]="login" autocomplete="username"
          /></label>
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
        }
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
  protected readonly codeMissing = (): string => (this.factorCode().trim() ? '' : 'Type the code.');
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
  protected readonly factor = this.scope.store.selectSignal(baseFeature.selectFactor);
  protected readonly factorCode = signal('');
  protected readonly fault = signal('');
  protected readonly showName = baseCommands.showFactor.name;
  protected readonly askName = baseCommands.askPasskey.name;
  private readonly passkeys = inject(Passkeys);
  private readonly codeBox = viewChild<ElementRef<HTMLInputElement>>('codeBox');

  constructor() {
    this.scope.store.dispatch(baseCommands.getSetup.start({}));
    const back = cameFrom();
    const go = () => void this.router.navigateByUrl(back);
    for (const { done } of [baseCommands.signIn, baseCommands.showFactor]) onAction(done, ({ answer }) => !answer.factor && go());
    onAction(baseCommands.setUp.done, go);
    onAction(baseCommands.askPasskey.done, ({ answer }) => void this.showPasskey(answer));
    effect(() => this.codeBox()?.nativeElement.focus());
  }

  protected codeWords(kinds: readonly Factor['kind'][]): string {
    return [
      kinds.includes('totp') ? 'The code that your authenticator application shows now' : '',
      kinds.includes('recovery') ? (kinds.includes('totp') ? ', or a recovery code' : 'A recovery code') : '',
    ].join('');
  }

  protected show(): void {
    this.scope.store.dispatch(baseCommands.showFactor.start({ code: this.factorCode().trim() }));
    this.factorCode.set('');
  }

  protected askPasskey(): void {
    this.fault.set('');
    this.scope.store.dispatch(baseCommands.askPasskey.start({}));
  }

  private async showPasskey(options: Record<string, unknown>): Promise<void> {
    const passkey = await this.passkeys.show(options);
    if (passkey) this.scope.store.dispatch(baseCommands.showFactor.start({ passkey }));
    else this.fault.set('No passkey was shown. Try again, or use another second factor.');
  }

  protected again(): void {
    this.password.set('');
    this.scope.store.dispatch(baseCommands.signOut.start({}));
  }

  protected enter(): void {
    const login = this.login().trim().toLowerCase();
    const password = this.password();
    if (this.setup())
      this.scope.store.dispatch(baseCommands.setUp.start({ code: this.code(), printedName: this.printedName(), login, password }));
    else this.scope.store.dispatch(baseCommands.signIn.start({ login, password }));
  }
}
