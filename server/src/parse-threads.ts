import { Piscina } from 'piscina';
import { received, Refusal, type Carried, type Parse } from './base';

/** What a file from outside may cost: a minute, a gibibyte; and so many wait at most. */
const seconds = 60;
const memory = 1024;
const waiting = 40;

/** Parses in threads of their own: whatever a file does to its parser, this thread goes on answering. */
export function parseThreads(filename: string): { readonly parse: Parse; stop(): Promise<void> } {
  const threads = new Piscina({
    filename,
    // One is always there: beginning one takes more than a second, and nobody is to wait for that.
    minThreads: 1,
    maxThreads: 2,
    maxQueue: waiting,
    idleTimeout: 10_000,
    // Whoever only asks comes before whoever brings a file that takes long to read.
    niceIncrement: 15,
    resourceLimits: { maxOldGenerationSizeMb: memory },
  });
  const parse = async <R>(name: string, input: unknown): Promise<R> => {
    const end = new AbortController();
    const timer = setTimeout(() => end.abort(), seconds * 1000);
    let carried: Carried;
    try {
      carried = (await threads.run({ name, input }, { signal: end.signal })) as Carried;
    } catch (error) {
      const { message, code, name: kind } = error as Error & { code?: string };
      if (kind === 'AbortError')
        throw new Refusal('unreadable', { detail: `It could not be read within ${seconds} seconds. Nothing was stored.` });
      if (code === 'ERR_WORKER_OUT_OF_MEMORY' || /memory/i.test(message))
        throw new Refusal('unreadable', { detail: `Reading it takes more than ${memory} MiB. Nothing was stored.` });
      if (/queue/i.test(message)) throw new Refusal('tooMany');
      throw error;
    } finally {
      clearTimeout(timer);
    }
    return received<R>(carried);
  };
  return { parse, stop: () => threads.destroy() };
}
