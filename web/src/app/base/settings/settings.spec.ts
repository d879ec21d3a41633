import { AuditPanel } from './audit-panel';
import * as contract from '@contract/base';
import { passwordFault, passwordStrength } from '@contract/base';
import { bytesWords } from '@core/base';
import { baseCommands, baseFeature } from '../state';
import { StoragePanel } from './storage-panel';
import { mount, openWeb } from '../testing';
import { SetPassword } from '../set-password';
import { SignIn } from '../sign-in';
import { AccountPanel, deviceWords } from './account-panel';
import { AccountsPanel } from './accounts-panel';
import { FactorsPanel } from './factors-panel';
import { Passkeys } from '../passkeys';
import { ProgramsPanel } from './programs-panel';

const person = (login: string, more = {}) => ({ login, printedName: `Person ${login}`, installation: false, disabled: false, ...more });
const session = (more = {}) => ({
  person: person('ada'),
  projects: [],
  setPassword: false,
  factor: null,
  factorShown: false,
  tried: 0,
  ...more,
});

describe('accounts of the installation', () => {
  it('are made and reset with a one-time code that is shown once', async () => {
    const { api } = openWeb(['administrator']);
    api
      .on(contract.listPeople, () => [person('tom')])
      .on(contract.addPerson, ({ login }) => ({ person: person(String(login)), code: 'first-code' }))
      .on(contract.changePerson, ({ login }) => ({ person: person(String(login), { disabled: true }), code: 'reset-code' }));
    const panel = await mount(AccountsPanel);
    await panel.write(/Printed name/, 'New One');
    await panel.write(/Sign-in name/, 'new.one');
    await panel.press(/Make the account/);
    expect(api.of(contract.addPerson)[0]).toEqual({ login: 'new.one', printedName: 'New One' });
    expect(panel.text()).toContain('One-time code for new.one');
    expect(panel.text()).toContain('first-code');
    await panel.press(/I have it/);
    expect(panel.text()).not.toContain('first-code');
    await panel.press(/Reset the password of Person tom/);
    expect(api.of(contract.changePerson)[0]).toEqual({ login: 'tom', reset: true });
    expect(panel.text()).toContain('reset-code');
    await panel.press(/Enable Person tom/);
    expect(api.of(contract.changePerson)[1]).toEqual({ login: 'tom', disabled: false });
  });

  it('say why something was refused', async () => {
    const { api } = openWeb(['administrator']);
    api.on(contract.listPeople, () => [person('ada')]).refuse(contract.changePerson, { detail: 'This is the last administrator.' });
    const panel = await mount(AccountsPanel);
    await panel.press(/Disable/);
    expect(panel.text()).toContain('This is the last administrator.');
  });
});

describe('accounts of programs', () => {
  const token = (more = {}) => ({
    id: 3,
    name: 'rig',
    roles: ['tester'],
    createdBy: 'ada',
    createdAt: '2026-01-01T00:00:00.000Z',
    expiresAt: '2026-06-01T00:00:00.000Z',
    endedAt: null,
    ...more,
  });
  it('are made by an administrator, the secret shown once, and ended', async () => {
    const { api } = openWeb(['administrator']);
    api
      .on(contract.listTokens, () => [token()])
      .on(contract.addToken, ({ name }) => ({ token: token({ id: 4, name }), secret: 'cord_secret' }))
      .on(contract.endToken, () => ({ ok: true }));
    const panel = await mount(ProgramsPanel);
    await panel.write(/^Name/, 'build-server');
    await panel.write(/May act as/, 'author');
    await panel.press(/Make the token/);
    expect(api.of(contract.addToken)[0]).toEqual({ project: 'demo', name: 'build-server', roles: ['author'], days: 90 });
    expect(panel.text()).toContain('cord_secret');
    await panel.press(/End rig/);
    expect(api.of(contract.endToken)[0]['id']).toBe(3);
    expect(panel.text()).toContain('ended');
  });
  it('are only looked at by an auditor', async () => {
    const { api } = openWeb(['auditor']);
    api.on(contract.listTokens, () => [token()]);
    const panel = await mount(ProgramsPanel);
    expect(panel.text()).toContain('rig');
    expect(panel.all('button').length).toBe(0);
  });
});

