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
  await page.getByRole('combobox', { name: 'Filter requirements' }).fill('Ice is seen');
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

test('a trace in doubt is seen with what caused it and confirmed by keys; what is likely is linked', async ({ page, browser }) => {
  // The author drew them: somebody else says that they hold.
  await enter(page, 'ines.quarry', '/larkfell/specify/suspect');
  const list = page.getByRole('listbox', { name: 'Traces in doubt' });
  await expect(list.getByRole('option').first()).toBeVisible();
  const before = await list.getByRole('option').count();
  await page.keyboard.press('j');
  await page.keyboard.press('k');
  await expect(page.getByText('and in the next one')).toBeVisible();
  await page.keyboard.press('c');
  await page.getByRole('textbox', { name: /Reason|Why/ }).fill('The parent asks for no more than this.');
  await page.keyboard.press('Tab');
  await page.getByRole('button', { name: 'Confirm', exact: true }).last().click();
  await expect(list.getByRole('option')).toHaveCount(before - 1);
  const author = await (await browser.newContext()).newPage();
  await enter(author, 'mira.oberon', '/larkfell/specify/proposed?all=1');
  const first = author.getByRole('checkbox', { name: /to (SYS|BRK)-/ }).first();
  const pair = (await first.getAttribute('aria-label')) ?? '';
  await first.check();
  await author.getByRole('button', { name: /Link 1/ }).click();
  await expect(author.getByRole('checkbox', { name: pair, exact: true })).toHaveCount(0);
});

test('a supplier’s ReqIF file is imported, read as a document, written in, and taken back as one', async ({ page }) => {
  await enter(page, 'mira.oberon', '/larkfell/specify');
  await page.getByRole('button', { name: 'Begin a specification' }).click();
  await page.getByLabel('Title', { exact: true }).fill('Door unit');
  await page.getByLabel('Key, such as BRK').fill('DOOR');
  await page.getByLabel('Prefix of its requirements').fill('DOOR');
  await page.getByRole('button', { name: 'Begin', exact: true }).click();
  await expect(page.getByRole('button', { name: /Door unit/ })).toBeVisible();
  await page.goto('/larkfell/specify/import?into=DOOR');
  await page.setInputFiles('input[type=file]', 'demo/exchange/door-unit.reqif');
  await expect(page.getByText('6 of 6 rows are good: 6 new')).toBeVisible();
  await page.getByRole('button', { name: 'Write 6 new' }).click();
  await page.waitForURL(/specify\/DOOR/);
  await page.goto('/larkfell/specify/read?of=DOOR');
  await expect(page.getByRole('heading', { name: '1 Door unit' })).toBeVisible();
  await page.getByRole('listitem', { name: /Report delay/ }).focus();
  await page.keyboard.press('Control+Enter');
  await page.getByLabel('New requirement').fill('Power of the report');
  await page.getByLabel('Text', { exact: true }).fill('The door unit shall draw at most 2 W.');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('listitem', { name: /Power of the report/ })).toBeVisible();
  await page.keyboard.press('Escape');
  await page.goto('/larkfell/specify/import?into=DOOR');
  await page.setInputFiles('input[type=file]', 'demo/exchange/door-unit.reqif');
  // The other tool knows nothing of what was written here: it is named, and left.
  await expect(page.getByText('0 new, 0 changed, 6 the same')).toBeVisible();
  await expect(page.getByText(/one requirement that the table does not name/)).toBeVisible();
  await page.goto('/larkfell/specify/import?into=DOOR');
  await page.getByRole('button', { name: 'Take back as one' }).first().click();
  await expect(page.getByText('taken back')).toBeVisible();
});
