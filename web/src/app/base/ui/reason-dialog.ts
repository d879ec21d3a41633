import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { Needs } from './needs';

export interface ReasonRequest {
  readonly title: string;
  readonly text: string;
  readonly confirm: string;
}

/** Asks for the reason that a decision is recorded with. */
@Component({
  selector: 'cp-reason-dialog',
  imports: [FormsModule, MatButtonModule, MatDialogModule, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form (ngSubmit)="confirm()">
      <h2 mat-dialog-title>{{ ask.title }}</h2>
      <mat-dialog-content class="stack">
        <p>{{ ask.text }}</p>
        <label class="field"
          ><span>Reason</span
          ><textarea class="in" name="reason" rows="3" [ngModel]="reason()" (ngModelChange)="reason.set($event)" cdkFocusInitial></textarea>
        </label>
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button mat-button type="button" mat-dialog-close>Cancel</button>
        <button mat-flat-button type="submit" [cpNeeds]="missing">{{ ask.confirm }}</button>
      </mat-dialog-actions>
    </form>
  `,
  styles: `
    mat-dialog-content {
      min-width: 420px;
    }
  `,
})
export class ReasonDialog {
  protected readonly ask = inject<ReasonRequest>(MAT_DIALOG_DATA);
  private readonly dialog = inject<MatDialogRef<ReasonDialog, string>>(MatDialogRef);
  protected readonly reason = signal('');
  protected readonly missing = (): string => (this.reason().trim().length < 3 ? 'Say the reason.' : '');

  protected confirm(): void {
    this.dialog.close(this.reason().trim());
  }
}
