import { expect } from '@playwright/test';
import ExcelJS from 'exceljs';
import { enter, faults, test, withRun } from './support';

const screens: readonly (readonly [string, string, RegExp])[] = [
  ['Cord board', '/larkfell/cord', /BRK-001/],
  ['Specify', '/larkfell/specify', /Cycle and start|Braking/],
  ['requirement', '/larkfell/specify/requirement/BRK-009', /Step 4 of RUN-\d+/],
  ['requirement form', '/larkfell/specify/requirement/BRK-009?edit=1', /Rationale/],
  ['wording', '/larkfell/specify/wording?of=BRK', /requirements have an open finding/],
  ['trace matrix', '/larkfell/specify/matrix', /have a trace, \d+ %/],
  ['gaps', '/larkfell/specify/gaps', /in 60 requirements/],
  ['document', '/larkfell/specify/read?of=BRK', /1 Cycle and start/],
  ['threads', '/larkfell/specify/threads', /60 threads/],
  ['suspect traces', '/larkfell/specify/suspect', /traces are in doubt/],
  ['proposed traces', '/larkfell/specify/proposed?all=1', /likely pairs/],
  ['review', '/larkfell/specify/reviews/RV-001', /Can each be verified on the rig/],
  ['baseline', '/larkfell/specify/baselines/BL-001?show=now', /revision 1 to 2/],
  ['outline', '/larkfell/specify/outline?into=BRK', /0 requirements, 0 headings/],
  ['import', '/larkfell/specify/import', /A table with a heading row/],
  ['Design', '/larkfell/design', /C-001/],
  ['case', '/larkfell/design/C-018', /Channel loss/],
  ['case form', '/larkfell/design/C-018?edit=1', /Planned minutes/],
  ['case that measures', '/larkfell/design/C-058', /To be shown by a picture/],
  ['models', '/larkfell/design/models', /Start of the drive/],
  ['flow', '/larkfell/design/models/F-001', /15 of 15 outcomes/],
  ['parameters', '/larkfell/design/models/P-001', /cover 37 of 37/],
  ['decision table', '/larkfell/design/models/DT-001', /All 24 combinations have a rule/],
  ['state table', '/larkfell/design/models/ST-001', /8 of 8/],
  ['drafts', '/larkfell/design/drafts?spec=SYS', /It stands by itself/],
  ['groups', '/larkfell/design/groups/G-001', /Cases, in their order/],
  ['enough cases', '/larkfell/design/sufficiency', /limits and their neighbours/],
  ['fewest cases', '/larkfell/design/selection', /Work it out/],
  ['import of cases', '/larkfell/design/import', /XLSX, CSV or JSON/],
  ['kinds of case', '/larkfell/design/kinds', /a script that runs it/],
  ['rounds', '/larkfell/run', /\d rounds/],
  ['plan a round', '/larkfell/run/plan?cases=C-001', /Plan 1 run/],
  ['round', '/larkfell/run/round/R-003', /C-018/],
  ['Bench', '/larkfell/run/bench/RUN-OF-C-018', /Expect/],
  ['sheet of runs', '/larkfell/run/sheet/RUN-OF-C-018', /Arrows go from cell to cell/],
  ['record', '/larkfell/run/record/RUN-OF-C-018', /Hash of this record/],
  ['results beside each other', '/larkfell/run/results', /2\.4\.0-rc2/],
  ['signing many', '/larkfell/run/sign', /sign/i],
  ['results of programs', '/larkfell/run/programs', /cord-send/],
  ['needed again', '/larkfell/run/again?from=2.3.0&to=2.4.0-rc2', /no longer stand/],
  ['configurations', '/larkfell/run/configurations', /onfiguration/],
  ['on this device', '/larkfell/run/device', /Yours to record/],
  ['problems', '/larkfell/run/problems/PR-001', /Stands against/],
  ['Measure', '/larkfell/measure?path=src/brake.c&line=29', /ways? to close it|What would close it/],
  ['Prove', '/larkfell/prove', /This build now/],
  ['ledger', '/larkfell/ledger', /entries/],
  ['settings', '/larkfell/settings', /People in this project/],
  ['Today', '/larkfell/today', /waits? for you/],
  ['cases as a table', '/larkfell/design/C-018?t=1', /Minutes/],
];

