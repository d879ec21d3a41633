import { Readable } from 'node:stream';
import { type AnswerOf, type BodyOf, type Endpoint, type May, type ParamsOf, type QueryOf } from '@contract/base';
import { hasLoneSurrogate } from '@core/base';
import type { CordShifts, StandardProfile } from '@core/prove';
import '@fastify/cookie';
import '@fastify/multipart';
import '@fastify/rate-limit';
import '@fastify/swagger';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { findMember, findProgram, findSession, rememberedMember, type Membership } from './access';
import type { Database, Tx } from './database';
import { sha256Of } from './digest';
import { Refusal } from './errors';
import { countOne } from './limits';
import type { Parse } from './parsing';
import type { LedgerReaders } from './readers';
import { knownOperation, noteAnswer } from './operations';
import type { SignedIn } from './passwords';
import { administratorsNeedFactor } from './second-factor';
import { refuseFull } from './storage';
import { installation, write, type Actor, type Confirm } from './writing';

/** Behind TLS the name itself says that no other host or path may set it. */
export const sessionCookieName = ({ secureCookies }: Pick<AppContext, 'secureCookies'>): string =>
  secureCookies ? '__Host-cord_session' : 'cord_session';
/** By it an account's device is known again. */
export const deviceCookieName = (login: string): string => `cord_device_${sha256Of(login).slice(0, 12)}`;
/** The number of the ledger entry that a request wrote, so that its client can ask for lists that are not older. */
export const seqHeader = 'ledger-seq';

/** Brings what is judged of a build up to a ledger number. */
export interface Projections {
  /** Waits until it is there, or as long as is reasonable, and answers the number that it is true for. */
  upTo(projectId: number, buildId: number, seq: number): Promise<number>;
  /** Waits until it was judged at all: for those who do not mind how far. */
  ready(projectId: number, buildId: number): Promise<void>;
  /**
   * Says within the transaction that writes ledger number `seq` that the build stays as it was judged for the number before. Called
   * while the end of the ledger is locked, so that nothing comes between.
   */
  freeze(tx: Tx, projectId: number, buildId: number, seq: number): Promise<void>;
  /** What becomes of the build's cords by another profile; nothing is stored. */
  preview(projectId: number, buildId: number, profile: StandardProfile): Promise<CordShifts>;
  stop(): Promise<void>;
}

/** What every route needs. */
export interface AppContext {
  readonly database: Database;
  readonly now: () => Date;
  /** Cookies are marked Secure behind a TLS proxy. */
  readonly secureCookies: boolean;
  readonly readers: LedgerReaders;
  readonly projections: Projections;
  /** Parses what comes from outside, beside this thread. */
  readonly parse: Parse;
}

/** A request after validation and authorisation. */
export interface Call<E extends Endpoint> {
  readonly params: ParamsOf<E>;
  readonly query: QueryOf<E>;
  readonly body: BodyOf<E>;
  readonly person: SignedIn;
  readonly membership: Membership;
  readonly actor: Actor;
  readonly request: FastifyRequest;
  readonly reply: FastifyReply;
  /** For a handler that begins before it is known whether the caller still is who they were: asks that, with what it asks for itself. */
  readonly confirm: Confirm;
}

/** Who asks, and what they are in the project of the path. */
export interface Caller {
  readonly person: SignedIn;
  readonly membership: Membership;
  readonly tokenId?: number;
}

declare module 'fastify' {
  interface FastifyContextConfig {
    /** Who may call this route: every route of the API says so. */
    may?: May;
    /** Work may begin for whoever was signed in with this session last; it is answered or committed once that is confirmed. */
    confirmedMeanwhile?: boolean;
  }
  interface FastifyRequest {
    caller?: Caller;
    /** Finds out whether the caller still is who they were; absent where that is known already. */
    confirm?: Confirm;
  }
}

const nobody: SignedIn = { id: 0, login: '', printedName: '', installation: false };
const nowhere: Membership = { projectId: 0, slug: '', roles: [] };

