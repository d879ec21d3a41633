import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import * as base from '@contract/base';
import { caseContent, content, eventually, openProject, password, root, type Project } from './support';
import { addRequirement } from '../src/specify';
import { addCase } from '../src/design';
import { addRound } from '../src/run';
import { projectAgain, Projector } from '../src/prove';

interface Node {
  readonly child: ChildProcess;
  readonly url: string;
}

async function startNode(env: Record<string, string>): Promise<Node> {
  const child = spawn(process.execPath, [join(root, 'dist/server/main.js')], {
    cwd: root,
    env: { ...process.env, ...env, PORT: '0' },
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  const url = await new Promise<string>((resolve, reject) => {
    child.stdout?.on('data', (chunk) => {
      const found = /ready (\S+)/.exec(String(chunk));
      if (found) resolve(found[1]);
    });
    child.on('exit', () => reject(new Error('the server ended')));
  });
  return { child, url };
}

const ended = (child: ChildProcess): Promise<void> =>
  new Promise((resolve) => (child.exitCode !== null || child.signalCode !== null ? resolve() : child.once('exit', () => resolve())));

async function signIn(url: string, login: string): Promise<string> {
  const answer = await fetch(`${url}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ login, password }),
  });
  return String(answer.headers.get('set-cookie')).split(';')[0];
}

const stepCount = 25;

describe('faults', () => {
  let p: Project;
  beforeAll(async () => {
    p = await openProject();
    const { db } = p.database;
    await addRequirement(db, p.as('author'), { specification: 'BRK', under: null, parent: null, content: content('It') });
    await p.approve('BRK-001');
    const steps = Array.from({ length: stepCount }, (_, i) => ({ action: `Do ${i}`, expected: 'See' }));
    const cases = Array.from({ length: 10 }, (_, i) => `C-${String(i + 1).padStart(3, '0')}`);
    for (const key of cases) {
      await addCase(db, p.as('author'), { key, content: { ...caseContent('Long'), steps }, verifies: ['BRK-001'] });
      await p.approve(key);
    }
    await addRound(db, p.as('author'), {
      build: '1.0',
      title: 'R',
      configuration: 'rig',
      unit: '',
      tools: '',
      tester: 'tester',
      cases,
    });
  });
  afterAll(() => p.close());

  it('a server killed five times while ten people record: nothing acknowledged is lost, nothing is done twice, the cords are those made afresh', async () => {
    const keys = Array.from({ length: 10 }, (_, i) => `RUN-${String(i + 1).padStart(3, '0')}`);
    let node = await startNode(p.env);
    let cookie = await signIn(node.url, 'tester');
    let killed = 0;
    const acknowledged = new Map<string, Set<number>>(keys.map((key) => [key, new Set()]));
    let repeated = 0;
    const killing = (async () => {
      while (killed < 5) {
        await new Promise((resolve) => setTimeout(resolve, 150 + 90 * killed));
        node.child.kill('SIGKILL');
        await ended(node.child);
        killed++;
        node = await startNode(p.env);
        cookie = await signIn(node.url, 'tester');
      }
    })();
    await Promise.all(
      keys.map(async (key) => {
        for (let step = 1; step <= stepCount; step++)
          // The same request with the same name, until somebody answers: as the Bench does.
          for (let attempt = 0; ; attempt++) {
            const answer = await fetch(`${node.url}/api/projects/spec/runs/${key}/steps/${step}`, {
              method: 'PUT',
              headers: { cookie, 'content-type': 'application/json', 'idempotency-key': `${key}-step-${step}` },
              body: JSON.stringify({ observed: `seen ${step}`, verdict: 'pass', seconds: step }),
            }).catch(() => undefined);
            if (answer?.ok) {
              acknowledged.get(key)?.add(step);
              if (attempt) repeated++;
              break;
            }
            // Done by the killed server, which could not say so any more.
            if (answer?.status === 409 && ((await answer.json()) as { code: string }).code === 'repeated') break;
            await new Promise((resolve) => setTimeout(resolve, 40));
          }
      }),
    );
    await killing;
    node.child.kill('SIGTERM');
    await ended(node.child);
    const [rows] = (await p.owner.query(
      `select r.record_key k, u.steps s from ${p.name}.runs u join ${p.name}.records r on r.id = u.id order by u.id`,
    )) as unknown as [{ k: string; s: string }[]];
    for (const { k, s } of rows) {
      const steps = JSON.parse(s) as { observed: string }[];
      for (const step of acknowledged.get(k) ?? [])
        expect(steps[step - 1].observed)
          .withContext(`${k} step ${step}`)
          .toBe(`seen ${step}`);
      expect(steps.every((step) => step.observed)).toBeTrue();
    }
    const [[{ n, operations }]] = (await p.owner.query(
      `select count(*) n, count(distinct operation) operations from ${p.name}.ledger where operation like 'RUN-%'`,
    )) as unknown as [{ n: number; operations: number }[]];
    expect([Number(n), Number(operations)]).toEqual([keys.length * stepCount, keys.length * stepCount]);
    expect(repeated).toBeGreaterThan(0);
    const verified = (await p.call('auditor', base.verifyLedger, {})).body;
    expect([verified.fault, verified.rowFaults]).toEqual([undefined, []]);
    const projector = new Projector(p.database.db, () => new Date());
    expect(await projectAgain(p.context, projector, p.projectId)).toEqual([]);
  });

  it('a server killed while it makes a pack: the next one makes it', async () => {
    const first = await startNode(p.env);
    const cookie = await signIn(first.url, 'author');
    const made = await fetch(`${first.url}/api/projects/spec/packs`, {
      method: 'POST',
      headers: { cookie, 'content-type': 'application/json' },
      body: JSON.stringify({ build: '1.0' }),
    });
    const { id } = (await made.json()) as { id: number };
    const state = async (): Promise<string> =>
      ((await p.owner.query(`select state from ${p.name}.jobs where id = ?`, [id])) as unknown as [{ state: string }[]])[0][0].state;
    await eventually(async () => (await state()) !== 'queued');
    first.child.kill('SIGKILL');
    await ended(first.child);
    const second = await startNode(p.env);
    await eventually(async () => ['done', 'failed'].includes(await state()));
    expect(await state()).toBe('done');
    second.child.kill('SIGTERM');
    await ended(second.child);
    expect(second.child.exitCode).toBe(0);
    expect((await p.call('auditor', base.verifyLedger, {})).body.fault).toBeUndefined();
  });

  it('tells one person’s work to another’s open stream, and resumes where a stream was cut', async () => {
    const node = await startNode(p.env);
    const cookie = await signIn(node.url, 'auditor');
    const listen = async (headers: Record<string, string>, wanted: string): Promise<string> => {
      const abort = new AbortController();
      const answer = await fetch(`${node.url}/api/projects/spec/events`, { headers: { cookie, ...headers }, signal: abort.signal });
      let text = '';
      const reader = answer.body?.getReader();
      // The change is made on another node: here, in this process.
      if (!headers['last-event-id'])
        await addRequirement(p.database.db, p.as('author'), {
          specification: 'BRK',
          under: null,
          parent: null,
          content: content('Seen by others'),
        });
      while (reader && !text.includes(wanted)) text += new TextDecoder().decode((await reader.read()).value);
      abort.abort();
      return text;
    };
    const live = await listen({}, '"key":"BRK-002"');
    const id = Number(/id: (\d+)\nevent: entry\ndata: [^\n]*BRK-002/.exec(live)?.[1]);
    expect(await listen({ 'last-event-id': String(id - 1) }, '"key":"BRK-002"')).toContain(`id: ${id}`);
    node.child.kill('SIGTERM');
    await ended(node.child);
  });

  it('says so while the database is away, and goes on when it is back', async () => {
    // A database of its own, so that it can be stopped.
    const folder = mkdtempSync(join(tmpdir(), 'cord-db-'));
    const { startDatabase, prepareDatabase } = (await import(pathToFileURL(join(root, 'scripts/database.mjs')).href)) as {
      startDatabase(folder: string, given?: { port: number }): Promise<{ port: number; stop(): Promise<void> }>;
      prepareDatabase(database: object, name: string, root: string): Promise<Record<string, string>>;
    };
    let database = await startDatabase(folder);
    const node = await startNode(await prepareDatabase(database, 'cord', root));
    const ask = async (path: string): Promise<[number, string | undefined]> => {
      const answer = await fetch(`${node.url}/api/${path}`);
      return [answer.status, ((await answer.json()) as { code?: string }).code];
    };
    expect(await ask('ready')).toEqual([200, undefined]);
    await database.stop();
    expect(await ask('ready')).toEqual([503, 'unavailable']);
    expect((await ask('health'))[0]).toBe(200);
    database = await startDatabase(folder, { port: database.port });
    await eventually(async () => (await ask('ready'))[0] === 200);
    expect(await ask('ready')).toEqual([200, undefined]);
    node.child.kill('SIGTERM');
    await ended(node.child);
    await database.stop();
    rmSync(folder, { recursive: true, force: true });
  });
});
