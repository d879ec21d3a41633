import { randomUUID } from 'node:crypto';
import type { Job } from '@contract/base';
import type { Role } from '@core/base';
import { and, asc, desc, eq, inArray, lt, or } from 'drizzle-orm';
import type { Database, Db } from './database';
import { Refusal, refusalWords } from './errors';
import { jobs } from './work-tables';
import { write, type Actor, type Writing } from './writing';

export type StoredJob = typeof jobs.$inferSelect;

export interface JobFile {
  readonly name: string;
  readonly bytes: number;
  readonly sha256: string;
}

/** How a worker reports while it works. `report` throws `Cancelled` once somebody cancelled the job. */
export interface JobProgress {
  report(progress: number, message: string): Promise<void>;
}

export class Cancelled extends Error {}

/** Does a job; answers the file that it made, or in words what it did. */
export type JobWork = (job: StoredJob, progress: JobProgress) => Promise<JobFile | string | undefined>;

const beat = 2000;
/** A worker that gave no sign of life for so long is dead: its job is taken over. */
const deadAfter = 7000;

export function asJob(row: StoredJob): Job {
  const { id, kind, state, progress, message, build, by, createdAt, finishedAt, fileName, fileBytes, fileHash } = row;
  return {
    id,
    kind,
    state,
    progress,
    message,
    build,
    by,
    createdAt,
    finishedAt,
    file: fileName && fileHash ? { name: fileName, bytes: fileBytes ?? 0, sha256: fileHash } : null,
  };
}

/** What one person may have waiting or running in a project. */
const jobsAPerson = 5;

/** Puts a job into the queue, within a transaction that says in the ledger what it is for. */
export async function addJobIn(w: Writing, kind: string, subject: string): Promise<number> {
  const { projectId, login } = w.actor;
  const open = await w.tx
    .select({ id: jobs.id })
    .from(jobs)
    .where(and(eq(jobs.projectId, projectId), eq(jobs.by, login), inArray(jobs.state, ['queued', 'running'])));
  if (open.length >= jobsAPerson)
    throw new Refusal('tooMany', { detail: `You have ${open.length} jobs waiting or running: wait for one of them, or cancel it.` });
  const [made] = await w.tx
    .insert(jobs)
    .values({ projectId, kind, build: subject, state: 'queued', progress: 0, message: 'Waiting for a worker', by: login, createdAt: w.at })
    .$returningId();
  return made.id;
}

export function addJob(db: Db, actor: Actor, kind: string, build: string): Promise<Job> {
  return write(db, actor, async (w) => {
    const id = await addJobIn(w, kind, build);
    w.log({ action: `${kind} asked for`, kind, key: build, after: { job: id } });
    const [row] = await w.tx.select().from(jobs).where(eq(jobs.id, id));
    return asJob(row);
  });
}

export async function listJobs(db: Db, projectId: number, kind: string, build: string): Promise<Job[]> {
  const rows = await db
    .select()
    .from(jobs)
    .where(and(eq(jobs.projectId, projectId), eq(jobs.kind, kind), eq(jobs.build, build)))
    .orderBy(desc(jobs.id))
    .limit(50);
  return rows.map(asJob);
}

export async function needJob(db: Db, projectId: number, id: number): Promise<StoredJob> {
  const [row] = await db
    .select()
    .from(jobs)
    .where(and(eq(jobs.projectId, projectId), eq(jobs.id, id)));
  if (!row) throw new Refusal('notFound');
  return row;
}

/** The newest jobs of a project, of all kinds. */
export async function newestJobs(db: Db, projectId: number): Promise<Job[]> {
  const rows = await db.select().from(jobs).where(eq(jobs.projectId, projectId)).orderBy(desc(jobs.id)).limit(50);
  return rows.map(asJob);
}

/** Cancels one's own job; an administrator anybody's. */
export function cancelJob(db: Db, actor: Actor, roles: readonly Role[], id: number): Promise<void> {
  return write(db, actor, async (w) => {
    const [row] = await w.tx
      .select()
      .from(jobs)
      .where(and(eq(jobs.projectId, actor.projectId), eq(jobs.id, id)))
      .for('update');
    if (!row) throw new Refusal('notFound');
    if (row.by !== actor.login && !roles.includes('administrator'))
      throw new Refusal('forbidden', { detail: `${row.by} asked for this: they, or an administrator, cancel it.` });
    if (row.state !== 'queued' && row.state !== 'running') throw new Refusal('stateForbids', { detail: 'It is finished already.' });
    await w.tx.update(jobs).set({ state: 'cancelled', message: 'Cancelled', finishedAt: w.at }).where(eq(jobs.id, id));
    w.log({ action: `${row.kind} cancelled`, kind: row.kind, key: row.build, after: { job: id } });
  });
}

