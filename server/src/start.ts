import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type { FastifyInstance } from 'fastify';
import { Piscina } from 'piscina';
import { buildApp } from './app';
import { JobRunner, LedgerReaders, newestBuilds, openDatabase, type Database, type DatabaseAddress } from './base';
import { inThreads } from './job-threads';
import { parseThreads } from './parse-threads';
import { TrackerSync } from './run';
import { ProjectionService, Projector, workerDrive } from './prove';

export interface Running {
  readonly app: FastifyInstance;
  readonly database: Database;
  readonly address: string;
  stop(): Promise<void>;
}

/** Where the bundle lies: dist/server. */
const here = dirname(fileURLToPath(import.meta.url));

/** Starts one server node: the HTTP server and its share of the jobs. */
export async function startServer(options: {
  address: DatabaseAddress;
  port: number;
  secureCookies: boolean;
  log: boolean;
  signInLimit?: number;
  requestLimit?: number;
  trustProxy?: string;
}): Promise<Running> {
  const database = openDatabase(options.address);
  const webRoot = join(here, '..', 'web');
  const now = (): Date => new Date();
  const log: { warn?: (err: unknown, text: string) => void } = {};
  const readers = new LedgerReaders(database.db, (err) => log.warn?.(err, 'the ledger could not be read'));
  const projector = new Projector(database.db, now);
  const projections = new ProjectionService(
    database.db,
    projector,
    workerDrive(
      () => new Worker(join(here, 'projector.js'), { workerData: options.address, resourceLimits: { maxYoungGenerationSizeMb: 64 } }),
      (projectId) => readers.nudge(projectId, 'judged'),
      (text) => log.warn?.(undefined, text),
    ),
  );
  const parsing = parseThreads(join(here, 'parse.js'));
  const app = await buildApp({
    context: { database, now, secureCookies: options.secureCookies, readers, projections, parse: parsing.parse },
    ...(existsSync(join(webRoot, 'index.html')) ? { webRoot } : {}),
    ...(options.trustProxy ? { trustProxy: options.trustProxy } : {}),
    ...(options.signInLimit ? { signInLimit: options.signInLimit } : {}),
    ...(options.requestLimit ? { requestLimit: options.requestLimit } : {}),
    logger: options.log ? { level: 'info' } : { level: 'warn' },
  });
  log.warn = (err, text) => app.log.warn({ err }, text);
  const threads = new Piscina({
    filename: join(here, 'jobs.js'),
    minThreads: 0,
    maxThreads: 2,
    idleTimeout: 10_000,
    niceIncrement: 10,
    workerData: options.address,
  });
  const work = inThreads(threads);
  const runner = new JobRunner(database, { pack: work, bulk: work, import: work, plan: work }, (err, text) => app.log.warn({ err }, text));
  runner.start();
  const trackers = new TrackerSync(database.db, now, (err) => app.log.warn({ err }, 'the exchange with a tracker failed'));
  trackers.start();
  const address = await app.listen({ host: '127.0.0.1', port: options.port });
  // The newest builds are judged before anybody asks. Not waited for: a database that is away now is no reason not to start.
  void newestBuilds(database.db, 4)
    .then((newest) => Promise.all(newest.map(({ projectId, buildId }) => projector.want(projectId, buildId))))
    .catch((err: unknown) => app.log.warn({ err }, 'no board was judged ahead'));
  return {
    app,
    database,
    address,
    stop: async () => {
      await app.close();
      await runner.stop();
      await trackers.stop();
      await projections.stop();
      await threads.destroy();
      await parsing.stop();
      await database.close();
    },
  };
}
