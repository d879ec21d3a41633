import { readFileSync } from 'node:fs';
import { randomBytes } from 'node:crypto';
import type { ServerResponse } from 'node:http';
import { basename, join } from 'node:path';
import { constants } from 'node:zlib';
import cookie from '@fastify/cookie';
import compress from '@fastify/compress';
import helmet from '@fastify/helmet';
import multipart from '@fastify/multipart';
import rateLimit from '@fastify/rate-limit';
import fastifyStatic from '@fastify/static';
import swagger from '@fastify/swagger';
import swaggerUi from '@fastify/swagger-ui';
import Fastify, { LogController, type FastifyError, type FastifyInstance, type FastifyServerOptions } from 'fastify';
import { hasZodFastifySchemaValidationErrors, jsonSchemaTransform, validatorCompiler } from 'fastify-type-provider-zod';
import { sql } from 'drizzle-orm';
import { baseRoutes, guardRoutes, isLost, Refusal, SharedCounts, type AppContext } from './base';
import { designRoutes } from './design';
import { measureRoutes, reachOfCases } from './measure';
import { proveRoutes } from './prove';
import { runRoutes, runsOfCase } from './run';
import { specifyRoutes } from './specify';

export interface AppOptions {
  readonly context: AppContext;
  /** Folder of the built web application; absent in tests of the API alone. */
  readonly webRoot?: string;
  readonly logger?: FastifyServerOptions['logger'];
  /** Addresses of proxies whose word about the caller's address is taken, separated by commas (addresses or networks as 10.0.0.0/8). */
  readonly trustProxy?: string;
  /** Sign-in attempts a minute and address. */
  readonly signInLimit?: number;
  /** Requests a minute and address. */
  readonly requestLimit?: number;
  /** How long bodies may take. */
  readonly times?: BodyTimes;
}

export async function buildApp({
  context,
  webRoot,
  logger = false,
  signInLimit = 20,
  requestLimit = 12_000,
  trustProxy,
  times = bodyTimes,
}: AppOptions): Promise<FastifyInstance> {
  const app = Fastify({
    logger,
    bodyLimit: 1 << 20,
    routerOptions: { maxParamLength: 300 },
    logController: new LogController({ disableRequestLogging: true }),
    trustProxy: trustProxy ?? false,
  });
  app.setValidatorCompiler(validatorCompiler);
  // Answers are typed by the contract at compile time and checked against it by the tests; here they are only written.
  app.setSerializerCompiler(() => (data) => JSON.stringify(data));
  await app.register(cookie);
  await app.register(multipart, { throwFileSizeLimit: false });
  await app.register(compress, {
    global: true,
    // What is smaller is over the line sooner than it is compressed, from some 50 Mbit/s on; a page of a list is.
    threshold: 32 << 10,
    encodings: ['br', 'gzip'],
    // Answers are compressed while somebody waits: quickly rather than tightly.
    brotliOptions: { params: { [constants.BROTLI_PARAM_QUALITY]: 4 } },
    customTypes: /^(text\/(?!event-stream)|application\/(json|problem\+json|javascript)|image\/svg)/,
  });
  const counts = new SharedCounts(context.database.db, context.now);
  app.addHook('onClose', async () => counts.stop());
  await app.register(rateLimit, {
    // As a hook before all others, so that requests are counted whether or not anybody is signed in.
    global: false,
    max: requestLimit,
    timeWindow: requestWindow,
    // Pages and their files come from memory or the disk's cache, and a whole office may stand behind one address: they are not counted.
    allowList: (request) => !request.url.startsWith('/api') || /^\/api\/(health|ready)$/.test(request.url),
    errorResponseBuilder: () => new Refusal('tooMany'),
    store: sharedStore(counts),
  });
  app.addHook('onRequest', app.rateLimit());
  await app.register(helmet, {
    // The nonce belongs to the page; script comes from our own files only.
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        defaultSrc: ["'none'"],
        scriptSrc: ["'self'"],
        styleSrc: ["'self'"],
        imgSrc: ["'self'", 'blob:', 'data:'],
        fontSrc: ["'self'"],
        connectSrc: ["'self'"],
        workerSrc: ["'self'"],
        manifestSrc: ["'self'"],
        frameAncestors: ["'none'"],
        baseUri: ["'self'"],
        formAction: ["'self'"],
      },
    },
    strictTransportSecurity: context.secureCookies,
    crossOriginEmbedderPolicy: false,
  });
  await app.register(swagger, {
    openapi: {
      openapi: '3.1.0',
      info: {
        title: 'Cord Proof',
        version: '0.1.0',
        description: 'From a requirement to a proof pack. Answers in error are problem details (RFC 9457) with a stable code.',
      },
    },
    transform: describeRoute,
  });
  await app.register(swaggerUi, { routePrefix: '/api/docs', staticCSP: true });

  checkOrigins(app, context.secureCookies);
  guardRoutes(app, context);
  cutSlowBodies(app, times);
  answerErrors(app);
  // Answers are for who asked, now.
  app.addHook('onSend', async (request, reply) => {
    if (request.url.startsWith('/api/') && !reply.hasHeader('cache-control')) void reply.header('cache-control', 'no-store');
  });
  app.addHook('onResponse', async (request, reply) => {
    if (request.url.startsWith('/api') && !request.url.startsWith('/api/docs'))
      request.log.info(
        { method: request.method, url: request.url.split('?')[0], status: reply.statusCode, ms: Math.round(reply.elapsedTime) },
        'answered',
      );
  });

  app.get('/api/health', { schema: { summary: 'The process lives', tags: ['Base'] }, config: { may: 'anyone' } }, async () => ({
    ok: true,
  }));
  app.get('/api/ready', { schema: { summary: 'The database answers', tags: ['Base'] }, config: { may: 'anyone' } }, async () => {
    await context.database.db.execute(sql`select 1`);
    return { ok: true };
  });
  app.get('/api/openapi.json', { schema: { hide: true } as object }, async () => app.swagger());
  await app.register(async (api) => {
    baseRoutes(api, context, signInLimit);
    specifyRoutes(api, context);
    designRoutes(api, context, (caseId, revision) => runsOfCase(context.database.db, caseId, revision), reachOfCases);
    runRoutes(api, context);
    measureRoutes(api, context);
    proveRoutes(api, context);
  });
  if (webRoot) await serveWeb(app, webRoot);
  else
    app.setNotFoundHandler(() => {
      throw new Refusal('notFound');
    });
  app.addHook('onClose', async () => context.readers.stop());
  return app;
}

