import { inject, Injectable } from '@angular/core';
import { doBulk, previewBulk, undoBulk, type BulkAct, type Selection } from '@contract/base';
import { Api, ApiFailure } from '../api';
import { useProject } from '../live';

export type Written = { readonly id: number } | { readonly refused: string } | 'same';

/** Writes one value of one record from a list, as an act on a single one: with the same rules, reasons and way back as an act on many. */
@Injectable({ providedIn: 'root' })
export class CellWriter {
  private readonly api = inject(Api);
  private readonly scope = useProject();

  async write(kind: Selection['kind'], key: string, act: BulkAct, reason: string): Promise<Written> {
    const project = this.scope.slug();
    const asked = { project, selection: { kind, keys: [key] }, act, reason };
    try {
      const { changed, items, digest } = await this.api.call(previewBulk, asked);
      if (!changed) return items[0]?.outcome === 'refused' ? { refused: items[0].words } : 'same';
      return { id: (await this.api.call(doBulk, { ...asked, digest })).id };
    } catch (error) {
      return { refused: wordsOf(error) };
    }
  }

  /** Takes it back; what is wrong is said in words. */
  async undo(id: number): Promise<string> {
    try {
      await this.api.call(undoBulk, { project: this.scope.slug(), id });
      return '';
    } catch (error) {
      return wordsOf(error);
    }
  }
}

function wordsOf(error: unknown): string {
  if (!(error instanceof ApiFailure)) throw error;
  const { detail, fields, title } = error.problem;
  return detail || fields?.map(({ text }) => text).join(' ') || title;
}
