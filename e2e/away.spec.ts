import { chromium, expect, type BrowserContext, type Page } from '@playwright/test';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import config from './playwright.config';
import { enter, password, test } from './support';

/** A device of its own: what it holds outlives its browser, which can be killed and started again. */
async function device(folder: string): Promise<{ context: BrowserContext; page: Page }> {
  const context = await chromium.launchPersistentContext(folder, { ...config.use, ...config.use?.launchOptions, serviceWorkers: 'allow' });
  return { context, page: context.pages()[0] ?? (await context.newPage()) };
}
const newDevice = (): string => mkdtempSync(join(tmpdir(), 'cord-device-'));

/** Plans runs of a case for the tester, and names them. */
async function plan(page: Page, cases: readonly string[], title: string): Promise<string[]> {
  const answer = await page.request.post('/api/projects/larkfell/rounds', {
    data: { build: '2.4.0-rc2', title, configuration: title, tester: 'tomas.vell', cases, reason: 'Recorded away from the server.' },
    headers: { origin: new URL(config.use?.baseURL ?? '').origin },
  });
  expect(answer.ok(), await answer.text()).toBe(true);
  return ((await answer.json()) as { items: { key: string }[] }).items.map(({ key }) => key);
}
const readRun = async (page: Page, key: string) =>
  (await (await page.request.get(`/api/projects/larkfell/runs/${key}`)).json()) as {
    state: string;
    round: string;
    verdict: string;
    steps: { verdict: string; observed: string }[];
    evidence: { name: string }[];
    redlines: { step: number; what: string }[];
    problems: { key: string }[];
    device: { what: string; step: number | null; at: string; sent: string; arrived: string }[];
    handedIn: { by: string; why: string; recorded: { what: string; observed?: string }[] }[];
  };

async function takeAlong(page: Page, key: string): Promise<void> {
  const { round } = await readRun(page, key);
  await page.goto('/larkfell/run/device');
  await page.getByRole('button', { name: `Take ${round} along` }).click();
  await expect(page.getByRole('article', { name: key })).toContainText('all sent');
}

/** Gives the step that is open a verdict by its key, with words where there are some. */
async function judge(page: Page, verdict: string, words = 'as expected'): Promise<void> {
  await page.getByLabel('What did you observe?').fill(words);
  await page.keyboard.press('Escape');
  await page.keyboard.press(verdict);
}
/** Opens a run on the Bench, and waits until it can be recorded. */
async function open(page: Page, key: string): Promise<void> {
  await page.goto(`/larkfell/run/bench/${key}`);
  await expect(page.getByRole('button', { name: /^Pass/ })).toBeVisible();
}
const stepIs = (page: Page, step: number, verdict: string) => expect(page.getByText(`Step ${step} · ${verdict}`)).toBeVisible();