describe('one’s own account', () => {
  const mine = (id: string, here: boolean) => ({
    id,
    here,
    device: 'Mozilla/5.0 (X11; Linux x86_64) Chrome/130.0 Safari/537.36',
    createdAt: '2026-01-01T00:00:00.000Z',
    seenAt: '2026-01-01T00:00:00.000Z',
  });
  it('changes the password only to a good one, and says so', async () => {
    const { api } = openWeb(['tester']);
    api.on(contract.listSessions, () => [mine('a', true)]).on(contract.changePassword, () => ({ ok: true }));
    const panel = await mount(AccountPanel);
    await panel.write(/Present password/, 'the old one');
    await panel.write(/New password/, 'short');
    expect(panel.text()).toContain('At least 12 characters.');
    expect(panel.missing(/Change it/)).toContain('not good enough');
    await panel.write(/New password/, 'three blue valves');
    await panel.press(/Change it/);
    expect(api.of(contract.changePassword)[0]).toEqual({ present: 'the old one', password: 'three blue valves' });
    expect(panel.text()).toContain('All your other sessions have ended.');
  });
  it('lists sessions by device and ends another one', async () => {
    const { api } = openWeb(['tester']);
    api.on(contract.listSessions, () => [mine('a', true), mine('b', false)]).on(contract.endSession, () => [mine('a', true)]);
    const panel = await mount(AccountPanel);
    expect(panel.text()).toContain('Chrome 130 on Linux');
    await panel.press(/End it/);
    expect(api.of(contract.endSession)[0]).toEqual({ id: 'b' });
    expect(panel.text()).not.toContain('End it');
  });
  it('names devices as people know them', () => {
    expect(deviceWords('Mozilla/5.0 (iPad; CPU OS 17_0) Safari/604.1')).toBe('Safari 604 on iPad');
    expect(deviceWords('Mozilla/5.0 (Windows NT 10.0) Chrome/1.0 Edg/129.0')).toContain('Windows');
    expect(deviceWords('')).toBe('an unknown device');
  });
});

describe('signing in', () => {
  it('sends the name in small letters, and says what was wrong', async () => {
    const { api } = openWeb([]);
    api.on(contract.getSetup, () => ({ needed: false })).refuse(contract.signIn, { title: 'Name or password is wrong.' });
    const page = await mount(SignIn);
    await page.write(/Sign-in name/, ' Ada ');
    await page.write(/Password/, 'x');
    await page.press(/Sign in/);
    expect(api.of(contract.signIn)[0]).toEqual({ login: 'ada', password: 'x' });
    expect(page.text()).toContain('Name or password is wrong.');
  });
  it('makes the first administrator of a new installation', async () => {
    const { api } = openWeb([]);
    api.on(contract.getSetup, () => ({ needed: true })).on(contract.setUp, () => session());
    const page = await mount(SignIn);
    await page.write(/One-time code/, 'abc');
    await page.write(/Your name/, 'Ada Lund');
    await page.write(/Sign-in name/, 'ada');
    await page.write(/Password/, 'three blue valves');
    await page.press(/Make the administrator/);
    expect(api.of(contract.setUp)[0]).toEqual({ code: 'abc', printedName: 'Ada Lund', login: 'ada', password: 'three blue valves' });
  });
  it('with a one-time code goes on only once a password of one’s own is set', async () => {
    const { api } = openWeb([]);
    api.on(contract.changePassword, () => ({ ok: true })).on(contract.getSession, () => session());
    const page = await mount(SetPassword);
    await page.write(/one-time code/, 'the-code');
    await page.write(/New password/, 'Ada Lund 2026');
    expect(page.text()).toContain('Not your own name.');
    expect(page.missing(/Set it/)).toContain('not good enough');
    await page.write(/New password/, 'three blue valves');
    await page.press(/Set it/);
    expect(api.of(contract.changePassword)[0]).toEqual({ present: 'the-code', password: 'three blue valves' });
    expect(api.of(contract.getSession).length).toBe(1);
  });
});

