import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import { onAction } from '../live';
import { baseCommands, baseFeature } from '../state';
import { OneTimeCode } from './one-time-code';
import { ProblemNote } from '../ui/problem-note';
import { firstMissing, Needs } from '../ui/needs';

/** The accounts of the installation: made and reset with a one-time code, disabled, enabled. Nobody sets another person's password. */
@Component({
  selector: 'cp-accounts-panel',
  imports: [FormsModule, MatButtonModule, ProblemNote, OneTimeCode, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet pad stack">
      <h2>Accounts of this installation</h2>
      <cp-problem [of]="names.person" /><cp-problem [of]="names.change" />
      @if (code(); as c) {
        <cp-one-time-code [login]="c.login" [code]="c.code" (closed)="code.set(null)" />
      }
      <table class="list">
        <thead>
          <tr>
            <th scope="col">Name</th>
            <th scope="col">Sign-in name</th>
            <th scope="col">State</th>
            <th scope="col"><span class="hidden-visually">Change</span></th>
          </tr>
        </thead>
        <tbody>
          @for (p of people(); track p.login) {
            <tr>
              <th scope="row">{{ p.printedName }}</th>
              <td>{{ p.login }}</td>
              <td>{{ p.disabled ? 'disabled' : p.installation ? 'administers the installation' : 'enabled' }}</td>
              <td class="row">
                <button class="chip" type="button" (click)="disable(p.login, !p.disabled)">
                  {{ p.disabled ? 'Enable' : 'Disable' }}<span class="hidden-visually"> {{ p.printedName }}</span>
                </button>
                <button class="chip" type="button" (click)="reset(p.login)">
                  Reset the password<span class="hidden-visually"> of {{ p.printedName }}</span>
                </button>
                <button class="chip" type="button" (click)="dropFactors(p.login)">
                  Remove second factors<span class="hidden-visually"> of {{ p.printedName }}</span>
                </button>
              </td>
            </tr>
          }
        </tbody>
      </table>
      <form class="row end" (ngSubmit)="add()">
        <label class="field"><span>Printed name</span><input class="in" name="pn" [(ngModel)]="printedName" /></label>
        <label class="field"><span>Sign-in name</span><input class="in" name="ln" autocomplete="off" [(ngModel)]="login" /></label>
        <button mat-stroked-button type="submit" [cpNeeds]="missing">Make the account</button>
      </form>
      <label class="row"
        ><input #needFactorBox type="checkbox" [checked]="needFactor()" (change)="setNeedFactor(needFactorBox)" /> Whoever administers, here
        or in a project, has signed in with a second factor</label
      >
      <cp-problem [of]="names.policy" />
      <p class="second small">
        You get a one-time code to hand over. Its person sets a password with it before anything else; every reset stands in the ledgers of
        their projects.
      </p>
    </section>
  `,
})
export class AccountsPanel {
  private readonly store = inject(Store);
  protected readonly people = this.store.selectSignal(baseFeature.selectPeople);
  protected readonly names = {
    person: baseCommands.addPerson.name,
    change: baseCommands.changePerson.name,
    policy: baseCommands.setPolicy.name,
  };
  protected readonly needFactor = this.store.selectSignal(baseFeature.selectAdministratorsNeedFactor);
  protected readonly printedName = signal('');
  protected readonly login = signal('');
  protected readonly missing = (): string =>
    firstMissing([!this.printedName().trim(), 'Type the printed name.'], [!this.login().trim(), 'Type the sign-in name.']);
  protected readonly code = signal<{ login: string; code: string } | null>(null);

  constructor() {
    this.store.dispatch(baseCommands.listPeople.start({}));
    this.store.dispatch(baseCommands.getPolicy.start({}));
    onAction(baseCommands.addPerson.done, ({ answer }) => {
      this.code.set({ login: answer.person.login, code: answer.code });
      this.login.set('');
      this.printedName.set('');
    });
    onAction(baseCommands.changePerson.done, ({ answer }) => {
      if (answer.code) this.code.set({ login: answer.person.login, code: answer.code });
    });
  }

  protected add(): void {
    this.store.dispatch(baseCommands.addPerson.start({ login: this.login().trim(), printedName: this.printedName().trim() }));
  }

  protected disable(login: string, disabled: boolean): void {
    this.store.dispatch(baseCommands.changePerson.start({ login, disabled }));
  }

  /** For somebody who lost theirs: they sign in with the password alone until they add one. */
  protected dropFactors(login: string): void {
    this.store.dispatch(baseCommands.changePerson.start({ login, dropFactors: true }));
  }

  protected setNeedFactor(box: HTMLInputElement): void {
    this.store.dispatch(baseCommands.setPolicy.start({ administratorsNeedFactor: box.checked }));
    // As the server has it: it says no to whoever has none of their own.
    box.checked = this.needFactor();
  }

  protected reset(login: string): void {
    this.store.dispatch(baseCommands.changePerson.start({ login, reset: true }));
  }
}
