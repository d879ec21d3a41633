// npm run load: the morning of a release. Forty testers record at once over HTTP while boards are read and streams listened to.
import { prepareDatabase } from './database.mjs';
import { freshDatabase, loadDemo, startServer } from './site.mjs';
import { needModules, needPackages, root, say } from './system.mjs';

needPackages('mariadb-server');
needModules();
const { buildAll } = await import('./build.mjs');
buildAll();
const testers = 40;
const streams = 18;
const database = await freshDatabase('load');
try {
  const env = await prepareDatabase(database, 'load', root);
  await loadDemo(env, () => undefined);
  const server = await startServer(env);
  try {
    await morning(server.url);
  } finally {
    await server.stop();
  }
} finally {
  await database.stop();
}
process.exit(0);

async function morning(url) {
  const session = async (login) => {
    const answer = await fetch(`${url}/api/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ login, password: 'larkfell-demo' }),
    });
    if (!answer.ok) throw new Error(`${login} cannot sign in`);
    return String(answer.headers.get('set-cookie')).split(';')[0];
  };
  const spent = { write: [], board: [] };
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
  const lines = Array.from({ length: 10_000 }, (_, i) => `BIG-${i + 1},Requirement ${i + 1},It shall hold.,SIL ${(i % 4) + 1},test`);
  await call(author, 'POST', '/imports/requirements', {
    specification: 'BIG',
    fileName: 'big.csv',
    csv: `key,title,text,level,method\n${lines.join('\n')}\n`,
    mapping: { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method' },
  });
  const { body: project } = await call(author, 'GET', '');
  const build = project.builds[0].name;
  const cases = (await call(author, 'GET', `/cases?limit=500&filter=${encodeURIComponent('{"field":"state","is":["approved"]}')}`)).body
    .rows;
  const planned = [];
  for (let round = 0; round < 6; round++) {
    const asked = {
      build,
      title: `Morning ${round + 1}`,
      configuration: `rig ${round + 1}`,
      tester: 'tomas.vell',
      cases: cases.map((c) => c.key),
    };
    planned.push(...(await call(author, 'POST', '/rounds', asked)).body.items.map((item) => item.key));
  }
  // Streams that listen, and note when each judgement arrives.
  const judged = new Map();
  const abort = new AbortController();
  for (let i = 0; i < streams; i++)
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
  const board = () => call(author, 'GET', `/board?build=${build}&limit=100`, undefined, 'board');
  const median = (of, share = 0.5) => [...of].sort((a, b) => a - b)[Math.floor((of.length - 1) * share)] ?? 0;
  const row = (what, figure, target = '') => say(`${what.padEnd(66)} ${figure.padStart(26)}   ${target}`);

  // Alone first: what one tester waits for when nobody else works.
  for (const key of planned.splice(0, 12)) await record(key);
  for (let i = 0; i < 20; i++) await board();
  const alone = { write: median(spent.write), board: median(spent.board) };
  spent.write.length = spent.board.length = 0;

  const finished = [];
  let working = true;
  const reading = (async () => {
    while (working) {
      await board();
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
  })();
  const begun = performance.now();
  await Promise.all(
    Array.from({ length: testers }, async () => {
      for (let key = planned.shift(); key; key = planned.shift()) finished.push(await record(key));
    }),
  );
  const seconds = (performance.now() - begun) / 1000;
  working = false;
  await reading;
  await new Promise((resolve) => setTimeout(resolve, 3000));
  abort.abort();
  const delays = finished.flatMap(({ seq, at }) => {
    const seen = [...judged].filter(([until]) => until >= seq).map(([, when]) => when);
    return seen.length ? [Math.max(0, Math.min(...seen) - at)] : [];
  });
  row(
    `${finished.length} runs by ${testers} testers at once, ${streams} streams open, a board read ten times a second`,
    `${seconds.toFixed(1)} s`,
  );
  row('writes a second', (spent.write.length / seconds).toFixed(0));
  row(
    'a write among forty against alone, median',
    `${(median(spent.write) / alone.write).toFixed(1)} x (${median(spent.write).toFixed(0)} ms)`,
    'at most 40 x: one after another',
  );
  row('the slowest twentieth of them', `${median(spent.write, 0.95).toFixed(0)} ms`);
  row(
    'a page of the board meanwhile against alone, median',
    `${(median(spent.board) / alone.board).toFixed(1)} x (${median(spent.board).toFixed(0)} ms)`,
  );
  row('from a finished run to its judgement on an open stream, median', `${median(delays).toFixed(0)} ms`);
  row('requests that failed', String(failed), 'none');
}
