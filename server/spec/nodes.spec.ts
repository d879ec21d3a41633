import { EventEmitter } from 'node:events';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as design from '@contract/design';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { buildApp } from '../src/app';
import { Refusal, verifyLedger, writeTogether, type Actor } from '../src/base';
import type { StandardProfile } from '@core/prove';
import { checkDaily, Projector, workerDrive, type DriveWorker } from '../src/prove';
import { caseContent, content, contextOf, openProject, openSite, type Project } from './support';

describe('the daily check', () => {
  let p: Project;
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds') });
    await p.approve('BRK-001');
    await p.call('auditor', prove.getBoard, { build: '1.0' } as never);
  });
  afterAll(() => p.close());

  const check = (now: string) => {
    const context = { database: p.database, now: () => new Date(now) };
    return checkDaily(context, new Projector(p.database.db, context.now), p.projectId);
  };

  it('is made by one node a day, and finds nothing in what is sound', async () => {
    const found = await Promise.all(['2030-01-01T08:00:00Z', '2030-01-01T08:00:01Z', '2030-01-01T08:00:02Z'].map(check));
    const made = found.filter((one) => one !== undefined);
    expect(made.length).toBe(1);
    expect([made[0].verification.fault, made[0].verification.rowFaultCount, made[0].drifts]).toEqual([undefined, 0, []]);
    expect(await check('2030-01-02T07:59:59Z')).toBeUndefined();
  });

  it('finds a cord that is not what the ledger gives, and makes it what it should be', async () => {
    await p.owner.query(`update ${p.name}.cords set first_break = 9, states = 'SSSSS', title = 'Another' where record_key = 'BRK-001'`);
    const found = await check('2030-01-03T08:00:00Z');
    expect(found?.drifts).toEqual([{ build: '1.0', keys: ['BRK-001'] }]);
    const [cords] = (await p.owner.query(`select title from ${p.name}.cords where record_key = 'BRK-001'`)) as unknown as [
      { title: string }[],
    ];
    expect(cords.map(({ title }) => title)).toEqual(['It holds']);
  });

  it('finds a row that was changed behind the ledger', async () => {
    await p.owner.query(`update ${p.name}.records set state = 'draft' where record_key = 'BRK-001'`);
    const found = await check('2030-01-04T08:00:01Z');
    expect(found?.verification.rowFaultCount).toBe(1);
  });
});

describe('the thread that judges', () => {
  class Thread extends EventEmitter implements DriveWorker {
    readonly told: unknown[] = [];
    ended = false;
    postMessage(message: unknown): void {
      this.told.push(message);
    }
    async terminate(): Promise<void> {
      this.ended = true;
      this.emit('exit');
    }
  }
  const begun: Thread[] = [];
  const alarms: string[] = [];
  const brought: number[] = [];
  const begin = (): Thread => {
    begun.push(new Thread());
    return begun[begun.length - 1];
  };

  beforeEach(() => {
    jasmine.clock().install();
    begun.length = alarms.length = brought.length = 0;
  });
  afterEach(() => jasmine.clock().uninstall());

  it('is begun again when it ends by an error, which is told, and hears of what is new from then on', async () => {
    const drive = workerDrive(
      begin,
      (project) => brought.push(project),
      (text) => alarms.push(text),
    );
    begun[0].emit('error', new Error('out of memory'));
    begun[0].emit('exit');
    expect(alarms).toEqual(['The thread that judges ended: Error: out of memory']);
    expect(begun.length).toBe(1);
    jasmine.clock().tick(1100);
    expect(begun.length).toBe(2);
    await drive.hurry(7, 8);
    expect([begun[0].told, begun[1].told]).toEqual([[], [{ projectId: 7, buildId: 8 }]]);
    begun[1].emit('message', { projectId: 7 });
    expect(brought).toEqual([7]);
    await drive.stop();
    jasmine.clock().tick(5000);
    expect([begun.length, begun[1].ended]).toEqual([2, true]);
  });

  it('answers each question with its own answer, and none is left waiting where it ends or cannot', async () => {
    const drive = workerDrive(
      begin,
      (project) => brought.push(project),
      (text) => alarms.push(text),
    );
    const profile = { standard: 'Some' } as StandardProfile;
    const [first, second, third] = [1, 2, 3].map((build) => drive.preview(7, build, profile));
    expect(begun[0].told).toEqual([1, 2, 3].map((n) => ({ asked: n, projectId: 7, buildId: n, profile })));
    const shifts = (of: number) => ({ of, changed: 0, proved: { before: 0, after: 0 }, shifts: [] });
    begun[0].emit('message', { answered: 2, shifts: shifts(2) });
    begun[0].emit('message', { answered: 1, shifts: null });
    await expectAsync(second).toBeResolvedTo(shifts(2));
    await expectAsync(first).toBeRejectedWithError(Refusal);
    begun[0].emit('exit');
    await expectAsync(third).toBeRejectedWithError(Refusal);
    expect(brought).toEqual([]);
    await drive.stop();
  });
});

