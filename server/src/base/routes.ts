import * as contract from '@contract/base';
import type { Readable } from 'node:stream';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import {
  closeSession,
  describeSession,
  dropSession,
  deviceCookie,
  endSession,
  knownDevice,
  listSessions,
  openSession,
  setupNeeded,
  useSetupCode,
} from './access';
import { serveEvents } from './events';
import { serveLedgerExport } from './export';
import { callerOf, deviceCookieName, serve, sessionCookieName, type AppContext } from './http';
import { beginIncoming, dropIncoming, getIncoming, takePart } from './incoming';
import { closeBuild } from './builds';
import { bulkWithItems, doBulk, listBulk, previewBulk, undoBulk } from './bulk';
import * as collaboration from './collaboration';
import { sha256Of } from './digest';
import { Refusal } from './errors';
import { factorKinds } from './factors';
import { makeRecoveryCodes } from './recovery-codes';
import { addField, listFields, saveField } from './fields';
import { sendFile } from './files';
import { cancelJob, newestJobs } from './jobs';
import { listLedger } from './ledger';
import { refuseTooMany } from './limits';
import { accountOf, checkPassword, hashPassword, needGoodPassword, type SignedIn } from './passwords';
import { changeFilter, dropFilter, listFilters, saveFilter } from './saved-filters';
import { changePerson, invitePerson, listPeople, setOwnPassword } from './people';
import * as factor from './second-factor';
import type { Site } from './second-factor';
import { countMeanings, signRecord } from './sign-record';
import { allowStorage } from './storage';
import { addToken, endToken, listTokens } from './tokens';
import { addProject, getProject, setMember, setProfile } from './project';
import { countTraces, listTraceKinds, saveTraceKind } from './trace-kinds';
import { uploads, type Upload } from './uploads';

