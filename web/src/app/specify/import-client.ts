import { Injectable } from '@angular/core';
import { wrap, type Remote } from 'comlink';
import type { ColumnMapping, ImportContext, ImportPreview } from '@core/specify';
import type { Importing } from './import.worker';

/** The page's side of the worker that reads tables; started when the first file is. */
@Injectable({ providedIn: 'root' })
export class ImportWorker {
  private remote: Remote<Importing> | undefined;

  private get importing(): Remote<Importing> {
    return (this.remote ??= wrap<Importing>(new Worker(new URL('./import.worker', import.meta.url), { type: 'module' })));
  }

  decode(bytes: Uint8Array): Promise<{ text: string; encoding: string } | undefined> {
    return this.importing.decode(bytes);
  }

  preview(csv: string, mapping: ColumnMapping | undefined, context: ImportContext): Promise<ImportPreview> {
    return this.importing.preview(csv, mapping, context);
  }
}
