// npm test: formatting, lint, types, Karma, Jasmine on the server, Playwright on the built application.
// `npm test -- server` (or core, e2e, check) runs one part alone.
import { spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync, statfsSync } from 'node:fs';
import { join } from 'node:path';
import { needDataFolder, needModules, needPackages, root, say } from './system.mjs';

needPackages('mariadb-server', 'chromium', 'poppler-utils', 'unzip', 'openssl', 'libxml2-utils');
needModules();
needDataFolder();
process.env.CHROME_BIN ??= '/usr/bin/chromium';
process.env.NG_CLI_ANALYTICS = 'false';
useMemoryForBrowsers();
const only = process.argv[2];
const results = [];

/** Runs one part. `aside`: beside another one; what it says is told at its end. */
async function part(name, program, args, { env = {}, aside = false } = {}) {
  if (!aside) say(`\n── ${name}`);
  const begun = Date.now();
  const child = spawn(program, args, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'], env: { ...process.env, ...env } });
  const chunks = [];
  for (const stream of [child.stdout, child.stderr]) {
    stream.on('data', (chunk) => {
      chunks.push(chunk);
      if (!aside) process.stdout.write(chunk);
    });
  }
  const status = await new Promise((resolve) => child.on('close', resolve).on('error', () => resolve(1)));
  const said = Buffer.concat(chunks).toString();
  if (aside) say(`\n── ${name}\n${said}`);
  results.push({ name, ok: status === 0, seconds: Math.round((Date.now() - begun) / 1000), said });
}

/** What a part said of its failures: from where its runner lists them, or its last lines; at most eighty lines. */
function failures(said) {
  const lines = said.trimEnd().split('\n');
  const listed = lines.findLastIndex((line) => line.startsWith('Failures:'));
  return (listed < 0 ? lines.slice(-80) : lines.slice(listed, listed + 80)).join('\n');
}

/** Browsers keep their profiles in memory where there is enough of it: a disk that is slow for a minute fails no test then. */
function useMemoryForBrowsers() {
  try {
    const { bavail, bsize } = statfsSync('/dev/shm');
    if (bavail * bsize < 3e9) return;
    const folder = mkdtempSync('/dev/shm/cord-tests-');
    process.env.TMPDIR = folder;
    process.on('exit', () => rmSync(folder, { recursive: true, force: true }));
  } catch {
    // No such file system here: the disk does.
  }
}

const wants = (name) => !only || only === name;

async function checks(aside) {
  await part('formatting', 'npx', ['prettier', '--check', '--log-level', 'warn', '.'], { aside });
  await part('lint and import rules', 'npx', ['eslint', '--max-warnings', '0', '.'], { aside });
  await part('types', 'npx', ['tsc', '-p', 'tsconfig.server.json'], { aside });
}
async function core() {
  await part('core and web specs in Chromium', 'npx', ['ng', 'test', 'web']);
  await jasmine('core specs against the compilers', 'core/spec');
}
// Both want one core of two.
await Promise.all([wants('check') && checks(wants('core')), wants('core') && core()]);
if (wants('server') || wants('e2e')) {
  const { buildAll } = await import('./build.mjs');
  buildAll();
  const { freshDatabase } = await import('./site.mjs');
  // Specs make and drop some forty databases; only a fall of the machine itself could tell that nothing was waited for.
  const database = await freshDatabase('test', ['--innodb-flush-method=nosync']);
  const env = {
    CORD_TEST_PORT: String(database.port),
    CORD_TEST_USER: database.user,
    CORD_TEST_PASSWORD: database.password,
    CORD_TEST_APP_PASSWORD: database.appPassword,
  };
  try {
    if (wants('server')) await jasmine('server specs on MariaDB', 'server/spec', env, 2);
    if (wants('e2e')) await journeys(database);
  } finally {
    await database.stop();
  }
}

/** Specs that need Node: bundled, then run by Jasmine's own runner; in several processes where that is asked, each with databases of its own. */
async function jasmine(name, folder, env = {}, processes = 1) {
  const { bundle } = await import('./build-server.mjs');
  const outdir = `dist/specs/${folder.split('/')[0]}`;
  const specs = readdirSync(join(root, folder)).filter((file) => file.endsWith('.spec.ts'));
  rmSync(join(root, outdir), { recursive: true, force: true });
  await bundle({ entryPoints: Object.fromEntries(specs.map((file) => [file.replace('.ts', ''), `${folder}/${file}`])), outdir });
  await Promise.all(
    Array.from({ length: processes }, (_, own) => {
      const mine = specs.filter((_, at) => at % processes === own).map((file) => `${outdir}/${file.replace('.ts', '.js')}`);
      const which = processes > 1 ? `, ${own + 1} of ${processes}` : '';
      return part(name + which, 'npx', ['jasmine', '--config=scripts/jasmine.json', ...mine], { env, aside: own > 0 });
    }),
  );
}

/** The really built and started application, with the demo in a database of its own. */
async function journeys(database) {
  const { freePort, prepareDatabase } = await import('./database.mjs');
  const { loadDemo, startServer } = await import('./site.mjs');
  const env = await prepareDatabase(database, 'journeys', root);
  say('\n── demo for the journeys');
  const port = String(await freePort());
  await loadDemo(env, say, port);
  const server = await startServer(env);
  const file = join(database.folder, 'tracker.json');
  const hook = `${server.url}/api/trackers/larkfell/hook`;
  const tracker = spawn(process.execPath, ['scripts/tracker.mjs', '--port', port, '--file', file, '--hook', hook], { cwd: root });
  try {
    // One browser: two of them and their servers take two cores twice as long each, and nothing is won.
    const args = ['playwright', 'test', '--config', 'e2e/playwright.config.ts', ...process.argv.slice(3)];
    await part('journeys in Chromium', 'npx', args, { env: { CORD_URL: server.url, CORD_TRACKER_URL: `http://127.0.0.1:${port}` } });
  } finally {
    tracker.kill();
    await server.stop();
  }
}

// Once more at the end: of a long log often only the end is kept.
for (const { name, ok, said } of results) if (!ok) say(`\n── ${name} FAILED\n${failures(said)}`);
say('');
for (const { name, ok, seconds } of results) say(`${ok ? 'passed' : 'FAILED'}  ${name} (${seconds} s)`);
const failed = results.filter((result) => !result.ok).length;
say(`\n${results.length - failed} passed, ${failed} failed`);
process.exit(failed ? 1 : 0);
