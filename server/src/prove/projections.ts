import type { CordShifts, StandardProfile } from '@core/prove';
import { eq } from 'drizzle-orm';
import { builds, onCommit, Refusal, type Db, type Projections, type Tx } from '../base';
import type { Projector } from './projector';
import { judgedAt, projections } from './tables';

/** How long a question waits for what it asks: then it is answered with what there is, and says how far that is true. */
const patience = 15_000;
const refreshWanted = 10 * 60_000;

/** What brings builds along: this process itself, or a worker that is told to hurry. */
export interface Drive {
  hurry(projectId: number, buildId: number): Promise<void>;
  preview(projectId: number, buildId: number, profile: StandardProfile): Promise<CordShifts>;
  stop(): Promise<void>;
}

/** Answers how far a build is judged, and waits for it where somebody asks for more. */
export class ProjectionService implements Projections {
  private readonly asked = new Map<number, number>();
  /** Builds that have been judged at least once. */
  private readonly judged = new Set<number>();

  constructor(
    private readonly db: Db,
    private readonly projector: Projector,
    private readonly drive: Drive,
  ) {}

  async upTo(projectId: number, buildId: number, seq: number): Promise<number> {
    await this.want(projectId, buildId);
    const begun = Date.now();
    for (let pause = 5; ; pause = Math.min(100, pause * 1.5)) {
      const [row] = await this.db
        .select({ seq: projections.seq, closed: builds.closedSeq })
        .from(builds)
        .leftJoin(projections, eq(projections.buildId, builds.id))
        .where(eq(builds.id, buildId));
      const now = row?.seq ?? 0;
      // What was never judged is waited for; a closed build is true as it is.
      const wanted = Math.max(1, Math.min(seq, row?.closed ?? seq));
      if (now > 0) this.judged.add(buildId);
      if (now >= wanted || Date.now() - begun > patience) return now;
      await this.drive.hurry(projectId, buildId);
      await new Promise((resolve) => setTimeout(resolve, pause));
    }
  }

  async ready(projectId: number, buildId: number): Promise<void> {
    if (this.judged.has(buildId)) await this.want(projectId, buildId);
    else await this.upTo(projectId, buildId, 0);
  }

  async freeze(tx: Tx, projectId: number, buildId: number, seq: number): Promise<void> {
    const judged = await this.upTo(projectId, buildId, seq - 1);
    if (judged < seq - 1) throw new Refusal('busy');
    await tx.update(projections).set({ seq }).where(eq(projections.buildId, buildId));
    await tx.insert(judgedAt).ignore().values({ buildId, seq });
  }

  async preview(projectId: number, buildId: number, profile: StandardProfile): Promise<CordShifts> {
    await this.ready(projectId, buildId);
    return this.drive.preview(projectId, buildId, profile);
  }

  private async want(projectId: number, buildId: number): Promise<void> {
    const last = this.asked.get(buildId) ?? 0;
    if (Date.now() - last < refreshWanted) return;
    this.asked.set(buildId, Date.now());
    await this.projector.want(projectId, buildId);
  }

  stop(): Promise<void> {
    return this.drive.stop();
  }
}

/** Brings builds along in this process, when they are asked for: for tests and commands. */
export function localDrive(projector: Projector): Drive {
  return {
    hurry: async (projectId, buildId) => void (await projector.bring(projectId, buildId)),
    preview: (projectId, buildId, profile) => projector.preview(projectId, buildId, profile),
    stop: async () => undefined,
  };
}

export interface DriveWorker {
  postMessage(message: WorkerOrder): void;
  on(event: 'message', listener: (message: WorkerMessage) => void): void;
  on(event: 'error', listener: (error: unknown) => void): void;
  on(event: 'exit', listener: () => void): void;
  terminate(): Promise<unknown>;
}

/** What the thread is told: that something is new, or what is asked of it. */
export type WorkerOrder =
  | { readonly projectId: number; readonly buildId?: number }
  | { readonly asked: number; readonly projectId: number; readonly buildId: number; readonly profile: StandardProfile };
/** What the thread tells: a build that it brought along, what somebody should look at, or the answer to what was asked. */
export type WorkerMessage =
  { readonly projectId: number } | { readonly alarm: string } | { readonly answered: number; readonly shifts: CordShifts | null };
const restartAfter = 1000;

/** Tells a worker thread what is new, and those who listen what it has done; a thread that ended is begun again. */
export function workerDrive(begin: () => DriveWorker, brought: (projectId: number) => void, alarm: (text: string) => void): Drive {
  let stopped = false;
  let asked = 0;
  const waiting = new Map<number, (shifts: CordShifts | null) => void>();
  let worker = start();
  const off = onCommit((projectId, touching) => touching && worker.postMessage({ projectId }));
  function start(): DriveWorker {
    const begun = begin();
    begun.on('message', (message) => {
      if ('alarm' in message) alarm(message.alarm);
      else if ('answered' in message) waiting.get(message.answered)?.(message.shifts);
      else brought(message.projectId);
    });
    begun.on('error', (error) => alarm(`The thread that judges ended: ${String(error)}`));
    begun.on('exit', () => {
      for (const answer of waiting.values()) answer(null);
      if (!stopped)
        setTimeout(() => {
          if (!stopped) worker = start();
        }, restartAfter).unref();
    });
    return begun;
  }
  return {
    hurry: async (projectId, buildId) => worker.postMessage({ projectId, buildId }),
    preview: async (projectId, buildId, profile) => {
      const mine = ++asked;
      const shifts = await new Promise<CordShifts | null>((resolve) => {
        waiting.set(mine, resolve);
        worker.postMessage({ asked: mine, projectId, buildId, profile });
      });
      waiting.delete(mine);
      if (!shifts) throw new Refusal('busy');
      return shifts;
    },
    stop: async () => {
      stopped = true;
      off();
      await worker.terminate();
    },
  };
}
