// npm test: formatting, lint, types, Karma, Jasmine on the server, Playwright on the built application.
// `npm test -- server` (or core, e2e, check) runs one part alone.
import { spawn, spawnSync } from 'node:child_process';
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { needDataFolder, needModules, needPackages, root, say } from './system.mjs';

needPackages('mariadb-server', 'chromium', 'poppler-utils', 'unzip', 'openssl', 'libxml2-utils');
needModules();
needDataFolder();
process.env.CHROME_BIN ??= '/usr/bin/chromium';
process.env.NG_CLI_ANALYTICS = 'false';
const only = process.argv[2];
const results = [];

function part(name, program, args, env = {}) {
  say(`\n── ${name}`);
  const begun = Date.now();
  const done = spawnSync(program, args, { cwd: root, stdio: 'inherit', env: { ...process.env, ...env } });
  results.push({ name, ok: done.status === 0, seconds: Math.round((Date.now() - begun) / 1000) });
}

const wants = (name) => !only || only === name;

if (wants('check')) {
  part('formatting', 'npx', ['prettier', '--check', '--log-level', 'warn', '.']);
  part('lint and import rules', 'npx', ['eslint', '--max-warnings', '0', '.']);
  part('types', 'npx', ['tsc', '-p', 'tsconfig.server.json']);
}
if (wants('core')) part('core and web specs in Chromium', 'npx', ['ng', 'test', 'web']);
if (wants('server') || wants('e2e')) {
  const { buildAll } = await import('./build.mjs');
  buildAll();
  const { endLeftover, startDatabase, prepareDatabase } = await import('./database.mjs');
  const folder = join(root, '.data', 'test');
  await endLeftover(folder);
  rmSync(folder, { recursive: true, force: true });
  const database = await startDatabase(folder);
  const env = {
    CORD_TEST_PORT: String(database.port),
    CORD_TEST_USER: database.user,
    CORD_TEST_PASSWORD: database.password,
    CORD_TEST_APP_PASSWORD: database.appPassword,
  };
  try {
    if (wants('server')) {
      const { bundle } = await import('./build-server.mjs');
      const { readdirSync } = await import('node:fs');
      const specs = readdirSync(join(root, 'server/spec')).filter((file) => file.endsWith('.spec.ts'));
      rmSync(join(root, 'dist/specs'), { recursive: true, force: true });
      await bundle({
        entryPoints: Object.fromEntries(specs.map((file) => [file.replace('.ts', ''), `server/spec/${file}`])),
        outdir: 'dist/specs',
      });
      part('server specs on MariaDB', 'npx', ['jasmine', '--config=server/spec/jasmine.json'], env);
    }
    if (wants('e2e')) await journeys(prepareDatabase, database);
  } finally {
    await database.stop();
  }
}

/** The really built and started application, with the demo in a database of its own. */
async function journeys(prepareDatabase, database) {
  const env = await prepareDatabase(database, 'journeys', root);
  const { seedDemo } = await import(join(root, 'dist/server/seed.js'));
  say('\n── demo for the journeys');
  await seedDemo(
    { port: Number(env.CORD_DB_PORT), user: env.CORD_DB_USER, password: env.CORD_DB_PASSWORD, database: env.CORD_DB_NAME },
    join(root, 'demo'),
    say,
  );
  const { freePort } = await import('./database.mjs');
  const port = await freePort();
  const server = spawn(process.execPath, [join(root, 'dist/server/main.js')], {
    cwd: root,
    env: { ...process.env, ...env, PORT: String(port), CORD_SIGNIN_LIMIT: '1000' },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  await new Promise((resolve, reject) => {
    server.stdout.on('data', (chunk) => String(chunk).includes('ready ') && resolve());
    server.on('exit', () => reject(new Error('the server did not start')));
  });
  try {
    part('journeys in Chromium', 'npx', ['playwright', 'test', '--config', 'e2e/playwright.config.ts', ...process.argv.slice(3)], {
      CORD_URL: `http://127.0.0.1:${port}`,
    });
  } finally {
    server.kill('SIGTERM');
    await new Promise((resolve) => server.once('exit', resolve));
  }
}

say('');
for (const { name, ok, seconds } of results) say(`${ok ? 'passed' : 'FAILED'}  ${name} (${seconds} s)`);
const failed = results.filter((result) => !result.ok).length;
say(`\n${results.length - failed} passed, ${failed} failed`);
process.exit(failed ? 1 : 0);