describe('a second factor', () => {
  const factor = (kind: 'totp' | 'passkey', name: string) => ({
    id: 7,
    kind,
    name,
    left: null,
    addedAt: '2026-01-01T00:00:00.000Z',
    usedAt: null,
  });
  const device = (answer: Record<string, unknown> | undefined) => ({
    provide: Passkeys,
    useValue: { make: () => Promise.resolve(answer), show: () => Promise.resolve(answer) },
  });
  const half = (...factors: ('totp' | 'passkey' | 'recovery')[]) => session({ factor: factors });

  it('is asked for before anybody is signed in, by its code', async () => {
    const { api, store } = openWeb([]);
    api
      .on(contract.getSetup, () => ({ needed: false }))
      .on(contract.signIn, () => half('totp'))
      .refuse(contract.showFactor, { fields: [{ path: 'code', text: 'This code is not good now.' }] });
    const page = await mount(SignIn);
    await page.write(/Sign-in name/, 'ada');
    await page.write(/Password/, 'three blue valves');
    await page.press(/Sign in/);
    expect(store.selectSignal(baseFeature.selectSession)()).toBeNull();
    expect(page.text()).toContain('Now your second factor');
    expect(page.text()).not.toContain('Use a passkey');
    await page.press(/Sign in/);
    expect(api.of(contract.showFactor)).toEqual([]);
    await page.write(/^The code/, '123456');
    await page.press(/Sign in/);
    expect(page.text()).toContain('This code is not good now.');
    api.on(contract.showFactor, () => session({ factorShown: true }));
    await page.write(/^The code/, '654321');
    await page.press(/Sign in/);
    expect(api.of(contract.showFactor)).toEqual([{ code: '123456' }, { code: '654321' }]);
    expect(store.selectSignal(baseFeature.selectSession)()?.factorShown).toBeTrue();
  });

  it('can be a passkey; where the device shows none, that is said', async () => {
    const { api } = openWeb([], [], [device(undefined)]);
    api
      .on(contract.getSetup, () => ({ needed: false }))
      .on(contract.signIn, () => half('passkey'))
      .on(contract.askPasskey, () => ({ challenge: 'c' }));
    const page = await mount(SignIn);
    await page.write(/Sign-in name/, 'ada');
    await page.write(/Password/, 'three blue valves');
    await page.press(/Sign in/);
    await page.press(/Use a passkey/);
    expect(page.text()).toContain('No passkey was shown.');
    expect(api.of(contract.showFactor)).toEqual([]);
  });

  it('is added as an application: its secret is shown once, and a code of it confirms it', async () => {
    const { api } = openWeb(['tester']);
    api
      .on(contract.listFactors, () => [])
      .on(contract.beginTotp, () => ({ id: 7, secret: 'JBSWY3DPEHPK3PXP', uri: 'otpauth://totp/x?secret=JBSWY3DPEHPK3PXP' }))
      .on(contract.confirmTotp, () => [factor('totp', 'Phone')]);
    const panel = await mount(FactorsPanel);
    expect(panel.text()).toContain('None yet.');
    await panel.press(/Authenticator application/);
    await panel.write(/Your password/, 'three blue valves');
    await panel.press(/Go on/);
    expect(api.of(contract.beginTotp)).toEqual([{ password: 'three blue valves' }]);
    expect(panel.text()).toContain('JBSWY3DPEHPK3PXP');
    await panel.write(/Its name/, 'Phone');
    await panel.write(/The code/, '123456');
    await panel.press(/Use it from now on/);
    expect(api.of(contract.confirmTotp)).toEqual([{ id: 7, code: '123456', name: 'Phone' }]);
    expect(panel.text()).not.toContain('JBSWY3DPEHPK3PXP');
    expect(panel.text()).toContain('Phone');
  });

  it('is added as a passkey, and removed with the password', async () => {
    const { api } = openWeb(['tester'], [], [device({ id: 'key' })]);
    api
      .on(contract.listFactors, () => [])
      .on(contract.beginPasskey, () => ({ challenge: 'c' }))
      .on(contract.addPasskey, () => [factor('passkey', 'Laptop')])
      .on(contract.removeFactor, () => []);
    const panel = await mount(FactorsPanel);
    await panel.press(/Passkey/);
    await panel.write(/Its name/, 'Laptop');
    await panel.write(/Your password/, 'three blue valves');
    await panel.press(/Go on/);
    expect(api.of(contract.addPasskey)).toEqual([{ name: 'Laptop', response: { id: 'key' } }]);
    await panel.press(/Remove Laptop/);
    await panel.write(/Your password/, 'three blue valves');
    await panel.press(/Remove it/);
    expect(api.of(contract.removeFactor)).toEqual([{ id: 7, password: 'three blue valves' }]);
    expect(panel.text()).toContain('None yet.');
  });

  it('is stood in for by recovery codes: shown once, kept as a file, and one of them opens what the device would', async () => {
    const { api } = openWeb(['tester']);
    const codes = ['abcde-fghij', 'klmno-pqrst'];
    const kept = { ...factor('passkey', 'Laptop'), id: 8, kind: 'recovery' as const, name: 'Recovery codes', left: 2 };
    api
      .on(contract.listFactors, () => [factor('passkey', 'Laptop')])
      .on(contract.makeRecoveryCodes, () => ({ codes, factors: [factor('passkey', 'Laptop'), kept] }));
    const panel = await mount(FactorsPanel);
    await panel.press(/Recovery codes/);
    await panel.press(/Make ten codes/);
    expect(api.of(contract.makeRecoveryCodes)).toEqual([]);
    await panel.write(/Your password/, 'three blue valves');
    await panel.press(/Make ten codes/);
    expect(panel.all('.codes li').map((li) => li.textContent?.trim())).toEqual(codes);
    expect(decodeURIComponent(panel.one<HTMLAnchorElement>('a[download]').href)).toContain('klmno-pqrst');
    expect(panel.text()).toContain('2 left');
    await panel.press(/I have kept them/);
    expect(panel.text()).not.toContain('abcde');
    panel.fixture.destroy();
    api
      .on(contract.getSetup, () => ({ needed: false }))
      .on(contract.signIn, () => half('passkey', 'recovery'))
      .on(contract.showFactor, () => session({ factorShown: true }));
    const page = await mount(SignIn);
    await page.write(/Sign-in name/, 'ada');
    await page.write(/Password/, 'three blue valves');
    await page.press(/Sign in/);
    await page.write(/^A recovery code/, ' abcde-fghij ');
    await page.press(/Sign in/);
    expect(api.of(contract.showFactor)).toEqual([{ code: 'abcde-fghij' }]);
  });

  it('is taken away from whoever lost theirs, and asked of administrators, by an administrator', async () => {
    const { api } = openWeb(['administrator']);
    api
      .on(contract.listPeople, () => [person('tom')])
      .on(contract.getInstallationPolicy, () => ({ administratorsNeedFactor: false }))
      .on(contract.changePerson, ({ login }) => ({ person: person(String(login)), code: null }))
      .refuse(contract.setInstallationPolicy, { detail: 'Sign in with a second factor of your own first.' });
    const panel = await mount(AccountsPanel);
    await panel.press(/Remove second factors of Person tom/);
    expect(api.of(contract.changePerson)).toEqual([{ login: 'tom', dropFactors: true }]);
    const box = panel.one<HTMLInputElement>('input[type=checkbox]');
    box.click();
    await panel.settled();
    expect(api.of(contract.setInstallationPolicy)).toEqual([{ administratorsNeedFactor: true }]);
    expect(panel.text()).toContain('Sign in with a second factor of your own first.');
    expect(box.checked).toBeFalse();
  });
});

