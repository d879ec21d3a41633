import { join } from 'node:path';
import type { AnswerOf, CallOf, Endpoint, ProblemDetails } from '@contract/base';
import type { Role } from '@core/base';
import type { CaseContent } from '@core/design';
import { createPool, type Pool } from 'mysql2/promise';
import type { FastifyInstance } from 'fastify';
import { buildApp } from '../src/app';
import {
  addBuild,
  addPerson,
  addProject,
  LedgerReaders,
  openDatabase,
  parseHere,
  people,
  setMember,
  type Actor,
  type AppContext,
  type Database,
  type DatabaseAddress,
  type Db,
} from '../src/base';
import { localDrive, ProjectionService, Projector } from '../src/prove';
import * as design from '@contract/design';
import * as specify from '@contract/specify';
import { addSpecification } from '../src/specify';
import { migrateDatabase, migrationsFolder } from '../src/migrate';
import { eq } from 'drizzle-orm';

export const root = process.cwd();
export const password = 'spec-password';
const { CORD_TEST_PORT, CORD_TEST_USER = '', CORD_TEST_PASSWORD = '', CORD_TEST_APP_PASSWORD = '' } = process.env;
const port = Number(CORD_TEST_PORT);
// Ends what hangs, and nothing else: how fast a machine is, is no matter of the specs.
jasmine.DEFAULT_TIMEOUT_INTERVAL = 300_000;
let count = 0;
process.env['CORD_KEY_SECRET'] ??= 'a-secret-for-the-specs';

/** A fresh, migrated database with the server's own account, and the owner's for looking behind its back. */
export interface Site {
  readonly name: string;
  readonly database: Database;
  readonly owner: Pool;
  readonly address: DatabaseAddress;
  readonly account: { readonly user: string; readonly password: string };
  readonly env: Record<string, string>;
  close(): Promise<void>;
}

/** An empty database of the owner. */
export interface Bare {
  readonly owner: Pool;
  readonly address: DatabaseAddress;
  migrate(): Promise<void>;
  open(): Site;
}

export async function openBare(): Promise<Bare> {
  const name = `spec_${process.pid}_${++count}`;
  const owner = createPool({ host: '127.0.0.1', port, user: CORD_TEST_USER, password: CORD_TEST_PASSWORD, connectionLimit: 1 });
  await owner.query(`create database ${name} character set utf8mb4 collate utf8mb4_bin`);
  await owner.query(`use ${name}`);
  const address = { port, user: CORD_TEST_USER, password: CORD_TEST_PASSWORD, database: name };
  const account = { user: 'cord_app', password: CORD_TEST_APP_PASSWORD };
  return {
    owner,
    address,
    migrate: () => migrateDatabase(address, account, migrationsFolder(root)),
    open: () => {
      const database = openDatabase({ port, ...account, database: name });
      return {
        name,
        database,
        owner,
        address,
        account,
        env: { CORD_DB_PORT: String(port), CORD_DB_USER: account.user, CORD_DB_PASSWORD: account.password, CORD_DB_NAME: name },
        close: async () => {
          await database.close();
          await owner.query(`drop database ${name}`);
          await owner.end();
        },
      };
    },
  };
}

export async function openSite(): Promise<Site> {
  const bare = await openBare();
  await bare.migrate();
  return bare.open();
}

/** Waits until it is so. What never is ends by the time that a spec has. */
export async function eventually(so: () => boolean | Promise<boolean>): Promise<void> {
  while (!(await so())) await new Promise((resolve) => setTimeout(resolve, 50));
}

export const cast: Record<string, Role[]> = {
  author: ['author'],
  tester: ['tester'],
  reviewer: ['reviewer'],
  both: ['tester', 'reviewer'],
  auditor: ['auditor'],
  admin: ['administrator'],
};

export interface Reply<E extends Endpoint> {
  readonly status: number;
  readonly body: AnswerOf<E>;
  readonly problem: ProblemDetails;
}

