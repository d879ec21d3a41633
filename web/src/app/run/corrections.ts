import { inject, signal } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { askReason } from '../base';

/** A finished result is corrected with a reason, which stays in its record; it is asked for once. */
export class Corrections {
  private readonly dialogs = inject(MatDialog);
  private readonly given = signal('');
  private asking = false;
  readonly reason = this.given.asReadonly();

  /** Another run: its own reason is asked for. */
  forget(): void {
    this.given.set('');
  }

  /** Must a reason be given first? Asks for it, and goes on once it is there. */
  mustSayWhy(run: { readonly key: string; readonly finishedAt: unknown } | null, then: () => void): boolean {
    if (!run?.finishedAt || this.given()) return false;
    if (this.asking) return true;
    this.asking = true;
    askReason(this.dialogs, {
      title: `Correct ${run.key}`,
      text: 'This run is finished. What it says now stays in its record, with the reason for the correction.',
      confirm: 'Correct it',
    }).subscribe({
      next: (reason) => {
        this.given.set(reason);
        then();
      },
      complete: () => (this.asking = false),
    });
    return true;
  }
}
