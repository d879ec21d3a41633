// npm run torture [-- nodes=1000 databases=100 recorders=20]: two server nodes on one database, killed again and again (SIGKILL) while
// people record, load evidence, listen, and packs are made; the database is killed too. Then everything is counted and verified.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { freePort, prepareDatabase, startDatabase } from './database.mjs';
import { freshDatabase, loadDemo } from './site.mjs';
import { dataFolder, needModules, needPackages, root, say } from './system.mjs';

needPackages('mariadb-server');
needModules();
const { buildAll } = await import('./build.mjs');
buildAll();
const wanted = { nodes: 1000, databases: 100, recorders: 20, ...Object.fromEntries(process.argv.slice(2).map((word) => word.split('='))) };
const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
let database = await freshDatabase('torture');
const env = await prepareDatabase(database, 'torture', root);
await loadDemo(env, () => undefined);

/** A node that is started again whenever it ends. */
class Node {
  constructor(port) {
    this.port = port;
    this.url = `http://127.0.0.1:${port}`;
  }

  async start() {
    this.child = spawn(process.execPath, [join(root, 'dist/server/main.js')], {
      cwd: root,
      env: { ...process.env, ...env, PORT: String(this.port), CORD_SIGNIN_LIMIT: '100000', NODE_NO_WARNINGS: '1' },
      stdio: 'ignore',
    });
    this.ended = new Promise((resolve) => this.child.once('exit', resolve));
    for (let i = 0; i < 600; i++) {
      const answer = await fetch(`${this.url}/api/ready`).catch(() => undefined);
      if (answer?.ok) return;
      if (this.child.exitCode !== null || this.child.signalCode !== null) return this.start();
      await pause(50);
    }
    throw new Error('a node did not come back');
  }

  async kill() {
    this.child.kill('SIGKILL');
    await this.ended;
    await this.start();
  }
}
const nodes = [new Node(await freePort()), new Node(await freePort())];
await Promise.all(nodes.map((node) => node.start()));
const any = () => nodes[Math.floor(Math.random() * nodes.length)];

/** Asks until somebody answers: each time under the same name, so that it is done once. */
const counts = { acknowledged: 0, repeated: 0, evidence: 0, packs: 0, packsDone: 0 };
async function ask(cookie, method, path, body, name) {
  for (let attempt = 0; ; attempt++) {
    const answer = await fetch(`${any().url}/api${path}`, {
      method,
      headers: {
        ...(cookie ? { cookie } : {}),
        ...(body instanceof FormData ? {} : { 'content-type': 'application/json' }),
        ...(name ? { 'idempotency-key': name } : {}),
      },
      ...(body ? { body: body instanceof FormData ? body : JSON.stringify(body) } : {}),
    }).catch(() => undefined);
    const text = answer ? await answer.text().catch(() => undefined) : undefined;
    if (answer?.ok && text !== undefined) return { ...JSON.parse(text), cookie: String(answer.headers.get('set-cookie')).split(';')[0] };
    if (answer && answer.status < 500 && answer.status !== 429 && text !== undefined) {
      const problem = JSON.parse(text);
      // Done by a node that died before it could say so.
      if (problem.code === 'repeated') {
        counts.repeated++;
        return undefined;
      }
      throw new Error(`${method} ${path}: ${text}`);
    }
    await pause(20 + Math.random() * 60);
  }
}
const signIn = async (login) => (await ask(undefined, 'POST', '/session', { login, password: 'larkfell-demo' })).cookie;
const [author, tester] = [await signIn('bela.stroud'), await signIn('tomas.vell')];
const project = await ask(author, 'GET', '/projects/larkfell');
const build = project.builds.at(-1).name;
const { rows: cases } = await ask(
  author,
  'GET',
  `/projects/larkfell/cases?limit=500&filter=${encodeURIComponent('{"field":"state","is":["approved"]}')}`,
);

