import { expect } from '@playwright/test';
import { another, enter, send, test } from './support';

test('a flow is written by keys, its paths become cases, and they verify what the flow models', async ({ page }) => {
  await enter(page, 'mira.oberon', '/larkfell/specify/requirement/BRK-036');
  await page.getByRole('button', { name: 'Cases in other ways' }).click();
  await page.getByRole('menuitem', { name: 'Model what it means' }).click();
  await page.getByRole('button', { name: /Flow/ }).last().click();
  await page.waitForURL(/design\/models\/F-\d+/);
  const key = /models\/(F-\d+)/.exec(page.url())?.[1] ?? '';
  const node = (n: number) => page.getByLabel(`Node ${n}`, { exact: true });
  await node(1).fill('Evacuation key turned');
  await node(1).press('Enter');
  await expect(node(2)).toBeFocused();
  await page.getByLabel('Kind of node 2').selectOption('decision');
  await node(2).fill('Chain closed?');
  await page.getByLabel('Outcome of node 2', { exact: true }).fill('open');
  // The next node of a decision is one more outcome.
  await node(2).press('Enter');
  await page.keyboard.type('Press evacuate');
  await page.getByLabel('What must be seen at node 3').fill('The rope moves');
  await page.getByLabel('Outcome of node 2', { exact: true }).last().fill('closed');
  await node(3).press('Enter');
  await page.keyboard.type('Look at the alarms');
  await page.getByLabel('What must be seen at node 4').fill('Alarms are as they must be');
  const leads = page.getByLabel('Where node 2 leads to', { exact: true }).first();
  await leads.focus();
  await leads.selectOption({ label: 'to 4 Look at the alarms' });
  await expect(page.getByText('2 paths', { exact: true }).first()).toBeVisible();
  await page.getByRole('button', { name: /Save/ }).first().click();
  await page.getByRole('button', { name: /Cases of 2 paths/ }).click();
  await page.getByRole('button', { name: 'Write 2 new' }).click();
  await expect(page.getByText('Written:')).toBeVisible();
  const written = page.getByText('Written:').getByRole('link');
  const made = await written.first().innerText();
  await page.goto(`/larkfell/design/${made}`);
  await expect(page.getByText('Press evacuate').or(page.getByText('Look at the alarms')).first()).toBeVisible();
  await expect(page.getByText('BRK-036').first()).toBeVisible();
  await expect(page.getByText(new RegExp(`Made of\\s+${key}`))).toBeVisible();
});

test('a measuring step proposes its verdict, and does not pass before its picture is there', async ({ page, browser }) => {
  await enter(page, 'tomas.vell');
  // A run of its own: what is tried a second time does not begin in the middle.
  const round = { build: '2.4.0-rc2', title: 'Levers', configuration: 'gauge', tester: 'tomas.vell', cases: ['C-058'] };
  const { items } = await send<{ items: { key: string }[] }>(page, 'post', '/rounds', { ...round, reason: 'Measured once more.' });
  await page.goto(`/larkfell/run/bench/${items[0].key}`);
  await expect(page.getByText('Step 1 of 2 · do this')).toBeVisible();
  await page.keyboard.press('o');
  await page.keyboard.type('243');
  await expect(page.getByText('7 N inside the limit')).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(page.getByText('The step must be shown by a picture: without it, it cannot pass.')).toBeVisible();
  await page.setInputFiles('.hint input[type=file]', {
    name: 'gauge.png',
    mimeType: 'image/png',
    buffer: Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64'),
  });
  await expect(page.getByText('gauge.png')).toBeVisible();
  await page.getByLabel('What did you observe?').fill('The gauge holds its greatest value.');
  await page.keyboard.press('Escape');
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.getByRole('button', { name: /Step 2/ }).click();
  await expect(page.getByText('Step 2 of 2 · do this')).toBeVisible();
  await expect(page.getByLabel('time, ms')).toHaveValue('');
  await page.keyboard.press('o');
  await expect(page.getByLabel('time, ms')).toBeFocused();
  await page.keyboard.type('900');
  await page.keyboard.press('Enter');
  await expect(page.getByText('Say what you observed: this verdict needs it.')).toBeVisible();
  await page.keyboard.type('The spring is slow.');
  await expect(page.getByRole('button', { name: /^Fail/ })).toHaveAttribute('aria-pressed', 'true');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/Problem report from step 2/)).toBeVisible();
  const auditor = await another(
    browser,
    'noor.hallam',
    page
      .url()
      .replace('/bench/', '/record/')
      .replace(/^https?:\/\/[^/]+/, ''),
  );
  await expect(auditor.getByText('100 ms outside the limit')).toBeVisible();
});

test('folders hold cases, and a filter finds them by folder, kind and tag', async ({ page }) => {
  await enter(page, 'mira.oberon', '/larkfell/design');
  await page.getByRole('treeitem', { name: /Pressure sensors/ }).click();
  await expect(page.getByRole('status').filter({ hasText: 'cases' })).toHaveText(/^\s*9 cases/);
  await page.getByRole('treeitem', { name: /All cases/ }).click();
  await page.getByLabel('Filter cases').fill('kind:demonstration');
  await expect(page.getByText('The release lever is moved')).toBeVisible();
  await expect(
    page
      .getByRole('status')
      .filter({ hasText: /^\s*\d+ case/ })
      .first(),
  ).toHaveText(/^\s*1 case/);
});
