import * as base from '@contract/base';
import * as specify from '@contract/specify';
import type { May } from '@contract/base';
import type { Role } from '@core/base';
import { addPerson, addProject, people, setMember } from '../src/base';
import { eq } from 'drizzle-orm';
import { cast, content, openProject, password, type Project } from './support';

/** Every route of the running application with who may call it, from its own description; also those that the contract does not hold. */
interface Route {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  readonly path: string;
  readonly may: May;
}

/** Everybody who may ask: each role, two roles in one, members of elsewhere, administrators of the installation, nobody. */
interface Caller {
  readonly login: string;
  readonly member: readonly Role[];
  readonly installation: boolean;
}
const callers: readonly Caller[] = [
  ...Object.entries(cast).map(([login, member]) => ({ login, member, installation: login === 'admin' })),
  { login: 'stranger', member: [], installation: false },
  { login: 'operator', member: [], installation: true },
  { login: 'disabled', member: [], installation: false },
  { login: '', member: [], installation: false },
];

describe('every route, asked by everybody', () => {
  let p: Project;
  let routes: Route[];
  const cookies = new Map<string, string>();

  beforeAll(async () => {
    p = await openProject();
    const { db } = p.database;
    const now = (): Date => new Date();
    const installation = { login: 'admin', projectId: 0, now };
    for (const login of ['stranger', 'operator', 'disabled'])
      await addPerson(db, installation, { login, printedName: `Person ${login}`, password, installation: login === 'operator' });
    const [stranger] = await db.select({ id: people.id }).from(people).where(eq(people.login, 'stranger'));
    const other = await addProject(db, installation, stranger.id, { slug: 'other', name: 'Other', standard: 'IEC 61508', level: 'SIL 2' });
    const elsewhere = { login: 'stranger', projectId: other.id, now };
    await setMember(db, elsewhere, 'stranger', ['author', 'tester', 'reviewer', 'auditor', 'administrator']);
    await setMember(db, elsewhere, 'disabled', ['author']);
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds') });
    for (const { login } of callers) if (login) cookies.set(login, await p.cookie(login));
    await db.update(people).set({ disabled: true }).where(eq(people.login, 'disabled'));
    const described = p.app.swagger() as unknown as { paths: Record<string, Record<string, { 'x-may'?: May }>> };
    routes = Object.entries(described.paths).flatMap(([path, methods]) =>
      Object.entries(methods).map(([method, { 'x-may': may }]) => ({ method: method as Route['method'], path, may: may as May })),
    );
  });
  afterAll(() => p.close());

  /** What the guard has to answer; undefined where the request goes on to be judged for itself. */
  const expected = ({ may, path }: Route, { login, member, installation }: Caller): number | undefined => {
    if (may === 'anyone') return undefined;
    if (!login || login === 'disabled') return 401;
    if (may === 'signedIn' || may === 'settingPassword' || may === 'halfSignedIn') return undefined;
    if (may === 'installation') return installation ? undefined : 403;
    // Whoever has no part in a project is not told that it exists.
    if (path.includes('{project}') && !member.length) return 404;
    return may === 'member' || may.some((role) => member.includes(role)) ? undefined : 403;
  };
  const ask = async ({ method, path }: Route, { login }: Caller) => {
    const url = path
      .replace('{project}', 'spec')
      .replace('{key}', 'BRK-001')
      .replaceAll(/\{(\w+)\}/g, '9');
    const answer = await p.app.inject({
      method: method.toUpperCase() as 'GET',
      url,
      headers: login ? { cookie: cookies.get(login) ?? '' } : {},
      ...(method === 'post' || method === 'put' ? { payload: {} } : {}),
    });
    return answer;
  };
  /** These end the session of whoever calls them. */
  const ending = /sessions?$/;

  it('says who may call it', () => {
    expect(routes.length).toBeGreaterThan(100);
    expect(routes.filter(({ may }) => may === undefined).map(({ method, path }) => `${method} ${path}`)).toEqual([]);
  });

  it('answers 401 to nobody, 404 to members of other projects, 403 to those without the right, and goes on for the rest', async () => {
    const wrong: string[] = [];
    let asked = 0;
    for (const route of routes.filter(({ method, path }) => !(method === 'delete' && ending.test(path))))
      for (const caller of callers) {
        const wanted = expected(route, caller);
        const { statusCode, body } = await ask(route, caller);
        asked++;
        const right = wanted === undefined ? ![401, 403, 500].includes(statusCode) : statusCode === wanted;
        if (!right)
          wrong.push(
            `${route.method} ${route.path} by ${caller.login || 'nobody'}: ${statusCode}, not ${wanted ?? 'let in'}; ${body.slice(0, 80)}`,
          );
      }
    expect(wrong).toEqual([]);
    expect(asked).toBeGreaterThan(1000);
  });

  it('tells strangers nothing of what is in a project: not a key, a title or a name', async () => {
    const told: string[] = [];
    for (const route of routes.filter(({ path }) => path.includes('{project}')))
      for (const caller of callers.filter(({ member }) => !member.length)) {
        const { body } = await ask(route, caller);
        if (/BRK-001|It holds|Person author/.test(body)) told.push(`${route.method} ${route.path} to ${caller.login || 'nobody'}`);
      }
    expect(told).toEqual([]);
  });

  it('notes each refusal once in the installation’s ledger, for its administrator to find', async () => {
    const { body } = await p.call('admin', base.listInstallationLedger, { q: 'refused stranger', limit: 500 } as never);
    expect(body.total).toBeGreaterThan(20);
    expect(body.entries.every(({ action, key }) => action === 'refused' && key === 'stranger')).toBeTrue();
    const asked = body.entries.map(({ after }) => (after as { asked: string }).asked);
    expect(new Set(asked).size).toBe(asked.length);
    expect(asked).toContain('GET /api/projects/spec/board');
    await p.call('stranger', base.getProject, {});
    expect((await p.call('admin', base.listInstallationLedger, { q: 'refused stranger' } as never)).body.total).toBe(body.total);
    expect((await p.call('author', base.listInstallationLedger, {} as never)).problem.code).toBe('forbidden');
  });

  it('lets an auditor change nothing', async () => {
    const before = await p.call('auditor', base.getProject, {});
    for (const route of routes.filter(({ method }) => method !== 'get'))
      await ask(route, callers.find(({ login }) => login === 'auditor') as Caller);
    cookies.set('auditor', await p.cookie('auditor'));
    expect((await p.call('admin', base.getProject, {})).body.seq).toBe(before.body.seq);
  });
});
