// npm run screenshots: refreshes docs/screenshots from the demo data, in a database of its own.
import { mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { prepareDatabase } from './database.mjs';
import { freshDatabase, loadDemo, openBrowser, startServer } from './site.mjs';
import { needModules, needPackages, root, say } from './system.mjs';

needPackages('mariadb-server', 'chromium');
needModules();
const { buildAll } = await import('./build.mjs');
buildAll();

/** Name, address, person, what to do before the picture, and the window where it is not that of a desk. */
const views = [
  ['cord-board', '/larkfell/cord', 'mira.oberon'],
  ['today', '/larkfell/today', 'tomas.vell'],
  ['requirement', '/larkfell/specify/requirement/BRK-009', 'mira.oberon'],
  [
    'connections',
    '/larkfell/specify/requirement/BRK-009',
    'mira.oberon',
    async (page) => {
      const tab = page.getByRole('tab', { name: 'Connections' });
      await tab.click();
      await page.locator('cp-graph .node').first().waitFor();
      await tab.evaluate((element) => element.closest('section').scrollIntoView({ block: 'start' }));
    },
  ],
  ['document', '/larkfell/specify/read?of=BRK', 'mira.oberon'],
  ['threads', '/larkfell/specify/threads', 'mira.oberon'],
  ['design', '/larkfell/design/C-018?edit=1', 'mira.oberon'],
  ['flow', '/larkfell/design/models/F-001', 'mira.oberon', (page) => page.getByText('15 of 15 outcomes').first().waitFor()],
  [
    'matrix',
    '/larkfell/specify/matrix',
    'mira.oberon',
    async (page) => {
      const grid = page.getByRole('grid');
      await grid.focus();
      await page.keyboard.press('n');
      await page.keyboard.press('Enter');
      await page.getByRole('button', { name: 'Confirm' }).waitFor();
    },
  ],
  ['review', '/larkfell/specify/reviews/RV-001', 'ines.quarry'],
  ['baseline', '/larkfell/specify/baselines/BL-001?show=now', 'mira.oberon', (page) => page.getByText('revision 1 to 2').first().waitFor()],
  [
    'plan',
    '/larkfell/run/plan',
    'bela.stroud',
    async (page) => {
      await page.getByLabel('Title').fill('Release morning');
      await page.getByText('Tomas Vell').last().click();
      await page.getByRole('button', { name: /Choose all/ }).click();
      await page.getByText(/runs, .* planned/).waitFor();
    },
  ],
  ['round', '/larkfell/run/round/R-003', 'bela.stroud'],
  [
    'bench',
    '/larkfell/run/bench/RUN-OF-C-024',
    'tomas.vell',
    async (page) => {
      await page.getByLabel('What did you observe?').fill('Brake open, 3.1 bar left');
      await page.keyboard.press('Escape');
    },
  ],
  ['bench-phone', '/larkfell/run/bench/RUN-OF-C-024', 'tomas.vell', undefined, { width: 390, height: 844 }],
  ['run-record', '/larkfell/run/record/RUN-OF-C-018', 'ines.quarry'],
  ['problem', '/larkfell/run/problems/PR-002', 'ines.quarry'],
  ['measure', '/larkfell/measure?path=src/brake.c&line=29', 'mira.oberon'],
  [
    'prove',
    '/larkfell/prove',
    'mira.oberon',
    async (page) => {
      await page.getByRole('button', { name: /Make the proof pack/ }).click();
      await page
        .getByRole('link', { name: /proof-pack/ })
        .first()
        .waitFor({ timeout: 60_000 });
    },
  ],
];

const database = await freshDatabase('screenshots');
let server;
try {
  const env = await prepareDatabase(database, 'cord', root);
  say('Loading the demo …');
  await loadDemo(env, () => undefined);
  server = await startServer(env);
  const browser = await openBrowser();
  const target = join(root, 'docs', 'screenshots');
  rmSync(target, { recursive: true, force: true });
  mkdirSync(target, { recursive: true });
  for (const [name, path, login, before, viewport = { width: 1280, height: 800 }] of views) {
    const context = await browser.newContext({
      baseURL: server.url,
      viewport,
      reducedMotion: 'reduce',
    });
    await context.request.post('/api/session', { data: { login, password: 'larkfell-demo' } });
    const page = await context.newPage();
    const caseKey = /RUN-OF-(C-\d+)/.exec(path)?.[1];
    const runs = caseKey ? (await (await context.request.get(`/api/projects/larkfell/cases/${caseKey}`)).json()).runs : [];
    await page.goto(path.replace(/RUN-OF-C-\d+/, runs.find((run) => run.build === '2.4.0-rc2' && !run.superseded)?.key));
    await page.waitForLoadState('load');
    await page.waitForTimeout(1200);
    if (before) await before(page);
    await page.waitForTimeout(700);
    await page.screenshot({ path: join(target, `${name}.png`) });
    say(`  ${name}.png`);
    await context.close();
  }
  await browser.close();
} finally {
  await server?.stop();
  await database.stop();
}
process.exit(0);
