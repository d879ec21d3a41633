// npm run load: the morning of a release. Fifty testers record at once over HTTP while twenty people look at boards and lists, each with
// an open stream.
import { createRequire } from 'node:module';
import Fastify from 'fastify';
import { prepareDatabase } from './database.mjs';
import { freshDatabase, loadDemo, startServer } from './site.mjs';
import { needModules, needPackages, root, say } from './system.mjs';

needPackages('mariadb-server');
needModules();
const { buildAll } = await import('./build.mjs');
buildAll();
const testers = 50;
const lookers = 20;
const requirements = 10_000;
const cases = 4000;
const database = await freshDatabase('load');
try {
  const env = await prepareDatabase(database, 'load', root);
  await loadDemo(env, () => undefined);
  const server = await startServer(env);
  try {
    await morning(server.url, await bareServer());
  } finally {
    await server.stop();
  }
} finally {
  await database.stop();
}
process.exit(0);

/** A bare route that writes and commits one row, and one that reads fifty by key: what ours are compared with, under the same load. */
async function bareServer() {
  const mysql = createRequire(import.meta.url)('mysql2/promise');
  const owner = { host: '127.0.0.1', port: database.port, user: database.user, password: database.password };
  const pool = mysql.createPool({ ...owner, connectionLimit: 16 });
  await pool.query('create database if not exists bare');
  await pool.query('create table bare.rows_written (id bigint auto_increment primary key, body text not null)');
  await pool.query(`insert into bare.rows_written (body) values ${Array.from({ length: 1000 }, () => `('${'x'.repeat(200)}')`).join(',')}`);
  const app = Fastify();
  app.put('/write', async (request) => {
    const [made] = await pool.query('insert into bare.rows_written (body) values (?)', [JSON.stringify(request.body)]);
    return { id: made.insertId };
  });
  app.get('/read', async () => {
    const ids = Array.from({ length: 50 }, () => 1 + Math.floor(Math.random() * 1000));
    const [rows] = await pool.query('select * from bare.rows_written where id in (?)', [ids]);
    return { rows };
  });
  const url = await app.listen({ host: '127.0.0.1', port: 0 });
  return { url, close: () => Promise.all([app.close(), pool.end()]) };
}

