import { parentPort, workerData } from 'node:worker_threads';
import { openDatabase, projects, tidyLimits, type DatabaseAddress } from '../base';
import { boundariesBehind, bringBoundaries } from '../design';
import '../rooms';
import { checkDaily } from './check';
import type { WorkerMessage, WorkerOrder } from './projections';
import { Projector } from './projector';

/** The thread in which builds are judged: it looks by itself, and at once when it is told that something is new. */
const database = openDatabase({ ...(workerData as DatabaseAddress), connections: 3 });
const projector = new Projector(database.db, () => new Date());
const lookEvery = 200;
const shortestPause = 100;
const longestPause = 1000;
const checkEvery = 3600_000;
const tidyEvery = 10 * 60_000;

let looking: Promise<void> | undefined;
let again = false;

async function poll(): Promise<void> {
  do {
    again = false;
    const begun = performance.now();
    for (const { projectId, buildId } of await projector.behind()) {
      const brought = await projector.bring(projectId, buildId);
      if (brought) parentPort?.postMessage({ projectId });
    }
    for (const projectId of await boundariesBehind(database.db)) await bringBoundaries(database.db, projectId);
    // Where entries come faster than they are judged, several are judged and told at once, and those who write get as much of the database.
    const pause = Math.min(longestPause, Math.max(shortestPause, performance.now() - begun));
    await new Promise((resolve) => setTimeout(resolve, pause));
  } while (again);
}

function hurry(): void {
  again = true;
  looking ??= poll()
    // The database is away, or two got into each other's way: the next look tries again.
    .catch((error: unknown) => {
      if (process.env['CORD_LOG'] === '1') console.error('projector', error);
    })
    .finally(() => (looking = undefined));
}

/** The daily check of every project; what it finds is told to whoever keeps the log. */
async function check(): Promise<void> {
  const tell = (alarm: string): void => parentPort?.postMessage({ alarm } satisfies WorkerMessage);
  for (const { id, name } of await database.db.select({ id: projects.id, name: projects.name }).from(projects)) {
    const found = await checkDaily({ database, now: () => new Date() }, projector, id);
    if (found?.verification.fault) tell(`${name}: the ledger is broken at entry ${found.verification.fault.seq}`);
    if (found?.verification.rowFaultCount) tell(`${name}: ${found.verification.rowFaultCount} rows are not what the ledger says`);
    const cut = found?.heads?.fault;
    if (cut) tell(`${name}: the ledger does not hold entry ${cut.seq} as it was signed on ${cut.at} (${cut.fault})`);
    for (const { build, keys } of found?.drifts ?? [])
      tell(`${name} ${build}: ${keys.length} cords were not what the ledger gives: ${keys.slice(0, 20).join(', ')}`);
  }
}

/** Answers what is asked beside the bringing-along; null where it could not be judged. */
async function answer({ asked, projectId, buildId, profile }: Extract<WorkerOrder, { asked: number }>): Promise<void> {
  const shifts = await projector.preview(projectId, buildId, profile).catch((error: unknown) => {
    if (process.env['CORD_LOG'] === '1') console.error('preview', error);
    return null;
  });
  parentPort?.postMessage({ answered: asked, shifts } satisfies WorkerMessage);
}

parentPort?.on('message', (order: WorkerOrder) => ('asked' in order ? void answer(order) : hurry()));
setInterval(hurry, lookEvery);
setInterval(() => void check().catch(() => undefined), checkEvery);
setInterval(() => {
  void projector.tidy().catch(() => undefined);
  void tidyLimits(database.db, new Date()).catch(() => undefined);
}, tidyEvery);
