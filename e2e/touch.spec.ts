import { devices, expect, type Page } from '@playwright/test';
import { enter, faults, test } from './support';

const png = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64');

test.use({ hasTouch: true, isMobile: true, viewport: { width: 390, height: 844 }, userAgent: devices['Pixel 5'].userAgent });

/** A finger that moves sideways over the step. */
async function swipe(page: Page, by: number): Promise<void> {
  await page.getByRole('region', { name: 'Step', exact: true }).evaluate((element, dx) => {
    const touch = (x: number) => new Touch({ identifier: 1, target: element, clientX: x, clientY: 300 });
    const send = (type: string, x: number, down: boolean) =>
      element.dispatchEvent(
        new TouchEvent(type, { bubbles: true, touches: down ? [touch(x)] : [], changedTouches: [touch(x)], cancelable: true }),
      );
    send('touchstart', 200, true);
    send('touchend', 200 + dx, false);
  }, by);
}

/** The first run that waits to be recorded: a way that a tester goes by thumb alone. */
async function toBench(page: Page): Promise<void> {
  await enter(page, 'tomas.vell', '/larkfell/today');
  await page.getByRole('region', { name: 'To record' }).locator('li .what').first().tap();
  await page.waitForURL(/bench\/RUN-/);
  await expect(page.getByText(/Step \d+ of \d+ · do this/)).toBeVisible();
}

test('a run is recorded on a phone by one thumb: swiped, tapped, shown by a picture, and no wider than its window', async ({ page }) => {
  await toBench(page);
  const step = (n: number) => page.getByText(new RegExp(`Step ${n} of \\d+ · do this`));
  await swipe(page, -140);
  await expect(step(2)).toBeVisible();
  await swipe(page, 140);
  await expect(step(1)).toBeVisible();
  // A finger that scrolls is no swipe.
  await swipe(page, -30);
  await expect(step(1)).toBeVisible();
  for (const name of [/^Pass/, /^Fail/, /^Deviation/, /^Blocked/, /next step/]) {
    const button = page.getByRole('button', { name });
    await expect(button).toBeInViewport({ ratio: 1 });
    const box = await button.boundingBox();
    expect(box?.height).toBeGreaterThanOrEqual(44);
    // In reach of a thumb: the lower part of the window.
    expect(box?.y).toBeGreaterThan(844 / 3);
  }
  await page.getByLabel('Take a picture').setInputFiles({ name: 'display.png', mimeType: 'image/png', buffer: png });
  await expect(page.getByRole('link', { name: /display.png/ })).toBeVisible();
  await page.getByLabel('What did you observe?').fill('As expected');
  await page.getByRole('button', { name: /^Pass/ }).tap();
  await expect(page.getByText('Saved.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Step 1, pass' })).toBeVisible();
  await page.getByRole('button', { name: /next step/ }).tap();
  await expect(step(2)).toBeVisible();
  await page.getByRole('button', { name: 'Step 1, pass' }).tap();
  await expect(page.getByLabel('What did you observe?')).toHaveValue('As expected');
  expect(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth)).toBeLessThanOrEqual(0);
  expect(await faults(page, 'the Bench by touch')).toEqual([]);
});

test('on a tablet the step list, the clock and the verdicts stand beside what is done', async ({ page }) => {
  await page.setViewportSize({ width: 820, height: 1180 });
  await toBench(page);
  const thread = page.getByRole('region', { name: 'Steps and facts' });
  await expect(thread).toBeInViewport({ ratio: 1 });
  await thread.getByRole('button', { name: /Step 2/ }).tap();
  await expect(page.getByText(/Step 2 of \d+ · do this/)).toBeVisible();
  await thread.getByRole('button', { name: 'pause' }).tap();
  await expect(thread.getByRole('button', { name: 'go on' })).toBeVisible();
  await thread.getByRole('button', { name: 'go on' }).tap();
  await expect(thread.getByRole('button', { name: 'correct' })).toBeInViewport({ ratio: 1 });
  const fail = page.getByRole('button', { name: /^Fail/ });
  await expect(fail).toBeInViewport({ ratio: 1 });
  // A failure without words is not taken; what is missing is said where it is written.
  await fail.tap();
  await expect(page.getByText('Say what you observed: this verdict needs it.')).toBeVisible();
  expect(await faults(page, 'the Bench on a tablet')).toEqual([]);
});

test('a record is found, read and spoken of by touch', async ({ page }) => {
  await enter(page, 'mira.oberon', '/larkfell/specify');
  await page.getByRole('button', { name: /Jump to a key or a word|Search/ }).tap();
  await page.getByRole('combobox', { name: 'Jump to a key or a word' }).fill('BRK-009');
  await page.getByRole('option', { name: /BRK-009/ }).tap();
  await page.getByRole('tab', { name: /^Comments/ }).tap();
  await page.getByLabel(/^Say something/).fill('Seen on the phone.');
  await page.getByRole('button', { name: 'Comment', exact: true }).tap();
  await expect(page.getByText('Seen on the phone.').first()).toBeVisible();
});
