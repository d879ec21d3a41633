import { expect, type Page } from '@playwright/test';
import { another, enter, password, test } from './support';

/** Presses Tab until the wanted control has the focus: nothing but the keyboard. */
async function tabTo(page: Page, role: string, name: RegExp, limit = 80): Promise<void> {
  for (let i = 0; i < limit; i++) {
    const here = await page.evaluate(() => {
      const e = document.activeElement as HTMLElement | null;
      const label =
        e?.getAttribute('aria-label') ??
        (e instanceof HTMLInputElement || e instanceof HTMLTextAreaElement || e instanceof HTMLSelectElement
          ? (e.labels?.[0]?.innerText ?? '')
          : (e?.innerText ?? ''));
      return { tag: e?.tagName ?? '', label };
    });
    if (name.test(here.label.trim()) && role.split('|').includes(here.tag)) return;
    await page.keyboard.press('Tab');
  }
  throw new Error(`no ${role} ${name} came by Tab`);
}

/** Approves what is shown, as a reviewer: with the password. */
async function approve(who: Page): Promise<void> {
  await who.getByRole('button', { name: 'Approve', exact: true }).click();
  await who.getByLabel('Your password, again').fill(password);
  await who.getByRole('button', { name: 'Sign', exact: true }).click();
}

test('the whole tour with the keyboard alone: write, approve, design, run, sign, review, pack', async ({ page, browser }) => {
  await page.goto('/larkfell/specify/requirement/SYS-017');
  await tabTo(page, 'INPUT', /Sign-in name/);
  await page.keyboard.type('mira.oberon');
  await page.keyboard.press('Tab');
  await page.keyboard.type(password);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'The brake can be released by hand' })).toBeVisible();
  // A requirement is written …
  await tabTo(page, 'BUTTON', /^Requirement$/);
  await page.keyboard.press('Enter');
  await page.waitForURL(/edit=1/);
  const key = /requirement\/(SYS-\d+)/.exec(page.url())?.[1] ?? '';
  await expect(page.getByText(`${key}`).first()).toBeVisible();
  await expect(page.getByRole('button', { name: /Save revision/ })).toBeVisible();
  await tabTo(page, 'INPUT', /^Title/);
  await page.keyboard.press('Control+A');
  await page.keyboard.type('The lever has a guard');
  await tabTo(page, 'DIV', /^Text$/);
  await page.keyboard.type('The release lever shall have a guard against being touched by accident.');
  await tabTo(page, 'INPUT', /^Top level/);
  await page.keyboard.press('Space');
  await tabTo(page, 'INPUT', /^Not in code/);
  await page.keyboard.press('Space');
  await tabTo(page, 'TEXTAREA', /^Why it is not in code/);
  await page.keyboard.type('A sheet of steel.');
  await page.keyboard.press('Control+s');
  await expect(page.getByRole('heading', { name: 'The lever has a guard' })).toBeVisible();
  // … its review is asked for, and another person approves it with a signature …
  await tabTo(page, 'BUTTON', /^Ask for review/);
  await page.keyboard.press('Enter');
  await expect(page.getByText('in review', { exact: true }).first()).toBeVisible();
  const sign = async (who: Page, name: RegExp): Promise<void> => {
    await tabTo(who, 'BUTTON', name);
    await who.keyboard.press('Enter');
    await expect(who.getByLabel('Your password, again')).toBeFocused();
    await who.keyboard.type(password);
    await who.keyboard.press('Enter');
  };
  const path = (from: Page): string => from.url().replace(/^https?:\/\/[^/]+/, '');
  const reviewer = await another(browser, 'ines.quarry', `/larkfell/specify/requirement/${key}`);
  await sign(reviewer, /^Approve/);
  await expect(page.getByText('approved', { exact: true }).first()).toBeVisible();
  // … a case verifies it …
  await tabTo(page, 'BUTTON', /Design a case/);
  await page.keyboard.press('Enter');
  await page.waitForURL(/design\/C-\d+\?edit=1/);
  const caseKey = /design\/(C-\d+)/.exec(page.url())?.[1] ?? '';
  await tabTo(page, 'TEXTAREA', /^Objective/);
  await page.keyboard.type('Show that the guard is there.');
  await tabTo(page, 'TEXTAREA', /Step 1, action/);
  await page.keyboard.type('Look at the lever');
  await page.keyboard.press('Tab');
  await page.keyboard.type('A guard covers it');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByLabel('Step 2, action')).toBeFocused();
  await page.keyboard.type('Try to touch it with a broom');
  await page.keyboard.press('Tab');
  await page.keyboard.type('The lever does not move');
  await page.keyboard.press('Control+s');
  await expect(page.getByRole('button', { name: 'Edit' })).toBeVisible();
  await tabTo(page, 'BUTTON', /^Ask for review/);
  await page.keyboard.press('Enter');
  await reviewer.goto(`/larkfell/design/${caseKey}`);
  await sign(reviewer, /^Approve/);
  await expect(page.getByRole('button', { name: 'Plan a run' })).toBeVisible();
  // … a run is planned for a tester …
  await tabTo(page, 'BUTTON', /Plan a run/);
  await page.keyboard.press('Enter');
  await tabTo(page, 'INPUT', /^Title/);
  await page.keyboard.type('Guard');
  await tabTo(page, 'SELECT', /^Done by/);
  await page.keyboard.press('T');
  await tabTo(page, 'BUTTON', /^Plan 1 run/);
  await page.keyboard.press('Enter');
  await page.waitForURL(/run\/round\/R-\d+/);

  // … recorded on the Bench by another person …
  const tester = await another(browser, 'tomas.vell', path(page));
  await tabTo(tester, 'A', new RegExp(`Record ${caseKey}`));
  await tester.keyboard.press('Enter');
  await expect(tester.getByText('Look at the lever').first()).toBeVisible();
  await tester.keyboard.press('o');
  await tester.keyboard.type('A guard covers it');
  await tester.keyboard.press('Escape');
  await tester.keyboard.press('1');
  await tester.keyboard.press('Enter');
  await expect(tester.getByText('Step 2 of 2 · do this')).toBeVisible();
  // At this level the project asks for words on every pass.
  await tester.keyboard.press('1');
  await expect(tester.getByLabel('What did you observe?')).toBeFocused();
  await tester.keyboard.type('It does not move');
  await tester.keyboard.press('Enter');
  await tester.waitForURL(/run\/record\/RUN-\d+/);
  // … signed by the tester, reviewed by a third …
  await sign(tester, /Sign: performed/);
  await expect(tester.getByText(/performed, \d{4}/)).toBeVisible();
  await reviewer.goto(path(tester));
  await sign(reviewer, /Sign: reviewed/);
  await expect(reviewer.getByText(/reviewed, \d{4}/)).toBeVisible();
  // … and the requirement is proved, on the first person's screen, by jumping there.
  await page.keyboard.press('Control+k');
  await expect(page.getByRole('combobox', { name: 'Jump to a key or a word' })).toBeFocused();
  await page.keyboard.type(key);
  await expect(page.getByRole('option', { name: new RegExp(`^${key}`) })).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(page.getByText('Proved on 2.4.0-rc2: every knot is sound.')).toBeVisible();
  // The pack is made while the page is left and come back to.
  await page.keyboard.press('Alt+5');
  await tabTo(page, 'BUTTON', /Make the proof pack/);
  await page.keyboard.press('Enter');
  await expect(page.getByText(/You can leave this page/).first()).toBeVisible();
  await page.keyboard.press('Alt+0');
  await expect(page.getByRole('heading', { name: 'Cord', exact: true })).toBeVisible();
  await page.keyboard.press('Alt+5');
  await expect(page.getByRole('link', { name: /proof-pack-2.4.0-rc2-\d+\.zip/ })).toBeVisible({ timeout: 60_000 });
});

