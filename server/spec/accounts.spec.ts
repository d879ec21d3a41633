import * as base from '@contract/base';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { buildApp } from '../src/app';
import { addToken, accountOf, countOne, offerSetup, SharedCounts, Turnstile } from '../src/base';
import { content, contextOf, openProject, openSite, password, type Project } from './support';

type Answer = { statusCode: number; json<T>(): T; headers: Record<string, unknown>; cookies: { name: string; value: string }[] };

describe('accounts and sessions', () => {
  let p: Project;
  const signIn = (login: string, word: string, cookie = ''): Promise<Answer> =>
    p.app.inject({
      method: 'POST',
      url: '/api/session',
      payload: { login, password: word },
      headers: cookie ? { cookie } : {},
    }) as Promise<Answer>;
  const code = (answer: Answer): string => answer.json<{ code: string }>().code;
  const cookieOf = (answer: Answer): string => answer.cookies.map((c) => `${c.name}=${c.value}`).join('; ');

  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());

  it('verifies no more than five wrong passwords, however many come at once', async () => {
    const answers = await Promise.all(Array.from({ length: 30 }, () => signIn('auditor', 'not the password')));
    const codes = answers.map(code);
    expect(codes.filter((c) => c === 'wrongPassword').length).toBeLessThanOrEqual(4);
    expect(codes.filter((c) => c === 'locked').length).toBeGreaterThanOrEqual(26);
    const [rows] = (await p.owner.query(
      `select count(*) as n from ${p.name}.ledger where project_id = 0 and record_key = 'auditor' and action in ('wrong password', 'locked out')`,
    )) as unknown as [{ n: number }[]];
    expect(Number(rows[0].n)).toBe(5);
  });

  it('answers alike for an account that is locked and one that does not exist', async () => {
    for (let i = 0; i < 6; i++) await signIn('nobody-here', 'wrong password');
    const [known, unknown] = [await signIn('auditor', password), await signIn('nobody-here', password)];
    expect([known.statusCode, code(known)]).toEqual([unknown.statusCode, code(unknown)]);
  });

  it('does not lock out a person on a device that is known, nor their signatures', async () => {
    const known = cookieOf(await signIn('reviewer', password));
    for (let i = 0; i < 7; i++) await signIn('reviewer', 'a stranger guesses');
    expect(code(await signIn('reviewer', password))).toBe('locked');
    const again = await signIn('reviewer', password, known);
    expect(again.statusCode).toBe(200);
    expect(again.json<base.Session>().tried).toBeGreaterThanOrEqual(5);
  });

  it('counts wrong passwords at signing before they are verified', async () => {
    const { body: r } = await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds') as never });
    await p.call('author', specify.setRequirementState, { key: r.key, basedOn: 1, state: 'review' });
    const { hash } = (await p.call('both', specify.getRequirement, { key: r.key })).body;
    const sign = (word: string) => p.call('both', specify.approveRequirement, { key: r.key, basedOn: 1, hash, password: word });
    const codes = (await Promise.all(Array.from({ length: 20 }, () => sign('wrong')))).map((a) => a.problem.code);
    expect(codes.filter((c) => c === 'signaturePassword').length).toBeLessThanOrEqual(4);
    expect((await sign(password)).problem.code).toBe('locked');
  });

  it('limits tries by address, through HTTP, and for all nodes together', async () => {
    const site = await openSite();
    const nodes = await Promise.all([0, 1].map(() => buildApp({ context: contextOf(site.database), signInLimit: 6 })));
    const codes: string[] = [];
    for (let i = 0; i < 10; i++) {
      const answer = await nodes[i % 2].inject({ method: 'POST', url: '/api/session', payload: { login: `p${i}`, password: 'x' } });
      codes.push(answer.json<{ code: string }>().code);
    }
    expect(codes).toEqual([...Array<string>(6).fill('wrongPassword'), ...Array<string>(4).fill('tooMany')]);
    for (const node of nodes) await node.close();
    await site.close();
  });

  it('makes an account with a one-time code, with which nothing is allowed but setting a password', async () => {
    const made = await p.call('admin', base.addPerson, { login: 'new.one', printedName: 'New One' });
    expect(made.status).toBe(200);
    await p.call('admin', base.setMember, { login: 'new.one', roles: ['author'] });
    const first = await signIn('new.one', made.body.code);
    expect(first.json<base.Session>().setPassword).toBeTrue();
    const cookie = cookieOf(first);
    const read = await p.app.inject({ url: '/api/projects/spec', headers: { cookie } });
    expect(read.json<{ code: string }>().code).toBe('setPassword');
    const set = (word: string) =>
      p.app.inject({
        method: 'PUT',
        url: '/api/session/password',
        headers: { cookie },
        payload: { present: made.body.code, password: word },
      });
    for (const [word, says] of [
      ['short', 'At least 12'],
      ['password1234', 'commonest'],
      ['aaaaaaaaaaaaaa', 'different'],
      ['new.one.2026', 'own name'],
    ])
      expect((await set(word)).body)
        .withContext(word)
        .toContain(says);
    expect((await set('a pass-phrase of mine')).statusCode).toBe(200);
    expect((await p.app.inject({ url: '/api/projects/spec', headers: { cookie } })).statusCode).toBe(200);
    expect((await signIn('new.one', made.body.code)).statusCode).toBe(401);
  });

  it('lets nobody sign as somebody else: a reset gives a code, ends the sessions, and stands in the project’s ledger', async () => {
    const cookie = cookieOf(await signIn('tester', password));
    const { body } = await p.call('admin', base.changePerson, { login: 'tester', reset: true });
    expect(body.code).toMatch(/^[\w-]{16}$/);
    expect((await p.app.inject({ url: '/api/session', headers: { cookie } })).statusCode).toBe(401);
    expect((await signIn('tester', password)).statusCode).toBe(401);
    const entries = (await p.call('author', base.listLedger, { kind: 'person', q: 'tester' })).body.entries;
    expect(entries[0]).toEqual(jasmine.objectContaining({ action: 'password reset', who: 'admin', key: 'tester' }));
    expect((await p.call('admin', base.changePerson, { login: 'admin', reset: true })).problem.code).toBe('stateForbids');
    const renamed = await p.call('admin', base.changePerson, { login: 'tester', printedName: 'Another Name' });
    expect(renamed.body.person.printedName).toBe('Another Name');
    expect((await p.call('author', base.listLedger, { kind: 'person', q: 'tester' })).body.entries[0].action).toBe('person renamed');
    const [rows] = (await p.owner.query(`select count(*) as n from ${p.name}.ledger where project_id = 0`)) as unknown as [{ n: number }[]];
    await p.call('admin', base.changePerson, { login: 'tester' });
    const [after] = (await p.owner.query(`select count(*) as n from ${p.name}.ledger where project_id = 0`)) as unknown as [
      { n: number }[],
    ];
    expect(after[0].n).toBe(rows[0].n);
  });

  it('ends one’s other sessions, one by one, and all when the password changes', async () => {
    await p.call('admin', base.addPerson, { login: 'two.windows', printedName: 'Two Windows' });
    const { body } = await p.call('admin', base.changePerson, { login: 'two.windows', reset: true });
    const one = cookieOf(await signIn('two.windows', body.code ?? ''));
    const call = (cookie: string, method: 'GET' | 'PUT' | 'DELETE', url: string, payload?: object) =>
      p.app.inject({ method, url, headers: { cookie }, ...(payload ? { payload } : {}) });
    expect((await call(one, 'PUT', '/api/session/password', { present: body.code, password: 'first pass-phrase' })).statusCode).toBe(200);
    const two = cookieOf(await signIn('two.windows', 'first pass-phrase', one));
    const list = (await call(two, 'GET', '/api/session/all')).json<base.MySession[]>();
    expect(list.length).toBe(2);
    expect((await call(two, 'DELETE', `/api/session/all/${list.find((s) => !s.here)?.id}`)).statusCode).toBe(200);
    expect((await call(one, 'GET', '/api/session')).statusCode).toBe(401);
    const three = cookieOf(await signIn('two.windows', 'first pass-phrase', two));
    await call(three, 'PUT', '/api/session/password', { present: 'first pass-phrase', password: 'second pass-phrase' });
    expect((await call(two, 'GET', '/api/session')).statusCode).toBe(401);
    expect((await call(three, 'GET', '/api/session')).statusCode).toBe(200);
  });

  it('keeps an administrator in every project and in the installation, whoever acts at the same time', async () => {
    for (const login of ['one', 'two'])
      await p.call('admin', base.addPerson, { login: `admin-${login}`, printedName: login, installation: true });
    await p.owner.query(
      `update ${p.name}.people a, (select password_hash from ${p.name}.people where login = 'admin') b set a.password_hash = b.password_hash, a.code_until = null where a.login like 'admin-%'`,
    );
    for (let i = 0; i < 6; i++) {
      for (const login of ['admin-one', 'admin-two']) await p.call('admin', base.setMember, { login, roles: ['administrator'] });
      const answers = await Promise.all([
        p.call('admin-one', base.setMember, { login: 'admin-two', roles: [] }),
        p.call('admin-two', base.setMember, { login: 'admin-one', roles: [] }),
      ]);
      expect(answers.filter((a) => a.status === 200).length).toBe(1);
      // Who came second was refused: the role was gone, or the place in the project.
      expect(answers.some((a) => a.status === 403 || a.status === 404)).toBeTrue();
    }
    const both = await Promise.all([
      p.call('admin-one', base.changePerson, { login: 'admin-two', disabled: true }),
      p.call('admin-two', base.changePerson, { login: 'admin-one', disabled: true }),
    ]);
    expect(both.filter((a) => a.status === 200).length).toBe(1);
    await p.owner.query(`update ${p.name}.people set disabled = true where login like 'admin-%'`);
    expect((await p.call('admin', base.setMember, { login: 'admin', roles: ['author'] })).status).toBe(409);
  });

  it('asks for the right again at the moment of the act', async () => {
    const cookie = await p.cookie('both');
    await p.call('admin', base.setMember, { login: 'both', roles: ['auditor'] });
    const answer = await p.app.inject({
      method: 'POST',
      url: '/api/projects/spec/rounds',
      headers: { cookie },
      payload: { build: '1.0', title: 'R', configuration: 'rig', tester: 'tester', cases: ['C-001'] },
    });
    expect(answer.statusCode).toBe(403);
  });

  it('uses a set-up code once, also when two come at once', async () => {
    const site = await openSite();
    const app = await buildApp({ context: contextOf(site.database) });
    const given = (await offerSetup(site.database.db)) ?? '';
    const make = (login: string) =>
      app.inject({
        method: 'POST',
        url: '/api/setup',
        payload: { code: given, login, printedName: 'First Person', password: 'a long pass-phrase' },
      });
    const answers = await Promise.all([make('first'), make('second'), make('third')]);
    expect(answers.filter((a) => a.statusCode === 200).length).toBe(1);
    await app.close();
    await site.close();
  });
});

