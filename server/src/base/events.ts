import type { FastifyInstance } from 'fastify';
import { onCommit } from './database';
import { authorise, type House } from './http';
import { ledgerEntries, ledgerHead } from './ledger';

const lookEvery = 1000;
const heartbeatEvery = 20_000;

/**
 * Live updates as server-sent events. The ledger is the event log: an event's id is its ledger number, so that a client
 * that lost the connection resumes where it was (`Last-Event-ID`), on this node or another.
 */
export function serveEvents(app: FastifyInstance, house: House): void {
  app.get('/api/projects/:project/events', { schema: { hide: true } }, async (request, reply) => {
    const { membership } = await authorise(house, 'member', request);
    const { db } = house.database;
    const asked = Number(request.headers['last-event-id'] ?? (request.query as { after?: string }).after);
    let seq = Number.isFinite(asked) && asked >= 0 ? asked : await ledgerHead(db, membership.projectId);
    reply.hijack();
    const { raw } = reply;
    raw.writeHead(200, {
      'content-type': 'text/event-stream',
      'cache-control': 'no-store',
      connection: 'keep-alive',
      'x-accel-buffering': 'no',
    });
    raw.write(`retry: 2000\n\n`);
    let looking = false;
    let again = false;
    const look = async (): Promise<void> => {
      if (looking) {
        again = true;
        return;
      }
      looking = true;
      try {
        do {
          again = false;
          for await (const { seq: id, at, who, action, kind, key } of ledgerEntries(db, membership.projectId, seq)) {
            raw.write(`id: ${id}\nevent: entry\ndata: ${JSON.stringify({ seq: id, at, who, action, kind, key })}\n\n`);
            seq = id;
          }
        } while (again);
      } catch (error) {
        // The database is away: the stream stays open and catches up from its number.
        request.log.warn({ err: error }, 'event stream could not read the ledger');
      } finally {
        looking = false;
      }
    };
    const off = onCommit((projectId) => void (projectId === membership.projectId && look()));
    const timer = setInterval(() => void look(), lookEvery);
    const beat = setInterval(() => raw.write(': still here\n\n'), heartbeatEvery);
    const close = (): void => void raw.end();
    open.add(close);
    raw.on('close', () => {
      off();
      clearInterval(timer);
      clearInterval(beat);
      open.delete(close);
    });
    await look();
  });
}

const open = new Set<() => void>();

/** Ends all open streams, so that the server can stop. */
export function endEvents(): void {
  for (const close of open) close();
  open.clear();
}