test('every screen shows its data, asks for it once, without errors in the console, and axe finds nothing', async ({ page }) => {
  // Every screen there is, and some of them dark: more than any other journey looks at.
  test.setTimeout(300_000);
  const errors: string[] = [];
  const found: string[] = [];
  const again: string[] = [];
  page.on('pageerror', (error) => errors.push(error.message));
  page.on('console', (message) => message.type() === 'error' && !message.text().includes('401') && errors.push(message.text()));
  // How often each was asked for by the screen that is open: an answer that asks for itself again would go on for ever.
  const asked = new Map<string, number>();
  page.on('request', (request) => asked.set(request.url(), (asked.get(request.url()) ?? 0) + 1));
  await page.goto('/sign-in');
  await expect(page.getByRole('heading', { name: 'Cord Proof' })).toBeVisible();
  found.push(...(await faults(page, 'sign-in')));
  await enter(page, 'mira.oberon');
  for (const [name, path, shows] of screens) {
    const address = await withRun(page, path);
    asked.clear();
    await page.goto(address);
    await expect(page.getByText(shows).first(), name).toBeVisible();
    found.push(...(await faults(page, name)));
    for (const [url, times] of asked) if (times > 5) again.push(`${name}: ${times} times ${url}`);
  }
  expect(again).toEqual([]);
  await page.evaluate(() => (document.documentElement.dataset['theme'] = 'dark'));
  for (const [name, path, shows] of [screens[0], screens[2], screens[11], screens[14]]) {
    await page.evaluate(() => localStorage.setItem('cord-proof.theme', 'dark'));
    await page.goto(await withRun(page, path));
    await expect(page.getByText(shows).first(), name).toBeVisible();
    found.push(...(await faults(page, `${name}, dark`)));
  }
  expect(found).toEqual([]);
  expect(errors).toEqual([]);
});

for (const [name, width, height] of [
  ['phone', 390, 844],
  ['tablet', 820, 1180],
] as const)
  test(`on a ${name} every screen keeps within its window, and the verdicts are in reach`, async ({ page }) => {
    // Every screen too.
    test.setTimeout(300_000);
    await page.setViewportSize({ width, height });
    await enter(page, 'mira.oberon');
    const wide: string[] = [];
    const found: string[] = [];
    for (const [screen, path, shows] of screens) {
      await page.goto(await withRun(page, path));
      // What a list or a panel hides on a phone is not what is waited for.
      if (name === 'tablet') await expect(page.getByText(shows).first(), screen).toBeVisible();
      else await expect(page.locator('main').getByText(shows).first(), screen).toBeAttached();
      const over = await page.evaluate(() => {
        const scrolled = [...document.querySelectorAll('.work, .pane')].filter((e) => e.scrollWidth > e.clientWidth + 1);
        return [...(document.documentElement.scrollWidth > innerWidth ? ['page'] : []), ...scrolled.map((e) => e.className)];
      });
      wide.push(...over.map((where) => `${screen}: ${where}`));
      if (name === 'phone') found.push(...(await faults(page, screen)));
    }
    expect(wide).toEqual([]);
    expect(found).toEqual([]);
    await page.goto(await withRun(page, '/larkfell/run/bench/RUN-OF-C-018'));
    for (const verdict of ['Pass', 'Fail', 'Deviation', 'Blocked']) {
      const button = page.getByRole('button', { name: new RegExp(`^${verdict}`) });
      await expect(button).toBeInViewport({ ratio: 1 });
      expect((await button.boundingBox())?.height).toBeGreaterThanOrEqual(44);
    }
  });

