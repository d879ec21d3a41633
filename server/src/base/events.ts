import type { FastifyInstance } from 'fastify';
import { findMember } from './access';
import { Refusal } from './errors';
import { callerOf, sessionCookieName, type AppContext } from './http';
import { ledgerEntries } from './ledger';
import type { EntryEvent, JudgedEvent } from './readers';

const heartbeatEvery = 20_000;
/** A stream ends so long after its session, membership or account did. */
const checkEvery = 1000;
const streamsAPerson = 20;

/**
 * Live updates as server-sent events. The ledger is the event log: an event's id is its ledger number, so that a client
 * that lost the connection resumes where it was (`Last-Event-ID`), on this node or another.
 */
export function serveEvents(app: FastifyInstance, context: AppContext): void {
  const streams = new Map<string, number>();
  const open = new Set<() => void>();
  app.addHook('preClose', async () => {
    for (const close of open) close();
    open.clear();
  });
  app.get('/api/projects/:project/events', { config: { may: 'member' }, schema: { hide: true } }, async (request, reply) => {
    const { membership, person } = callerOf(request);
    const { db } = context.database;
    const { projectId, slug } = membership;
    const mine = (streams.get(person.login) ?? 0) + 1;
    if (mine > streamsAPerson) throw new Refusal('tooMany', { detail: `One person may have ${streamsAPerson} windows listening at once.` });
    streams.set(person.login, mine);
    const asked = Number(request.headers['last-event-id'] ?? (request.query as { after?: string }).after ?? Number.NaN);
    reply.hijack();
    const { raw } = reply;
    raw.writeHead(200, {
      'content-type': 'text/event-stream',
      'cache-control': 'no-store',
      connection: 'keep-alive',
      'x-accel-buffering': 'no',
    });
    raw.write(`retry: 2000\n\n`);
    let seq = Number.POSITIVE_INFINITY;
    const held: EntryEvent[] = [];
    const tell = (event: EntryEvent): void => {
      if (event.seq <= seq) return;
      seq = event.seq;
      raw.write(`id: ${event.seq}\nevent: entry\ndata: ${JSON.stringify(event)}\n\n`);
    };
    const judged = (event: JudgedEvent): void => void raw.write(`event: judged\ndata: ${JSON.stringify(event)}\n\n`);
    let catching = true;
    const listening = await context.readers.listen(projectId, { entry: (event) => (catching ? held.push(event) : tell(event)), judged });
    const session = request.cookies[sessionCookieName(context)] ?? '';
    const check = setInterval(() => {
      findMember(db, session, slug, context.now)
        .then((found) => found?.membership ?? raw.end())
        // The database is away: nobody can say that the session has ended.
        .catch(() => undefined);
    }, checkEvery);
    const beat = setInterval(() => raw.write(': still here\n\n'), heartbeatEvery);
    const close = (): void => void raw.end();
    open.add(close);
    raw.on('close', () => {
      listening.end();
      clearInterval(check);
      clearInterval(beat);
      open.delete(close);
      const left = (streams.get(person.login) ?? 1) - 1;
      if (left) streams.set(person.login, left);
      else streams.delete(person.login);
    });
    seq = Number.isFinite(asked) && asked >= 0 ? asked : listening.from;
    try {
      if (seq < listening.from)
        for await (const { seq: id, at, who, action, kind, key } of ledgerEntries(db, projectId, seq)) {
          if (id > listening.from) break;
          tell({ seq: id, at, who, action, kind, key });
        }
    } catch (error) {
      request.log.warn({ err: error }, 'event stream could not read the ledger');
      raw.end();
    }
    catching = false;
    for (const event of held) tell(event);
  });
}