test('what one person does appears on another’s screen without reload', async ({ page, browser }) => {
  await enter(page, 'mira.oberon', '/larkfell/specify/requirement/BRK-032');
  await expect(page.getByText('draft', { exact: true }).first()).toBeVisible();
  const other = await another(browser, 'ines.quarry', '/larkfell/specify/requirement/BRK-032');
  await page.getByRole('button', { name: 'Ask for review' }).click();
  await approve(other);
  await expect(page.getByText('approved', { exact: true }).first()).toBeVisible();
});

test('two editors of one requirement: both versions are shown and no text is lost', async ({ page, browser }) => {
  await enter(page, 'mira.oberon', '/larkfell/specify/requirement/BRK-040?edit=1');
  const other = await another(browser, 'bela.stroud', '/larkfell/specify/requirement/BRK-040?edit=1');
  await page.getByLabel('Text', { exact: true }).fill('The display shall be refreshed every 200 ms.');
  await other.getByLabel('Text', { exact: true }).fill('The display shall be refreshed every 100 ms, even in the cold.');
  await expect(page.getByRole('button', { name: /Save revision 2/ })).toBeDisabled();
  await page.getByLabel(/Why it changes/).fill('The lamp was too slow.');
  await page.getByRole('button', { name: /Save revision 2/ }).click();
  await expect(page.getByRole('button', { name: 'Edit' })).toBeVisible();
  await expect(other.getByText(/revision 2, mira/)).toBeVisible();
  await other.getByRole('button', { name: /Save revision/ }).click();
  await expect(other.getByText(/mira.oberon saved revision 2 while you were writing/)).toBeVisible();
  await expect(other.locator('ins', { hasText: '200' })).toBeVisible();
  await expect(other.getByRole('button', { name: 'Save this as revision 3' })).toBeDisabled();
  await other
    .getByRole('group', { name: 'You both changed this: choose' })
    .getByRole('radio', { name: /^Yours/ })
    .check();
  await other.getByRole('button', { name: 'Save this as revision 3' }).click();
  await expect(other.getByText(/revision 3, bela/)).toBeVisible();
  await other.getByRole('tab', { name: /^History/ }).click();
  await expect(other.locator('del', { hasText: '200' })).toBeVisible();
});