/** The description of a route, with who may call it. */
const describeRoute: typeof jsonSchemaTransform = (data) => {
  const described = jsonSchemaTransform(data);
  const { may } = (data.route?.config ?? {}) as { may?: unknown };
  return may === undefined ? described : { ...described, schema: { ...described.schema, 'x-may': may } as typeof described.schema };
};

const requestWindow = 60_000;

/** The limiter's store, over all nodes. */
function sharedStore(counts: SharedCounts) {
  return class Store {
    incr(name: string, answer: (error: Error | null, count?: { current: number; ttl: number }) => void): void {
      answer(null, counts.add(name, requestWindow));
    }

    child(): Store {
      return this;
    }
  };
}

/** A state-changing request must come from our own pages: browsers always send Origin with those. */
function checkOrigins(app: FastifyInstance, secure: boolean): void {
  app.addHook('onRequest', async (request) => {
    if (request.method === 'GET' || request.method === 'HEAD' || request.method === 'OPTIONS') return;
    const { origin, host } = request.headers;
    const site = request.headers['sec-fetch-site'];
    if (origin !== undefined ? !isOwn(origin, host, secure) : site !== undefined && site !== 'same-origin')
      throw new Refusal('wrongOrigin');
  });
}

interface BodyTimes {
  /** A JSON body has so long to arrive, in milliseconds. */
  readonly within: number;
  /** Of an upload something has to arrive so often, in milliseconds. */
  readonly silent: number;
}
const bodyTimes: BodyTimes = { within: 20_000, silent: 30_000 };

/** A body that does not end is cut after its time, and holds nothing up. */
function cutSlowBodies(app: FastifyInstance, { within, silent }: BodyTimes): void {
  app.addHook('preParsing', async (request, _reply, payload) => {
    // What has no body has nothing to wait for, however long its answer takes: a stream of events lasts as long as somebody listens.
    const { 'content-length': length, 'transfer-encoding': coding } = request.headers;
    if (coding === undefined && (length === undefined || length === '0')) return payload;
    const begun = Date.now();
    const { socket } = request.raw;
    const streamed = /^(multipart\/|application\/octet-stream)/.test(request.headers['content-type'] ?? '');
    let read = socket.bytesRead;
    let heard = begun;
    const watch = setInterval(
      () => {
        const now = Date.now();
        if (socket.bytesRead > read) [read, heard] = [socket.bytesRead, now];
        if (streamed ? now - heard > silent : now - begun > within) {
          clearInterval(watch);
          request.raw.destroy(new Refusal('tooSlow'));
        }
      },
      Math.min(1000, within / 4),
    );
    const over = (): void => clearInterval(watch);
    request.raw.once('end', over).once('close', over).once('error', over);
    return payload;
  });
}

