import { afterNextRender, ChangeDetectionStrategy, Component, ElementRef, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialog, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { Store } from '@ngrx/store';
import { filter, type Observable } from 'rxjs';
import { baseFeature } from '../state';
import { firstMissing, Needs } from './needs';

export interface SignRequest {
  readonly title: string;
  /** What the signature means, in a sentence. */
  readonly meaning: string;
  readonly printedName: string;
  readonly hash?: string;
  readonly needsReason: boolean;
  /** A deviation that the reviewer may accept. */
  readonly deviation?: string;
}

export interface SignAnswer {
  readonly password: string;
  readonly reason: string;
  readonly acceptDeviation: boolean;
}

/** Signing is a deliberate, separate act: meaning, printed name, the record's hash, and the password again. */
@Component({
  selector: 'cp-sign-dialog',
  imports: [FormsModule, MatButtonModule, MatDialogModule, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form (ngSubmit)="sign()">
      <h2 mat-dialog-title>{{ ask.title }}</h2>
      <mat-dialog-content class="stack">
        <p>{{ ask.meaning }}</p>
        <dl class="facts">
          <dt>Printed name</dt>
          <dd>{{ ask.printedName }}</dd>
          @if (ask.hash) {
            <dt>Record</dt>
            <dd class="code">{{ ask.hash.slice(0, 16) }}…{{ ask.hash.slice(-8) }}</dd>
          }
        </dl>
        @if (ask.deviation) {
          <label class="check"
            ><input type="checkbox" name="accept" [ngModel]="accept()" (ngModelChange)="accept.set($event)" /> I accept the deviation:
            {{ ask.deviation }}</label
          >
        }
        @if (ask.needsReason || accept()) {
          <label class="field"
            ><span>Reason</span
            ><textarea class="in" name="reason" rows="2" [ngModel]="reason()" (ngModelChange)="reason.set($event)"></textarea>
          </label>
        }
        <label class="field"
          ><span>Your password, again</span
          ><input
            class="in"
            type="password"
            name="password"
            autocomplete="current-password"
            [ngModel]="password()"
            (ngModelChange)="password.set($event)"
        /></label>
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button mat-button type="button" mat-dialog-close>Do not sign</button>
        <button mat-flat-button type="submit" [cpNeeds]="missing">Sign</button>
      </mat-dialog-actions>
    </form>
  `,
  styles: `
    mat-dialog-content {
      display: flex;
      flex-direction: column;
      gap: 12px;
      padding-bottom: 4px;
      min-width: min(420px, 80vw);
    }
  `,
})
export class SignDialog {
  protected readonly ask = inject<SignRequest>(MAT_DIALOG_DATA);
  private readonly dialog = inject<MatDialogRef<SignDialog, SignAnswer>>(MatDialogRef);
  protected readonly password = signal('');
  protected readonly reason = signal('');
  protected readonly accept = signal(false);
  protected readonly missing = (): string =>
    firstMissing(
      [(this.ask.needsReason || this.accept()) && this.reason().trim().length < 3, 'Say the reason.'],
      [!this.password(), 'Type your password.'],
    );

  constructor() {
    const form = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
    // At once, and not when the dialog has moved in: whoever types meanwhile must not find their password in the reason.
    afterNextRender(() => form.querySelector<HTMLElement>(this.ask.needsReason ? 'textarea' : 'input[type=password]')?.focus());
  }

  protected sign(): void {
    this.dialog.close({ password: this.password(), reason: this.reason(), acceptDeviation: this.accept() });
  }
}

/** Asks for a signature; answers when it was given, and not where it was not. */
export function askSignature(dialogs: MatDialog, data: SignRequest): Observable<SignAnswer> {
  return dialogs
    .open<SignDialog, SignRequest, SignAnswer>(SignDialog, { data, autoFocus: false })
    .afterClosed()
    .pipe(filter((answer): answer is SignAnswer => answer !== undefined));
}

/** How a screen asks whoever is signed in to put their name under a statement, with a reason. */
export function useStatement(): (ask: Pick<SignRequest, 'title' | 'meaning'>) => Observable<SignAnswer> {
  const dialogs = inject(MatDialog);
  const session = inject(Store).selectSignal(baseFeature.selectSession);
  return (ask) => askSignature(dialogs, { ...ask, printedName: session()?.person?.printedName ?? '', needsReason: true });
}
