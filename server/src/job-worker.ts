import { type MessagePort, workerData } from 'node:worker_threads';
import {
  Cancelled,
  openDatabase,
  workBulkJob,
  type DatabaseAddress,
  type JobFile,
  type JobProgress,
  type JobWork,
  type StoredJob,
} from './base';
import { makeProofPack } from './prove';
import './rooms';

/** A job on its way to the thread that does it, with the port through which it reports. */
export interface JobCall {
  readonly job: StoredJob;
  readonly port: MessagePort;
}

const works: Readonly<Record<string, JobWork>> = {
  pack: (job, progress) => makeProofPack(database.db, job, progress),
  bulk: (job, progress) => workBulkJob(database.db, job, progress),
};
const database = openDatabase({ ...(workerData as DatabaseAddress), connections: 3 });

/** Does one job in this thread; `cancelled` where somebody cancelled it meanwhile. */
export default async function doJob({ job, port }: JobCall): Promise<JobFile | undefined | 'cancelled'> {
  const progress: JobProgress = {
    report: (part, message) =>
      new Promise((resolve, reject) => {
        port.once('message', (answer: string) => (answer === 'on' ? resolve() : reject(new Cancelled())));
        port.postMessage({ part, message });
      }),
  };
  try {
    return await works[job.kind](job, progress);
  } catch (error) {
    if (error instanceof Cancelled) return 'cancelled';
    throw error;
  } finally {
    port.close();
  }
}
