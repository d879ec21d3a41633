import * as contract from '@contract/base';
import type { FastifyInstance, FastifyReply } from 'fastify';
import { checkPassword, closeSession, describeSession, openSession, setupNeeded, useSetupCode, type SignedIn } from './access';
import { serveEvents } from './events';
import { authorise, serve, sessionCookie, type AppContext } from './http';
import { closeBuild } from './builds';
import * as collaboration from './collaboration';
import { addField, listFields, saveField } from './fields';
import { sendFile } from './files';
import { listLedger } from './ledger';
import { addPerson, changePerson, listPeople } from './people';
import { addProject, getProject, setMember, setProfile } from './project';
import { listTraceKinds, saveTraceKind } from './traces';
import { uploads, type Upload } from './uploads';

export function baseRoutes(app: FastifyInstance, context: AppContext, signInLimit: number): void {
  const { db } = context.database;
  const enter = async (reply: FastifyReply, person: SignedIn): Promise<contract.Session> => {
    const id = await openSession(db, person, context.now);
    reply.setCookie(sessionCookie, id, { path: '/', httpOnly: true, sameSite: 'strict', secure: context.secureCookies });
    return describeSession(db, person);
  };
  // Guessing is slowed per address, on top of the lock-out per account.
  void app.register(async (guarded) => {
    guarded.addHook(
      'onRoute',
      (route) => void (route.config = { ...route.config, rateLimit: { max: signInLimit, timeWindow: '1 minute' } }),
    );
    serve(guarded, context, contract.signIn, async ({ body, reply }) =>
      enter(reply, await checkPassword(db, body.login, body.password, context.now)),
    );
    serve(guarded, context, contract.setUp, async ({ body, reply }) => {
      await useSetupCode(db, body.code);
      await addPerson(db, { login: body.login, projectId: 0, now: context.now }, { ...body, installation: true });
      return enter(reply, await checkPassword(db, body.login, body.password, context.now));
    });
  });
  serve(app, context, contract.getSetup, async () => ({ needed: await setupNeeded(db) }));
  serve(app, context, contract.getSession, ({ person }) => describeSession(db, person));
  serve(app, context, contract.signOut, async ({ person, request, reply }) => {
    await closeSession(db, request.cookies[sessionCookie] ?? '', person, context.now);
    reply.clearCookie(sessionCookie, { path: '/' });
    return { ok: true as const };
  });
  serve(app, context, contract.changePassword, async ({ person, body, actor }) => {
    await checkPassword(db, person.login, body.present, context.now);
    await changePerson(db, actor, person.login, { password: body.password });
    return { ok: true as const };
  });
  serve(app, context, contract.listPeople, () => listPeople(db));
  serve(app, context, contract.addPerson, ({ actor, body }) => addPerson(db, actor, body));
  serve(app, context, contract.changePerson, ({ actor, params, body }) => changePerson(db, actor, params.login, body));
  serve(app, context, contract.addProject, ({ actor, person, body }) => addProject(db, actor, person.id, body));
  serve(app, context, contract.getProject, ({ membership }) => getProject(db, membership.projectId));
  serve(app, context, contract.setMember, ({ actor, params, body }) => setMember(db, actor, params.login, body.roles));
  serve(app, context, contract.setProfile, ({ actor, body }) => setProfile(db, actor, body));
  serve(app, context, contract.listLedger, ({ membership, query }) => listLedger(db, membership.projectId, query));
  serve(app, context, contract.closeBuild, ({ actor, params, body }) => closeBuild(context, actor, params.key, body));
  serve(app, context, contract.listTraceKinds, ({ membership }) => listTraceKinds(db, membership.projectId));
  serve(app, context, contract.saveTraceKind, ({ actor, params, body }) => saveTraceKind(db, actor, { name: params.name, ...body }));
  serve(app, context, contract.listFields, ({ membership }) => listFields(db, membership.projectId));
  serve(app, context, contract.addField, ({ actor, body }) => addField(db, actor, body));
  serve(app, context, contract.saveField, ({ actor, params, body }) => saveField(db, actor, params.id, body));
  recordRoutes(app, context);
  serveEvents(app, context);
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
  serve(app, context, contract.setOwnFields, ({ actor, params, body }) => c.setOwnFields(db, actor, params.key, body.basedOn, body.own));
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
    { schema: { summary: 'A file at a record', tags: ['Base'] } },
    async (request, reply) => {
      const { membership } = await authorise(context, 'member', request);
      return sendFile(db, reply, await c.needAttachment(db, membership.projectId, Number(request.params.id) || 0));
    },
  );
}
