// npm run demo | npm start | npm run dev: everything from a fresh clone to a running application.
import { spawn } from 'node:child_process';
import { rmSync, existsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { endLeftover, prepareDatabase, startDatabase } from './database.mjs';
import { dataFolder, needDataFolder, needModules, needPackages, nodeArguments, root, say, step } from './system.mjs';

const mode = process.argv[2] ?? 'start';
const fresh = process.argv.includes('--fresh');
const port = process.env.PORT ?? '4180';
const trackerPort = process.env.CORD_TRACKER_PORT ?? '4191';

needPackages('mariadb-server');
needModules();
const { buildAll } = await import('./build.mjs');
buildAll();
needDataFolder();

// The demo and real work never share a database.
const folder = join(dataFolder, mode === 'demo' ? 'demo' : 'work');
if (fresh && mode === 'demo') {
  say('Starting over: the demo’s database is made anew …');
  await endLeftover(folder);
  rmSync(folder, { recursive: true, force: true });
}
let database = await step('Starting the database', () => startDatabase(folder));
let server;
let tracker;
let stopping = false;
watchDatabase();
async function stop(code) {
  if (stopping) return;
  stopping = true;
  say('\nStopping …');
  if (server && server.exitCode === null) {
    server.kill('SIGTERM');
    await new Promise((resolve) => server.once('exit', resolve));
  }
  await tracker?.stop();
  await database.stop();
  rmSync(join(folder, 'running.json'), { force: true });
  process.exit(code);
}
process.on('SIGINT', () => void stop(0));
process.on('SIGTERM', () => void stop(0));

let env;
try {
  env = await prepareDatabase(database, 'cord', root);
  if (mode === 'demo' && !existsSync(join(folder, 'demo-loaded'))) {
    const { loadDemo } = await import('./site.mjs');
    await step('Loading the demo: requirements, cases, code, coverage, runs', () => loadDemo(env, () => undefined, trackerPort));
    writeFileSync(join(folder, 'demo-loaded'), new Date().toISOString());
  }
} catch (error) {
  say(String(error?.stack ?? error));
  await stop(1);
}
// The demo’s outside tracker: a small simulated one, beside the application.
if (mode === 'demo')
  try {
    const { startTracker } = await import('./tracker.mjs');
    tracker = await startTracker({
      port: Number(trackerPort),
      file: join(folder, 'tracker.json'),
      hook: `http://127.0.0.1:${port}/api/trackers/larkfell/hook`,
    });
  } catch (error) {
    say(`The simulated tracker could not start: ${error.message}`);
  }
writeFileSync(join(folder, 'running.json'), JSON.stringify({ pid: process.pid, env }), { mode: 0o600 });
// A group of its own, so that Ctrl-C stops server and database in order.
server = spawn(process.execPath, ['--enable-source-maps', ...nodeArguments], {
  cwd: root,
  detached: true,
  env: { ...process.env, ...env, PORT: port, CORD_LOG: process.env.CORD_LOG ?? '0', ...(tracker ? { CORD_LOCAL_TRACKER: '1' } : {}) },
  stdio: ['ignore', 'pipe', 'inherit'],
});
server.on('exit', (code) => void (stopping || (say(`The server ended (${code}).`), stop(1))));
server.stdout.on('data', (chunk) => {
  for (const line of String(chunk).split('\n')) {
    const [word, value] = line.split(' ');
    if (word === 'ready') {
      say(`\n  Cord Proof is at  ${value}\n`);
      if (tracker) say(`  A simulated tracker outside is at  ${tracker.url}\n`);
      if (mode === 'demo') say(accounts());
      if (mode === 'dev') startWatch();
      say('  Ctrl-C stops server and database; the data stays.\n');
    } else if (word === 'setup-code')
      say(`  First administrator: open ${'http://127.0.0.1:' + port} and use the one-time code  ${value}\n`);
    else if (line.trim()) say(line);
  }
});

/** A database that ended by itself is started again at the same port: the server waits for it, and so do people. */
function watchDatabase() {
  const { port: at } = database;
  void database.over.then(async () => {
    for (let attempt = 1; !stopping; attempt++)
      try {
        say(`The database ended by itself (see ${join(folder, 'db.log')}); it is started again …`);
        database = await startDatabase(folder, { port: at });
        say('The database is there again.');
        return watchDatabase();
      } catch (error) {
        say(String(error?.message ?? error));
        if (attempt >= 5) return stop(1);
        await new Promise((resolve) => setTimeout(resolve, 2000 * attempt));
      }
  });
}

function accounts() {
  return `  Demo accounts, password for each: larkfell-demo

    mira.oberon     author, reviewer       Mira Oberon
    tomas.vell      tester                 Tomas Vell
    ines.quarry     reviewer               Ines Quarry
    bela.stroud     tester, author         Bela Stroud
    noor.hallam     auditor (reads only)   Noor Hallam
    admin           administrator          Ada Minster
`;
}

/** Live reload: Angular's own server with the API behind it. */
function startWatch() {
  say('  Live reload: http://127.0.0.1:4200');
  spawn('npx', ['ng', 'serve', '--host', '127.0.0.1'], { cwd: root, stdio: 'inherit' });
}