test('the board’s counts agree with its rows, and every next action leads somewhere', async ({ page }) => {
  await enter(page, 'mira.oberon');
  await expect(page.getByText('BRK-001').first()).toBeVisible();
  for (const name of ['Broken', 'Waiting', 'Suspect', 'Proved']) {
    const chip = page.getByRole('button', { name: new RegExp(`^${name} \\d+$`) });
    const count = Number((await chip.innerText()).split(' ')[1]);
    await chip.click();
    await expect(page.getByRole('grid')).toHaveAttribute('aria-rowcount', String(count));
  }
  await page.getByRole('button', { name: /^All/ }).click();
  await page.getByLabel('Filter cords').fill('key:BRK-009');
  await page.getByLabel('Filter cords').press('Enter');
  await expect(page.getByRole('grid')).toHaveAttribute('aria-rowcount', '1');
  await page.getByRole('link', { name: 'Open run ›' }).click();
  await expect(page.getByText('Hash of this record')).toBeVisible();
  await page.goBack();
  await expect(page.getByRole('heading', { name: 'Cord', exact: true })).toBeVisible();
});

test('an address that leads to nothing says so, whatever was looked for', async ({ page }) => {
  await enter(page, 'mira.oberon');
  const addresses: readonly (readonly [string, string])[] = [
    ['/larkfell/specify/requirement/BRK-999', 'There is no requirement BRK-999'],
    ['/larkfell/design/C-999', 'There is no case C-999'],
    ['/larkfell/design/models/F-999', 'There is no model F-999'],
    ['/larkfell/design/groups/G-999', 'There is no group G-999'],
    ['/larkfell/run/record/RUN-999', 'There is no run RUN-999'],
    ['/larkfell/run/bench/RUN-999', 'There is no run RUN-999'],
    ['/larkfell/run/round/R-999', 'There is no round R-999'],
    ['/larkfell/run/problems/PR-999', 'There is no problem report PR-999'],
    ['/larkfell/design/case/C-001', 'There is no such page'],
    ['/elsewhere/design/C-001', 'There is no project elsewhere, or you have no part in it'],
  ];
  for (const [address, words] of addresses) {
    await page.goto(address);
    await expect(page.getByRole('alert'), address).toContainText(words);
  }
});

test('an auditor reads everything and is offered no change', async ({ page }) => {
  await enter(page, 'noor.hallam', '/larkfell/specify/requirement/BRK-002');
  await expect(page.getByText('Proved on 2.4.0-rc2')).toBeVisible();
  await expect(page.getByText(/reviewed by Ines Quarry/).first()).toBeVisible();
  for (const name of ['Edit', 'Approve', 'Trace a parent', 'Design a case'])
    await expect(page.getByRole('button', { name })).toHaveCount(0);
  await page.goto('/larkfell/ledger');
  await page.getByRole('button', { name: 'Verify the chain' }).click();
  await expect(page.getByText('The chain holds:')).toBeVisible();
});

test('what is shown of a list goes out as a workbook, and nothing else of it', async ({ page }) => {
  await enter(page, 'mira.oberon');
  await page.goto('/larkfell/design');
  const status = page.getByRole('status').filter({ hasText: 'cases' });
  await expect(status).toHaveText(/^\s*\d+ cases/);
  const all = await status.innerText();
  await page.getByLabel('Filter cases').fill('brake');
  await expect(status).not.toHaveText(all);
  const shown = await status.innerText();
  const count = Number(shown.split(' ')[0]);
  expect(count).toBeGreaterThan(0);
  await page.getByRole('button', { name: 'Export' }).click();
  await expect(page.getByText(`The ${count} that are found`)).toBeVisible();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('menuitem', { name: 'Workbook (XLSX)' }).click()]);
  const book = new ExcelJS.Workbook();
  await book.xlsx.readFile(await download.path());
  expect(book.worksheets[0].rowCount).toBe(count + 1);
});