test('the Bench resumes after a reload with nothing lost, takes evidence, and a failed step opens a problem report', async ({ page }) => {
  await enter(page, 'tomas.vell', '/larkfell/cord');
  await page.getByRole('button', { name: /things wait for you/ }).click();
  await page
    .getByRole('menuitem', { name: /to record on 2.4.0-rc2 .*Storm|to record.*Wind limits the rope/ })
    .first()
    .click();
  await page.waitForURL(/bench\/RUN-/);
  await expect(page.getByText(/Step 1 of/).first()).toBeVisible();
  await page.getByLabel('What did you observe?').fill('Limit 6.0 m/s, as');
  await page.reload();
  await expect(page.getByLabel('What did you observe?')).toHaveValue('Limit 6.0 m/s, as');
  await page.getByLabel('What did you observe?').fill('Limit 6.0 m/s, as expected');
  await page.keyboard.press('Escape');
  await page
    .locator('.hint input[type=file]')
    .setInputFiles({ name: 'trace.txt', mimeType: 'text/plain', buffer: Buffer.from('71 km/h\n') });
  await expect(page.getByRole('link', { name: /trace.txt/ })).toBeVisible();
  await page.keyboard.press('1');
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(page.getByText('Step 2 of 2 · do this')).toBeVisible();
  await page.keyboard.press('2');
  await expect(page.getByText('Say what you observed: this verdict needs it.')).toBeVisible();
  await page.keyboard.type('Limit stays at 6.0 m/s');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: /Problem report from step 2/ })).toBeVisible();
  await expect(page.getByLabel('What happened (filled from the run)')).toHaveValue(/Observed: Limit stays at 6.0 m\/s/);
  await page.getByRole('button', { name: 'Raise it' }).click();
  await expect(page.getByRole('link', { name: /PR-00\d/ })).toBeVisible();
});

test('a table with errors is refused by row and cell before anything is written', async ({ page }) => {
  await enter(page, 'mira.oberon', '/larkfell/specify/import?into=BRK');
  const csv = 'key,title,text,level\nBRK-901,Good,Text,SIL 1\nBRK-001,Changed,Text,SIL 9\nBRK-901,Double,Text,SIL 1\n';
  await page.locator('input[type=file]').setInputFiles({ name: 'reqs.csv', mimeType: 'text/csv', buffer: Buffer.from(csv) });
  await expect(page.getByText('BRK-901 stands already in row 2.')).toBeVisible();
  await expect(page.getByText(/“SIL 9” is not a level/)).toBeVisible();
  await expect(page.getByRole('button', { name: /^Write 1 new/ })).toBeDisabled();
  await page
    .locator('input[type=file]')
    .setInputFiles({ name: 'reqs.csv', mimeType: 'text/csv', buffer: Buffer.from(csv.split('\n').slice(0, 2).join('\n')) });
  await page.getByRole('button', { name: 'Write 1 new' }).click();
  await page.waitForURL(/specify\/BRK/);
  await page.getByRole('combobox', { name: 'Filter requirements' }).fill('BRK-901');
  await expect(page.getByRole('treeitem', { name: /BRK-901/ })).toBeVisible();
});

