import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import * as base from '@contract/base';
import * as run from '@contract/run';
import { usualStages } from '@core/run';
import { verifyLedger } from '../src/base';
import { TrackerSync } from '../src/run';
import { httpTracker, type TrackerAdapter } from '../src/run/tracker-http';
import { openProject, root, type Project } from './support';

/** The tracker that ships, in this process. */
interface Simulated {
  readonly url: string;
  readonly kept: {
    readonly items: { id: string; title: string; state: string; version: number; comments: { by: string; text: string }[] }[];
    readonly events: unknown[];
  };
  stop(): Promise<void>;
}
interface Simulator {
  readonly demoToken: string;
  readonly demoSecret: string;
  startTracker(options: { port?: number; hook?: string; file?: string }): Promise<Simulated>;
}

const states = [
  { stage: 'open', theirs: 'New' },
  { stage: 'working', theirs: 'In work' },
  { stage: 'fixed', theirs: 'Done' },
  { stage: 'closed', theirs: 'Closed' },
];

describe('the tracker outside', () => {
  let p: Project;
  let simulator: Simulator;
  let there: Simulated;
  let sync: TrackerSync;
  let clock: Date;
  beforeAll(async () => {
    process.env['CORD_LOCAL_TRACKER'] = '1';
    p = await openProject();
    simulator = (await import(pathToFileURL(join(root, 'scripts', 'tracker.mjs')).href)) as Simulator;
    there = await simulator.startTracker({});
    clock = new Date();
    sync = new TrackerSync(p.database.db, () => clock);
  });
  afterAll(async () => {
    await there.stop();
    await p.close();
  });

  const set = (more: object = {}) =>
    p.call('admin', run.saveTracker, {
      name: 'Workshop',
      url: there.url,
      states,
      paused: false,
      token: simulator.demoToken,
      secret: simulator.demoSecret,
      ...more,
    });
  const raise = async (title: string): Promise<string> =>
    (
      await p.call('tester', run.addProblem, {
        title,
        description: 'It rings twice.',
        blocking: true,
        run: null,
        step: null,
        build: '1.0',
        requirements: [],
      })
    ).body.key;
  const report = async (key: string) =>
    (await p.call('auditor', run.listProblems, { filter: JSON.stringify({ field: 'key', is: [key] }) })).body.rows[0];
  const change = async (key: string, more: object) => {
    const { revision, title, description, blocking, stage, severity, priority, area, assigned, due, fixedIn, closedReason } =
      await report(key);
    const now = { title, description, blocking, stage, severity, priority, area, assigned, due, fixedIn, closedReason };
    const { status } = await p.call('author', run.saveProblem, { key, ...now, basedOn: revision, password: '', ...more });
    expect(status).toBe(200);
  };
  const outside = async (key: string) => (await p.call('auditor', run.getOutside, { key })).body.link;
  const exchange = () => sync.exchange(p.projectId);
  const item = (id: string | null | undefined) => {
    const found = there.kept.items.find((one) => one.id === id);
    if (!found) throw new Error(`there is no ${id}`);
    return found;
  };
  const asked = (method: string, path: string, body: object) =>
    fetch(`${there.url}${path}`, {
      method,
      headers: { authorization: `Bearer ${simulator.demoToken}`, 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
  /** A report that is linked, with its item there. */
  const linked = async (title: string) => {
    const key = await raise(title);
    await p.call('tester', run.linkOutside, { key, theirId: null });
    expect(await exchange()).toBeTrue();
    const link = await outside(key);
    return { key, id: link?.theirId ?? '' };
  };

  it('is set by an administrator, with a word for each stage, https beyond this machine, its token sealed', async () => {
    expect((await p.call('author', run.linkOutside, { key: await raise('Early'), theirId: null })).status).toBe(409);
    expect(
      (await p.call('author', run.saveTracker, { name: 'W', url: there.url, states, paused: false, token: 'a', secret: 'b' })).status,
    ).toBe(403);
    const partly = await set({ states: states.slice(1) });
    expect(partly.problem.fields?.map(({ text }) => text)).toEqual([`Say what “${usualStages[0].title}” is called there.`]);
    expect((await set({ url: 'http://tracker.example.org' })).problem.fields?.[0].path).toBe('url');
    expect((await set({ url: 'file:///etc/passwd' })).status).toBe(400);
    delete process.env['CORD_LOCAL_TRACKER'];
    expect((await set()).problem.fields?.[0].text).toContain('CORD_LOCAL_TRACKER');
    process.env['CORD_LOCAL_TRACKER'] = '1';
    expect((await set({ token: '' })).problem.fields?.[0].path).toBe('token');
    expect((await set()).status).toBe(200);
    const [[row]] = (await p.owner.query(`select token, secret from ${p.name}.trackers`)) as unknown as [
      { token: string; secret: string }[],
    ];
    expect(`${row.token} ${row.secret}`).not.toContain('of-the-demo');
    // Nothing given: what is kept stays.
    expect((await set({ token: '', secret: '', name: 'Workshop' })).status).toBe(200);
  });

  it('gets a report as an item of its own, once, and says what became of it', async () => {
    const { key, id } = await linked('The bell rings twice');
    expect(item(id)).toEqual(jasmine.objectContaining({ title: 'The bell rings twice', state: 'New', version: 1 }));
    expect(await outside(key)).toEqual(
      jasmine.objectContaining({ theirs: { title: 'The bell rings twice', state: 'New' }, waiting: 0, conflicts: [], refused: '' }),
    );
    expect((await p.call('tester', run.linkOutside, { key, theirId: null })).status).toBe(409);
    await exchange();
    expect(there.kept.items.filter(({ title }) => title === 'The bell rings twice').length).toBe(1);
    expect((await verifyLedger(p.database.db, p.projectId)).rowFaults).toEqual([]);
  });

  it('follows title, stage and comments both ways, and nothing comes back as an echo', async () => {
    const { key, id } = await linked('The lamp flickers');
    await change(key, { title: 'The lamp flickers when cold', stage: 'working', assigned: 'author' });
    await p.call('tester', base.addComment, { key, html: '<p>Seen at minus ten.</p>', parent: null, field: '', passage: '' });
    await exchange();
    expect(item(id)).toEqual(jasmine.objectContaining({ title: 'The lamp flickers when cold', state: 'In work' }));
    expect(item(id).comments.map(({ by, text }) => `${by}: ${text}`)).toEqual(['Person tester: Seen at minus ten.']);
    await asked('PUT', `/api/items/${id}`, { title: 'The lamp flickers when cold or wet' });
    await asked('POST', `/api/items/${id}/comments`, { by: 'the workshop', text: 'A <b>loose</b> plug.\nMended?' });
    await exchange();
    await exchange();
    expect((await report(key)).title).toBe('The lamp flickers when cold or wet');
    const { body } = await p.call('auditor', base.listComments, { key });
    expect(body.map(({ by, text }) => [by, text.replaceAll(/\s+/g, ' ')])).toEqual([
      ['tester', 'Seen at minus ten.'],
      ['tracker:Workshop', 'the workshop: A <b>loose</b> plug. Mended?'],
    ]);
    expect(item(id).comments.length).toBe(2);
    const { version } = item(id);
    await exchange();
    expect(item(id).version).toBe(version);
    const { body: history } = await p.call('auditor', base.recordHistory, { key });
    expect(history.map(({ by }) => by)).toContain('tracker:Workshop');
  });

  it('changed on both sides: neither is overwritten, and a person decides', async () => {
    const { key, id } = await linked('The rope hums');
    await change(key, { title: 'The rope hums at six metres' });
    await asked('PUT', `/api/items/${id}`, { title: 'The rope hums in wind', state: 'In work' });
    await exchange();
    expect((await report(key)).title).toBe('The rope hums at six metres');
    expect(item(id).title).toBe('The rope hums in wind');
    const link = await outside(key);
    expect(link?.conflicts).toEqual([
      { field: 'title', base: 'The rope hums', mine: 'The rope hums at six metres', theirs: 'The rope hums in wind' },
    ]);
    // It asks for whom it is assigned to, which the tracker does not know.
    expect(link?.refused).toContain('“Being worked on” asks for it.');
    await p.call('tester', run.decideOutside, { key, field: 'title', take: 'mine' });
    await exchange();
    expect(item(id).title).toBe('The rope hums at six metres');
    await asked('PUT', `/api/items/${id}`, { title: 'Third' });
    await change(key, { title: 'Fourth' });
    await exchange();
    await p.call('tester', run.decideOutside, { key, field: 'title', take: 'theirs' });
    await exchange();
    expect([(await report(key)).title, item(id).title]).toEqual(['Third', 'Third']);
    expect((await p.call('tester', run.decideOutside, { key, field: 'title', take: 'mine' })).status).toBe(409);
  });

  it('cannot close a report that a run does not show to be fixed: that is signed by a person', async () => {
    const { key, id } = await linked('The door sticks');
    await asked('PUT', `/api/items/${id}`, { state: 'Closed' });
    await exchange();
    expect((await report(key)).state).toBe('open');
    expect((await outside(key))?.refused).not.toBe('');
  });

  it('is down, and the server too: what was done meanwhile is told afterwards, in its order and once', async () => {
    const { key, id } = await linked('The brake squeaks');
    const { url } = there;
    const port = Number(new URL(url).port);
    const file = `/tmp/cord-tracker-${process.pid}.json`;
    const { writeFileSync, rmSync } = await import('node:fs');
    writeFileSync(file, JSON.stringify(there.kept));
    await there.stop();
    for (const text of ['one', 'two', 'three'])
      await p.call('tester', base.addComment, { key, html: `<p>${text}</p>`, parent: null, field: '', passage: '' });
    await change(key, { title: 'The brake squeaks at night' });
    expect(await exchange()).toBeFalse();
    const { body } = await p.call('admin', run.getTracker, {});
    expect(body.waiting).toBe(4);
    expect(body.fault).not.toBe('');
    // Another node goes on where the first one died.
    there = await simulator.startTracker({ port, file });
    clock = new Date(clock.getTime() + 120_000);
    const other = new TrackerSync(p.database.db, () => clock);
    expect(await other.exchange(p.projectId)).toBeTrue();
    expect(item(id).comments.map(({ text }) => text)).toEqual(['one', 'two', 'three']);
    expect(item(id).title).toBe('The brake squeaks at night');
    expect((await p.call('admin', run.getTracker, {})).body).toEqual(jasmine.objectContaining({ waiting: 0, fault: '' }));
    rmSync(file, { force: true });
  });

  it('answers, and the answer is lost: asked again it is not done again', async () => {
    const { key, id } = await linked('The seat is loose');
    let lost = 0;
    const losing = (real: TrackerAdapter): TrackerAdapter => ({
      ...real,
      comment: async (...given) => {
        await real.comment(...given);
        if (lost++ < 2) throw new Error('the line broke');
      },
      change: async (...given) => {
        const answer = await real.change(...given);
        if (lost++ < 4) throw new Error('the line broke');
        return answer;
      },
    });
    const broken = new TrackerSync(
      p.database.db,
      () => clock,
      undefined,
      ({ url }) => losing(httpTracker({ url, token: simulator.demoToken })),
    );
    await p.call('tester', base.addComment, { key, html: '<p>Once.</p>', parent: null, field: '', passage: '' });
    await change(key, { title: 'The seat is loose again' });
    const before = item(id).version;
    for (let i = 0; i < 8; i++) await broken.exchange(p.projectId);
    expect(lost).toBeGreaterThan(3);
    expect(item(id).comments.map(({ text }) => text)).toEqual(['Once.']);
    expect(item(id).version).toBe(before + 1);
    expect((await outside(key))?.waiting).toBe(0);
  });

  it('has an item that a report is linked with, where both differ somebody decides; a link ends', async () => {
    await asked('POST', '/api/items', { title: 'Found there first' });
    const { id } = there.kept.items[there.kept.items.length - 1];
    const key = await raise('Found here first');
    await p.call('tester', run.linkOutside, { key, theirId: id });
    await exchange();
    expect((await outside(key))?.conflicts.map(({ field, mine, theirs }) => [field, mine, theirs])).toEqual([
      ['title', 'Found here first', 'Found there first'],
    ]);
    const other = await raise('Another');
    expect((await p.call('tester', run.linkOutside, { key: other, theirId: id })).problem.fields?.[0].text).toBe(
      `${id} belongs to ${key}.`,
    );
    await p.call('tester', run.linkOutside, { key: other, theirId: 'ITEM-999' });
    await exchange();
    expect((await outside(other))?.refused).toBe('There is no ITEM-999 there.');
    for (const ended of [key, other]) await p.call('tester', run.endOutside, { key: ended, reason: 'Another one.' });
    expect(await outside(key)).toBeNull();
    await change(key, { title: 'Alone' });
    await exchange();
    expect(item(id).title).toBe('Found there first');
  });

  it('calls, signed; who is not it is not heard', async () => {
    const { createHmac } = await import('node:crypto');
    const call = async (time: string, secret: string, project = 'spec') =>
      (
        await p.app.inject({
          method: 'POST',
          url: `/api/trackers/${project}/hook`,
          headers: {
            'content-type': 'application/json',
            'tracker-time': time,
            'tracker-signature': createHmac('sha256', secret).update(`${time}.7`).digest('hex'),
          },
          payload: { sequence: 7 },
        })
      ).statusCode;
    const now = new Date().toISOString();
    expect(await call(now, simulator.demoSecret)).toBe(200);
    expect(await call(now, 'another secret')).toBe(403);
    expect(await call(new Date(Date.now() - 3600_000).toISOString(), simulator.demoSecret)).toBe(403);
    expect(await call('never', simulator.demoSecret)).toBe(403);
    expect(await call(now, simulator.demoSecret, 'nowhere')).toBe(403);
    const bare = await p.app.inject({ method: 'POST', url: '/api/trackers/spec/hook', payload: { sequence: 7 } });
    expect(bare.statusCode).toBe(403);
  });

  it('is paused: nothing is asked, and what is done waits', async () => {
    const { key, id } = await linked('The gate is slow');
    await set({ paused: true });
    await change(key, { title: 'The gate is very slow' });
    expect(await exchange()).toBeFalse();
    expect(item(id).title).toBe('The gate is slow');
    await set({ paused: false });
    expect(await exchange()).toBeTrue();
    expect(item(id).title).toBe('The gate is very slow');
  });
});