describe('behind a proxy', () => {
  const tries = async (trustProxy: string | undefined): Promise<string[]> => {
    const site = await openSite();
    const app = await buildApp({ context: contextOf(site.database), signInLimit: 2, ...(trustProxy ? { trustProxy } : {}) });
    const codes: string[] = [];
    for (const from of ['203.0.113.1', '203.0.113.1', '203.0.113.2', '203.0.113.1'])
      codes.push(
        (
          await app.inject({
            method: 'POST',
            url: '/api/session',
            remoteAddress: '127.0.0.1',
            headers: { 'x-forwarded-for': from },
            payload: { login: `p${codes.length}`, password: 'x' },
          })
        ).json<{ code: string }>().code,
      );
    await app.close();
    await site.close();
    return codes;
  };

  it('the address that the proxy tells is the one that is counted', async () => {
    expect(await tries('127.0.0.1')).toEqual(['wrongPassword', 'wrongPassword', 'wrongPassword', 'tooMany']);
  });

  it('without one that is trusted, nobody gets a new address by saying so', async () => {
    expect(await tries(undefined)).toEqual(['wrongPassword', 'wrongPassword', 'tooMany', 'tooMany']);
    expect(await tries('198.51.100.7')).toEqual(['wrongPassword', 'wrongPassword', 'tooMany', 'tooMany']);
  });
});