test('a specification is folded, put in order and found in by keys, and others see where rows went', async ({ page, browser }) => {
  await enter(page, 'mira.oberon', '/larkfell/specify/requirement/BRK-022');
  const other = await another(browser, 'bela.stroud', '/larkfell/specify/requirement/BRK-021');
  const place = async (of: Page, key: string): Promise<string[]> => {
    const names = await of.getByRole('treeitem').allInnerTexts();
    const at = names.findIndex((name) => name.includes(key));
    return [names[at - 1] ?? '', names[at + 1] ?? ''].map((name) => /\b[A-Z]{2,5}-\d{1,6}/.exec(name)?.[0] ?? '');
  };
  const tree = page.getByRole('tree');
  await expect(page.getByRole('treeitem', { name: /BRK-022/ })).toHaveAttribute('aria-current', 'true');
  await tree.focus();
  await page.keyboard.press('Alt+Shift+ArrowUp');
  await expect.poll(() => place(page, 'BRK-022')).toEqual(['BRK-020', 'BRK-021']);
  await expect.poll(() => place(other, 'BRK-022')).toEqual(['BRK-020', 'BRK-021']);
  // Left goes to the heading above, left again folds it; right opens it.
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('ArrowLeft');
  await expect(page.getByRole('treeitem', { name: /BRK-022/ })).toHaveCount(0);
  await expect(page.getByRole('treeitem', { name: /BRK-101/ })).toHaveAttribute('aria-expanded', 'false');
  await page.keyboard.press('ArrowRight');
  await expect(page.getByRole('treeitem', { name: /BRK-022/ })).toBeVisible();
  await page.keyboard.press('/');
  await page.keyboard.type('pads thinner');
  await expect(page.getByRole('treeitem')).toHaveCount(1);
  await expect(page.getByRole('treeitem', { name: /BRK-020/ })).toBeVisible();
});

test('the code view tells why a line does not count, and a remedy does what it says', async ({ page }) => {
  await enter(page, 'mira.oberon', '/larkfell/measure?path=src/brake.c&line=29');
  const remedy = page.getByRole('button', { name: /Say this code also implements/ }).first();
  await expect(remedy).toBeVisible();
  const promised = /→ ([\d.]+) %/.exec(await remedy.innerText())?.[1];
  await remedy.click();
  await expect(page.getByText('Line 29 · credited')).toBeVisible();
  expect(promised).toBeDefined();
});

test('an outline becomes steps, names in braces become columns, and the Bench shows each row filled in', async ({ page, browser }) => {
  await enter(page, 'mira.oberon', '/larkfell/design/C-002?edit=1');
  await page.getByRole('button', { name: 'From an outline' }).click();
  await page.getByLabel(/An outline: a line a step/).fill('1. Wait {{time}} s -> the lamp is green\n2. Look around');
  await expect(page.getByText('Without an expected result: line 2')).toBeVisible();
  await page.getByRole('button', { name: 'Add 2 steps' }).click();
  await expect(page.getByText(/\{\{time\}\} has no data row/).first()).toBeVisible();
  await page.getByRole('button', { name: 'Data row' }).click();
  await page.getByLabel('Row 1, time').fill('2.5');
  await page.keyboard.press('Control+Enter');
  await page.getByLabel('Row 2, time').fill('3.5');
  await page
    .getByLabel(/Step \d+, expected result/)
    .last()
    .fill('Nothing has changed');
  await page.getByLabel(/Why it changes/).fill('The waiting was not shown.');
  await page.getByRole('button', { name: /Save revision/ }).click();
  await page.getByRole('button', { name: 'Ask for review' }).click();
  await approve(await another(browser, 'ines.quarry', '/larkfell/design/C-002'));
  await page.getByRole('button', { name: 'Plan a run' }).click();
  await page.getByLabel('Title').fill('Rows');
  await page.getByLabel('Done by').selectOption({ label: 'Tomas Vell' });
  await page.getByRole('button', { name: 'Plan 2 runs' }).click();
  await page.waitForURL(/run\/round\/R-\d+/);
  const tester = await another(browser, 'tomas.vell', page.url().replace(/^https?:\/\/[^/]+/, ''));
  await expect(tester.getByText('A start goes through standby to run · row 2')).toBeVisible();
  await tester.getByRole('link', { name: 'Bench ›' }).last().click();
  await expect(tester.getByText('C-002 row 2').first()).toBeVisible();
  await tester.getByRole('button', { name: /Wait 3.5 s/ }).click();
  await expect(tester.locator('mark', { hasText: '3.5' })).toBeVisible();
});

