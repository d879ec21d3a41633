import type { Job } from '@contract/base';
import type { AskedRound } from '@contract/run';
import { counted } from '@core/base';
import { eq } from 'drizzle-orm';
import { addJobIn, asJob, needJob, needOpenBuild, write, type Actor, type Db, type JobProgress, type StoredJob } from '../base';
import { writeRound } from './plan';
import { roundJobs } from './tables';

/** Asks for a round of many runs: a job plans it. */
export async function addLargeRound(db: Db, actor: Actor, asked: AskedRound): Promise<Job> {
  const id = await write(db, actor, async (w) => {
    const { name } = await needOpenBuild(w.tx, actor.projectId, asked.build);
    const jobId = await addJobIn(w, 'plan', name);
    await w.tx.insert(roundJobs).values({ jobId, asked });
    w.log({ action: 'round asked for', kind: 'build', key: name, after: { job: jobId, title: asked.title } });
    return jobId;
  });
  return asJob(await needJob(db, actor.projectId, id));
}

/** The job that plans a round: in one transaction, so that one that is cancelled or killed has written nothing. */
export async function workRoundJob(db: Db, job: StoredJob, progress: JobProgress): Promise<string> {
  const [{ asked }] = await db.select().from(roundJobs).where(eq(roundJobs.jobId, job.id));
  const actor: Actor = { login: job.by, projectId: job.projectId, now: () => new Date() };
  await progress.report(0.02, 'Cases are read');
  const { key, runs } = await writeRound(db, actor, asked, progress);
  return `${key} is planned: ${counted(runs, 'run')}`;
}