export function baseRoutes(app: FastifyInstance, context: AppContext, signInLimit: number): void {
  const { db } = context.database;
  const enter = async (
    request: FastifyRequest,
    reply: FastifyReply,
    person: SignedIn,
    factor: 'none' | 'pending' | 'shown' = 'none',
  ): Promise<contract.Session> => {
    const id = await openSession(db, person, context.now, request.headers['user-agent'] ?? '', factor);
    const cookie = { path: '/', httpOnly: true, sameSite: 'strict', secure: context.secureCookies } as const;
    reply.setCookie(sessionCookieName(context), id, cookie);
    reply.setCookie(deviceCookieName(person.login), await deviceCookie(db, person.login), { ...cookie, maxAge: 365 * 24 * 3600 });
    const shown = { factorPending: factor === 'pending', factorAt: factor === 'shown' ? context.now().toISOString() : null };
    return describeSession(db, { ...person, ...shown }, context.now());
  };
  // Guessing is slowed by address, over all nodes, on top of what counts by account.
  const slowDown = (request: FastifyRequest): Promise<void> =>
    refuseTooMany(db, { name: `signIn:${request.ip}`, most: signInLimit, seconds: 60 }, context.now());
  const session = (request: FastifyRequest): string => request.cookies[sessionCookieName(context)] ?? '';
  serve(app, context, contract.signIn, async ({ body, request, reply }) => {
    await slowDown(request);
    const account = accountOf(body.login);
    const device = await knownDevice(db, account, request.cookies[deviceCookieName(account)]);
    const person = await checkPassword(db, account, body.password, context.now, device === undefined ? 'stranger' : { device });
    return enter(request, reply, person, (await factorKinds(db, person.id)).length ? 'pending' : 'none');
  });
  factorRoutes(app, context, (request, reply, person) => enter(request, reply, person, 'shown'));
  serve(app, context, contract.setUp, async ({ body, request, reply }) => {
    await slowDown(request);
    const { code, password, ...person } = body;
    needGoodPassword(password, person);
    await useSetupCode(db, code, { ...person, passwordHash: await hashPassword(password) }, context.now);
    return enter(request, reply, await checkPassword(db, body.login, password, context.now));
  });
  serve(app, context, contract.getSetup, async () => ({ needed: await setupNeeded(db) }));
  serve(app, context, contract.getSession, ({ person }) => describeSession(db, person, context.now()));
  serve(app, context, contract.signOut, async ({ person, request, reply }) => {
    await closeSession(db, session(request), person, context.now);
    reply.clearCookie(sessionCookieName(context), { path: '/' });
    return { ok: true as const };
  });
  serve(app, context, contract.listSessions, ({ person, request }) => listSessions(db, person.id, session(request), context.now()));
  serve(app, context, contract.endSession, async ({ person, params, request }) => {
    await endSession(db, person, params.id, context.now);
    return listSessions(db, person.id, session(request), context.now());
  });
  serve(app, context, contract.changePassword, async ({ person, body, actor, request }) => {
    await checkPassword(db, person.login, body.present, context.now, 'session');
    await setOwnPassword(db, actor, person, body.password, session(request));
    return { ok: true as const };
  });
  serve(app, context, contract.listPeople, () => listPeople(db));
  serve(app, context, contract.addPerson, ({ actor, body }) => invitePerson(db, actor, body));
  serve(app, context, contract.changePerson, ({ actor, params, body }) => changePerson(db, actor, params.login, body));
  serve(app, context, contract.listTokens, ({ membership }) => listTokens(db, membership.projectId));
  serve(app, context, contract.addToken, ({ actor, body }) => addToken(db, actor, body));
  serve(app, context, contract.endToken, async ({ actor, params }) => {
    await endToken(db, actor, params.id);
    return { ok: true as const };
  });
  incomingRoutes(app, context);
  serve(app, context, contract.addProject, ({ actor, person, body }) => addProject(db, actor, person.id, body));
  serve(app, context, contract.getProject, ({ membership }) => getProject(db, membership.projectId));
  serve(app, context, contract.setMember, ({ actor, params, body }) => setMember(db, actor, params.login, body.roles));
  serve(app, context, contract.allowStorage, ({ person, params, body }) =>
    allowStorage(db, person.login, params.project, body.allowed, context.now),
  );
  serve(app, context, contract.setProfile, ({ actor, body }) => setProfile(db, actor, body));
  serve(app, context, contract.listLedger, ({ membership, query }) => listLedger(db, membership.projectId, query));
  serve(app, context, contract.listInstallationLedger, ({ query }) => listLedger(db, 0, query));
  serve(app, context, contract.closeBuild, ({ actor, params, body }) => closeBuild(context, actor, params.key, body));
  serve(app, context, contract.countTraces, ({ membership }) => countTraces(db, membership.projectId));
  serve(app, context, contract.listTraceKinds, ({ membership }) => listTraceKinds(db, membership.projectId));
  serve(app, context, contract.saveTraceKind, ({ actor, params, body }) => saveTraceKind(db, actor, { name: params.name, ...body }));
  serve(app, context, contract.listFilters, ({ membership, person, query }) =>
    listFilters(db, membership.projectId, person.login, query.list),
  );
  serve(app, context, contract.saveFilter, ({ actor, body }) => saveFilter(db, actor, body));
  serve(app, context, contract.changeFilter, ({ actor, params, body }) => changeFilter(db, actor, params.id, body));
  serve(app, context, contract.dropFilter, async ({ actor, params }) => {
    await dropFilter(db, actor, params.id);
    return { ok: true as const };
  });
  serve(app, context, contract.listFields, ({ membership }) => listFields(db, membership.projectId));
  serve(app, context, contract.addField, ({ actor, body }) => addField(db, actor, body));
  serve(app, context, contract.saveField, ({ actor, params, body }) => saveField(db, actor, params.id, body));
  serve(app, context, contract.previewBulk, ({ actor, membership, body }) => previewBulk(db, actor, membership.roles, body));
  serve(app, context, contract.doBulk, ({ actor, membership, body }) => doBulk(db, actor, membership.roles, body));
  serve(app, context, contract.listBulk, ({ membership, query }) => listBulk(db, membership.projectId, query.before));
  serve(app, context, contract.getBulk, ({ membership, params, query }) =>
    bulkWithItems(db, membership.projectId, params.id, query.after, query.outcome),
  );
  serve(app, context, contract.undoBulk, ({ actor, membership, params }) => undoBulk(db, actor, membership.roles, params.id));
  serve(app, context, contract.listJobs, ({ membership }) => newestJobs(db, membership.projectId));
  serve(app, context, contract.cancelJob, async ({ actor, membership, params }) => {
    await cancelJob(db, actor, membership.roles, params.id);
    return { ok: true as const };
  });
  serveLedgerExport(app, context);
  recordRoutes(app, context);
  serveEvents(app, context);
}

