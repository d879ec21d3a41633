import { expect } from '@playwright/test';
import { another, enter, password, send, test } from './support';

const runs = 8;

test('runs of five passing steps are recorded and signed with at most six keys each', async ({ page, browser }) => {
  const author = await another(browser, 'bela.stroud');
  const reviewer = await another(browser, 'ines.quarry');
  const steps = Array.from({ length: 5 }, (_, i) => ({ action: `Press button ${i + 1}`, expected: `Lamp ${i + 1} is lit` }));
  const content = { title: 'Five lamps', objective: 'Every lamp is lit.', preconditions: '', steps, plannedMinutes: 3 };
  const made = await send<{ key: string; revision: number }>(author, 'post', '/cases', { content, verifies: [] });
  await send(author, 'put', `/cases/${made.key}/state`, { basedOn: made.revision, state: 'review' });
  const read = (await (await reviewer.request.get(`/api/projects/larkfell/cases/${made.key}`)).json()) as {
    revision: number;
    hash: string;
  };
  await send(reviewer, 'post', `/cases/${made.key}/approval`, { basedOn: read.revision, hash: read.hash, password });
  const configurations = Array.from({ length: runs }, (_, i) => `lamp rig ${i + 1}`);
  const round = {
    build: '2.4.0-rc2',
    title: 'Lamps',
    configuration: 'lamp rig 1',
    configurations,
    tester: 'tomas.vell',
    cases: [made.key],
  };
  const { items, key } = await send<{ items: { key: string }[]; key: string }>(author, 'post', '/rounds', round);
  expect(items.length).toBe(runs);

  await enter(page, 'tomas.vell', `/larkfell/run/bench/${items[0].key}`);
  let pressed = 0;
  const press = async (name: string): Promise<void> => {
    pressed++;
    await page.keyboard.press(name);
  };
  for (let run = 0; run < runs; run++) {
    for (const { action } of steps) {
      await expect(page.locator('.action')).toHaveText(action);
      await press('5');
    }
    await expect(page.getByText('Hash of this record')).toBeVisible();
    if (run === runs - 1) break;
    await expect(page.getByRole('link', { name: /^Next: / })).toBeFocused();
    await press('Enter');
  }
  expect(pressed).toBe(6 * runs - 1);
  // All of them are signed with one password; what is typed of it is no key of a run.
  await page.goto('/larkfell/run/sign');
  const performed = page
    .getByRole('region', { name: 'Signed as performed' })
    .or(page.locator('section', { hasText: 'erformed' }))
    .first();
  await performed.getByRole('button', { name: /^Choose all that I looked at/ }).click();
  await performed.getByRole('button', { name: /^Sign / }).click();
  await page.getByLabel('Password').fill(password);
  await page.keyboard.press('Enter');
  await expect(page.getByText('runs signed.')).toBeVisible();
  const { items: signed } = (await (await page.request.get(`/api/projects/larkfell/rounds/${key}`)).json()) as {
    items: { state: string; verdict: string }[];
  };
  expect(signed.map(({ state, verdict }) => [state, verdict])).toEqual(Array.from({ length: runs }, () => ['performed', 'passed']));
});