/** Routes that the framework adds itself, without anything of ours in them. */
const open = /^\/api\/(docs|openapi\.json)/;

/**
 * Every route says who may call it, or the server does not start; and who calls is found out before anything of the body is read.
 */
export function guardRoutes(app: FastifyInstance, context: AppContext): void {
  app.addHook('onRoute', ({ url, method, config }) => {
    if (url.startsWith('/api/') && !open.test(url) && config?.may === undefined)
      throw new Error(`${String(method)} ${url} does not say who may call it`);
  });
  app.addHook('onRequest', async (request) => {
    const { may, confirmedMeanwhile } = request.routeOptions.config;
    if (may === undefined) return;
    const caller = confirmedMeanwhile ? lastCaller(context, may, request) : undefined;
    if (!caller) {
      request.caller = await authorise(context, may, request);
      return;
    }
    request.caller = caller;
    request.confirm = askedOnce(async (tx) => {
      const { person, membership } = await authorise(context, may, request, tx);
      if (person.login !== caller.person.login || membership.projectId !== caller.membership.projectId) throw new Refusal('notSignedIn');
    });
  });
}

/** Asks once, whoever wants to know; again only where the database could not answer. */
function askedOnce(ask: Confirm): Confirm {
  let asked: Promise<void> | undefined;
  return (tx) =>
    (asked ??= ask(tx).catch((error: unknown) => {
      if (!(error instanceof Refusal)) asked = undefined;
      throw error;
    }));
}

/** Who calls, as the guard found out. */
export function callerOf(request: FastifyRequest): Caller {
  if (!request.caller) throw new Refusal('notSignedIn');
  return request.caller;
}

/** Who called with this session last, where they might do this then; to be confirmed. */
function lastCaller(context: AppContext, may: May, request: FastifyRequest): Caller | undefined {
  const id = request.cookies[sessionCookieName(context)];
  const slug = (request.params as { project?: string }).project ?? '';
  if (!id || request.headers.authorization !== undefined) return undefined;
  const last = rememberedMember(context.database.db, id, slug);
  return last && allows(may, last.membership) && !last.person.factorPending && last.person.codeUntil == null ? last : undefined;
}

/** Is it open to every member, or to a role of this one? */
const allows = (may: May, { roles }: Membership): boolean =>
  may === 'member' || (typeof may !== 'string' && may.some((role) => roles.includes(role)));

const bearer = /^Bearer (cord_[\w-]{20,60})$/;

/** Who asks, and what they are in the project of the path; refuses what `may` does not allow. */
async function authorise(context: AppContext, may: May, request: FastifyRequest, tx?: Tx): Promise<Caller> {
  if (may === 'anyone') return { person: nobody, membership: nowhere };
  const id = request.cookies[sessionCookieName(context)];
  const { db } = context.database;
  if (typeof may === 'string' && may !== 'member') {
    const person = id ? await findSession(db, id, context.now) : undefined;
    if (!person) throw new Refusal('notSignedIn');
    if (may === 'halfSignedIn') return { person, membership: nowhere };
    if (person.factorPending) throw new Refusal('secondFactor');
    if (may !== 'settingPassword' && person.codeUntil != null) throw new Refusal('setPassword');
    if (may === 'installation' && !person.installation) await refuse(context, request, person, 'forbidden');
    if (may === 'installation') await needFactor(context, person);
    return { person, membership: nowhere };
  }
  const slug = (request.params as { project?: string }).project ?? '';
  const found = await findCaller(context, request, { session: id, slug, tx });
  if (!found) throw new Refusal('notSignedIn');
  const { person, membership } = found;
  if (person.factorPending) throw new Refusal('secondFactor');
  if (person.codeUntil != null) throw new Refusal('setPassword');
  // Whoever has no part in a project is not told whether it exists.
  if (!membership) return refuse(context, request, person, 'notFound');
  if (!allows(may, membership)) return refuse(context, request, person, 'forbidden');
  if (may !== 'member' && may.every((role) => role === 'administrator')) await needFactor(context, person);
  return { ...found, membership };
}