/** Second factors: shown while signing in, and those that one has. */
function factorRoutes(
  app: FastifyInstance,
  context: AppContext,
  enter: (request: FastifyRequest, reply: FastifyReply, person: SignedIn) => Promise<contract.Session>,
): void {
  const { db } = context.database;
  const idOf = (request: FastifyRequest): string => request.cookies[sessionCookieName(context)] ?? '';
  const hashed = (request: FastifyRequest): string => sha256Of(idOf(request));
  const again = (person: SignedIn, password: string): Promise<SignedIn> =>
    checkPassword(db, person.login, password, context.now, 'session');
  const siteOf = ({ hostname, headers: { host }, protocol }: FastifyRequest): Site => ({
    host: hostname.replace(/:\d+$/, ''),
    origin: `${context.secureCookies ? 'https' : protocol}://${host ?? hostname}`,
  });
  serve(app, context, contract.askPasskey, async ({ person, request }) => ({
    ...(await factor.askPasskey(db, person, hashed(request), siteOf(request))),
  }));
  serve(app, context, contract.showFactor, async ({ person, body, request, reply }) => {
    if (!person.factorPending) throw new Refusal('stateForbids', { detail: 'This session asks for no second factor.' });
    await factor.checkFactor(db, person, body, hashed(request), siteOf(request), context.now);
    // A new session takes its place: whoever knew the half one knows nothing of it.
    await dropSession(db, idOf(request));
    return enter(request, reply, person);
  });
  serve(app, context, contract.listFactors, ({ person }) => factor.listFactors(db, person.id));
  serve(app, context, contract.beginTotp, async ({ person, body }) => {
    await again(person, body.password);
    return factor.beginTotp(db, person, context.now);
  });
  serve(app, context, contract.confirmTotp, async ({ person, params, body, request }) => {
    await factor.confirmTotp(db, person, { id: params.id, ...body }, hashed(request), context.now);
    return factor.listFactors(db, person.id);
  });
  serve(app, context, contract.beginPasskey, async ({ person, body, request }) => {
    await again(person, body.password);
    return { ...(await factor.beginPasskey(db, person, hashed(request), siteOf(request))) };
  });
  serve(app, context, contract.addPasskey, async ({ person, body, request }) => {
    await factor.addPasskey(db, person, body, hashed(request), siteOf(request), context.now);
    return factor.listFactors(db, person.id);
  });
  serve(app, context, contract.makeRecoveryCodes, async ({ person, body }) => {
    await again(person, body.password);
    return { codes: await makeRecoveryCodes(db, person, context.now), factors: await factor.listFactors(db, person.id) };
  });
  serve(app, context, contract.removeFactor, async ({ person, params, body }) => {
    await again(person, body.password);
    await factor.removeFactor(db, person, params.id, context.now);
    return factor.listFactors(db, person.id);
  });
  const policy = async () => ({ administratorsNeedFactor: await factor.administratorsNeedFactor(db) });
  serve(app, context, contract.getInstallationPolicy, policy);
  serve(app, context, contract.setInstallationPolicy, async ({ person, body }) => {
    await factor.setAdministratorsNeedFactor(db, person, body.administratorsNeedFactor, context.now);
    return policy();
  });
}

/** Large files in parts: announced, sent part by part, asked after when the connection was lost. */
function incomingRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  serve(app, context, contract.beginIncoming, ({ membership, person, body }) =>
    beginIncoming(db, membership.projectId, person.login, body, context.now()),
  );
  serve(app, context, contract.getIncoming, ({ membership, person, params }) =>
    getIncoming(db, membership.projectId, person.login, params.id),
  );
  serve(app, context, contract.dropIncoming, async ({ membership, person, params }) => {
    await dropIncoming(db, membership.projectId, person.login, [params.id]);
    return { ok: true as const };
  });
  // The body is the part itself: it is not parsed but stored as it arrives.
  void app.register(async (raw) => {
    raw.removeAllContentTypeParsers();
    raw.addContentTypeParser('application/octet-stream', (_request, payload, done) => done(null, payload));
    raw.put<{ Params: { project: string; id: string }; Querystring: { from?: string }; Body: Readable }>(
      '/api/projects/:project/incoming/:id',
      {
        bodyLimit: 256 << 20,
        config: { may: contract.beginIncoming.may },
        schema: { summary: 'The next part of a file that is coming, from the byte that it has come to', tags: ['Base'] },
      },
      (request) => {
        const { membership, person } = callerOf(request);
        const { params, query, body } = request;
        return takePart(db, membership.projectId, person.login, params.id, Number(query.from ?? Number.NaN), body);
      },
    );
  });
}