describe('accounts of programs', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());
  const get = (secret: string, url: string, method: 'GET' | 'POST' = 'GET', payload?: object) =>
    p.app.inject({ method, url, headers: { authorization: `Bearer ${secret}` }, ...(payload ? { payload } : {}) });

  it('act within their roles, under a name of their own, until they end', async () => {
    const { body } = await p.call('admin', base.addToken, { name: 'build-server', roles: ['author'], days: 30 });
    const made = await get(body.secret, '/api/projects/spec/requirements', 'POST', {
      specification: 'BRK',
      content: content('By a program'),
    });
    expect(made.statusCode).toBe(200);
    const { entries } = (await p.call('author', base.listLedger, { who: 'program:build-server' })).body;
    expect(entries.map((e) => e.action)).toEqual(['requirement written']);
    const [rows] = (await p.owner.query(`select secret_hash from ${p.name}.tokens`)) as unknown as [{ secret_hash: string }[]];
    expect(body.secret).not.toContain(rows[0].secret_hash);
    expect((await get(body.secret, '/api/projects/spec/packs', 'POST', { build: '1.0' })).statusCode).toBe(200);
    expect((await get(body.secret, '/api/people')).statusCode).toBe(401);
    expect((await get(body.secret, '/api/projects/other')).statusCode).toBe(401);
    await p.call('admin', base.endToken, { id: body.token.id });
    expect((await get(body.secret, '/api/projects/spec')).statusCode).toBe(401);
    expect((await p.call('admin', base.listTokens, {})).body[0].endedAt).not.toBeNull();
  });

  it('never review, administer, or outlive their day', async () => {
    const wanted = { name: 'rig', roles: ['reviewer'], days: 1 } as never;
    expect((await p.call('admin', base.addToken, wanted)).status).toBe(400);
    expect((await p.call('author', base.addToken, { name: 'rig', roles: ['tester'], days: 1 })).status).toBe(403);
    const old = await addToken(
      p.database.db,
      { ...p.as('admin'), now: () => new Date(Date.now() - 2 * 24 * 3600_000) },
      { name: 'old', roles: ['tester'], days: 1 },
    );
    expect((await get(old.secret, '/api/projects/spec')).statusCode).toBe(401);
  });

  it('cannot do what only a person can: follow, be present, sign', async () => {
    const { body } = await p.call('admin', base.addToken, { name: 'rig', roles: ['tester', 'author'], days: 1 });
    const put = (url: string, payload: object) =>
      p.app.inject({ method: 'PUT', url, headers: { authorization: `Bearer ${body.secret}` }, payload });
    expect((await put('/api/projects/spec/records/BRK-001/following', { follow: true })).statusCode).toBe(403);
    expect((await put('/api/projects/spec/records/BRK-001/presence', {})).statusCode).toBe(403);
    const decision = { choice: 'withdraw', reason: 'by a program', password: 'x' };
    const { statusCode } = await get(body.secret, '/api/projects/spec/runs/RUN-001/decisions', 'POST', decision);
    expect([403, 404]).toContain(statusCode);
    const signed = await get(body.secret, '/api/projects/spec/runs/RUN-001/signatures', 'POST', {
      meaning: 'performed',
      password,
      hash: 'a'.repeat(64),
    });
    expect([403, 404]).toContain(signed.statusCode);
    expect(run.signRun.may).not.toContain('auditor');
  });
});

