// npm run bench: speed as ratios in one run, on a database of its own; the board in a real browser; a node under attack; ten minutes of hostile
// requests. `npm run bench -- attack` (or core, browser, pack, ground, specify, library, parsers, fuzz) runs one part alone.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { prepareDatabase } from './database.mjs';
import { freshDatabase, loadDemo, openBrowser, startServer } from './site.mjs';
import { underAttack } from './attack.mjs';
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
    parsers: 'server/bench/parsers.ts',
    specify: 'server/bench/specify.ts',
    library: 'server/bench/library.ts',
    fuzz: 'server/spec/fuzz.spec.ts',
  },
  outdir: 'dist/bench',
});
const database = await freshDatabase('bench');
/** Runs a program of the bench on a database of its own. */
async function program(name, on, flags = [], more = {}) {
  const env = await prepareDatabase(database, on, root);
  const args = [...flags, join(root, `dist/bench/${name}.js`)];
  spawnSync(process.execPath, args, { cwd: root, stdio: 'inherit', env: { ...process.env, ...env, ...more, NODE_NO_WARNINGS: '1' } });
  return env;
}
const parts = {
  core: () => program('bench', 'bench', ['--expose-gc']),
  browser: async () => browse(await prepareDatabase(database, 'bench', root)),
  pack: () => program('pack', 'packed', ['--expose-gc'], { CORD_KEY_SECRET: 'a secret of the bench' }),
  ground: () => program('ground', 'ground'),
  specify: () => program('specify', 'specify'),
  library: async () => pagesOfDesign(await program('library', 'library')),
  parsers: () => void spawnSync(process.execPath, [join(root, 'dist/bench/parsers.js')], { cwd: root, stdio: 'inherit' }),
  attack: async () => {
    const env = await prepareDatabase(database, 'attacked', root);
    await loadDemo(env, () => undefined);
    const server = await startServer(env);
    await underAttack(server.url);
    await server.stop();
  },
  fuzz: async () => {
    const { CORD_FUZZ_SECONDS = '600' } = process.env;
    say(`${CORD_FUZZ_SECONDS} seconds of hostile requests over every route:`);
    spawnSync('npx', ['jasmine', '--config=scripts/jasmine.json', 'dist/bench/fuzz.js'], {
      cwd: root,
      stdio: 'inherit',
      env: {
        ...process.env,
        CORD_FUZZ_SECONDS,
        CORD_TEST_PORT: String(database.port),
        CORD_TEST_USER: database.user,
        CORD_TEST_PASSWORD: database.password,
        CORD_TEST_APP_PASSWORD: database.appPassword,
      },
    });
  },
};
const wanted = process.argv.slice(2);
try {
  // The browser looks at what the first part made.
  for (const [name, run] of Object.entries(parts)) if (!wanted.length || wanted.includes(name)) await run();
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

/** The library of 20,000 cases, a case of 200 steps and a flow of 500 nodes in a real browser: how long until they stand there, and the longest stall. */
async function pagesOfDesign(env) {
  const server = await startServer(env);
  const browser = await openBrowser();
  const context = await browser.newContext({ baseURL: server.url, viewport: { width: 1280, height: 800 } });
  await context.request.post('/api/session', { data: { login: 'admin', password: 'bench-password' } });
  const page = await context.newPage();
  const row = (what, figure, target) => say(`${what.padEnd(62)} ${figure.padStart(22)}   ${target}`);
  await page.addInitScript(() => {
    window.stalls = [];
    new PerformanceObserver((list) => window.stalls.push(...list.getEntries().map((entry) => entry.duration))).observe({
      entryTypes: ['longtask'],
    });
  });
  const stalled = async () => {
    const stalls = await page.evaluate(() => window.stalls.splice(0));
    return stalls.length ? `longest stall ${Math.max(...stalls).toFixed(0)} ms, ${stalls.length} over 50` : 'no stall over 50 ms';
  };
  await page.goto('/bench/design');
  await page.getByText('Case 2 of the valves').first().waitFor();
  await page.waitForTimeout(1000);
  await stalled();
  await page.mouse.move(250, 500);
  for (let i = 0; i < 40; i++) {
    await page.mouse.wheel(0, i % 10 === 9 ? 40_000 : 700);
    await page.waitForTimeout(30);
  }
  for (const text of ['v', 'valve', 'valve 42', '']) {
    await page
      .getByPlaceholder(/Filter/)
      .first()
      .fill(text);
    await page.waitForTimeout(300);
  }
  row('the list of 20,000 cases scrolled and filtered', await stalled(), 'target: none over 50 ms');
  await page.goto('/bench/design/C-2');
  await page.getByRole('heading', { name: 'Case 2 of the valves' }).waitFor();
  await page.waitForTimeout(800);
  // Told by the page itself, after the frame in which they were drawn.
  const opened = await page.evaluate(async () => {
    const begun = performance.now();
    history.pushState(null, '', '/bench/design/C-1');
    dispatchEvent(new PopStateEvent('popstate'));
    const drawn = async (words) => {
      const stands = () => {
        const text = document.querySelector('cp-case-record')?.textContent ?? '';
        return text.includes('Case 1 of the valves') && text.includes(words);
      };
      while (!stands()) await new Promise(requestAnimationFrame);
      await new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve)));
      return performance.now() - begun;
    };
    return [await drawn('Display 3 shows'), await drawn('Display 199 shows')];
  });
  row(
    'a case of 200 steps, opened from another',
    `${opened[0].toFixed(0)} ms`,
    `target: 300 ms; its last step after ${opened[1].toFixed(0)} ms`,
  );
  await page.goto('/bench/design/models');
  await page.getByText('Long').first().waitFor();
  await stalled();
  const drawn = await page.evaluate(async () => {
    const begun = performance.now();
    [...document.querySelectorAll('[role=row], [role=option], li, a')].find((row) => row.textContent?.includes('Long'))?.click();
    while (!document.querySelector('svg[role=tree] [role=treeitem]')) await new Promise(requestAnimationFrame);
    await new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve)));
    return performance.now() - begun;
  });
  row('a flow of 500 nodes, laid out and drawn', `${drawn.toFixed(0)} ms`, `target: 2 s; ${await stalled()}`);
  await browser.close();
  await server.stop();
}
process.exit(0);