describe('acts that are done together', () => {
  let p: Project;
  let items: readonly { readonly key: string }[];
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds') });
    await p.approve('BRK-001');
    const { body } = await p.call('author', design.addCase, { content: caseContent('One'), verifies: ['BRK-001'] });
    await p.approve(body.key);
    for (const login of ['tester', 'both']) await p.cookie(login);
    const rounds = await Promise.all(
      Array.from({ length: 12 }, (_, i) =>
        p.call('author', run.addRound, { build: '1.0', title: `R${i}`, configuration: `rig ${i}`, tester: 'tester', cases: [body.key] }),
      ),
    );
    items = rounds.flatMap((round) => round.body.items);
  });
  afterAll(() => p.close());

  const step = (key: string, at: number, more: object = {}, who = 'tester') =>
    p.call(who, run.recordStep, { key, step: at, observed: 'seen', verdict: 'pass', seconds: 1, ...more });
  const entries = async (): Promise<number> =>
    Number(
      (
        (await p.owner.query(`select count(*) as n from ${p.name}.ledger where project_id = ${p.projectId}`)) as unknown as [
          [{ n: number }],
        ]
      )[0][0].n,
    );

  it('are each done or refused as if they were alone, and the chain holds', async () => {
    const before = await entries();
    const answers = await Promise.all([
      ...items.map(({ key }) => step(key, 1)),
      ...items.slice(0, 4).map(({ key }) => step(key, 9)),
      ...items.slice(0, 4).map(({ key }) => step(key, 2, {}, 'both')),
      step('RUN-999', 1),
    ]);
    const codes = answers.map(({ status, problem }) => (status === 200 ? 'done' : problem.code));
    expect(codes).toEqual([
      ...items.map(() => 'done'),
      ...Array<string>(4).fill('notFound'),
      ...Array<string>(4).fill('notTester'),
      'notFound',
    ]);
    expect((await entries()) - before).toBe(items.length);
    const verified = await verifyLedger(p.database.db, p.projectId);
    expect([verified.fault, verified.rowFaultCount]).toEqual([undefined, 0]);
  });

  it('of two on one step the second rests on what the first wrote', async () => {
    const [{ key }] = items;
    const answers = await Promise.all(['a', 'b', 'c', 'd'].map((observed) => step(key, 2, { observed })));
    expect(answers.map(({ status }) => status)).toEqual([200, 200, 200, 200]);
    expect(new Set(answers.map(({ body }) => body.revision)).size).toBe(4);
    const { body } = await p.call('auditor', run.getRun, { key });
    const last = answers.reduce((a, b) => (a.body.revision > b.body.revision ? a : b));
    expect(body.steps[1].observed).toBe(last.body.result.observed);
  });

  it('do not wait for one whose record is held by somebody else; that one is done when it is free', async () => {
    const held = await p.owner.getConnection();
    await held.query(`use ${p.name}`);
    await held.query('begin');
    await held.query(`select * from records where project_id = ${p.projectId} and record_key = '${items[3].key}' for update`);
    const order: string[] = [];
    const slow = step(items[3].key, 2).then((answer) => (order.push('held'), answer));
    const others = [4, 5, 6].map((i) => step(items[i].key, 2).then((answer) => (order.push('free'), answer)));
    expect((await Promise.all(others)).map(({ status }) => status)).toEqual([200, 200, 200]);
    expect(order).toEqual(['free', 'free', 'free']);
    await held.query('commit');
    held.release();
    expect((await slow).status).toBe(200);
  });

  it('hold nothing of what many runs rest on, and wait for nobody who holds that', async () => {
    const held = await p.owner.getConnection();
    await held.query(`use ${p.name}`);
    const [rows] = (await held.query(
      `select id from records where project_id = ${p.projectId} and kind in ('case', 'round', 'build')`,
    )) as unknown as [{ id: number }[]];
    await held.query('begin');
    // One by one by their ids: a search for several holds what it passes by on its way as well.
    for (const { id } of rows) await held.query(`select id from records where id = ${id} for update`);
    const answered = await Promise.race([
      Promise.all([step(items[7].key, 2), step(items[8].key, 2)]),
      new Promise((resolve) => setTimeout(resolve, 30_000, 'waited')),
    ]);
    await held.query('commit');
    held.release();
    expect((answered as { status: number }[]).map(({ status }) => status)).toEqual([200, 200]);
  });

  it('are answered and committed only where the session still is whose it was, however lately it was', async () => {
    const { key } = items[9];
    expect((await step(key, 1)).status).toBe(200);
    expect((await p.call('tester', run.listRuns, {})).status).toBe(200);
    const [before, told] = [await entries(), (await p.call('auditor', run.getRun, { key })).body.steps];
    const asked = async (): Promise<unknown[]> => {
      const answers = [
        await step(key, 2),
        // What is wrong with a request is told to those who may ask.
        await step(key, 2, { verdict: 'splendid' }),
        await p.call('tester', run.listRuns, {}),
        await p.call('tester', run.listRuns, { sort: 'no such column' }),
        await p.call('tester', run.finishRun, { key, seconds: 1 }),
      ];
      return [...new Set(answers.map(({ status }) => status))];
    };
    const sql = (text: string): Promise<unknown> => p.owner.query(text.replaceAll('#', `${p.name}.`));
    const tester = `(select id from ${p.name}.people where login = 'tester')`;
    // Nobody told this node of any of it.
    await sql(`update #people set disabled = true where login = 'tester'`);
    expect(await asked()).toEqual([401]);
    await sql(`update #people set disabled = false where login = 'tester'`);
    expect((await step(key, 2)).status).toBe(200);
    await sql(`update #memberships set role = 'auditor' where person_id = ${tester} and project_id = ${p.projectId} and role = 'tester'`);
    expect([(await step(key, 2, { observed: 'again' })).status, (await p.call('tester', run.listRuns, {})).status]).toEqual([403, 200]);
    await sql(`update #memberships set role = 'tester' where person_id = ${tester} and project_id = ${p.projectId} and role = 'auditor'`);
    await p.call('tester', run.listRuns, {});
    await sql(`update #sessions set seen_at = '2020-01-01T00:00:00.000Z' where person_id = ${tester}`);
    expect(await asked()).toEqual([401]);
    await sql(`update #sessions set seen_at = expires_at where person_id = ${tester}`);
    expect((await p.call('tester', run.listRuns, {})).status).toBe(200);
    await sql(`delete from #sessions where person_id = ${tester}`);
    expect(await asked()).toEqual([401]);
    const { body } = await p.call('auditor', run.getRun, { key });
    expect([(await entries()) - before, body.steps[0]]).toEqual([1, told[0]]);
  });

  it('leave nothing of what is refused in the middle, and take a name once', async () => {
    const actor = (operation?: string): Actor => ({
      ...p.as('tester'),
      ...(operation ? { operation: { name: operation, route: 'PUT /x' } } : {}),
    });
    const note = (who: Actor, key: string, refuse: boolean) =>
      writeTogether(p.database.db, who, { key, ahead: async () => new Map() }, async (w) => {
        w.log({ action: 'noted', kind: 'run', key });
        if (refuse) throw new Refusal('stateForbids');
        return key;
      });
    const before = await entries();
    const answers = await Promise.allSettled([
      note(actor('operation-1'), 'one', false),
      note(actor(), 'two', true),
      note(actor('operation-1'), 'three', false),
      note(actor(), 'four', false),
    ]);
    const [one, two, three, four] = answers.map((answer) =>
      answer.status === 'fulfilled' ? answer.value : (answer.reason as Refusal).code,
    );
    // Two transactions may be on their way: whichever notes the name first does it.
    expect([
      ['one', 'repeated'],
      ['repeated', 'three'],
    ]).toContain([one, three]);
    expect([two, four]).toEqual(['stateForbids', 'four']);
    expect((await entries()) - before).toBe(2);
  });
});