/** The context of a node whose builds are judged in this process, when they are asked for. */
export function contextOf(database: Database, now: () => Date = () => new Date()): AppContext {
  const projector = new Projector(database.db, now);
  return {
    database,
    now,
    secureCookies: false,
    readers: new LedgerReaders(database.db),
    parse: parseHere,
    projections: new ProjectionService(database.db, projector, localDrive(projector)),
  };
}

export interface Project extends Site {
  readonly app: FastifyInstance;
  readonly context: AppContext;
  readonly projectId: number;
  as(login: string): Actor;
  /** Approves a requirement or a case in its present revision, asked for by its author and signed by the reviewer. */
  approve(key: string, who?: string): Promise<void>;
  /** Calls a route as somebody, with the session of a real sign-in. */
  call<E extends Endpoint>(login: string, endpoint: E, input: Omit<CallOf<E>, 'project'>): Promise<Reply<E>>;
  cookie(login: string): Promise<string>;
  upload(
    login: string,
    path: string,
    files: readonly { name: string; bytes: Buffer; mime?: string }[],
    fields?: Readonly<Record<string, string>>,
  ): Promise<{ status: number; body: Record<string, unknown>; problem: ProblemDetails }>;
}

/** A project with one person for each role, a specification `BRK` and a build `1.0`. */
export async function openProject(): Promise<Project> {
  const site = await openSite();
  const { db } = site.database;
  const now = (): Date => new Date();
  const context = contextOf(site.database, now);
  const app = await buildApp({
    context,
    signInLimit: 10_000,
    requestLimit: 10_000_000,
    logger: process.env['CORD_SPEC_LOG'] ? { level: 'error' } : false,
  });
  await app.ready();
  for (const [login, roles] of Object.entries(cast))
    await addPerson(
      db,
      { login: 'admin', projectId: 0, now },
      { login, printedName: `Person ${roles.join(' ')}`, password, installation: login === 'admin' },
    );
  const [admin] = await db.select({ id: people.id }).from(people).where(eq(people.login, 'admin'));
  const { id: projectId } = await addProject(db, { login: 'admin', projectId: 0, now }, admin.id, {
    slug: 'spec',
    name: 'Spec',
    standard: 'IEC 61508',
    level: 'SIL 2',
  });
  const as = (login: string): Actor => ({ login, projectId, now });
  for (const [login, roles] of Object.entries(cast)) await setMember(db, as('admin'), login, roles);
  await addSpecification(db, as('author'), { key: 'BRK', title: 'Brake', prefix: 'BRK' });
  await addBuild(db, as('author'), { name: '1.0', description: '' });

  const cookies = new Map<string, string>();
  const cookie = async (login: string): Promise<string> => {
    const known = cookies.get(login);
    if (known) return known;
    const answer = await app.inject({ method: 'POST', url: '/api/session', payload: { login, password } });
    const value = String(answer.headers['set-cookie']).split(';')[0];
    cookies.set(login, value);
    return value;
  };
  let seen = 0;
  const call: Project['call'] = async (login, endpoint, input) => {
    const values: Record<string, unknown> = { project: 'spec', ...(input as object) };
    // What is judged is asked for as true for whatever was written before, by anybody.
    if (/\/(board|cords|code)\b/.test(endpoint.path) && endpoint.method === 'GET' && !/file|line/.test(endpoint.path))
      values['atLeast'] ??= seen;
    const url = endpoint.path.replace(/:(\w+)/g, (_, name: string) => {
      const value = encodeURIComponent(String(values[name]));
      delete values[name];
      return value;
    });
    const hasBody = endpoint.method === 'POST' || endpoint.method === 'PUT';
    if (!endpoint.path.includes(':project')) delete values['project'];
    const query = hasBody ? '' : `?${new URLSearchParams(Object.entries(values).map(([k, v]) => [k, String(v)]))}`;
    const answer = await app.inject({
      method: endpoint.method,
      url: `/api${url}${query}`,
      ...(login ? { headers: { cookie: await cookie(login) } } : {}),
      ...(hasBody ? { payload: values } : {}),
    });
    seen = Math.max(seen, Number(answer.headers['ledger-seq'] ?? 0));
    const body = answer.body ? (answer.json() as unknown) : undefined;
    // What the contract promises is what is answered.
    if (answer.statusCode === 200) endpoint.answer.parse(body);
    return { status: answer.statusCode, body: body as never, problem: body as ProblemDetails };
  };
  const approve = async (key: string, who = 'reviewer'): Promise<void> => {
    const isCase = key.startsWith('C-');
    const { revision, hash } = isCase
      ? (await call('auditor', design.getCase, { key })).body
      : (await call('auditor', specify.getRequirement, { key })).body;
    const ask = { key, basedOn: revision, state: 'review' as const };
    await (isCase ? call('author', design.setCaseState, ask) : call('author', specify.setRequirementState, ask));
    const sign = { key, basedOn: revision, hash, password };
    const { status, problem } = isCase ? await call(who, design.approveCase, sign) : await call(who, specify.approveRequirement, sign);
    if (status !== 200) throw new Error(`${key} was not approved: ${problem.detail ?? problem.title}`);
  };
  return {
    ...site,
    app,
    context,
    projectId,
    as,
    cookie,
    call,
    approve,
    upload: async (login, path, files, fields = {}) => {
      const boundary = 'spec-boundary';
      const payload = Buffer.concat([
        ...Object.entries(fields).map(([name, value]) =>
          Buffer.from(`--${boundary}\r\ncontent-disposition: form-data; name="${name}"\r\n\r\n${value}\r\n`),
        ),
        ...files.flatMap(({ name, bytes, mime = 'application/octet-stream' }) => [
          Buffer.from(`--${boundary}\r\ncontent-disposition: form-data; name="file"; filename="${name}"\r\ncontent-type: ${mime}\r\n\r\n`),
          bytes,
          Buffer.from('\r\n'),
        ]),
        Buffer.from(`--${boundary}--\r\n`),
      ]);
      const answer = await app.inject({
        method: 'POST',
        url: `/api/projects/spec${path}`,
        headers: { cookie: await cookie(login), 'content-type': `multipart/form-data; boundary=${boundary}` },
        payload,
      });
      seen = Math.max(seen, Number(answer.headers['ledger-seq'] ?? 0));
      const body = answer.json() as never;
      return { status: answer.statusCode, body, problem: body };
    },
    close: async () => {
      await app.close();
      await site.close();
    },
  };
}

