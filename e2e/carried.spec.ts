import { expect } from '@playwright/test';
import { another, enter, faults, password, test } from './support';

test('a result of the earlier build is carried to the later one, which its requirement says, and taken back', async ({ page, browser }) => {
  await enter(page, 'ines.quarry', '/larkfell/run/again?from=2.3.0&to=2.4.0-rc2');
  const section = page.getByRole('region', { name: 'Results that hold for the later build' });
  await expect(section.getByText('The manual against the alarm list')).toBeVisible();
  expect(await faults(page, 'what is needed again')).toEqual([]);
  const key = (await section.locator('tbody tr').first().getByRole('link').nth(2).innerText()).trim();
  const reader = await another(browser, 'noor.hallam', `/larkfell/specify/requirement/${key}`);
  await section.getByRole('button', { name: 'Carry 1 result' }).click();
  await page.getByLabel('Reason').fill('The manual and the alarm list are the same in both builds.');
  await page.getByLabel('Your password, again').fill(password);
  await page.getByRole('button', { name: 'Sign', exact: true }).click();
  const statement = page.getByRole('region', { name: /^CRN-/ });
  await expect(statement).toContainText('1 result of 2.3.0 for 2.4.0-rc2');
  await expect(statement).toContainText('The manual and the alarm list are the same in both builds.');
  await expect(section.getByRole('button', { name: /^Carry/ })).toHaveCount(0);
  await expect(reader.getByText(/was carried from 2\.3\.0: CRN-/)).toBeVisible({ timeout: 15_000 });
  await statement.getByRole('button', { name: 'Withdraw' }).click();
  await page.getByLabel('Reason').fill('It was only to be seen.');
  await page.getByLabel('Your password, again').fill(password);
  await page.getByRole('button', { name: 'Sign', exact: true }).click();
  await expect(statement).toContainText('withdrawn');
  await expect(section.getByRole('button', { name: 'Carry 1 result' })).toBeVisible();
  await expect(reader.getByText(/was carried from 2\.3\.0/)).toHaveCount(0, { timeout: 15_000 });
});
