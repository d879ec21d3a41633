import { expect, type Page } from '@playwright/test';
import { enter, test } from './support';

// Counts that are known from outside (see CHECKS), of models that are entered as people enter them.
async function begin(page: Page, kind: string): Promise<void> {
  await enter(page, 'mira.oberon', '/larkfell/design/models');
  await page.locator('.start').filter({ hasText: kind }).click();
  await page.waitForURL(/design\/models\/[A-Z]+-\d+/);
}

test('a flow: the fewest paths over its nodes are its widest antichain, all paths the product of its branches', async ({ page }) => {
  await begin(page, 'Flow');
  await page.getByRole('button', { name: 'as text' }).click();
  await page
    .getByLabel('The flow as Mermaid text')
    .fill(
      [
        'flowchart TD',
        'S([Begin]) --> A{Which way?}',
        ...['one', 'two', 'three'].map((way) => `A -->|${way}| W${way}[Go ${way}]\nW${way} --> B{Back?}`),
        'B -->|yes| Y[Return]',
        'B -->|no| N[Stay]',
        'Y --> E([End])',
        'N --> E',
      ].join('\n'),
    );
  const count = (criterion: string) => page.getByRole('radio', { name: new RegExp(`^${criterion}`) });
  // Dilworth 1950: no two of the three ways reach each other, and three paths suffice; McCabe: 6 outcomes and joins, v(G) = 4.
  await expect(count('Every step')).toContainText('3 paths');
  await expect(count('Every outcome')).toContainText('3 paths');
  await expect(count('Every outcome')).toContainText('proved fewest');
  // Each way with each answer: 3 x 2 pairs, which are all paths.
  await expect(count('Every path')).toContainText('6 paths');
  await expect(page.getByText('6 paths in all')).toBeVisible();
});

test('a parameter sheet: four parameters of three values take nine rows for every pair, and 81 for all', async ({ page }) => {
  await begin(page, 'Parameters');
  for (const [i, name] of ['a', 'b', 'c', 'd'].entries()) {
    const box = page.getByLabel(`Name of parameter ${i + 1}`, { exact: true });
    if (!(await box.count())) await page.getByRole('button', { name: 'Parameter', exact: true }).click();
    await box.fill(name);
    await page.getByLabel(`Type of ${name}`, { exact: true }).selectOption('text');
    await page.getByLabel(`Classes of ${name}`, { exact: true }).fill(`${name}1\n${name}2\n${name}3`);
  }
  // Covering-array tables: 3^4 in 9 rows, of 6 x 9 = 54 pairs; base choice 1 + 4 x 2 (ISO/IEC/IEEE 29119-4); all 3^4.
  for (const [criterion, rows, of] of [
    ['pairs', 9, 54],
    ['eachChoice', 3, undefined],
    ['baseChoice', 9, undefined],
    ['all', 81, 81],
  ] as const) {
    await page.getByLabel('What they cover').selectOption(criterion);
    await expect(page.getByText(`${rows} rows`, { exact: true })).toBeVisible();
    if (of !== undefined) await expect(page.getByText(`cover ${of} of ${of}`)).toBeVisible();
  }
});

test('a decision table: of three yes-or-no conditions eight combinations, each rule and each gap counted', async ({ page }) => {
  await begin(page, 'Decision table');
  for (const [i, name] of ['door open', 'key on', 'wind high'].entries()) {
    const box = page.getByLabel(`Condition ${i + 1}`, { exact: true });
    if (!(await box.count())) await page.getByRole('button', { name: 'Condition', exact: true }).click();
    await box.fill(name);
    await page.getByLabel(`Values of ${name}`, { exact: true }).fill('yes, no');
  }
  if (!(await page.getByLabel('Name of rule 1', { exact: true }).count()))
    await page.getByRole('button', { name: 'Rule', exact: true }).click();
  const rule = await page.getByLabel('Name of rule 1', { exact: true }).inputValue();
  await page.getByLabel(`Rule ${rule}, door open`, { exact: true }).selectOption('yes');
  await page.getByLabel(`What rule ${rule} does`, { exact: true }).fill('Stay');
  // The rule takes 4 of the 2^3 combinations.
  await page.getByRole('button', { name: 'A rule for each of 4 gaps' }).click();
  await expect(page.getByLabel('Name of rule 5', { exact: true })).toBeVisible();
  await expect(page.getByRole('button', { name: /gaps/ })).toHaveCount(0);
  await expect(page.getByText('All 8 combinations have a rule.')).toBeVisible();
});
