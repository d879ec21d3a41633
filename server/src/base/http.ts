import { type AnswerOf, type BodyOf, type Endpoint, type May, type ParamsOf, type QueryOf } from '@contract/base';
import '@fastify/cookie';
import '@fastify/multipart';
import '@fastify/rate-limit';
import '@fastify/swagger';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { findMember, findSession, type Membership, type SignedIn } from './access';
import type { Actor, Database } from './database';
import { Refusal } from './errors';

export const sessionCookie = 'cord_session';

/** What every route needs: the database and the clock. */
export interface House {
  readonly database: Database;
  readonly now: () => Date;
  /** The one-time code printed at start is not held here: only its hash is stored. */
  readonly secureCookies: boolean;
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
}

const nobody: SignedIn = { id: 0, login: '', printedName: '', installation: false };
const nowhere: Membership = { projectId: 0, slug: '', roles: [], head: 0 };

/** Who asks, and what they are in the project of the path; refuses what `may` does not allow. */
export async function authorise(house: House, may: May, request: FastifyRequest): Promise<{ person: SignedIn; membership: Membership }> {
  if (may === 'anyone') return { person: nobody, membership: nowhere };
  const id = request.cookies[sessionCookie];
  const { db } = house.database;
  if (may === 'signedIn' || may === 'installation') {
    const person = id ? await findSession(db, id, house.now) : undefined;
    if (!person) throw new Refusal('notSignedIn');
    if (may === 'installation' && !person.installation) throw new Refusal('forbidden');
    return { person, membership: nowhere };
  }
  const slug = (request.params as { project?: string }).project ?? '';
  const found = id ? await findMember(db, id, slug, house.now) : undefined;
  if (!found) throw new Refusal('notSignedIn');
  const { person, membership } = found;
  // Whoever has no part in a project is not told whether it exists.
  if (!membership) throw new Refusal('notFound');
  if (may !== 'member' && !may.some((role) => membership.roles.includes(role))) throw new Refusal('forbidden');
  return { person, membership };
}

/** Registers a route as the contract tells it; the handler gets what is already validated and allowed. */
export function serve<E extends Endpoint>(
  app: FastifyInstance,
  house: House,
  endpoint: E,
  handle: (call: Call<E>) => Promise<AnswerOf<E>>,
): void {
  const { method, path, summary, params, query, body, answer, may, bodyLimit, multipart } = endpoint;
  const hasBody = (method === 'POST' || method === 'PUT') && !multipart;
  app.route({
    method,
    url: `/api${path}`,
    ...(bodyLimit ? { bodyLimit } : {}),
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
      const { person, membership } = await authorise(house, may, request);
      const actor: Actor = { login: person.login, projectId: membership.projectId, now: house.now };
      return handle({
        params: request.params,
        query: request.query,
        body: request.body ?? {},
        person,
        membership,
        actor,
        request,
        reply,
      } as unknown as Call<E>);
    },
  });
}

const rooms: readonly [RegExp, string][] = [
  [/specifications|requirements(?!.*code)|traces|imports/, 'Specify'],
  [/cases/, 'Design'],
  [/rounds|runs|problems|builds$/, 'Run'],
  [/code|coverage|sources/, 'Measure'],
  [/board|cords|packs/, 'Prove'],
];
const roomOf = (path: string): string => (/code/.test(path) ? 'Measure' : (rooms.find(([pattern]) => pattern.test(path))?.[1] ?? 'Base'));