test('a run is recorded without network, the browser is killed, and everything arrives once, with the times of the device', async () => {
  const folder = newDevice();
  let { context, page } = await device(folder);
  await enter(page, 'tomas.vell');
  const [key] = await plan(page, ['C-012'], 'Away 1');
  await takeAlong(page, key);
  await open(page, key);
  await judge(page, '1');
  await stepIs(page, 1, 'pass');
  await expect.poll(async () => (await readRun(page, key)).steps[0].verdict).toBe('pass');
  await page.keyboard.press('Enter');
  // The network is cut in the middle of a step.
  await page.getByLabel('What did you observe?').fill('written wi');
  await context.setOffline(true);
  await judge(page, '3', 'written without network');
  await stepIs(page, 2, 'deviation');
  await page
    .locator('input[type=file]')
    .last()
    .setInputFiles({ name: 'away.png', mimeType: 'image/png', buffer: Buffer.from('89504e470d0a1a0a', 'hex') });
  await expect(page.getByText(/away\.png .*kept here/)).toBeVisible();
  await expect(page.getByText('Kept on this device, not yet on the server.')).toBeVisible();
  await context.close();

  // Another day: still no network, and the application opens from the device.
  ({ context, page } = await device(folder));
  await context.setOffline(true);
  await open(page, key);
  await stepIs(page, 1, 'pass');
  await stepIs(page, 2, 'deviation');
  await expect(page.getByText(/away\.png .*kept here/)).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/record\//);
  await page.goto('/larkfell/run/device');
  await expect(page.getByRole('article', { name: key })).toContainText('3 not sent');
  await context.setOffline(false);
  // The session ended with the browser: what is kept waits until this person is back.
  await page.getByRole('link', { name: 'Sign in', exact: true }).click();
  await page.getByLabel('Sign-in name').fill('tomas.vell');
  await page.getByLabel('Password').fill(password);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('article', { name: key })).toContainText('all sent');
  const run = await readRun(page, key);
  expect(run.verdict).toBe('deviation');
  expect(run.steps.map(({ observed }) => observed)).toEqual(['as expected', 'written without network']);
  expect(run.evidence.map(({ name }) => name)).toEqual(['away.png']);
  // A pause while one types sends what is typed so far, and a slow machine may be long about the step before: of steps there may be more, of all else there is one.
  const acts = run.device.map(({ what, step }) => `${what} ${step ?? ''}`.trim());
  expect(acts).toContain('step 2');
  expect(acts.filter((act) => !act.startsWith('step')).sort()).toEqual(['evidence 2', 'finished']);
  for (const note of run.device) expect([note.at <= note.sent, note.at < note.arrived]).toEqual([true, true]);
  await context.close();
});

test('without network a step is redlined, evidence taken back and a problem raised: all of it arrives in its order', async () => {
  const { context, page } = await device(newDevice());
  await enter(page, 'tomas.vell');
  const [key] = await plan(page, ['C-012'], 'Away 4');
  await takeAlong(page, key);
  await open(page, key);
  await context.setOffline(true);
  await page.getByRole('button', { name: /change it for this run/ }).click();
  const form = page.locator('cp-redline-form');
  await form.getByLabel('Do this instead').fill('Set the wind on the rig by hand');
  await form.getByLabel('Why').fill('The drive of the rig has no power.');
  await form.getByRole('button', { name: 'Redline it' }).click();
  await expect(page.getByText('Set the wind on the rig by hand').first()).toBeVisible();
  await page
    .locator('input[type=file]')
    .last()
    .setInputFiles({ name: 'wrong.png', mimeType: 'image/png', buffer: Buffer.from('89504e470d0a1a0a', 'hex') });
  await page.getByRole('button', { name: 'Take wrong.png off' }).click();
  await expect(page.getByText('wrong.png')).toHaveCount(0);
  await judge(page, '2', 'It stays at rest');
  await stepIs(page, 1, 'fail');
  await page
    .getByRole('button', { name: /problem/i })
    .first()
    .click();
  const raise = page.locator('cp-raise-problem');
  await expect(raise.getByLabel(/What happened/)).toHaveValue(/Done: Set the wind on the rig by hand/);
  await raise.getByRole('button', { name: 'Raise it' }).click();
  await expect(raise).toHaveCount(0);
  await expect(page.getByText(/step 1 not as expected · kept here/)).toBeVisible();
  await page.goto('/larkfell/run/device');
  const held = page.getByRole('article', { name: key });
  await expect(held).toContainText('Step 1 changed for this run: Set the wind on the rig by hand');
  await expect(held).toContainText('Problem report from step 1');
  await expect(held).not.toContainText('wrong.png');
  await context.setOffline(false);
  await expect(held).toContainText('all sent', { timeout: 30_000 });
  const run = await readRun(page, key);
  expect(run.redlines.map(({ step, what }) => [step, what])).toEqual([[1, 'changed']]);
  expect([run.steps[0].verdict, run.evidence, run.problems.length]).toEqual(['fail', [], 1]);
  expect(run.device.map(({ what, step }) => `${what} ${step ?? ''}`)).toEqual(expect.arrayContaining(['redlined 1', 'step 1']));
  await page.goto(`/larkfell/run/record/${key}`);
  await expect(page.getByText(/Recorded on a device without network/)).toBeVisible();
  await expect(page.getByRole('link', { name: run.problems[0].key })).toBeVisible();
  await context.close();
});