describe('what takes long to arrive', () => {
  let p: Project;
  let app: Awaited<ReturnType<typeof buildApp>>;
  let url: string;
  let cookie: string;
  beforeAll(async () => {
    p = await openProject();
    cookie = await p.cookie('author');
    app = await buildApp({ context: contextOf(p.database), times: { within: 400, silent: 400 } });
    url = await app.listen({ host: '127.0.0.1', port: 0 });
  });
  afterAll(async () => {
    app.server.closeAllConnections();
    await app.close();
    await p.close();
  });

  /** Sends headers that announce a body, and only the beginning of it; answers what came back until the connection ended. */
  const begin = (path: string, type: string): Promise<string> =>
    new Promise((resolve) => {
      const { hostname, port } = new URL(url);
      const socket = connect(Number(port), hostname);
      let text = '';
      socket.on('data', (chunk: Buffer) => (text += chunk.toString()));
      socket.on('error', () => undefined);
      socket.on('close', () => resolve(text));
      socket.write(
        `POST /api/projects/spec${path} HTTP/1.1\r\nhost: ${hostname}:${port}\r\ncookie: ${cookie}\r\ncontent-type: ${type}\r\ncontent-length: 5000\r\n\r\n{"a":`,
      );
    });

  it('is cut where its body does not come to an end, and holds nobody else up', async () => {
    const began = begin('/requirements', 'application/json');
    const uploaded = begin('/files', 'application/octet-stream');
    const others = await fetch(`${url}/api/projects/spec`, { headers: { cookie } });
    expect(others.status).toBe(200);
    for (const text of await Promise.all([began, uploaded])) expect(text).not.toContain('HTTP/1.1 200');
  });

  it('is not cut where only the answer takes long: a stream of events lasts', async () => {
    const abort = new AbortController();
    const answer = await fetch(`${url}/api/projects/spec/events`, { headers: { cookie }, signal: abort.signal });
    const reader = answer.body?.getReader();
    let ended = false;
    const reading = (async () => {
      while (!(await reader?.read())?.done);
      ended = true;
    })().catch(() => (ended = true));
    await new Promise((resolve) => setTimeout(resolve, 1600));
    expect(ended).toBeFalse();
    abort.abort();
    await reading;
  });
});

describe('requests from one address', () => {
  it('are counted where they ask the database for something; pages and their files always come', async () => {
    const site = await openSite();
    const webRoot = mkdtempSync(join(tmpdir(), 'cord-web-'));
    writeFileSync(join(webRoot, 'index.html'), '<!doctype html><cp-root></cp-root>');
    for (const name of ['main-ABCDEFGH.js', 'worker-ABCDEFGH.js', 'favicon.svg']) writeFileSync(join(webRoot, name), 'void 0;');
    const app = await buildApp({ context: contextOf(site.database), requestLimit: 5, webRoot });
    const ask = async (url: string): Promise<number> => (await app.inject({ url })).statusCode;
    const answers = await Promise.all(Array.from({ length: 40 }, (_, i) => ask(i % 2 ? '/larkfell/cord' : '/main-ABCDEFGH.js')));
    expect(new Set(answers)).toEqual(new Set([200]));
    // A hashed file is kept for ever and says nothing that is said with a page; a worker has a policy of its own.
    const said = async (url: string): Promise<unknown[]> => {
      const { headers } = await app.inject({ url });
      return [headers['cache-control'], headers['x-content-type-options'], 'content-security-policy' in headers];
    };
    expect(await said('/main-ABCDEFGH.js')).toEqual(['public, max-age=31536000, immutable', 'nosniff', false]);
    expect(await said('/worker-ABCDEFGH.js')).toEqual(['public, max-age=31536000, immutable', 'nosniff', true]);
    expect(await said('/favicon.svg')).toEqual(['no-cache', 'nosniff', true]);
    expect(await said('/larkfell/cord')).toEqual(['no-store', 'nosniff', true]);
    const api: number[] = [];
    for (let i = 0; i < 8; i++) api.push(await ask('/api/session'));
    expect(api).toEqual([401, 401, 401, 401, 401, 429, 429, 429]);
    expect(await ask('/larkfell/cord')).toBe(200);
    expect(await ask('/api/nothing')).toBe(429);
    await app.close();
    await site.close();
    rmSync(webRoot, { recursive: true });
  });
});
