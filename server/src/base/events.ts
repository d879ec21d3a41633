import type { FastifyInstance } from 'fastify';
import { membersAmong } from './access';
import { Refusal } from './errors';
import { callerOf, sessionCookieName, type AppContext } from './http';
import { ledgerEntries } from './ledger';
import { entriesText, judgedText, type EntryEvent, type LedgerNews } from './readers';

const heartbeatEvery = 20_000;
/** A stream ends so long after its session, membership or account did. */
const checkEvery = 1000;
const streamsAPerson = 20;

/** An open stream: whose session it is, of which project, and how it ends. */
interface Stream {
  readonly session: string;
  readonly slug: string;
  readonly end: () => void;
}

/**
 * Live updates as server-sent events. The ledger is the event log: an event's id is its ledger number, so that a client
 * that lost the connection resumes where it was (`Last-Event-ID`), on this node or another.
 */
export function serveEvents(app: FastifyInstance, context: AppContext): void {
  const streams = new Map<string, number>();
  const open = new Set<Stream>();
  app.addHook('preClose', async () => {
    for (const { end } of open) end();
    open.clear();
    clearInterval(checking);
  });
  // Access is asked for again while streams are open: for all of them at once.
  const checking = setInterval(() => {
    if (open.size)
      membersAmong(context.database.db, [...open], context.now)
        .then((still) => [...open].filter((stream) => !still.has(stream)).forEach(({ end }) => end()))
        // The database is away: nobody can say that a session has ended.
        .catch(() => undefined);
  }, checkEvery);
  checking.unref();
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
    const held: LedgerNews[] = [];
    const tell = ({ entries, judged, text }: LedgerNews): void => {
      const fresh = entries.filter((event) => event.seq > seq);
      seq = Math.max(seq, entries.at(-1)?.seq ?? 0);
      raw.write(fresh.length === entries.length ? text : entriesText(fresh) + judgedText(judged));
    };
    let catching = true;
    let listening: Awaited<ReturnType<typeof context.readers.listen>> | undefined;
    const left = (): void => {
      listening?.end();
      const others = (streams.get(person.login) ?? 1) - 1;
      if (others) streams.set(person.login, others);
      else streams.delete(person.login);
    };
    raw.on('close', left);
    try {
      listening = await context.readers.listen(projectId, (news) => (catching ? held.push(news) : tell(news)));
    } catch (error) {
      request.log.warn({ err: error }, 'event stream could not begin');
      raw.end();
      return;
    }
    // Gone before it began: nobody would end what listens for it.
    if (raw.destroyed) return listening.end();
    const stream: Stream = { session: request.cookies[sessionCookieName(context)] ?? '', slug, end: () => void raw.end() };
    const beat = setInterval(() => raw.write(': still here\n\n'), heartbeatEvery);
    open.add(stream);
    raw.on('close', () => {
      clearInterval(beat);
      open.delete(stream);
    });
    seq = Number.isFinite(asked) && asked >= 0 ? asked : listening.from;
    const missed: EntryEvent[] = [];
    try {
      if (seq < listening.from)
        for await (const { seq: id, at, who, action, kind, key } of ledgerEntries(db, projectId, seq)) {
          if (id > listening.from) break;
          seq = id;
          missed.push({ seq: id, at, who, action, kind, key });
        }
      if (missed.length) raw.write(entriesText(missed));
    } catch (error) {
      request.log.warn({ err: error }, 'event stream could not read the ledger');
      raw.end();
      return;
    }
    catching = false;
    for (const news of held) tell(news);
  });
}
