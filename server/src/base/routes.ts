import * as contract from '@contract/base';
import type { FastifyInstance, FastifyReply } from 'fastify';
import { checkPassword, closeSession, describeSession, openSession, setupNeeded, useSetupCode, type SignedIn } from './access';
import { serveEvents } from './events';
import { serve, sessionCookie, type House } from './http';
import { listLedger, verifyLedger } from './ledger';
import { addPerson, changePerson, listPeople } from './people';
import { addProject, getProject, setMember, setProfile } from './project';

export function baseRoutes(app: FastifyInstance, house: House, signInLimit: number): void {
  const { db } = house.database;
  const enter = async (reply: FastifyReply, person: SignedIn): Promise<contract.Session> => {
    const id = await openSession(db, person, house.now);
    reply.setCookie(sessionCookie, id, { path: '/', httpOnly: true, sameSite: 'strict', secure: house.secureCookies });
    return describeSession(db, person);
  };
  // Guessing is slowed per address, on top of the lock-out per account.
  void app.register(async (guarded) => {
    guarded.addHook(
      'onRoute',
      (route) => void (route.config = { ...route.config, rateLimit: { max: signInLimit, timeWindow: '1 minute' } }),
    );
    serve(guarded, house, contract.signIn, async ({ body, reply }) =>
      enter(reply, await checkPassword(db, body.login, body.password, house.now)),
    );
    serve(guarded, house, contract.setUp, async ({ body, reply }) => {
      await useSetupCode(db, body.code);
      await addPerson(db, { login: body.login, projectId: 0, now: house.now }, { ...body, installation: true });
      return enter(reply, await checkPassword(db, body.login, body.password, house.now));
    });
  });
  serve(app, house, contract.getSetup, async () => ({ needed: await setupNeeded(db) }));
  serve(app, house, contract.getSession, ({ person }) => describeSession(db, person));
  serve(app, house, contract.signOut, async ({ person, request, reply }) => {
    await closeSession(db, request.cookies[sessionCookie] ?? '', person, house.now);
    reply.clearCookie(sessionCookie, { path: '/' });
    return { ok: true as const };
  });
  serve(app, house, contract.changePassword, async ({ person, body, actor }) => {
    await checkPassword(db, person.login, body.present, house.now);
    await changePerson(db, actor, person.login, { password: body.password });
    return { ok: true as const };
  });
  serve(app, house, contract.listPeople, () => listPeople(db));
  serve(app, house, contract.addPerson, ({ actor, body }) => addPerson(db, actor, body));
  serve(app, house, contract.changePerson, ({ actor, params, body }) => changePerson(db, actor, params.login, body));
  serve(app, house, contract.addProject, ({ actor, person, body }) => addProject(db, actor, person.id, body));
  serve(app, house, contract.getProject, ({ membership }) => getProject(db, membership.projectId));
  serve(app, house, contract.setMember, ({ actor, params, body }) => setMember(db, actor, params.login, body.roles));
  serve(app, house, contract.setProfile, ({ actor, body }) => setProfile(db, actor, body.profile));
  serve(app, house, contract.listLedger, ({ membership, query }) => listLedger(db, membership.projectId, query));
  serve(app, house, contract.verifyLedger, ({ membership }) => verifyLedger(db, membership.projectId));
  serveEvents(app, house);
}
