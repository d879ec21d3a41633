import { MessageChannel } from 'node:worker_threads';
import type { Piscina } from 'piscina';
import { Cancelled, Refusal, type JobWork } from './base';
import type { JobCall, JobEnd } from './job-worker';

/**
 * Does jobs in threads of their own: however busy one is, this thread goes on answering, and goes on giving the job's sign of life, so
 * that no other node takes it over.
 */
export function inThreads(threads: Piscina): JobWork {
  return async (job, progress) => {
    const { port1, port2 } = new MessageChannel();
    port1.on('message', ({ part, message }: { part: number; message: string }) => {
      progress.report(part, message).then(
        () => port1.postMessage('on'),
        () => port1.postMessage('end'),
      );
    });
    try {
      const call: JobCall = { job, port: port2 };
      const end = (await threads.run(call, { transferList: [port2] })) as JobEnd;
      if (end.cancelled) throw new Cancelled();
      if (end.refusal) throw new Refusal(end.refusal.code, end.refusal.more);
      return end.done;
    } finally {
      port1.close();
    }
  };
}
