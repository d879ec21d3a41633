// npm run bench: speed as ratios in one run, on a database of its own; and the board in a real browser.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { prepareDatabase } from './database.mjs';
import { freshDatabase, openBrowser, startServer } from './site.mjs';
import { needModules, needPackages, root, say } from './system.mjs';

needPackages('mariadb-server', 'chromium');
needModules();
const { buildAll } = await import('./build.mjs');
const { bundle } = await import('./build-server.mjs');
buildAll();
await bundle({
  entryPoints: {
    bench: 'server/bench/bench.ts',
    ground: 'server/bench/ground.ts',
    memory: 'server/bench/memory.ts',
    pack: 'server/bench/pack.ts',
  },
  outdir: 'dist/bench',
});
const database = await freshDatabase('bench');
try {
  const env = await prepareDatabase(database, 'bench', root);
  spawnSync(process.execPath, ['--expose-gc', join(root, 'dist/bench/bench.js')], {
    cwd: root,
    stdio: 'inherit',
    env: { ...process.env, ...env, NODE_NO_WARNINGS: '1' },
  });
  await browse(env);
  spawnSync(process.execPath, ['--expose-gc', join(root, 'dist/bench/pack.js')], {
    cwd: root,
    stdio: 'inherit',
    env: {
      ...process.env,
      ...(await prepareDatabase(database, 'packed', root)),
      CORD_KEY_SECRET: 'a secret of the bench',
      NODE_NO_WARNINGS: '1',
    },
  });
  spawnSync(process.execPath, [join(root, 'dist/bench/ground.js')], {
    cwd: root,
    stdio: 'inherit',
    env: { ...process.env, ...(await prepareDatabase(database, 'ground', root)), NODE_NO_WARNINGS: '1' },
  });
} finally {
  await database.stop();
}

/** The board with 10,000 requirements: first load, its size, and the longest stall while it is scrolled and filtered. */
async function browse(env) {
  const server = await startServer(env);
  const browser = await openBrowser();
  const context = await browser.newContext({ baseURL: server.url, viewport: { width: 1280, height: 800 } });
  await context.request.post('/api/session', { data: { login: 'admin', password: 'bench-password' } });
  const page = await context.newPage();
  const session = await context.newCDPSession(page);
  await session.send('Network.enable');
  let bytes = 0;
  session.on('Network.loadingFinished', (event) => (bytes += event.encodedDataLength));
  const begun = Date.now();
  await page.goto('/bench/cord');
  await page.getByText('BIG-1', { exact: true }).waitFor();
  const row = (what, figure, target) => say(`${what.padEnd(62)} ${figure.padStart(22)}   ${target}`);
  row('first load of the board, 10,000 requirements', `${Date.now() - begun} ms`, 'target: within 1.5 s');
  row('sent for it, compressed', `${(bytes / 1024).toFixed(0)} kB`, 'target: under 400 kB');
  await page.waitForTimeout(500);
  await page.evaluate(() => {
    window.stalls = [];
    new PerformanceObserver((list) => window.stalls.push(...list.getEntries().map((entry) => entry.duration))).observe({
      entryTypes: ['longtask'],
    });
  });
  await page.mouse.move(640, 500);
  for (let i = 0; i < 60; i++) {
    await page.mouse.wheel(0, i % 10 === 9 ? 40_000 : 700);
    await page.waitForTimeout(30);
  }
  for (const text of ['4', '42', '427', '', 'long 99']) {
    await page.getByPlaceholder('Filter').fill(text);
    await page.waitForTimeout(250);
  }
  const stalls = await page.evaluate(() => window.stalls);
  row(
    'longest stall while scrolling and filtering it',
    stalls.length ? `${Math.max(...stalls).toFixed(0)} ms (${stalls.length} over 50)` : 'none over 50 ms',
    'target: none over 50 ms',
  );
  await browser.close();
  await server.stop();
}
process.exit(0);