/** Is an origin this application's own: the same host, and behind TLS the same scheme? */
function isOwn(origin: string, host: string | undefined, secure: boolean): boolean {
  if (!URL.canParse(origin)) return false;
  const { protocol, host: from } = new URL(origin);
  return from === host && (!secure || protocol === 'https:');
}

function answerErrors(app: FastifyInstance): void {
  app.setErrorHandler(async (error: FastifyError, request, reply) => {
    // Whoever is not signed in any more is told that, and nothing else.
    const gone = await request.confirm?.().then(
      () => undefined,
      (refused: FastifyError) => refused,
    );
    const refusal = asRefusal(gone ?? error);
    if (refusal.code === 'internal') request.log.error({ err: error }, 'internal error');
    const details = refusal.details();
    // The database comes back, or the window of a limit ends: when to ask again.
    if (details.status === 503) void reply.header('retry-after', '2');
    if (details.status === 429) void reply.header('retry-after', '60');
    return reply.code(details.status).type('application/problem+json; charset=utf-8').send(JSON.stringify(details));
  });
}

function asRefusal(error: FastifyError): Refusal {
  if (error instanceof Refusal) return error;
  if (hasZodFastifySchemaValidationErrors(error)) {
    const fields = error.validation.map((issue) => ({
      path: issue.instancePath.replace(/^\//, '').replaceAll('/', '.'),
      text: issue.message ?? 'Not valid.',
    }));
    return new Refusal('invalid', { detail: fields.map((f) => (f.path ? `${f.path}: ${f.text}` : f.text)).join(' '), fields });
  }
  if (isLost(error)) return new Refusal('unavailable');
  if (
    error.statusCode === 413 ||
    error.code === 'FST_ERR_CTP_BODY_TOO_LARGE' ||
    error.code === 'FST_REQ_FILE_TOO_LARGE' ||
    error.code === 'FST_FILES_LIMIT'
  )
    return new Refusal('tooLarge');
  if (error.statusCode === 429) return new Refusal('tooMany');
  if (error.statusCode === 404) return new Refusal('notFound');
  if (error.statusCode && error.statusCode < 500) return new Refusal('invalid', { detail: error.message });
  return new Refusal('internal');
}

/** Said with a page; a browser that loads a script, a style or a font for a page heeds none of them. */
const pageHeaders = [
  'content-security-policy',
  'cross-origin-opener-policy',
  'origin-agent-cluster',
  'referrer-policy',
  'x-dns-prefetch-control',
  'x-download-options',
  'x-frame-options',
  'x-permitted-cross-domain-policies',
  'x-xss-protection',
];

/** The application: hashed files may be kept for ever, the page itself never; each page carries its own style nonce. */
async function serveWeb(app: FastifyInstance, webRoot: string): Promise<void> {
  await app.register(fastifyStatic, {
    root: webRoot,
    index: false,
    wildcard: false,
    preCompressed: true,
    // Ours below; its own would be said over it.
    cacheControl: false,
    acceptRanges: false,
    lastModified: false,
    setHeaders: (answer: unknown, path) => {
      const reply = answer as ServerResponse;
      const hashed = /-[\w-]{8}\.(?:js|css|woff2?)(?:\.br|\.gz)?$/.test(path);
      reply.setHeader('cache-control', hashed ? 'public, max-age=31536000, immutable' : 'no-cache');
      // With many small files, what each says beside itself is a tenth of what is sent. A worker has a policy of its own.
      if (hashed && !basename(path).startsWith('worker-')) for (const name of pageHeaders) reply.removeHeader(name);
    },
  });
  const page = readFileSync(join(webRoot, 'index.html'), 'utf8');
  app.get('/', (_, reply) => reply.callNotFound());
  app.setNotFoundHandler((request, reply) => {
    if (
      request.url.startsWith('/api') ||
      (request.method !== 'GET' && request.method !== 'HEAD') ||
      (/\.\w{2,5}$/.test(request.url.split('?')[0]) && !request.url.includes('/measure/'))
    )
      throw new Refusal('notFound');
    const nonce = randomBytes(16).toString('base64');
    const policy = String(reply.getHeader('content-security-policy') ?? '').replace(
      "style-src 'self'",
      `style-src 'self' 'nonce-${nonce}'`,
    );
    return reply
      .header('content-security-policy', policy)
      .header('cache-control', 'no-store')
      .type('text/html; charset=utf-8')
      .send(page.replace('<cp-root>', `<cp-root ngCspNonce="${nonce}">`));
  });
}