describe('a file that comes in parts', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());

  const begin = (login: string, bytes: number) => p.call(login, base.beginIncoming, { name: 'C-001.info', bytes });
  const send = async (login: string, id: string, from: number, payload: Buffer) =>
    p.app.inject({
      method: 'PUT',
      url: `/api/projects/spec/incoming/${id}?from=${from}`,
      headers: { cookie: await p.cookie(login), 'content-type': 'application/octet-stream' },
      payload,
    });

  it('goes on where it stopped, and says where that is', async () => {
    const { body } = await begin('tester', 3_000_000);
    const all = Buffer.alloc(3_000_000, 'ab');
    expect((await send('tester', body.id, 0, all.subarray(0, 1_500_000))).json<base.Incoming>().received).toBe(1_500_000);
    const wrong = await send('tester', body.id, 0, all);
    expect(wrong.statusCode).toBe(409);
    expect(wrong.json<{ current: base.Incoming }>().current.received).toBe(1_500_000);
    expect((await p.call('tester', base.getIncoming, { id: body.id })).body.received).toBe(1_500_000);
    expect((await send('tester', body.id, 1_500_000, all.subarray(1_500_000))).json<base.Incoming>().received).toBe(3_000_000);
  });

  it('is nobody else’s, and no longer than it was announced', async () => {
    const { body } = await begin('tester', 10);
    expect((await send('author', body.id, 0, Buffer.from('0123456789'))).statusCode).toBe(404);
    expect((await send('auditor', body.id, 0, Buffer.from('x'))).statusCode).toBe(403);
    expect((await send('tester', body.id, 0, Buffer.alloc(11))).statusCode).toBe(413);
    expect((await begin('tester', 300 << 20)).status).toBe(400);
    await p.call('tester', base.dropIncoming, { id: body.id });
    expect((await p.call('tester', base.getIncoming, { id: body.id })).status).toBe(404);
  });

  it('is read where a whole upload would be, and refused while it is not whole', async () => {
    const { body } = await begin('tester', 10);
    const url = `/api/projects/spec/builds/1.0/coverage?incoming=${body.id}`;
    const headers = { cookie: await p.cookie('tester') };
    expect((await p.app.inject({ method: 'POST', url, headers })).json<{ detail: string }>().detail).toContain('byte 0 of 10');
  });
});