/** Whoever administers shows a second factor, where the installation asks for it. */
async function needFactor({ database: { db } }: AppContext, person: SignedIn): Promise<void> {
  if (!person.factorAt && (await administratorsNeedFactor(db))) throw new Refusal('secondFactorNeeded');
}

/** One entry for whoever asks again and again for what they may not: so many seconds long. */
const refusedOnceIn = 600;

/** Refuses who may not, and notes it in the installation's ledger. */
async function refuse(context: AppContext, request: FastifyRequest, { login }: SignedIn, code: 'forbidden' | 'notFound'): Promise<never> {
  const { db } = context.database;
  const route = `${request.method} ${request.routeOptions.url ?? ''}`;
  if ((await countOne(db, { name: `refused:${login}:${route}`, seconds: refusedOnceIn }, context.now())) === 1)
    await write(db, installation(login, context.now), async (w) => {
      w.log({
        action: 'refused',
        kind: 'person',
        key: login,
        after: { asked: `${request.method} ${request.url.split('?')[0].slice(0, 200)}`, address: request.ip },
      });
    });
  throw new Refusal(code);
}

function findCaller(
  context: AppContext,
  { headers }: FastifyRequest,
  { session, slug, tx }: { readonly session: string | undefined; readonly slug: string; readonly tx: Tx | undefined },
): Promise<{ person: SignedIn; membership?: Membership; tokenId?: number } | undefined> {
  const { db } = context.database;
  const secret = bearer.exec(headers.authorization ?? '')?.[1];
  if (secret !== undefined) return findProgram(db, secret, slug, context.now);
  return session ? findMember(db, session, { slug, now: context.now, tx }) : Promise.resolve(undefined);
}

/** What a request asks for, so that its name cannot be used for another: method, address, and a digest of its body. */
function requestText({ method, url, body }: FastifyRequest): string {
  return `${method} ${url}`.slice(0, 180) + ` ${sha256Of(JSON.stringify(body ?? null)).slice(0, 16)}`;
}

const operationName = /^[\w-]{8,60}$/;

/** What the client named this request with, if it did; a name that cannot be one is refused. */
function operationOf(request: FastifyRequest): Actor['operation'] {
  const given = request.headers['idempotency-key'];
  if (given === undefined) return undefined;
  if (typeof given !== 'string' || !operationName.test(given))
    throw new Refusal('invalid', { fields: [{ path: 'Idempotency-Key', text: 'Letters, digits, hyphens and _; 8 to 60 of them.' }] });
  return { name: given, route: requestText(request) };
}

/** The times of a device that sends later what was done on it; both or none. */
function deviceOf({ headers }: FastifyRequest): Actor['device'] {
  const [at, sent] = [headers['device-at'], headers['device-sent']].map((text) =>
    text === undefined ? undefined : Date.parse(String(text)),
  );
  if (at === undefined && sent === undefined) return undefined;
  if (at === undefined || sent === undefined || Number.isNaN(at + sent))
    throw new Refusal('invalid', {
      fields: [{ path: 'Device-At', text: 'Device-At and Device-Sent are two times, as ISO 8601 writes them.' }],
    });
  return { at: new Date(at).toISOString(), sent: new Date(sent).toISOString() };
}