/**
 * Takes jobs from the table, one at a time, with SKIP LOCKED: any node may run any job, and one whose worker was killed is
 * begun again by whoever notices first.
 */
export class JobRunner {
  private readonly holder = randomUUID();
  private timer: NodeJS.Timeout | undefined;
  private stopped = false;
  private busy: Promise<void> | undefined;

  constructor(
    private readonly database: Database,
    private readonly work: Readonly<Record<string, JobWork>>,
    private readonly warn: (error: unknown, text: string) => void,
  ) {}

  start(): void {
    this.timer = setInterval(() => this.poll(), 700);
  }

  async stop(): Promise<void> {
    this.stopped = true;
    clearInterval(this.timer);
    await this.busy;
  }

  private poll(): void {
    this.busy ??= this.round()
      .catch((error: unknown) => this.warn(error, 'job round failed'))
      .finally(() => (this.busy = undefined));
  }

  private async round(): Promise<void> {
    while (!this.stopped) {
      const job = await this.claim();
      if (!job) return;
      await this.run(job);
    }
  }

  private claim(): Promise<StoredJob | undefined> {
    return this.database.db.transaction(async (tx) => {
      const dead = new Date(Date.now() - deadAfter).toISOString();
      const [job] = await tx
        .select()
        .from(jobs)
        .where(
          and(
            inArray(jobs.kind, Object.keys(this.work)),
            or(eq(jobs.state, 'queued'), and(eq(jobs.state, 'running'), lt(jobs.heartbeat, dead))),
          ),
        )
        .orderBy(asc(jobs.id))
        .limit(1)
        .for('update', { skipLocked: true });
      if (!job) return undefined;
      await tx
        .update(jobs)
        .set({
          state: 'running',
          holder: this.holder,
          heartbeat: new Date().toISOString(),
          progress: 0,
          message: job.holder ? 'Begun again after its worker was lost' : 'Begun',
        })
        .where(eq(jobs.id, job.id));
      return job;
    });
  }

  private async run(job: StoredJob): Promise<void> {
    const { db } = this.database;
    const mine = and(eq(jobs.id, job.id), eq(jobs.state, 'running'), eq(jobs.holder, this.holder));
    const pulse = setInterval(
      () =>
        void db
          .update(jobs)
          .set({ heartbeat: new Date().toISOString() })
          .where(mine)
          .catch(() => undefined),
      beat,
    );
    const actor: Actor = { login: job.by, projectId: job.projectId, now: () => new Date() };
    try {
      const done = await this.work[job.kind](job, {
        report: async (progress, message) => {
          await db.update(jobs).set({ progress, message, heartbeat: new Date().toISOString() }).where(mine);
          const [row] = await db.select({ state: jobs.state, holder: jobs.holder }).from(jobs).where(eq(jobs.id, job.id));
          if (this.stopped || row?.state !== 'running' || row.holder !== this.holder) throw new Cancelled();
        },
      });
      const file = typeof done === 'object' ? done : undefined;
      const message = typeof done === 'string' ? done : 'Done';
      await write(db, actor, async (w) => {
        const [row] = await w.tx.select({ id: jobs.id }).from(jobs).where(mine).for('update');
        if (!row) throw new Cancelled();
        await w.tx
          .update(jobs)
          .set({
            state: 'done',
            progress: 1,
            message,
            finishedAt: w.at,
            ...(file ? { fileName: file.name, fileBytes: file.bytes, fileHash: file.sha256 } : {}),
          })
          .where(eq(jobs.id, job.id));
        w.log({ action: `${job.kind} ${file ? 'made' : 'done'}`, kind: job.kind, key: job.build, after: { job: job.id, ...file } });
      });
    } catch (error) {
      if (error instanceof Cancelled) return;
      const refused = error instanceof Refusal;
      if (!refused) this.warn(error, `job ${job.id} failed`);
      const message = refused ? refusalWords(error) : 'It failed; nothing was stored. Try again.';
      await db.update(jobs).set({ state: 'failed', message, finishedAt: new Date().toISOString() }).where(mine);
    } finally {
      clearInterval(pulse);
    }
  }
}