test('from Today to the Bench and along what is connected, with the keyboard', async ({ page }) => {
  await enter(page, 'tomas.vell', '/larkfell/today');
  await expect(page.getByText('Next, since it holds up most')).toBeVisible();
  const rows = page.getByRole('region', { name: 'To record' }).locator('li .what');
  const second = await rows.nth(1).innerText();
  await rows.first().focus();
  await page.keyboard.press('ArrowDown');
  await expect(rows.nth(1)).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/run\/bench\/RUN-/);
  await expect(page.getByText(second.replace(/^C-\d+ /, '')).first()).toBeVisible();
  // A place by its name, a record by its words, and all that hangs on it.
  await page.keyboard.press('Control+k');
  await expect(page.getByRole('combobox', { name: 'Jump to a key or a word' })).toBeFocused();
  await page.keyboard.type('audit trail');
  await expect(page.getByRole('option', { name: /Ledger/ })).toHaveAttribute('aria-selected', 'true');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Ledger' })).toBeVisible();
  await page.keyboard.press('Control+k');
  await expect(page.getByRole('combobox', { name: 'Jump to a key or a word' })).toBeFocused();
  await page.keyboard.type('BRK-009');
  await expect(page.getByRole('option', { name: /BRK-009/ })).toHaveAttribute('aria-selected', 'true');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('tab', { name: /^Comments/ })).toBeVisible();
  await page.keyboard.press('Alt+Shift+1');
  await expect(page.getByRole('tree', { name: /What is connected with BRK-009/ })).toBeVisible();
  await expect(page.locator('cp-connections-panel li').filter({ hasText: 'is verified by' }).first()).toBeVisible();
  await expect(page.getByText('Two steps away')).toBeVisible();
  // Beside the record where there is room for a third pane, and in the way of nobody who folds it; below it elsewhere.
  const about = page.getByRole('region', { name: 'About this record' });
  const title = page.getByRole('heading', { level: 1, name: /Loss of one pressure sensor/ });
  const places = async () => [await about.boundingBox(), await title.boundingBox()].map((box) => box ?? { x: 0, y: 0, width: 0 });
  const [beside, wide] = await places();
  expect(beside.x).toBeGreaterThan(wide.x + wide.width);
  await page.getByRole('button', { name: 'Fold to the side' }).click();
  expect((await places())[1].width).toBeGreaterThan(wide.width + 150);
  await page.getByRole('button', { name: 'Show what is said about it' }).click();
  await page.setViewportSize({ width: 1000, height: 800 });
  const [below, narrow] = await places();
  expect([below.y > narrow.y, below.x < narrow.x + narrow.width]).toEqual([true, true]);
});

test('a reviewer attests what no tool tells, and the requirement is proved', async ({ page }) => {
  await enter(page, 'ines.quarry', '/larkfell/measure?path=src/main.c&line=7');
  await page.getByRole('button', { name: 'Attest branches' }).click();
  await page.getByLabel('Reason').fill('A straight run of assignments: read line by line.');
  await page.getByLabel('Your password, again').fill(password);
  await page.getByRole('button', { name: 'Sign', exact: true }).click();
  await expect(page.getByText(/ATT-002 attests its branches/)).toBeVisible();
  await page.goto('/larkfell/specify/requirement/BRK-001');
  await expect(page.getByText('Proved on 2.4.0-rc2').first()).toBeVisible();
});