const recorded = new Map();
let over = false;
let rounds = 0;
async function moreRuns() {
  const round = { build, title: 'T', configuration: `rig ${++rounds}`, tester: 'tomas.vell', cases: cases.map((c) => c.key) };
  const made = await ask(author, 'POST', '/projects/larkfell/rounds', round, `round-${rounds}-torture`);
  if (made) return made.items;
  const filter = encodeURIComponent(JSON.stringify({ field: 'configuration', is: [round.configuration] }));
  return (await ask(author, 'GET', `/projects/larkfell/runs?limit=500&filter=${filter}`)).rows;
}
const queue = [];
let filling;
async function nextRun() {
  while (!queue.length) {
    filling ??= moreRuns().then((items) => {
      queue.push(...items.map((item) => item.key));
      filling = undefined;
    });
    await filling;
  }
  return queue.shift();
}
const recorder = async () => {
  while (!over) {
    const key = await nextRun();
    const run = await ask(tester, 'GET', `/projects/larkfell/runs/${key}`);
    // Steps that measure, or are shown by files, do not pass by a word: their runs are left as planned.
    if (run.case.steps.some((step) => step.readings?.length || step.evidence)) continue;
    const steps = new Map();
    recorded.set(key, steps);
    for (let step = 1; step <= run.case.steps.length && !over; step++) {
      const said = { observed: `seen ${step} ${Math.random()}`, verdict: 'pass', seconds: step };
      if (await ask(tester, 'PUT', `/projects/larkfell/runs/${key}/steps/${step}`, said, `${key}-${step}-torture`)) {
        steps.set(step, said.observed);
        counts.acknowledged++;
      } else steps.set(step, said.observed);
    }
    if (Math.random() < 0.2 && !over) {
      const form = new FormData();
      form.append('file', new File([`log of ${key}`], 'log.txt', { type: 'text/plain' }));
      await ask(tester, 'POST', `/projects/larkfell/runs/${key}/steps/1/evidence`, form, `${key}-evidence-torture`);
      counts.evidence++;
    }
    if (!over) await ask(tester, 'POST', `/projects/larkfell/runs/${key}/finish`, { seconds: 60 }, `${key}-finish-torture`);
  }
};
let lastPack = 'not asked for';
const packer = async () => {
  while (!over) {
    const asked = await ask(author, 'POST', '/projects/larkfell/packs', { build }, `pack-${++counts.packs}-torture`);
    let state = '';
    // While nodes are killed it is given up after a while, and people work meanwhile; the one that the last kills met must arrive.
    for (let i = 0; (i < 40 || (over && i < 1200)) && asked && state !== 'done' && state !== 'failed'; i++) {
      await pause(500);
      const list = await ask(author, 'GET', `/projects/larkfell/packs?build=${build}`);
      state = (Array.isArray(list) ? list : Object.values(list)).find((job) => job?.id === asked.id)?.state;
    }
    if (state === 'done') counts.packsDone++;
    else if (asked) await ask(author, 'DELETE', `/projects/larkfell/jobs/${asked.id}`, {}).catch(() => undefined);
    if (over) lastPack = state || 'not asked for';
    else await pause(2000);
  }
};
/** Listens as a window does: comes back with the number of the last entry that it heard, on either node; nothing may be left out or told twice. */
const listeners = [];
const listener = async () => {
  const me = { last: heardFrom, heard: 0, faults: [], ended: new AbortController() };
  listeners.push(me);
  while (!me.ended.signal.aborted) {
    try {
      const { body } = await fetch(`${any().url}/api/projects/larkfell/events?after=${me.last}`, {
        headers: { cookie: tester },
        signal: me.ended.signal,
      });
      let text = '';
      for await (const part of body.pipeThrough(new TextDecoderStream())) {
        const events = (text + part).split('\n\n');
        text = events.pop();
        for (const event of events) {
          const id = /^id: (\d+)$/m.exec(event)?.[1];
          if (!id || !event.includes('event: entry')) continue;
          if (Number(id) !== me.last + 1) me.faults.push(`${id} behind ${me.last} after ${killed} kills`);
          me.last = Number(id);
          me.heard++;
        }
      }
    } catch {
      // The node is gone, or the database: as a window does, again after a moment.
    }
    await pause(100);
  }
};
const { seq: heardFrom } = await ask(author, 'GET', '/projects/larkfell');
const listening = Array.from({ length: 4 }, listener);
let [killed, databasesKilled] = [0, 0];
const begun = Date.now();
const work = [...Array.from({ length: Number(wanted.recorders) }, recorder), packer()];
while (killed < Number(wanted.nodes)) {
  await pause(200 + Math.random() * 1200);
  await nodes[killed % 2].kill();
  killed++;
  if (databasesKilled < Number(wanted.databases) && killed % Math.max(1, Math.floor(wanted.nodes / wanted.databases)) === 0) {
    process.kill(database.pid, 'SIGKILL');
    await pause(300);
    database = await startDatabase(join(dataFolder, 'torture'), { port: database.port });
    databasesKilled++;
  }
  if (killed % 20 === 0) say(`${killed} nodes and ${databasesKilled} databases killed, ${counts.acknowledged} steps acknowledged`);
}
over = true;
await Promise.all(work);
const { seq: head } = await ask(author, 'GET', '/projects/larkfell');
for (let i = 0; i < 300 && listeners.some(({ last }) => last < head); i++) await pause(100);
for (const { ended } of listeners) ended.abort();
await Promise.all(listening);
const misheard = listeners.reduce((sum, { last, faults }) => sum + faults.length + Math.max(0, head - last), 0);
for (const { last, faults } of listeners)
  if (faults.length || last < head) say(`heard up to ${last} of ${head}: ${faults.slice(0, 5).join('; ')}`);
