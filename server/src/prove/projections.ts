import { eq } from 'drizzle-orm';
import { builds, onCommit, type Db, type Projections } from '../base';
import type { Projector } from './projector';
import { projections } from './tables';

/** How long a question waits for what it asks: then it is answered with what there is, and says how far that is true. */
const patience = 15_000;
const refreshWanted = 10 * 60_000;

/** What brings builds along: this process itself, or a worker that is told to hurry. */
export interface Drive {
  hurry(projectId: number, buildId: number): Promise<void>;
  stop(): Promise<void>;
}

/** Answers how far a build is judged, and waits for it where somebody asks for more. */
export class ProjectionService implements Projections {
  private readonly asked = new Map<number, number>();

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
      if (now >= wanted || Date.now() - begun > patience) return now;
      await this.drive.hurry(projectId, buildId);
      await new Promise((resolve) => setTimeout(resolve, pause));
    }
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
    stop: async () => undefined,
  };
}

export interface DriveWorker {
  postMessage(message: { projectId: number; buildId?: number }): void;
  on(event: 'message', listener: (message: { projectId: number }) => void): void;
  terminate(): Promise<unknown>;
}

/** Tells a worker thread what is new, and those who listen what it has done. */
export function workerDrive(worker: DriveWorker, brought: (projectId: number) => void): Drive {
  const off = onCommit((projectId) => worker.postMessage({ projectId }));
  worker.on('message', ({ projectId }) => brought(projectId));
  return {
    hurry: async (projectId, buildId) => worker.postMessage({ projectId, buildId }),
    stop: async () => {
      off();
      await worker.terminate();
    },
  };
}