async function morning(url, bare) {
  const session = async (login) => {
    const answer = await fetch(`${url}/api/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ login, password: 'larkfell-demo' }),
    });
    if (!answer.ok) throw new Error(`${login} cannot sign in`);
    return String(answer.headers.get('set-cookie')).split(';')[0];
  };
  const spent = { write: [], board: [], cases: [], requirements: [] };
  let failed = 0;
  const call = async (cookie, method, path, body, kind) => {
    const begun = performance.now();
    const answer = await fetch(`${url}/api/projects/larkfell${path}`, {
      method,
      headers: { cookie, ...(body ? { 'content-type': 'application/json' } : {}) },
      ...(body ? { body: JSON.stringify(body) } : {}),
    });
    const text = await answer.text();
    if (kind) spent[kind].push(performance.now() - begun);
    if (!answer.ok) {
      failed++;
      throw new Error(`${method} ${path}: ${text}`);
    }
    return { body: JSON.parse(text), seq: Number(answer.headers.get('ledger-seq') ?? 0) };
  };
  const author = await session('bela.stroud');
  const tester = await session('tomas.vell');
  // A product as large as they are: ten thousand requirements more.
  await call(author, 'POST', '/specifications', { key: 'BIG', title: 'The rest of the product', prefix: 'BIG' });
  const lines = Array.from({ length: requirements }, (_, i) => `BIG-${i + 1},Requirement ${i + 1},It shall hold.,SIL ${(i % 4) + 1},test`);
  await call(author, 'POST', '/imports/requirements', {
    specification: 'BIG',
    fileName: 'big.csv',
    csv: `key,title,text,level,method\n${lines.join('\n')}\n`,
    mapping: { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method' },
  });
  // Their cases, by as many hands as there are connections.
  let made = 0;
  const makeCases = async () => {
    while (made < cases) {
      const n = ++made;
      const content = {
        title: `Case ${n}`,
        objective: 'Show it.',
        preconditions: '',
        steps: [{ action: 'Look', expected: 'It holds' }],
        plannedMinutes: 5,
      };
      await call(author, 'POST', '/cases', { content, verifies: [`BIG-${n}`] });
    }
  };
  await Promise.all(Array.from({ length: 8 }, makeCases));
  const { body: project } = await call(author, 'GET', '');
  const build = project.builds[0].name;
  const approved = encodeURIComponent('{"field":"state","is":["approved"]}');
  const ready = (await call(author, 'GET', `/cases?limit=500&filter=${approved}`)).body.rows;
  const planned = [];
  for (let round = 0; round < 8; round++) {
    const asked = {
      build,
      title: `Morning ${round + 1}`,
      configuration: `rig ${round + 1}`,
      tester: 'tomas.vell',
      cases: ready.map((c) => c.key),
    };
    planned.push(...(await call(author, 'POST', '/rounds', asked)).body.items.map((item) => item.key));
  }
  // Streams that listen, and note when each judgement arrives.
  const judged = new Map();
  const abort = new AbortController();
  for (let i = 0; i < lookers; i++)
    void fetch(`${url}/api/projects/larkfell/events`, { headers: { cookie: tester }, signal: abort.signal })
      .then(async (answer) => {
        const decoder = new TextDecoder();
        for await (const chunk of answer.body)
          for (const [, data] of decoder.decode(chunk, { stream: true }).matchAll(/event: judged\ndata: ([^\n]*)\n/g)) {
            const { seq } = JSON.parse(data);
            if (!judged.has(seq)) judged.set(seq, performance.now());
          }
      })
      .catch(() => undefined);
  const record = async (key) => {
    const { body: run } = await call(tester, 'GET', `/runs/${key}`);
    for (let step = 1; step <= run.case.steps.length; step++)
      await call(tester, 'PUT', `/runs/${key}/steps/${step}`, { observed: 'as expected', verdict: 'pass', seconds: step }, 'write');
    const { seq } = await call(tester, 'POST', `/runs/${key}/finish`, { seconds: 60 }, 'write');
    return { seq, at: performance.now() };
  };
  const board = () => call(author, 'GET', `/board?build=${build}&limit=50`, undefined, 'board');
  const filter = encodeURIComponent('{"and":[{"field":"state","is":["draft"]},{"words":"holds"}]}');
  const lists = async () => {
    await call(author, 'GET', `/cases?limit=50&sort=-updatedAt&filter=${filter}`, undefined, 'cases');
    await call(author, 'GET', `/requirements?limit=50&sort=title&filter=${filter}`, undefined, 'requirements');
  };
  const median = (of, share = 0.5) => [...of].sort((a, b) => a - b)[Math.floor((of.length - 1) * share)] ?? 0;
  const row = (what, figure, target = '') => say(`${what.padEnd(66)} ${figure.padStart(26)}   ${target}`);

  // Alone first: what one tester waits for when nobody else works.
  for (const key of planned.splice(0, 12)) await record(key);
  for (let i = 0; i < 20; i++) await board();
  const alone = { write: median(spent.write), board: median(spent.board) };
  spent.write.length = spent.board.length = 0;

  const finished = [];
  let working = true;
  // Each of those who look reads the board every second; two of them go through lists.
  const looking = Promise.all(
    Array.from({ length: lookers }, async (_, i) => {
      await new Promise((resolve) => setTimeout(resolve, i * 50));
      while (working) {
        await board();
        if (i < 2) await lists();
        await new Promise((resolve) => setTimeout(resolve, 1000));
      }
    }),
  );
  const begun = performance.now();
  await Promise.all(
    Array.from({ length: testers }, async () => {
      for (let key = planned.shift(); key; key = planned.shift()) finished.push(await record(key));
    }),
  );
  const seconds = (performance.now() - begun) / 1000;
  working = false;
  await looking;
  await new Promise((resolve) => setTimeout(resolve, 3000));
  abort.abort();
  // The bare routes under the same load: as many writers at once, and one that reads.
  const plain = { write: [], read: [] };
  const time = async (kind, path, init) => {
    const from = performance.now();
    await (await fetch(`${bare.url}${path}`, init)).text();
    plain[kind].push(performance.now() - from);
  };
  let writing = true;
  const bareReading = Promise.all(
    Array.from({ length: lookers }, async (_, i) => {
      await new Promise((resolve) => setTimeout(resolve, i * 50));
      while (writing) {
        await time('read', '/read');
        await new Promise((resolve) => setTimeout(resolve, 1000));
      }
    }),
  );
  const body = JSON.stringify({ observed: 'as expected', verdict: 'pass', seconds: 1 });
  await Promise.all(
    Array.from({ length: testers }, async () => {
      for (let i = 0; i < 200; i++) await time('write', '/write', { method: 'PUT', headers: { 'content-type': 'application/json' }, body });
    }),
  );
  writing = false;
  await bareReading;
  await bare.close();
  const delays = finished.flatMap(({ seq, at }) => {
    const seen = [...judged].filter(([until]) => until >= seq).map(([, when]) => when);
    return seen.length ? [Math.max(0, Math.min(...seen) - at)] : [];
  });
  const p95 = (of) => `${median(of, 0.95).toFixed(0)} ms`;
  row(
    `${finished.length} runs by ${testers} testers at once, ${lookers} looking at the board, each with a stream`,
    `${seconds.toFixed(1)} s`,
  );
  row('writes a second', (spent.write.length / seconds).toFixed(0));
  row('a write, median and p95', `${median(spent.write).toFixed(0)} and ${p95(spent.write)}`);
  row('a bare write, median and p95', `${median(plain.write).toFixed(1)} and ${p95(plain.write)}`);
  row(
    `a write among ${testers} against alone, median`,
    `${(median(spent.write) / alone.write).toFixed(1)} x (${median(spent.write).toFixed(0)} ms)`,
    `at most ${testers} x: one after another`,
  );
  row(
    'a page of the board meanwhile against alone, median',
    `${(median(spent.board) / alone.board).toFixed(1)} x (${median(spent.board).toFixed(0)} ms)`,
  );
  row('from a finished run to its judgement on an open stream, median', `${median(delays).toFixed(0)} ms`);
  const against = (ours, theirs) => `${(median(ours, 0.95) / median(theirs, 0.95)).toFixed(1)} x (${median(ours, 0.95).toFixed(0)} ms)`;
  row('a write against a bare route that commits one row, p95', against(spent.write, plain.write), 'target: at most 3 x');
  for (const [what, kind] of [
    ['the board', 'board'],
    ['cases', 'cases'],
    ['requirements', 'requirements'],
  ])
    row(`a page of ${what} against a bare route that reads 50 rows, p95`, against(spent[kind], plain.read), 'target: at most 3 x');
  row('from a finished run to its judgement on an open stream, p95', `${median(delays, 0.95).toFixed(0)} ms`, 'target: 500 ms');
  row('requests that failed', String(failed), 'none');
}
