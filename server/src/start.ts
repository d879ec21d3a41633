import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { FastifyInstance } from 'fastify';
import { Piscina } from 'piscina';
import { buildApp } from './app';
import { JobRunner, openDatabase, type Database, type DatabaseAddress } from './base';
import { makeProofPack, warmBoards, type SetPaper } from './prove';

export interface Running {
  readonly app: FastifyInstance;
  readonly database: Database;
  readonly address: string;
  stop(): Promise<void>;
}

/** Where the bundle lies: dist/server. */
const here = dirname(fileURLToPath(import.meta.url));

/** Starts one server node: the HTTP server and its share of the jobs. */
export async function startServer(told: {
  address: DatabaseAddress;
  port: number;
  secureCookies: boolean;
  log: boolean;
  signInLimit?: number;
}): Promise<Running> {
  const database = openDatabase(told.address);
  const webRoot = join(here, '..', 'web');
  const app = await buildApp({
    house: { database, now: () => new Date(), secureCookies: told.secureCookies },
    ...(existsSync(join(webRoot, 'index.html')) ? { webRoot } : {}),
    ...(told.signInLimit ? { signInLimit: told.signInLimit } : {}),
    logger: told.log ? { level: 'info' } : { level: 'warn' },
  });
  const papers = new Piscina({ filename: join(here, 'papers.js'), minThreads: 0, maxThreads: 1, idleTimeout: 10_000 });
  const setPaper: SetPaper = (paper) => papers.run(paper) as Promise<Uint8Array>;
  const runner = new JobRunner(database, { pack: (job, talk) => makeProofPack(database.db, job, talk, setPaper) }, (err, text) =>
    app.log.warn({ err }, text),
  );
  runner.start();
  const address = await app.listen({ host: '127.0.0.1', port: told.port });
  // Not waited for: a database that is away now is no reason not to start.
  void warmBoards(database.db).catch((err: unknown) => app.log.warn({ err }, 'no board was judged ahead'));
  return {
    app,
    database,
    address,
    stop: async () => {
      await app.close();
      await runner.stop();
      await papers.destroy();
      await database.close();
    },
  };
}
