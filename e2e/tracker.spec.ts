import { expect } from '@playwright/test';
import { another, enter, faults, test } from './support';

const tracker = process.env['CORD_TRACKER_URL'] ?? 'http://127.0.0.1:4191';

test('a report goes to the tracker outside and back; where both sides change it, a person decides', async ({ page, browser }) => {
  test.setTimeout(180_000);
  await enter(page, 'mira.oberon', '/larkfell/run/problems/PR-002');
  const outside = page.getByRole('region', { name: 'In the tracker outside' });
  const heading = page.getByRole('region', { name: 'Problem report', exact: true }).getByRole('heading', { level: 1 });
  const title = (await heading.innerText()).trim();
  await outside.getByRole('button', { name: 'Make it there' }).click();
  const made = outside.getByRole('link', { name: /^ITEM-\d+$/ });
  await expect(made).toBeVisible({ timeout: 20_000 });
  const id = (await made.innerText()).trim();
  expect(await faults(page, 'a report that is linked outside')).toEqual([]);

  // The workshop sees it on its own page, gives it another title and says something; here it stands without anybody asking.
  const workshop = await (await browser.newContext()).newPage();
  await workshop.goto(tracker);
  const item = workshop.locator(`article#${id}`);
  await expect(item.getByLabel(`Title of ${id}`)).toHaveValue(title);
  await item.getByLabel(`Title of ${id}`).fill(`${title}, seen in the workshop`);
  await item.getByRole('button', { name: 'Save' }).click();
  await item.getByLabel(`Comment on ${id}`).fill('The relay is worn.');
  await item.getByRole('button', { name: 'Comment' }).click();
  await expect(page.getByRole('heading', { level: 1, name: `${title}, seen in the workshop` })).toBeVisible({ timeout: 20_000 });
  await expect(page.getByText('the workshop: The relay is worn.')).toBeVisible({ timeout: 20_000 });
  await page.getByLabel('Say something; @name tells somebody').fill('Then it is changed on Monday.');
  await page.getByRole('button', { name: 'Comment', exact: true }).click();
  await expect(item.getByText('Mira Oberon: Then it is changed on Monday.')).toBeVisible({ timeout: 20_000 });

  // While nothing is exchanged both sides change the title.
  const admin = await another(browser, 'admin', '/larkfell/run/tracker');
  await expect(admin.getByText('exchanging')).toBeVisible({ timeout: 20_000 });
  expect(await faults(admin, 'the tracker outside')).toEqual([]);
  await admin.getByLabel('Paused: nothing is exchanged, and what is done waits').check();
  await admin.getByRole('button', { name: 'Save' }).click();
  await expect(admin.getByText('paused', { exact: true })).toBeVisible();
  await item.getByLabel(`Title of ${id}`).fill('Worn relay');
  await item.getByRole('button', { name: 'Save' }).click();
  await page.getByText('Its text, and whether it blocks').click();
  await page.getByRole('textbox', { name: 'Title' }).fill(title);
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByRole('heading', { level: 1, name: title, exact: true })).toBeVisible();
  await admin.getByLabel('Paused: nothing is exchanged, and what is done waits').uncheck();
  await admin.getByRole('button', { name: 'Save' }).click();
  const conflict = outside.getByRole('group', { name: 'Both sides changed the title' });
  await expect(conflict).toContainText('Worn relay', { timeout: 20_000 });
  await expect(conflict).toContainText(title);
  await expect(admin.getByText('both changed the title')).toBeVisible({ timeout: 20_000 });
  await conflict.getByRole('button', { name: 'Send what stands here' }).click();
  await expect(conflict).toHaveCount(0);
  await expect(async () => {
    await workshop.reload();
    await expect(item.getByLabel(`Title of ${id}`)).toHaveValue(title, { timeout: 1000 });
  }).toPass({ timeout: 20_000 });
  await outside.getByRole('button', { name: 'End the link' }).click();
  await page.getByLabel('Reason').fill('It was only to be shown.');
  await page.getByRole('button', { name: 'End it' }).click();
  await expect(outside.getByRole('button', { name: 'Make it there' })).toBeVisible();
});
