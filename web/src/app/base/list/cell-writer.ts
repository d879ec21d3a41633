import { inject, Injectable } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { MatSnackBar } from '@angular/material/snack-bar';
import { firstValueFrom } from 'rxjs';
import { doBulk, previewBulk, undoBulk, type BulkAct, type Selection } from '@contract/base';
import { Api, failureWords } from '../api';
import { useProject } from '../live';
import { askReason } from '../trace-words';
import type { CellWritten } from './record-table';
import type { ListRow } from './state';

/** Writes one value of one record from a list, as an act on a single one: with the same rules, reasons and way back as an act on many. */
@Injectable({ providedIn: 'root' })
export class CellWriter {
  private readonly api = inject(Api);
  private readonly scope = useProject();
  private readonly notes = inject(MatSnackBar);
  private readonly dialogs = inject(MatDialog);

  /** Writes a cell: of what is approved with a reason. What became of it is said, and taken back on demand. */
  async write<R extends ListRow>(kind: Selection['kind'], noun: string, { row, column, text }: CellWritten<R>): Promise<void> {
    const act = column.edit?.act(text);
    if (!act) return this.says(`${row.key}: “${text}” is no ${column.words.toLowerCase()}. Nothing is written.`);
    let reason = '';
    if ((row as { state?: string }).state === 'approved') {
      const asked = {
        title: `Change an approved ${noun}`,
        text: `${row.key}: ${column.words} “${column.show(row)}” becomes “${text}”. It goes back to draft, and is approved anew.`,
        confirm: 'Change it',
      };
      reason = await firstValueFrom(askReason(this.dialogs, asked), { defaultValue: '' });
      if (!reason) return;
    }
    const done = await this.send(kind, row.key, act, reason);
    if (done === undefined) return;
    if (typeof done === 'string') return this.says(`${row.key} is as it was: ${done}`);
    this.notes
      .open(`${row.key}: ${column.words} is written.`, 'Undo', { duration: 8000 })
      .onAction()
      .subscribe(() => void this.undo(done).then((fault) => this.says(fault || `${row.key} is as it was.`)));
  }

  private says(text: string): void {
    this.notes.open(text, undefined, { duration: 6000 });
  }

  /** The number under which it can be taken back, or why it was refused; undefined where nothing differs. */
  private async send(kind: Selection['kind'], key: string, act: BulkAct, reason: string): Promise<number | string | undefined> {
    const asked = { project: this.scope.slug(), selection: { kind, keys: [key] }, act, reason };
    try {
      const { changed, items, digest } = await this.api.call(previewBulk, asked);
      if (!changed) return items[0]?.outcome === 'refused' ? items[0].words : undefined;
      return (await this.api.call(doBulk, { ...asked, digest })).id;
    } catch (error) {
      return failureWords(error);
    }
  }

  private async undo(id: number): Promise<string> {
    try {
      await this.api.call(undoBulk, { project: this.scope.slug(), id });
      return '';
    } catch (error) {
      return failureWords(error);
    }
  }
}