const fileLimits = { fileSize: 25 << 20, files: 20, total: 100 << 20 };

/** One set of routes for what every kind of record has. */
function recordRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  const c = collaboration;
  serve(app, context, contract.getRecord, ({ membership, person, params, query }) =>
    c.getRecord(db, membership.projectId, person.id, params.key, query.asOf),
  );
  serve(app, context, contract.recordHistory, async ({ membership, params, query }) =>
    c.recordHistory(db, (await c.needAnyRecord(db, membership.projectId, params.key)).id, query.before, query.limit),
  );
  serve(app, context, contract.signRecord, ({ actor, membership, params, body }) =>
    signRecord(db, actor, membership.roles, params.key, body),
  );
  serve(app, context, contract.countMeanings, ({ membership }) => countMeanings(db, membership.projectId));
  serve(app, context, contract.setOwnFields, ({ actor, params, body }) =>
    c.setOwnFields(db, actor, params.key, body.basedOn, body.own, body.reason),
  );
  serve(app, context, contract.retireRecord, ({ actor, params, body }) => c.retireRecord(db, actor, params.key, body.retired, body.reason));
  serve(app, context, contract.listComments, ({ membership, params, query }) =>
    c.listComments(db, membership.projectId, params.key, query.after),
  );
  serve(app, context, contract.addComment, ({ actor, person, params, body }) => c.addComment(db, actor, person, params.key, body));
  serve(app, context, contract.resolveComment, ({ actor, params, body }) =>
    c.resolveComment(db, actor, params.key, params.id, body.resolved),
  );
  serve(app, context, contract.listAttachments, ({ membership, params }) => c.listAttachments(db, membership.projectId, params.key));
  serve(app, context, contract.addAttachments, async ({ actor, params, request }) => {
    const files: Upload[] = [];
    for await (const file of uploads(request, fileLimits)) files.push(file);
    return c.addAttachments(db, actor, params.key, files);
  });
  serve(app, context, contract.removeAttachment, async ({ actor, params }) => {
    await c.removeAttachment(db, actor, params.key, params.id);
    return { ok: true as const };
  });
  serve(app, context, contract.setFollowing, ({ membership, person, params, body }) =>
    c.setFollowing(db, membership.projectId, person.id, params.key, body.follow),
  );
  serve(app, context, contract.setPresence, ({ membership, person, params, body }) =>
    c.setPresence(db, membership.projectId, person, params.key, body, context.now()),
  );
  serve(app, context, contract.setExternalId, ({ actor, params, body }) => c.setExternalId(db, actor, params.key, params.system, body.id));
  app.get<{ Params: { project: string; id: string } }>(
    '/api/projects/:project/files/:id',
    { config: { may: 'member' }, schema: { summary: 'A file at a record', tags: ['Base'] } },
    async (request, reply) => {
      const { membership } = callerOf(request);
      return sendFile(db, reply, await c.needAttachment(db, membership.projectId, Number(request.params.id) || 0));
    },
  );
  app.get<{ Params: { project: string; sha256: string } }>(
    '/api/projects/:project/pictures/:sha256',
    {
      config: { may: 'member' },
      schema: { summary: 'A picture or a file that stands in a text, by the hash of its bytes', tags: ['Base'] },
    },
    async (request, reply) => {
      const { membership } = callerOf(request);
      // What a hash names never changes.
      reply.header('cache-control', 'private, max-age=31536000, immutable');
      return sendFile(db, reply, await c.needFileOf(db, membership.projectId, request.params.sha256));
    },
  );
}
