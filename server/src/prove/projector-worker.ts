import { parentPort, workerData } from 'node:worker_threads';
import { openDatabase, type DatabaseAddress } from '../base';
import { Projector } from './projector';

/** The thread in which builds are judged: it looks by itself, and at once when it is told that something is new. */
const database = openDatabase({ ...(workerData as DatabaseAddress), connections: 3 });
const projector = new Projector(database.db, () => new Date());
const lookEvery = 200;
const tidyEvery = 10 * 60_000;

let looking: Promise<void> | undefined;
let again = false;

async function look(): Promise<void> {
  do {
    again = false;
    for (const { projectId, buildId } of await projector.behind()) {
      const brought = await projector.bring(projectId, buildId);
      if (brought) parentPort?.postMessage({ projectId });
    }
  } while (again);
}

function hurry(): void {
  again = true;
  looking ??= look()
    // The database is away, or two got into each other's way: the next look tries again.
    .catch((error: unknown) => {
      if (process.env['CORD_LOG'] === '1') console.error('projector', error);
    })
    .finally(() => (looking = undefined));
}

parentPort?.on('message', hurry);
setInterval(hurry, lookEvery);
setInterval(() => void projector.tidy().catch(() => undefined), tidyEvery);