test('two devices have the same run: what the other recorded meanwhile is shown, and nothing is dropped or doubled', async () => {
  const [one, two] = [await device(newDevice()), await device(newDevice())];
  await enter(one.page, 'tomas.vell');
  await enter(two.page, 'tomas.vell');
  const [key] = await plan(one.page, ['C-012'], 'Away 2');
  await takeAlong(one.page, key);
  await takeAlong(two.page, key);
  for (const { page } of [one, two]) await open(page, key);
  await two.context.setOffline(true);
  await judge(two.page, '1', 'seen by the second');
  await stepIs(two.page, 1, 'pass');
  await judge(one.page, '3', 'seen by the first');
  await expect.poll(async () => (await readRun(one.page, key)).steps[0].verdict).toBe('deviation');
  await two.context.setOffline(false);
  await two.page.goto('/larkfell/run/device');
  const article = two.page.getByRole('article', { name: key });
  await expect(article).toContainText('Step 1 was recorded meanwhile: deviation, “seen by the first”.');
  await expect(article).toContainText('Step 1: pass, “seen by the second”');
  await article.getByRole('button', { name: 'Keep it with the run, beside what stands' }).click();
  await expect(article).toContainText('all sent');
  const run = await readRun(one.page, key);
  expect(run.steps[0]).toMatchObject({ verdict: 'deviation', observed: 'seen by the first' });
  expect(run.handedIn.map(({ by, recorded }) => [by, recorded.map(({ observed }) => observed)])).toEqual([
    ['tomas.vell', ['seen by the second']],
  ]);
  // The same again, and this time what was recorded here is recorded over it.
  await open(two.page, key);
  await two.page.keyboard.press('ArrowUp');
  await two.context.setOffline(true);
  await judge(two.page, '1', 'seen again by the second');
  await judge(one.page, '2', 'seen again by the first');
  await expect.poll(async () => (await readRun(one.page, key)).steps[0].verdict).toBe('fail');
  await two.context.setOffline(false);
  await two.page.goto('/larkfell/run/device');
  await article.getByRole('button', { name: 'Record mine over it' }).click();
  await expect(article).toContainText('all sent');
  expect((await readRun(one.page, key)).steps[0]).toMatchObject({ verdict: 'pass', observed: 'seen again by the second' });
  await one.context.close();
  await two.context.close();
});

test('a run that was given to somebody else meanwhile, on a device whose clock is a day behind', async ({ page: author }) => {
  const { context, page } = await device(newDevice());
  await enter(page, 'tomas.vell');
  const [key] = await plan(page, ['C-012'], 'Away 3');
  await takeAlong(page, key);
  await page.clock.setSystemTime(Date.now() - 86_400_000);
  await context.setOffline(true);
  await open(page, key);
  await judge(page, '1');
  await stepIs(page, 1, 'pass');
  await enter(author, 'bela.stroud');
  const given = await author.request.put(`/api/projects/larkfell/runs/${key}/tester`, {
    data: { tester: 'bela.stroud', reason: 'Needed at the other rig.' },
    headers: { origin: new URL(config.use?.baseURL ?? '').origin },
  });
  expect(given.ok(), await given.text()).toBe(true);
  await context.setOffline(false);
  await page.goto('/larkfell/run/device');
  const article = page.getByRole('article', { name: key });
  await expect(article).toContainText('only they record it');
  await expect(article).toContainText('Meanwhile: It was given to Bela Stroud.');
  await article.getByRole('button', { name: 'Keep it with the run, beside what stands' }).click();
  await expect(article).toContainText('all sent');
  const { handedIn } = await readRun(page, key);
  expect(handedIn.map(({ recorded }) => recorded.map(({ what }) => what))).toEqual([['begun', 'step']]);
  await author.goto(`/larkfell/run/record/${key}`);
  await expect(author.getByText('its clock is 1 day behind')).toBeVisible();
  await context.close();
});
