import { expect } from '@playwright/test';
import { another, enter, password, test } from './support';

test('requirements with sub-levels are written by keys alone, and from a document that is looked through', async ({ page }) => {
  await enter(page, 'mira.oberon', '/larkfell/specify/outline?into=SYS');
  const line = (n: number) => page.getByLabel(new RegExp(`^Line ${n}, `));
  await line(1).focus();
  for (const key of ['Control+Enter', 'Snow', 'Enter'])
    await (key.length > 6 || key === 'Enter' ? page.keyboard.press(key) : page.keyboard.type(key));
  for (let i = 1; i <= 4; i++) {
    await page.keyboard.type(`The roof shall carry snow of class ${i}.`);
    await page.keyboard.press('Enter');
  }
  await page.keyboard.press('Tab');
  await page.keyboard.type('The sensor shall report more than 2 kN within 60 s.');
  await expect(page.getByText('5 requirements, 1 headings, 0 notes')).toBeVisible();
  await page.locator('input[type=file]').setInputFiles({
    name: 'ice.md',
    mimeType: 'text/markdown',
    buffer: Buffer.from('# Ice\n\nIce is seen on some days.\n\nThe heater shall melt ice. The lamp shall show it.\n'),
  });
  await expect(page.getByText('7 requirements, 2 headings, 1 notes')).toBeVisible();
  // What is not written yet outlives the window.
  await page.reload();
  await expect(page.getByText('7 requirements, 2 headings, 1 notes')).toBeVisible();
  await line(1).focus();
  await page.keyboard.press('Control+s');
  await page.waitForURL(/requirement\/SYS-\d+/);
  await expect(page.getByRole('treeitem', { name: /The sensor shall report/ })).toHaveAttribute('aria-level', '3');
  await page.getByPlaceholder('Filter by key or words').fill('Ice is seen');
  await expect(page.getByRole('treeitem', { name: /Ice is seen/ })).toBeVisible();
});

test('a review is answered by keys, signed by each and closed; what changed meanwhile is asked again', async ({ page, browser }) => {
  await enter(page, 'mira.oberon', '/larkfell/specify/reviews');
  await page.getByRole('button', { name: 'Review', exact: true }).click();
  await page.getByLabel('Title', { exact: true }).fill('Alarms');
  await page.getByRole('checkbox', { name: 'Ines Quarry' }).check();
  await page.getByRole('combobox', { name: 'What is reviewed' }).fill('BRK-028');
  await page.getByRole('option', { name: /BRK-028/ }).click();
  await page.getByRole('combobox', { name: 'What is reviewed' }).fill('BRK-029');
  await page.getByRole('option', { name: /BRK-029/ }).click();
  await page.getByRole('button', { name: 'Ask for the review' }).click();
  await page.waitForURL(/reviews\/RV-\d+/);
  const path = page.url().replace(/^https?:\/\/[^/]+/, '');
  const ines = await another(browser, 'ines.quarry', '/larkfell/today');
  await ines
    .getByRole('region', { name: 'Reviews that ask you' })
    .getByRole('link', { name: /RV-002|Alarms/ })
    .first()
    .click();
  await expect(ines.getByRole('heading', { name: 'Alarms' })).toBeVisible();
  await ines.getByRole('group', { name: /BRK-028/ }).focus();
  await ines.keyboard.press('a');
  await expect(ines.getByRole('group', { name: /BRK-029/ })).toBeFocused();
  await ines.keyboard.press('c');
  await ines.keyboard.type('How long is the horn silent?');
  await ines.keyboard.press('Enter');
  await expect(ines.getByText('you ask for a change')).toBeVisible();
  // The author sees it at once, and what they change is asked again.
  await expect(page.getByText('How long is the horn silent?')).toBeVisible();
  await page.goto('/larkfell/specify/requirement/BRK-029?edit=1');
  await page.getByLabel('Text', { exact: true }).fill('Acknowledging shall silence the horn for at most 10 min and keep the alarm.');
  await page.getByLabel(/Why it changes/).fill('The review asked for it.');
  await page.getByRole('button', { name: /Save revision/ }).click();
  await expect(ines.getByText('changed since you answered')).toBeVisible();
  await ines.getByRole('group', { name: /BRK-029/ }).focus();
  await ines.keyboard.press('a');
  await ines.getByRole('button', { name: 'Sign what I answered' }).click();
  await ines.getByLabel('Your password, again').fill(password);
  await ines.getByRole('button', { name: 'Sign', exact: true }).click();
  await page.goto(path);
  await page.getByRole('button', { name: 'Close the review' }).click();
  await page.getByLabel('Summary').fill('One text was made exact.');
  await page.getByRole('button', { name: 'Sign and close' }).click();
  await page.getByLabel('Your password, again').fill(password);
  await page.getByRole('button', { name: 'Sign', exact: true }).click();
  await expect(page.getByText('One text was made exact.')).toBeVisible();
  await expect(ines.getByText('closed', { exact: true }).first()).toBeVisible();
});

test('a text has its layout: a list, and a record by @', async ({ page }) => {
  await enter(page, 'mira.oberon', '/larkfell/specify/requirement/SYS-016?edit=1');
  const text = page.getByLabel('Text', { exact: true });
  await text.click();
  await page.keyboard.press('Control+End');
  await page.keyboard.press('Enter');
  await page.keyboard.type('As @alarm number');
  // What is offered is found while one types: a requirement, whatever else comes first for a moment.
  await page
    .getByRole('option', { name: /(SYS|BRK)-\d/ })
    .first()
    .click();
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'List', exact: true }).click();
  await page.keyboard.type('in the control room');
  await page.getByLabel(/Why it changes/).fill('Where it is heard was open.');
  await page.getByRole('button', { name: /Save revision/ }).click();
  await expect(page.getByRole('listitem').filter({ hasText: 'in the control room' })).toBeVisible();
  await expect(page.locator('[data-field=Text] cp-record a').first()).toHaveAttribute('href', /specify\/requirement\//);
});
