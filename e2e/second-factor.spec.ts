import { expect, type APIRequestContext } from '@playwright/test';
import { generate } from 'otplib';
import { password, test } from './support';

/** Whatever happened, the person is as before: signs in with the password alone. */
async function withoutFactors(of: APIRequestContext): Promise<void> {
  await of.post('/api/session', { data: { login: 'admin', password } });
  expect((await of.put('/api/people/bela.stroud', { data: { dropFactors: true } })).ok()).toBeTruthy();
  await of.delete('/api/session');
}
test.beforeEach(({ request }) => withoutFactors(request));
test.afterEach(({ request }) => withoutFactors(request));

test('a second factor: an authenticator application and a passkey are added, shown at sign-in, and removed', async ({
  page,
  context,
  baseURL,
}) => {
  // Passkeys belong to a name, not to a number.
  const site = (baseURL ?? '').replace('127.0.0.1', 'localhost');
  const device = await context.newCDPSession(page);
  await device.send('WebAuthn.enable');
  await device.send('WebAuthn.addVirtualAuthenticator', {
    options: { protocol: 'ctap2', transport: 'internal', hasResidentKey: true, hasUserVerification: true, isUserVerified: true },
  });
  const begin = async (): Promise<void> => {
    await page.goto(`${site}/larkfell/settings`);
    await page.getByLabel('Sign-in name').fill('bela.stroud');
    await page.getByLabel('Password').fill(password);
    await page.keyboard.press('Enter');
  };
  const inside = () => page.waitForURL((url) => !url.pathname.startsWith('/sign-in'));
  const panel = page.locator('cp-factors-panel');
  const confirm = async (): Promise<void> => {
    await panel.getByLabel(/password/i).fill(password);
    await page.keyboard.press('Enter');
  };
  await begin();
  await inside();

  await panel.getByRole('button', { name: /Authenticator/ }).click();
  await confirm();
  const secret = (await panel.locator('code').innerText()).trim();
  await expect(panel.locator('img')).toBeVisible();
  await panel.getByLabel(/Its name/).fill('Phone');
  await panel.getByLabel(/The code/).fill(await generate({ secret }));
  await page.keyboard.press('Enter');
  await expect(panel.getByRole('rowheader', { name: 'Phone' })).toBeVisible();
  await panel.getByRole('button', { name: 'Passkey' }).click();
  await panel.getByLabel(/Its name/).fill('Laptop');
  await confirm();
  await expect(panel.getByRole('rowheader', { name: 'Laptop' })).toBeVisible();

  // A code is taken once; the passkey opens what the code does not.
  await context.clearCookies();
  await begin();
  await page.getByLabel(/The code/).fill('000000');
  await page.keyboard.press('Enter');
  await expect(page.getByText('This code is not good now.')).toBeVisible();
  await page.getByRole('button', { name: 'Use a passkey' }).click();
  await inside();

  // And a recovery code, where the device is not at hand.
  await panel.getByRole('button', { name: 'Recovery codes' }).click();
  await confirm();
  const code = await panel.getByRole('list', { name: 'Recovery codes' }).getByRole('listitem').first().innerText();
  await panel.getByRole('button', { name: 'I have kept them' }).click();
  await context.clearCookies();
  await begin();
  await page.getByLabel(/a recovery code/).fill(code);
  await page.keyboard.press('Enter');
  await inside();
  await expect(panel.getByText('9 left')).toBeVisible();

  for (const name of ['Laptop', 'Phone']) {
    await panel.getByRole('button', { name: `Remove ${name}` }).click();
    await confirm();
    await expect(panel.getByRole('rowheader', { name })).toHaveCount(0);
  }
  await context.clearCookies();
  await begin();
  await inside();
});
