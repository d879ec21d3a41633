import { expect } from '@playwright/test';
import { enter, test } from './support';

test('Ctrl+K does what can be done on the page, goes to every place, and remembers what was looked at', async ({ page }) => {
  await enter(page, 'mira.oberon', '/larkfell/specify/requirement/BRK-036');
  await expect(page.getByRole('button', { name: 'Edit' })).toBeVisible();
  const jump = async (words: string): Promise<void> => {
    await page.keyboard.press('Control+k');
    await expect(page.getByRole('combobox', { name: 'Jump to a key or a word' })).toBeFocused();
    await page.keyboard.type(words);
  };
  const chosen = page.getByRole('option', { selected: true });
  await jump('edit');
  await expect(chosen).toHaveText(/Edit/);
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Rationale').first()).toBeVisible();
  await page.keyboard.press('Escape');
  await jump('fewest cases');
  await expect(chosen).toHaveText(/Fewest cases/);
  await page.keyboard.press('Enter');
  await page.waitForURL(/design\/selection/);
  // Another day, on the same device: what was looked at last comes first, by its name.
  await page.reload();
  await expect(page.getByText('Work it out').first()).toBeVisible();
  await jump('');
  await expect(page.getByRole('group', { name: 'Recent' }).getByRole('option')).toHaveText(/BRK-036\s*Evacuation needs key/);
  await page.keyboard.press('Enter');
  await page.waitForURL(/requirement\/BRK-036/);
});

test('what a setting touches is told before it is in force', async ({ page }) => {
  await enter(page, 'admin', '/larkfell/settings');
  await page.getByLabel('SIL 3 MC/DC').fill('100');
  await page.getByLabel('SIL 3 MC/DC').blur();
  const preview = page.getByRole('status', { name: 'What the changes touch' });
  await expect(preview).toHaveText(/the cords of \d+ of 60 requirements change/);
  await expect(preview).toHaveText(/Measure waiting instead of sound at \d+:\s+SYS-005/);
  await page.getByRole('button', { name: 'Forget them' }).click();
  await expect(preview).toHaveCount(0);
  await page.getByLabel('Tomas Vell is tester').click();
  await expect(page.getByRole('alert').filter({ hasText: 'Without the role of tester' })).toHaveText(
    /Bela Stroud has the role as well\. \d+ runs wait/,
  );
  await page.getByRole('button', { name: 'Leave it' }).click();
  await expect(page.getByLabel('Tomas Vell is tester')).toBeChecked();
});
