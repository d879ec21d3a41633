import * as base from '@contract/base';
import * as design from '@contract/design';
import * as measure from '@contract/measure';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import type { Endpoint } from '@contract/base';
import { contextOf, openProject, openSite, password, type Project } from './support';
import { buildApp } from '../src/app';
import { offerSetup } from '../src/base';

const isEndpoint = (value: unknown): value is Endpoint =>
  typeof value === 'object' && value !== null && 'method' in value && 'may' in value;
const endpoints = [base, specify, design, run, measure, prove].flatMap((room) => Object.values(room)).filter(isEndpoint);

describe('access', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());

  const path = (endpoint: Endpoint): string =>
    `/api${endpoint.path.replace(':project', 'spec').replace(':id', '1').replace(':step', '1').replace(':build', '1.0').replace(/:\w+/g, 'BRK-001')}`;

  it('answers nobody who is not signed in, on any route', async () => {
    for (const endpoint of endpoints.filter((e) => e.may !== 'anyone')) {
      const answer = await p.app.inject({
        method: endpoint.method,
        url: path(endpoint),
        ...(endpoint.method === 'POST' || endpoint.method === 'PUT' ? { payload: {} } : {}),
      });
      expect([400, 401]).withContext(`${endpoint.method} ${endpoint.path}`).toContain(answer.statusCode);
    }
  });

  it('lets an auditor change nothing, on any route', async () => {
    const cookie = await p.cookie('auditor');
    const changing = endpoints.filter((e) => Array.isArray(e.may) && e.method !== 'GET' && !e.may.includes('auditor'));
    expect(changing.length).toBeGreaterThan(20);
    for (const endpoint of changing) {
      // Bodies are validated first; a body that passes is refused by role, so either answer changes nothing.
      const answer = await p.app.inject({
        method: endpoint.method,
        url: path(endpoint),
        ...(endpoint.multipart
          ? { headers: { cookie, 'content-type': 'multipart/form-data; boundary=x' }, payload: '--x--' }
          : { headers: { cookie }, payload: {} }),
      });
      expect([400, 403]).withContext(`${endpoint.method} ${endpoint.path}`).toContain(answer.statusCode);
    }
    const entries = await p.call('auditor', base.listLedger, { who: 'auditor' });
    expect(entries.body.entries).toEqual([]);
  });

  it('refuses with the right body by role alone', async () => {
    const refused = await p.call('tester', specify.addSpecification, { key: 'NEW', title: 'New', prefix: 'NEW' });
    expect(refused.status).toBe(403);
    expect(refused.problem.code).toBe('forbidden');
  });

  it('hides a project from those who have no part in it', async () => {
    const answer = await p.app.inject({ method: 'GET', url: '/api/projects/other', headers: { cookie: await p.cookie('author') } });
    expect(answer.statusCode).toBe(404);
  });

  it('refuses a change from another origin', async () => {
    const answer = await p.app.inject({
      method: 'POST',
      url: '/api/session',
      headers: { origin: 'https://elsewhere.example', host: '127.0.0.1' },
      payload: { login: 'author', password },
    });
    expect(answer.statusCode).toBe(403);
    expect(answer.json<{ code: string }>().code).toBe('wrongOrigin');
  });

  it('locks an account after five wrong passwords, and says so in the ledger of the installation', async () => {
    const tryIt = (word: string) => p.app.inject({ method: 'POST', url: '/api/session', payload: { login: 'both', password: word } });
    for (let i = 0; i < 4; i++) expect((await tryIt('wrong')).statusCode).toBe(401);
    expect((await tryIt('wrong')).json<{ code: string }>().code).toBe('locked');
    expect((await tryIt(password)).json<{ code: string }>().code).toBe('locked');
    const [rows] = (await p.owner.query(
      `select action from ${p.name}.ledger where project_id = 0 and record_key = 'both' and action = 'locked out'`,
    )) as unknown as [unknown[]];
    expect(rows.length).toBe(1);
  });

  it('ends a session at sign-out, and keeps only hashes of sessions and passwords', async () => {
    const signedIn = await p.app.inject({ method: 'POST', url: '/api/session', payload: { login: 'reviewer', password } });
    const set = String(signedIn.headers['set-cookie']);
    expect(set).toContain('HttpOnly');
    expect(set).toContain('SameSite=Strict');
    const cookie = set.split(';')[0];
    const [rows] = (await p.owner.query(`select id_hash from ${p.name}.sessions`)) as unknown as [{ id_hash: string }[]];
    expect(rows.some((row) => row.id_hash === cookie.split('=')[1])).toBeFalse();
    expect((await p.app.inject({ method: 'DELETE', url: '/api/session', headers: { cookie } })).statusCode).toBe(200);
    expect((await p.app.inject({ method: 'GET', url: '/api/session', headers: { cookie } })).statusCode).toBe(401);
    const [people] = (await p.owner.query(`select password_hash from ${p.name}.people limit 1`)) as unknown as [
      { password_hash: string }[],
    ];
    expect(people[0].password_hash).toMatch(/^\$argon2id\$/);
  });

  it('describes every route in OpenAPI 3.1, and sends a strict policy', async () => {
    const openapi = (await p.app.inject({ url: '/api/openapi.json' })).json<{ openapi: string; paths: Record<string, object> }>();
    expect(openapi.openapi).toBe('3.1.0');
    for (const endpoint of endpoints)
      expect(openapi.paths[`/api${endpoint.path.replace(/:(\w+)/g, '{$1}')}`])
        .withContext(endpoint.path)
        .toBeDefined();
    const policy = String((await p.app.inject({ url: '/api/health' })).headers['content-security-policy']);
    expect(policy).toContain("script-src 'self'");
    expect(policy).not.toContain('unsafe');
    expect((await p.app.inject({ url: '/api/docs/' })).statusCode).toBe(200);
  });
});

describe('a new installation', () => {
  it('makes its first administrator with the one-time code, once', async () => {
    const site = await openSite();
    const app = await buildApp({ context: contextOf(site.database) });
    const code = (await offerSetup(site.database.db)) ?? '';
    const make = (given: string) =>
      app.inject({
        method: 'POST',
        url: '/api/setup',
        payload: { code: given, login: 'first', printedName: 'First Person', password: 'a-long-password' },
      });
    expect((await make('guess')).statusCode).toBe(401);
    expect((await make(code)).statusCode).toBe(200);
    expect((await make(code)).statusCode).toBe(401);
    expect(await offerSetup(site.database.db)).toBeUndefined();
    await app.close();
    await site.close();
  });
});
