// npm run load: the morning of a release. Fifty testers record over HTTP while twenty people look at boards and lists, each with an open
// stream: first at people's pace (a step takes a second of looking and typing), then as fast as the server answers. What they record is
// the release itself: four thousand approved cases of five steps, each run once. Bare routes, in a process of their own, are asked in the
// same moments, and after each by as many people at the same pace, with nothing else to do for the machine. Where its host takes more than
// a twentieth of the machine in a second, what was begun in that second counts for neither side.
// `npm run load -- requirements=2000 cases=400 think=1000 seconds=30`
import { setMaxListeners } from 'node:events';
import { readFileSync } from 'node:fs';
import { Agent, request } from 'node:http';
import { gunzipSync } from 'node:zlib';
import { bareServer } from './bare.mjs';
import { prepareDatabase } from './database.mjs';
import { freshDatabase, loadDemo, startServer } from './site.mjs';
import { needModules, needPackages, root, say } from './system.mjs';

needPackages('mariadb-server');
needModules();
const { buildAll } = await import('./build.mjs');
buildAll();
const testers = 50;
const lookers = 20;
const stepsOfCase = 5;
const given = Object.fromEntries(process.argv.slice(2).map((a) => a.split('=')));
const requirements = Number(given.requirements ?? 10_000);
const cases = Number(given.cases ?? 4000);
/** What a step takes a person beside waiting for us, in milliseconds; and how long they are watched, in seconds. */
const think = Number(given.think ?? 1000);
const watched = Number(given.seconds ?? 60);
const warm = Number(given.warm ?? 60);
/** Streams end with it. */
const open = new AbortController();
setMaxListeners(lookers + 1, open.signal);
const agent = new Agent({ keepAlive: true });
/** What share of the machine its host took, second by second. */
const taken = [];
let lastTime = machineTime();
setInterval(() => {
  const time = machineTime();
  taken.push({ until: performance.now(), share: (time.stolen - lastTime.stolen) / (time.all - lastTime.all) });
  lastTime = time;
}, 1000).unref();
const database = await freshDatabase('load');
try {
  const env = await prepareDatabase(database, 'load', root);
  await loadDemo(env, () => undefined);
  // All of them come from one address here.
  const server = await startServer({ ...env, CORD_REQUEST_LIMIT: '1000000' });
  try {
    await morning(server.url, await bareServer(database));
  } catch (error) {
    say(`The morning ended early: ${error.message}`);
    process.exitCode = 1;
  } finally {
    open.abort();
    await server.stop();
  }
} finally {
  await database.stop();
}
process.exit();

/**
 * Asks as a browser does, over connections that stay open; answers status, headers and body. Node's own client: `fetch` takes twice as much
 * of the processor, which those who answer need on the same machine.
 */
function ask(url, { method = 'GET', headers = {}, body } = {}) {
  return new Promise((resolve, reject) => {
    const length = body ? { 'content-length': Buffer.byteLength(body) } : {};
    const asked = request(url, { agent, method, headers: { 'accept-encoding': 'gzip', ...headers, ...length } }, (answer) => {
      const chunks = [];
      answer.on('data', (chunk) => chunks.push(chunk));
      answer.on('end', () => {
        const sent = Buffer.concat(chunks);
        const text = String(answer.headers['content-encoding'] === 'gzip' ? gunzipSync(sent) : sent);
        resolve({ ok: answer.statusCode < 400, headers: answer.headers, text });
      });
      answer.on('error', reject);
    });
    asked.on('error', reject);
    asked.end(body);
  });
}

/** Listens to a stream until the end of the morning. */
function listen(url, headers, heard) {
  request(url, { headers, signal: open.signal }, (answer) =>
    answer
      .setEncoding('utf8')
      .on('data', heard)
      .on('error', () => undefined),
  )
    .on('error', () => undefined)
    .end();
}

function rest(ms) {
  return new Promise((resolve) => setTimeout(resolve, ms));
}

/** What people take, so long on average: with the same time for each, all who waited together once would come together ever after. */
function looks(ms) {
  return rest(ms * (0.5 + Math.random()));
}

