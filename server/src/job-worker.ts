import { type MessagePort, workerData } from 'node:worker_threads';
import {
  Cancelled,
  openDatabase,
  Refusal,
  workBulkJob,
  type Carried,
  type DatabaseAddress,
  type JobFile,
  type JobProgress,
  type JobWork,
  type StoredJob,
} from './base';
import { makeProofPack } from './prove';
import { workRoundJob } from './run';
import { workImportJob } from './specify';
import './rooms';

/** A job on its way to the thread that does it, with the port through which it reports. */
export interface JobCall {
  readonly job: StoredJob;
  readonly port: MessagePort;
}

/** How a job ended: errors lose their class on their way between threads. */
export interface JobEnd extends Pick<Carried, 'refusal'> {
  readonly done?: JobFile | string | undefined;
  readonly cancelled?: true;
}

const works: Readonly<Record<string, JobWork>> = {
  pack: (job, progress) => makeProofPack(database.db, job, progress),
  bulk: (job, progress) => workBulkJob(database.db, job, progress),
  import: (job, progress) => workImportJob(database.db, job, progress),
  plan: (job, progress) => workRoundJob(database.db, job, progress),
};
const database = openDatabase({ ...(workerData as DatabaseAddress), connections: 3 });

/** Does one job in this thread. */
export default async function doJob({ job, port }: JobCall): Promise<JobEnd> {
  const progress: JobProgress = {
    report: (part, message) =>
      new Promise((resolve, reject) => {
        port.once('message', (answer: string) => (answer === 'on' ? resolve() : reject(new Cancelled())));
        port.postMessage({ part, message });
      }),
  };
  try {
    return { done: await works[job.kind](job, progress) };
  } catch (error) {
    if (error instanceof Cancelled) return { cancelled: true };
    if (error instanceof Refusal) return { refusal: { code: error.code, more: error.more } };
    throw error;
  } finally {
    port.close();
  }
}