/** The first answer to a request of that name; undefined where it was never done. While it is being done it is waited for. */
async function firstAnswer(context: AppContext, login: string, operation: NonNullable<Actor['operation']>): Promise<string | undefined> {
  for (let i = 0; i < 40; i++) {
    const known = await knownOperation(context.database.db, { login, operation: operation.name });
    if (!known) return undefined;
    if (known.route !== operation.route)
      throw new Refusal('invalid', { fields: [{ path: 'Idempotency-Key', text: 'Another request has this name already.' }] });
    if (known.answer) return known.answer;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Refusal('repeated');
}

/** Registers a route as the contract tells it; the handler gets what is already validated and allowed. */
export function serve<E extends Endpoint>(
  app: FastifyInstance,
  context: AppContext,
  endpoint: E,
  handle: (call: Call<E>) => Promise<AnswerOf<E>>,
  confirmedMeanwhile = false,
): void {
  const { method, path, summary, params, query, body, answer, may, bodyLimit, multipart } = endpoint;
  const hasBody = (method === 'POST' || method === 'PUT') && !multipart;
  app.route({
    method,
    url: `/api${path}`,
    ...(bodyLimit ? { bodyLimit } : {}),
    config: { may, confirmedMeanwhile },
    schema: {
      summary,
      tags: [roomOf(path)],
      params,
      querystring: query,
      ...(hasBody ? { body } : {}),
      ...(multipart ? { consumes: ['multipart/form-data'] } : {}),
      response: { 200: answer },
    },
    handler: async (request, reply) => {
      const { person, membership, tokenId } = callerOf(request);
      const operation = method === 'GET' ? undefined : operationOf(request);
      const before = operation && (await firstAnswer(context, person.login, operation));
      const device = method === 'GET' ? undefined : deviceOf(request);
      if (before !== undefined) {
        await request.confirm?.();
        return reply.type('application/json; charset=utf-8').send(before);
      }
      let wrote = 0;
      const actor: Actor = {
        login: person.login,
        projectId: membership.projectId,
        now: context.now,
        parse: context.parse,
        ...(operation ? { operation } : {}),
        ...(device ? { device } : {}),
        wrote: (seq) => (wrote = Math.max(wrote, seq)),
        ...(request.confirm ? { confirm: request.confirm } : {}),
        ...(may === 'anyone'
          ? {}
          : { rights: { personId: person.id, may, factorShown: person.factorAt != null, ...(tokenId === undefined ? {} : { tokenId }) } }),
      };
      if (multipart) await refuseFull(context.database.db, membership.projectId, Number(request.headers['content-length'] ?? 0));
      // Neither canonical JSON nor the database can hold half a character.
      if (!wellFormed(request.body)) throw new Refusal('invalid', { detail: 'A text holds half a character (a lone surrogate).' });
      const confirm: Confirm = async (tx) => request.confirm?.(tx);
      const work = handle({
        params: request.params,
        query: request.query,
        body: request.body ?? {},
        person,
        membership,
        actor,
        request,
        reply,
        confirm,
      } as unknown as Call<E>);
      const value = await work;
      await confirm();
      if (wrote) void reply.header(seqHeader, wrote);
      if (operation && wrote) await noteAnswer(context.database.db, { actor, operation, answer: JSON.stringify(value) });
      return value;
    },
  });
}

/**
 * The same for what is asked all day: it begins for whoever was signed in with that session last, and asks with its own first question whether
 * they still are. Such a handler answers by what it returns, and writes by `writeTogether` alone: nothing is answered or committed before
 * that is known.
 */
export const serveMeanwhile = <E extends Endpoint>(
  app: FastifyInstance,
  context: AppContext,
  endpoint: E,
  handle: (call: Call<E>) => Promise<AnswerOf<E>>,
): void => serve(app, context, endpoint, handle, true);

/** No string in the value, and no name of a member, holds a lone surrogate. */
function wellFormed(value: unknown): boolean {
  if (typeof value === 'string') return !hasLoneSurrogate(value);
  if (typeof value !== 'object' || value === null || Buffer.isBuffer(value) || value instanceof Readable) return true;
  return Object.entries(value).every(([name, member]) => wellFormed(name) && wellFormed(member));
}

const rooms: readonly [RegExp, string][] = [
  [/specifications|requirements(?!.*code)|traces|imports/, 'Specify'],
  [/cases/, 'Design'],
  [/rounds|runs|problems|tracker|builds$/, 'Run'],
  [/code|coverage|sources|uploads/, 'Measure'],
  [/board|cords|packs/, 'Prove'],
];
const roomOf = (path: string): string => (/code/.test(path) ? 'Measure' : (rooms.find(([pattern]) => pattern.test(path))?.[1] ?? 'Base'));
