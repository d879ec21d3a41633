import { expect } from '@playwright/test';
import { another, enter, faults, test } from './support';

test('a field of the project is added, written in a table by keys, stands on the record, and is taken back', async ({ page, browser }) => {
  // Of its own at each try: a field is retired, never deleted.
  const name = `Rig time ${test.info().retry + 1}`;
  await enter(page, 'admin', '/larkfell/settings');
  const panel = page.locator('cp-fields-panel');
  await panel.getByRole('button', { name: 'Field', exact: true }).click();
  await panel.getByLabel('Name', { exact: true }).fill(name);
  await panel.getByLabel('Of each').selectOption('case');
  await panel.getByLabel('Holds').selectOption('number');
  await panel.getByLabel('Unit').fill('h');
  await panel.getByLabel('At most').fill('48');
  await panel.getByRole('combobox', { name: /^Shown/ }).selectOption('both');
  await panel.getByRole('button', { name: 'Add the field' }).click();
  await expect(panel.getByRole('rowheader', { name })).toBeVisible();
  expect(await faults(page, 'settings with a field')).toEqual([]);

  // Drafts: nothing is asked for a reason.
  const author = await another(browser, 'mira.oberon', '/larkfell/design?t=1&v=draft');
  const grid = author.getByRole('grid');
  await expect(grid.getByRole('gridcell').first()).toBeVisible();
  const key = (await grid.getByRole('gridcell').first().innerText()).trim();
  await grid.focus();
  for (let i = 0; i < 12; i++) await author.keyboard.press('ArrowRight');
  await author.keyboard.press('Enter');
  await author.getByLabel(`${name} of ${key}`).fill('99');
  await author.keyboard.press('Enter');
  await expect(author.getByText('At most 48.')).toBeVisible();
  await author.keyboard.press('Enter');
  await author.getByLabel(`${name} of ${key}`).fill('6,5');
  await author.keyboard.press('Enter');
  await expect(grid.getByText('6.5 h')).toBeVisible();
  expect(await faults(author, 'table that is written in')).toEqual([]);
  await author.getByRole('button', { name: 'Undo' }).click();
  await expect(grid.getByText('6.5 h')).toHaveCount(0);
  await author.keyboard.press('Alt+PageDown');
  await grid.getByRole('gridcell', { name: key }).click();
  await expect(author.getByRole('heading', { name: 'Fields of this project' })).toBeVisible();
});
