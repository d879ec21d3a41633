import { DestroyRef, inject, signal } from '@angular/core';
import { addAttachments, listAttachments } from '@contract/base';
import { counted } from '@core/base';
import { proxy, wrap } from 'comlink';
import { Api } from '../base';
import type { KnownHere, ReadDocument, ReqifTasks } from './reqif-tasks';

/** What is being done to a file, and how far it is: from 0 to 1. */
export interface AtWork {
  readonly words: string;
  readonly part: number;
}

type Read = ReadDocument | { readonly fault: string };

/** Somebody stopped it. */
export class Stopped extends Error {}

/** Reads large files in a worker and sends them in parts: says how far it is, and can be stopped. */
export class TableReading {
  readonly at = signal<AtWork | null>(null);
  private end: (() => void) | undefined;

  constructor(private readonly api: Api) {}

  /** Reads a ReqIF document with what stands beside it. Throws `Stopped` where it was stopped. */
  read(files: readonly File[], here: KnownHere): Promise<Read> {
    const worker = new Worker(new URL('./reqif.worker', import.meta.url), { type: 'module' });
    const words = `Reading ${files[0].name}`;
    return this.work<Read>(words, async (stopped, reached) => {
      stopped.addEventListener('abort', () => worker.terminate());
      return wrap<ReqifTasks>(worker).read([...files], here, proxy(reached));
    }).finally(() => worker.terminate());
  }

  /** Sends what is packed, and answers under which name the server has it. */
  send(project: string, packed: Blob): Promise<string> {
    return this.work('Sending what was read', (stopped, reached) =>
      this.api.sendInParts(project, new File([packed], 'table.json.gz'), reached, stopped),
    );
  }

  stop(): void {
    this.end?.();
  }

  private work<R>(words: string, doing: (stopped: AbortSignal, reached: (part: number) => void) => Promise<R>): Promise<R> {
    this.stop();
    const abort = new AbortController();
    this.at.set({ words, part: 0 });
    return new Promise<R>((resolve, reject) => {
      this.end = () => {
        abort.abort();
        reject(new Stopped());
      };
      doing(abort.signal, (part) => {
        if (!abort.signal.aborted) this.at.set({ words, part });
      }).then(resolve, reject);
    }).finally(() => {
      if (!abort.signal.aborted) this.end = undefined;
      this.at.set(null);
    });
  }
}

/** The reading of a component, stopped with it. */
export function useTableReading(): TableReading {
  const reading = new TableReading(inject(Api));
  inject(DestroyRef).onDestroy(() => reading.stop());
  return reading;
}

const are = (n: number): string => `${counted(n, 'picture')} ${n === 1 ? 'is' : 'are'}`;

/** What becomes of a document’s pictures, in words; empty where it has none. */
export const pictureWords = ({ shown, without }: Pick<ReadDocument, 'shown' | 'without'>): string =>
  [
    shown.length ? `${are(shown.length)} taken with its texts.` : '',
    without.length
      ? `${are(without.length)} not in the file: the words that stand there instead are read. Where they stand beside it, choose them with it.`
      : '',
  ]
    .filter(Boolean)
    .join(' ');

/** Pictures stand with the specification before a text shows them; those that stand there already are not sent again. */
export async function storePictures(
  api: Api,
  at: { readonly project: string; readonly key: string },
  shown: ReadDocument['shown'],
): Promise<void> {
  if (!shown.length) return;
  const there = new Set((await api.call(listAttachments, at)).map(({ sha256 }) => sha256));
  for (const { file, sha256 } of shown) if (!there.has(sha256)) await api.call(addAttachments, at, [file]);
}