/** The machine's time until now, and how much of it its host gave to others. */
function machineTime() {
  const [, ...times] = readFileSync('/proc/stat', 'utf8').split('\n')[0].split(/ +/).map(Number);
  return { stolen: times[7], all: times.slice(0, 8).reduce((sum, time) => sum + time, 0) };
}

function isQuiet({ at }) {
  return (taken.find(({ until }) => until >= at)?.share ?? 0) <= 0.05;
}

/** The time below which a share of them lie, in milliseconds: of those that were begun in quiet seconds. */
function middle(of, share = 0.5) {
  const times = of.filter(isQuiet).map(({ took }) => took);
  return times.sort((a, b) => a - b)[Math.floor((times.length - 1) * share)] ?? NaN;
}

async function morning(url, bare) {
  const session = async (login) => {
    const answer = await ask(`${url}/api/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ login, password: 'larkfell-demo' }),
    });
    if (!answer.ok) throw new Error(`${login} cannot sign in`);
    return String(answer.headers['set-cookie']).split(';')[0];
  };
  const spent = { step: [], finish: [], board: [], cases: [], requirements: [], search: [] };
  let failed = 0;
  const call = async (cookie, method, path, body, kind) => {
    const begun = performance.now();
    const { ok, headers, text } = await ask(`${url}/api/projects/larkfell${path}`, {
      method,
      headers: { cookie, ...(body ? { 'content-type': 'application/json' } : {}) },
      ...(body ? { body: JSON.stringify(body) } : {}),
    });
    if (kind) spent[kind].push({ at: begun, took: performance.now() - begun });
    if (!ok) {
      failed++;
      throw new Error(`${method} ${path}: ${text}`);
    }
    return { body: JSON.parse(text), seq: Number(headers['ledger-seq'] ?? 0) };
  };
  const author = await session('bela.stroud');
  const tester = await session('tomas.vell');
  // A product as large as they are: ten thousand requirements more.
  await call(author, 'POST', '/specifications', { key: 'BIG', title: 'The rest of the product', prefix: 'BIG' });
  const lines = Array.from(
    { length: requirements },
    (_, i) => `BIG-${i + 1},Requirement ${i + 1},It shall hold.,SIL ${(i % 4) + 1},test,yes`,
  );
  await call(author, 'POST', '/imports/requirements', {
    specification: 'BIG',
    fileName: 'big.csv',
    csv: `key,title,text,level,method,top\n${lines.join('\n')}\n`,
    mapping: { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method', topLevel: 'top' },
  });
  // Their cases, by as many hands as there are connections.
  let made = 0;
  const keys = [];
  const makeCases = async () => {
    while (made < cases) {
      const n = ++made;
      const content = {
        title: `Case ${n}`,
        objective: 'Show it.',
        preconditions: '',
        steps: Array.from({ length: stepsOfCase }, (_, i) => ({ action: `Look ${i + 1}`, expected: 'It holds' })),
        plannedMinutes: 5,
      };
      keys.push((await call(author, 'POST', '/cases', { content, verifies: [`BIG-${n}`] })).body.key);
    }
  };
  await Promise.all(Array.from({ length: 8 }, makeCases));
  const { body: project } = await call(author, 'GET', '');
  const build = project.builds[0].name;
  // All are approved with what they verify, as many at a time as are approved at once, and planned for the release: a round for each hundred and rig.
  const reviewer = await session('ines.quarry');
  const inBulk = async (who, kind, some, act, password = '') => {
    const asked = { selection: { kind, keys: some }, act, reason: 'read' };
    const { digest, refused } = (await call(who, 'POST', '/bulk/preview', asked)).body;
    if (refused) throw new Error(`${refused} of ${kind} cannot be ${act.state ?? 'approved'}`);
    await call(who, 'POST', '/bulk', { ...asked, digest, password });
  };
  const verified = Array.from({ length: cases }, (_, i) => `BIG-${i + 1}`);
  for (const [kind, all] of Object.entries({ requirement: verified, case: keys }))
    for (let at = 0; at < all.length; at += 500) {
      const some = all.slice(at, at + 500);
      await inBulk(author, kind, some, { act: 'state', state: 'review' });
      await inBulk(reviewer, kind, some, { act: 'approve' }, 'larkfell-demo');
    }
  const planned = [];
  let rigs = 0;
  /** Plans as many runs at least: all cases for one more rig. */
  const plan = async (needed) => {
    while (planned.length < needed) {
      const configuration = `rig ${++rigs}`;
      for (let at = 0; at < keys.length; at += 100) {
        const some = {
          build,
          title: `${configuration}, ${at / 100 + 1}`,
          configuration,
          tester: 'tomas.vell',
          cases: keys.slice(at, at + 100),
        };
        planned.push(...(await call(author, 'POST', '/rounds', some)).body.items.map((item) => item.key));
      }
    }
  };
  // What was recorded, until when; streams that listen, and note when each judgement arrives.
  const finished = [];
  const judged = new Map();
  for (let i = 0; i < lookers; i++)
    listen(`${url}/api/projects/larkfell/events`, { cookie: tester }, (chunk) => {
      // Each is told the same: one is read.
      if (i) return;
      for (const [, data] of chunk.matchAll(/event: judged\ndata: ([^\n]*)\n/g)) {
        const { seq } = JSON.parse(data);
        if (!judged.has(seq)) judged.set(seq, performance.now());
      }
    });
  const record = async (key, pause) => {
    const { body: run } = await call(tester, 'GET', `/runs/${key}`);
    for (let step = 1; step <= run.case.steps.length; step++) {
      await pause();
      await call(tester, 'PUT', `/runs/${key}/steps/${step}`, { observed: 'as expected', verdict: 'pass', seconds: step }, 'step');
    }
    await pause();
    const { seq } = await call(tester, 'POST', `/runs/${key}/finish`, { seconds: 60 }, 'finish');
    finished.push({ seq, at: performance.now() });
  };
  const board = () => call(author, 'GET', `/cords?build=${build}&limit=50`, undefined, 'board');
  const asked = (path, sort, filter, kind) =>
    call(author, 'GET', `/${path}?limit=50&sort=${sort}&filter=${encodeURIComponent(JSON.stringify(filter))}`, undefined, kind);
  const any = { field: 'state', is: ['draft', 'approved'] };
  const approved = { field: 'state', is: ['approved'] };
  // What nine tenths of a project's records are, or a quarter; and a word that stands in each of four thousand cases.
  const lists = async () => {
    await asked('cases', '-updatedAt', approved, 'cases');
    await asked('requirements', 'title', { and: [any, { field: 'level', is: ['SIL 2'] }] }, 'requirements');
  };
  const search = () => asked('cases', '-updatedAt', { and: [approved, { words: 'holds' }] }, 'search');
  const plain = { write: [], read: [], writeBeside: [], readBeside: [] };
  const timed = async (kind, path, init) => {
    const from = performance.now();
    await ask(`${bare.url}${path}`, init);
    plain[kind].push({ at: from, took: performance.now() - from });
  };
  const body = JSON.stringify({ observed: 'as expected', verdict: 'pass', seconds: 1 });
  const bareWrite = (kind = 'write') => timed(kind, '/write', { method: 'PUT', headers: { 'content-type': 'application/json' }, body });

  /**
   * All at work for so many seconds: `write` is what each tester does again and again, `look` what each who looks does every second. They
   * begin one after the other, within what a run takes: who records is not at the same step as all others.
   */
  const play = async (write, look, seconds = watched) => {
    const until = performance.now() + seconds * 1000;
    const working = () => performance.now() < until;
    await Promise.all([
      ...Array.from({ length: testers }, async (_, i) => {
        await rest((i * think * (stepsOfCase + 1)) / testers);
        while (working() && (await write()));
      }),
      ...Array.from({ length: lookers }, async (_, i) => {
        await rest(i * 50);
        for (; working(); await looks(1000)) await look(i);
      }),
    ]);
  };
  const row = (what, figure, target = '') => say(`${what.padEnd(80)} ${figure.padStart(22)}   ${target}`);
  const ms = (of, share) => `${middle(of, share).toFixed(middle(of, share) < 10 ? 1 : 0)} ms`;
  const against = (ours, theirs) => `${(middle(ours, 0.95) / middle(theirs, 0.95)).toFixed(1)} x (${ms(ours, 0.95)})`;

  const atWork = async (pause) => {
    const key = planned.shift();
    if (key) await record(key, pause);
    return key !== undefined;
  };
  const looking = async (i) => {
    await board();
    if (i < 2) await lists();
    if (i === 2) await search();
  };
  const phases = [
    [
      `at people's pace, ${think / 1000} s a step`,
      () => looks(think),
      (testers * 1000) / (Math.max(think, 100) * (stepsOfCase + 1)),
      'target: at most 3 x',
    ],
    // More than this a second were never finished. No people work so; it tells how much the machine does, and what waits for it then.
    ['as fast as they are answered', async () => undefined, 150, ''],
  ];
  for (const [what, pause, runsASecond, atMost] of phases) {
    await plan(runsASecond * (warm + watched));
    // A node that has been up for a while has compiled what it does all day: the first seconds, in which all begin, are not counted.
    const played = play(() => atWork(pause), looking, warm + watched);
    await Promise.race([rest(warm * 1000), played]);
    for (const list of [...Object.values(spent), ...Object.values(plain), finished]) list.length = 0;
    const [before, from] = [machineTime(), performance.now()];
    let beside = true;
    const besides = (async () => {
      for (; beside; await rest(100)) {
        await bareWrite('writeBeside');
        await timed('readBeside', '/read');
      }
    })();
    await played;
    beside = false;
    await besides;
    const after = machineTime();
    const quiet = Array.from({ length: watched }, (_, i) => ({ at: from + i * 1000 })).filter(isQuiet).length;
    await rest(3000);
    await play(
      async () => {
        await pause();
        await bareWrite();
        return true;
      },
      () => timed('read', '/read'),
    );
    const delays = finished.flatMap(({ seq, at }) => {
      const seen = [...judged].filter(([until]) => until >= seq).map(([, when]) => when);
      return seen.length ? [{ at, took: Math.max(0, Math.min(...seen) - at) }] : [];
    });
    say(`${testers} recording and ${lookers} looking, each with a stream, ${what}: ${finished.length} runs`);
    row('of the machine taken by its host', `${((100 * (after.stolen - before.stolen)) / (after.all - before.all)).toFixed(0)} %`);
    row('seconds in which it took at most a twentieth: of these are the times below', `${quiet} of ${watched}`);
    row(
      'writes a second: steps, and runs finished',
      `${(spent.step.length / watched).toFixed(0)} and ${(spent.finish.length / watched).toFixed(0)}`,
    );
    row('bare writes a second', (plain.write.length / watched).toFixed(0));
    row('a step, median and p95', `${ms(spent.step)} and ${ms(spent.step, 0.95)}`);
    row('a run finished, median and p95', `${ms(spent.finish)} and ${ms(spent.finish, 0.95)}`);
    row('a bare write, median and p95', `${ms(plain.write)} and ${ms(plain.write, 0.95)}`);
    row('a bare write and read in the same moments, p95', `${ms(plain.writeBeside, 0.95)} and ${ms(plain.readBeside, 0.95)}`);
    row('a step against a bare route that commits one row in the same moments, p95', against(spent.step, plain.writeBeside), atMost);
    for (const kind of ['board', 'cases', 'requirements'])
      row(`a page of ${kind} against a bare route that reads 50 rows in the same moments`, against(spent[kind], plain.readBeside), atMost);
    row('a step against a bare route that has the machine for itself, p95', against(spent.step, plain.write));
    row('words that stand in every case, p95', ms(spent.search, 0.95), 'target: 100 ms');
    for (const kind of ['board', 'cases', 'requirements'])
      row(`a page of ${kind} against a bare route that has the machine for itself, p95`, against(spent[kind], plain.read));
    row('from a finished run to its judgement on a stream, median', ms(delays));
    row('from a finished run to its judgement on a stream, p95', ms(delays, 0.95), 'target: 500 ms');
  }
  await bare.close();
  row('requests that failed', String(failed), 'none');
}