export const content = (title: string, more: Partial<Record<string, unknown>> = {}) =>
  ({
    kind: 'requirement',
    title,
    text: `${title} shall hold.`,
    rationale: '',
    level: 'SIL 2',
    method: 'test',
    topLevel: true,
    derived: false,
    notInCode: false,
    notInCodeRationale: '',
    ...more,
  }) as never;

export const caseContent = (title: string, more: Partial<CaseContent> = {}): CaseContent => ({
  title,
  objective: 'Show it',
  preconditions: '',
  steps: [
    { action: 'Do', expected: 'See' },
    { action: 'Do more', expected: 'See more' },
  ],
  plannedMinutes: 5,
  ...more,
});

export const demo = (...path: string[]): string => join(root, 'demo', ...path);

/** What is sent over the connections of a pool from now on, packet by packet. */
export function packetsOver(over: Db): string[] {
  const packets: string[] = [];
  const pool = (over as unknown as { session: { client: { getConnection: () => Promise<object> } } }).session.client;
  const get = pool.getConnection.bind(pool);
  spyOn(pool, 'getConnection').and.callFake(async () => {
    const connection = (await get()) as { query: (asked: unknown) => Promise<unknown>; release: () => void };
    const { query, release } = connection;
    connection.query = (asked) => {
      packets.push(typeof asked === 'string' ? asked : (asked as { sql: string }).sql);
      return query.call(connection, asked);
    };
    connection.release = () => {
      Object.assign(connection, { query, release });
      release.call(connection);
    };
    return connection;
  });
  return packets;
}
