import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { Factor } from '@contract/base';
import { onAction, useProject } from '../live';
import { Passkeys } from '../passkeys';
import { baseCommands, baseFeature } from '../state';
import { Icon } from '../ui/icon';
import { ProblemNote } from '../ui/problem-note';
import { firstMissing, Needs } from '../ui/needs';

/** What somebody is about to do with their second factors; each needs the password again. */
type Doing = { readonly what: 'totp' | 'passkey' | 'recovery' } | { readonly what: 'remove'; readonly factor: Factor };

const begins = { totp: baseCommands.beginTotp, passkey: baseCommands.beginPasskey, recovery: baseCommands.makeRecoveryCodes } as const;

/** One's second factors: authenticator applications and passkeys, added and removed with the password. */
@Component({
  selector: 'cp-factors-panel',
  imports: [DatePipe, FormsModule, MatButtonModule, Icon, ProblemNote, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet pad stack">
      <div class="between">
        <h2>Second factor</h2>
        @if (!doing() && !begun() && !recovery().length) {
          <span class="row">
            <button class="chip" type="button" (click)="begin({ what: 'totp' })"><cp-icon name="add" /> Authenticator application</button>
            <button class="chip" type="button" (click)="begin({ what: 'passkey' })"><cp-icon name="add" /> Passkey</button>
            @if (factors().length) {
              <button class="chip" type="button" (click)="begin({ what: 'recovery' })"><cp-icon name="add" /> Recovery codes</button>
            }
          </span>
        }
      </div>
      @if (factors().length) {
        <table class="list">
          <tbody>
            @for (f of factors(); track f.id) {
              <tr>
                <th scope="row">{{ f.name }}</th>
                <td>{{ f.left === null ? kindWords[f.kind] : f.left + ' left' }}</td>
                <td class="second small">
                  added {{ f.addedAt | date: 'yyyy-MM-dd' }}{{ f.usedAt ? ', last used ' + (f.usedAt | date: 'yyyy-MM-dd HH:mm') : '' }}
                </td>
                <td>
                  <button class="chip" type="button" (click)="begin({ what: 'remove', factor: f })">
                    Remove<span class="hidden-visually"> {{ f.name }}</span>
                  </button>
                </td>
              </tr>
            }
          </tbody>
        </table>
      } @else {
        <p class="second">
          None yet. With one, signing in asks for your password and then for a code of your phone or for your device; some projects ask for
          it before they let you sign.
        </p>
      }
      @if (doing(); as d) {
        <form class="row end" (ngSubmit)="go(d)">
          @if (d.what === 'passkey') {
            <label class="field"
              ><span>Its name, such as “Laptop”</span><input class="in" name="name" maxlength="60" [(ngModel)]="name"
            /></label>
          }
          <label class="field"
            ><span>Your password, again</span
            ><input class="in" type="password" name="password" autocomplete="current-password" [(ngModel)]="password"
          /></label>
          <button mat-flat-button type="submit" [cpNeeds]="missing">
            {{ d.what === 'remove' ? 'Remove it' : d.what === 'recovery' ? 'Make ten codes' : 'Go on' }}</button><button
            mat-button
            type="button"
            (click)="stop()"
          >
            Cancel
          </button>
        </form>
      }
      @if (recovery().length) {
        <p>
          Keep these where you do not keep your device: each signs you in once in place of your second factor. They are shown this once.
        </p>
        <ul class="codes code" aria-label="Recovery codes">
          @for (c of recovery(); track c) {
            <li>{{ c }}</li>
          }
        </ul>
        <div class="row">
          <a class="chip" [href]="recoveryFile()" download="cord-proof-recovery-codes.txt"><cp-icon name="download" /> As a file</a
          ><button class="chip" type="button" (click)="stop()">I have kept them</button>
        </div>
      }
      @if (begun(); as b) {
        <form class="row top" (ngSubmit)="confirm(b.id)">
          @if (picture(); as src) {
            <img [src]="src" width="168" height="168" alt="The secret as a picture for the authenticator application’s camera" />
          }
          <div class="stack-s grow">
            <p>Read the picture with your authenticator application, or type this secret into it. It is shown this once.</p>
            <code class="code">{{ b.secret }}</code>
            <div class="row end">
              <label class="field"
                ><span>Its name, such as “Phone”</span><input class="in" name="name" maxlength="60" [(ngModel)]="name"
              /></label>
              <label class="field"
                ><span>The code that it shows now</span
                ><input class="in narrow" name="code" inputmode="numeric" maxlength="6" autocomplete="one-time-code" [(ngModel)]="code"
              /></label>
              <button mat-flat-button type="submit" [cpNeeds]="codeMissing">Use it from now on</button
              ><button mat-button type="button" (click)="stop()">Cancel</button>
            </div>
          </div>
        </form>
      }
      @if (fault()) {
        <p class="note broken" role="alert"><cp-icon name="warning" /> {{ fault() }}</p>
      }
      @for (of of problems; track of) {
        <cp-problem [of]="of" />
      }
    </section>
  `,
  styles: `
    .top {
      align-items: start;
    }
    .narrow {
      width: 140px;
    }
    .codes {
      columns: 2;
      max-width: 320px;
      margin: 0;
      padding: 0;
      list-style: none;
    }
    img {
      border-radius: 8px;
    }
  `,
})
export class FactorsPanel {
  private readonly store = useProject().store;
  private readonly passkeys = inject(Passkeys);
  protected readonly factors = this.store.selectSignal(baseFeature.selectFactors);
  protected readonly problems = [
    baseCommands.beginTotp.name,
    baseCommands.confirmTotp.name,
    baseCommands.beginPasskey.name,
    baseCommands.addPasskey.name,
    baseCommands.removeFactor.name,
    baseCommands.makeRecoveryCodes.name,
  ];
  protected readonly kindWords: Readonly<Record<Factor['kind'], string>> = {
    totp: 'authenticator application',
    passkey: 'passkey',
    recovery: '',
  };
  protected readonly doing = signal<Doing | null>(null);
  protected readonly begun = signal<{ readonly id: number; readonly secret: string } | null>(null);
  protected readonly picture = signal('');
  protected readonly password = signal('');
  protected readonly name = signal('');
  protected readonly code = signal('');
  /** Codes just made: shown this once. */
  protected readonly recovery = signal<readonly string[]>([]);
  protected readonly recoveryFile = computed(
    () =>
      `data:text/plain;charset=utf-8,${encodeURIComponent(`Cord Proof: recovery codes, each good once\n\n${this.recovery().join('\n')}\n`)}`,
  );
  protected readonly fault = signal('');
  protected readonly missing = (): string =>
    firstMissing([this.doing()?.what === 'passkey' && !this.name().trim(), 'Give it a name.'], [!this.password(), 'Type your password.']);
  protected readonly codeMissing = (): string =>
    firstMissing([!this.name().trim(), 'Give it a name.'], [this.code().trim().length !== 6, 'Type the six digits that it shows now.']);

  constructor() {
    this.store.dispatch(baseCommands.listFactors.start({}));
    onAction(baseCommands.beginTotp.done, ({ answer }) => {
      this.stop();
      this.begun.set(answer);
      void this.draw(answer.uri);
    });
    onAction(baseCommands.makeRecoveryCodes.done, ({ answer }) => {
      this.stop();
      this.recovery.set(answer.codes);
    });
    onAction(baseCommands.beginPasskey.done, ({ answer }) => void this.make(answer));
    for (const { done } of [baseCommands.confirmTotp, baseCommands.addPasskey, baseCommands.removeFactor])
      onAction(done, () => this.stop());
  }

  private async draw(uri: string): Promise<void> {
    const { default: qrcode } = await import('qrcode');
    this.picture.set(await qrcode.toDataURL(uri, { margin: 2, width: 336 }));
  }

  protected begin(doing: Doing): void {
    this.stop();
    this.doing.set(doing);
  }

  protected stop(): void {
    this.doing.set(null);
    this.begun.set(null);
    this.recovery.set([]);
    for (const typed of [this.picture, this.password, this.name, this.code, this.fault]) typed.set('');
  }

  protected go(doing: Doing): void {
    const password = this.password();
    this.fault.set('');
    if (doing.what === 'remove') this.store.dispatch(baseCommands.removeFactor.start({ id: doing.factor.id, password }));
    else this.store.dispatch(begins[doing.what].start({ password }));
  }

  private async make(options: Record<string, unknown>): Promise<void> {
    const made = await this.passkeys.make(options);
    if (made) this.store.dispatch(baseCommands.addPasskey.start({ name: this.name().trim(), response: made }));
    else this.fault.set('This device made no passkey.');
  }

  protected confirm(id: number): void {
    this.store.dispatch(baseCommands.confirmTotp.start({ id, code: this.code().trim(), name: this.name().trim() }));
  }
}