const { createConnection } = await import('mysql2/promise');
const owner = await createConnection({
  host: '127.0.0.1',
  port: database.port,
  user: database.user,
  password: database.password,
  database: 'torture',
});
let [lost, checked] = [0, 0];
for (const [key, steps] of recorded) {
  const [[row]] = await owner.query('select u.steps s from runs u join records r on r.id = u.id where r.record_key = ?', [key]);
  const stored = JSON.parse(row.s);
  for (const [step, observed] of steps) {
    checked++;
    if (stored[step - 1].observed !== observed) lost++;
  }
}
const [[{ doubled }]] = await owner.query(
  `select count(*) - count(distinct operation, action) as doubled from ledger where operation like '%-torture' and action = 'step recorded'`,
);
await owner.end();
for (const node of nodes) node.child.kill('SIGTERM');
await Promise.all(nodes.map((node) => node.ended));
const check = (command) =>
  new Promise((resolve) => {
    let text = '';
    const child = spawn(process.execPath, [join(root, `dist/server/${command}.js`)], { cwd: root, env: { ...process.env, ...env } });
    child.stdout.on('data', (chunk) => (text += chunk));
    child.on('exit', (code) => resolve({ code, text: text.trim() }));
  });
const ledger = await check('ledger-verify');
const again = await check('project-again');
say(
  `${killed} node kills, ${databasesKilled} database kills in ${Math.round((Date.now() - begun) / 1000)} s: ${counts.acknowledged} steps acknowledged, ${checked} checked, ${lost} lost, ${doubled} doubled, ${counts.repeated} answered as done before; ${counts.evidence} files, ${counts.packs} packs asked for, ${counts.packsDone} made, the one that the last kills met ${lastPack}; ${listeners.reduce((sum, { heard }) => sum + heard, 0)} entries heard by ${listeners.length} listeners, ${misheard} left out or told twice; ledger ${ledger.code === 0 ? 'sound' : 'BROKEN'}, projections ${again.code === 0 ? 'as made afresh' : 'OTHERS'}`,
);
if (ledger.code) say(ledger.text);
if (again.code) say(again.text);
await database.stop();
process.exit(lost || Number(doubled) || misheard || ledger.code || again.code || lastPack !== 'done' ? 1 : 0);