describe('limits', () => {
  it('count each try once, however many come at once, and begin anew when their time is over', async () => {
    const site = await openSite();
    const now = new Date();
    const numbers = await Promise.all(Array.from({ length: 40 }, () => countOne(site.database.db, { name: 'x', seconds: 60 }, now)));
    expect([...numbers].sort((a, b) => a - b)).toEqual(Array.from({ length: 40 }, (_, i) => i + 1));
    expect(await countOne(site.database.db, { name: 'x', seconds: 60 }, new Date(now.getTime() + 61_000))).toBe(1);
    await site.close();
  });

  it('let only a few through a turnstile at once, one of a name, and no endless queue', async () => {
    const gate = new Turnstile(2, 3);
    let inside = 0;
    let most = 0;
    const work = async (): Promise<string> => {
      most = Math.max(most, ++inside);
      await new Promise((resolve) => setTimeout(resolve, 5));
      inside--;
      return 'done';
    };
    const answers = await Promise.all(Array.from({ length: 12 }, (_, i) => gate.enter(`p${i}`, work)));
    expect(most).toBe(2);
    expect(answers.filter((a) => a === undefined).length).toBeGreaterThan(0);
    expect(answers.filter((a) => a === 'done').length).toBeGreaterThanOrEqual(5);
    expect(accountOf(' Ada ')).toBe('ada');
  });

  it('count requests on each node and put them together every second', async () => {
    const site = await openSite();
    const now = new Date('2026-05-01T10:00:00.000Z');
    let at = now;
    const [one, two] = [new SharedCounts(site.database.db, () => at), new SharedCounts(site.database.db, () => at)];
    for (let i = 0; i < 5; i++) one.add('10.0.0.1', 60_000);
    for (let i = 0; i < 7; i++) two.add('10.0.0.1', 60_000);
    expect(two.add('10.0.0.1', 60_000).current).toBe(8);
    await one.sync();
    await two.sync();
    expect(two.add('10.0.0.1', 60_000).current).toBe(14);
    await one.sync();
    expect(one.add('10.0.0.2', 60_000).current).toBe(1);
    one.add('10.0.0.1', 60_000);
    await one.sync();
    expect(one.add('10.0.0.1', 60_000).current).toBe(15);
    at = new Date(now.getTime() + 61_000);
    expect(one.add('10.0.0.1', 60_000).current).toBe(1);
    one.stop();
    two.stop();
    await site.close();
  });
});