describe('what a project may hold', () => {
  it('is told in words, and allowed by whoever administers the installation alone', async () => {
    const { api, store } = openWeb(['administrator']);
    api.on(contract.allowStorage, () => ({ used: 0, allowed: 1 }));
    const panel = await mount(StoragePanel);
    expect(panel.text()).toContain('3.0 MiB of 20.0 GiB');
    expect(panel.all('input')).toHaveSize(0);
    store.dispatch(
      baseCommands.getSession.done({
        input: {},
        answer: session({ person: person('ada', { installation: true }) }),
        command: '',
        phase: 'done',
      } as never),
    );
    await panel.settled();
    await panel.write(/Allow, in GiB/, '40');
    await panel.press(/Allow it/);
    expect(api.of(contract.allowStorage)).toEqual([{ project: 'demo', allowed: 40 * 1024 ** 3 }]);
    expect([0, 1023, 1024, 1.5 * 1024 ** 4].map(bytesWords)).toEqual(['0 bytes', '1023 bytes', '1.0 KiB', '1.5 TiB']);
  });
});

describe('what happened on the installation', () => {
  const entry = (seq: number, action: string, after: unknown = null) => ({
    seq,
    at: '2026-03-01T10:00:00.000Z',
    who: 'tom',
    action,
    kind: 'person',
    key: 'tom',
    before: null,
    after,
    previous: '',
    hash: '',
  });

  it('is told newest first, searched by person and words, and read on', async () => {
    const { api } = openWeb(['administrator']);
    api.on(contract.listInstallationLedger, ({ before }) => ({
      entries: before
        ? [entry(1, 'signed in')]
        : [entry(3, 'refused', { asked: 'GET /api/people', address: '203.0.113.9' }), entry(2, 'signed in')],
      total: 3,
      kinds: ['person'],
      people: ['ada', 'tom'],
    }));
    const page = await mount(AuditPanel);
    await new Promise((resolve) => setTimeout(resolve, 150));
    await page.settled();
    expect(page.text()).toContain('2 of 3 entries');
    expect(page.text()).toContain('asked: GET /api/people, address: 203.0.113.9');
    expect(page.all('.t-broken').map((cell) => cell.textContent)).toEqual(['refused']);
    await page.press(/Older ones/);
    expect(api.of(contract.listInstallationLedger).at(-1)).toEqual({ limit: 50, before: 2 });
    expect(page.all('tbody tr').length).toBe(3);
    await page.write(/^What/, 'refused');
    await page.write(/^Who/, 'tom');
    await page.write(/or words/, '203');
    await new Promise((resolve) => setTimeout(resolve, 150));
    expect(api.of(contract.listInstallationLedger).at(-1)).toEqual({ limit: 50, who: 'tom', q: 'refused 203' });
  });
});

describe('a password', () => {
  const ada = { login: 'ada.lund', printedName: 'Ada Lund' };
  it('is judged by length, variety, commonness and the person’s own name', () => {
    expect(passwordFault('eleven char', ada)).toContain('At least 12');
    expect(passwordFault('x'.repeat(201) + 'abcdef', ada)).toContain('At most 200');
    expect(passwordFault('abababababab', ada)).toContain('Too few');
    expect(passwordFault('Ada-Lund-1977', ada)).toBe('Not your own name.');
    expect(passwordFault('correcthorsebattery', ada, (word) => word === 'correcthorsebattery')).toContain('commonest');
    expect(passwordFault('three blue valves', ada)).toBeUndefined();
    expect(passwordFault('日本語のパスワードは長い', ada)).toBeUndefined();
  });
  it('is the stronger the longer and the more various it is', () => {
    const strengths = ['', 'abc', 'abcdefgh', 'abcdefghijkl', 'aB3-efGh1jKl'].map(passwordStrength);
    expect([...strengths].sort()).toEqual(strengths);
    expect(strengths[0]).toBe(0);
    expect(strengths[4]).toBe(3);
    expect(passwordStrength('three blue valves, and 1 gauge')).toBe(4);
  });
});
