import { TestBed } from '@angular/core/testing';
import { MatDialog } from '@angular/material/dialog';
import { of } from 'rxjs';
import * as base from '@contract/base';
import { previewProfile } from '@contract/prove';
import { listRuns } from '@contract/run';
import type { Role } from '@core/base';
import { iec61508, usualPolicies, type StandardProfile } from '@core/prove';
import { SettingsPage } from '../settings-page';
import { baseCommands } from '../state';
import { mount, openWeb, type FakeApi, type Mounted } from '../testing';
import type { SignRequest } from '../ui/sign-dialog';

describe('a project and its people', () => {
  let api: FakeApi;
  let page: Mounted<SettingsPage>;
  let asked: SignRequest[];
  const profile: StandardProfile = iec61508;
  const project = (roles: Role[], more: Partial<StandardProfile> = {}, revision = 3) => ({
    slug: 'demo',
    name: 'Demo',
    level: 'SIL 3',
    revision,
    profile: { ...profile, ...more },
    builds: [],
    members: [
      { login: 'ada', printedName: 'Ada Lund', roles },
      { login: 'tom', printedName: 'Tom Vale', roles: ['tester'] },
    ],
    storage: { used: 0, allowed: 100, diskLow: null },
    seq: 7,
  });

  const open = async (roles: Role[], builds: readonly object[] = []): Promise<void> => {
    TestBed.resetTestingModule();
    asked = [];
    const dialogs = {
      open: (_: unknown, { data }: { data: SignRequest }) => {
        asked.push(data);
        return { afterClosed: () => of({ password: 'secret', reason: 'As in the plan.', acceptDeviation: false }) };
      },
    };
    const opened = openWeb(roles, [], [{ provide: MatDialog, useValue: dialogs }]);
    api = opened.api;
    api
      .on(base.setMember, () => project(roles))
      .on(base.setProfile, ({ profile: changed }) => project(roles, changed as StandardProfile, 4));
    opened.store.dispatch(
      baseCommands.getProject.done({
        input: { project: 'demo' },
        answer: { ...project(roles), builds } as never,
        command: '',
        phase: 'done',
      }),
    );
    page = await mount(SettingsPage);
  };
  const box = (label: string): HTMLInputElement => page.one<HTMLInputElement>(`input[aria-label="${label}"]`);
  const set = async (label: string, value: string): Promise<void> => {
    box(label).value = value;
    box(label).dispatchEvent(new Event('change'));
    await page.settled();
  };
  const sent = (): StandardProfile => api.of(base.setProfile).at(-1)?.['profile'] as StandardProfile;

  it('gives and takes roles, and adds a person', async () => {
    await open(['administrator']);
    expect(box('Tom Vale is tester').checked).toBeTrue();
    api.on(listRuns, () => ({ rows: [], next: null, total: 2, seq: 1 }));
    box('Tom Vale is reviewer').click();
    await page.settled();
    // What hangs on a role is told before it is taken away.
    box('Tom Vale is tester').click();
    await page.settled();
    expect(box('Tom Vale is tester').checked).toBeTrue();
    expect(page.text()).toContain('Without the role of tester: Tom Vale. Nobody else has it. 2 runs wait to be recorded by them');
    expect(JSON.parse(String(api.of(listRuns)[0]['filter']))).toEqual({
      and: [
        { field: 'tester', is: ['tom'] },
        { field: 'state', is: ['planned', 'onBench', 'returned'] },
      ],
    });
    await page.press(/Leave it/);
    expect(api.of(base.setMember).length).toBe(1);
    box('Tom Vale is tester').click();
    await page.settled();
    await page.press(/Take the role away/);
    expect(page.text()).not.toContain('Without the role');
    expect(api.of(base.setMember).map(({ login, roles }) => [login, roles])).toEqual([
      ['tom', ['tester', 'reviewer']],
      ['tom', []],
    ]);
    expect(page.missing(/Add as tester/)).toContain('Type a sign-in name');
    const name = page.one<HTMLInputElement>('input[name=joining]');
    await page.type(name, ' una.vale ');
    await page.press(/Add as tester/);
    expect(api.of(base.setMember).at(-1)).toEqual({ project: 'demo', login: 'una.vale', roles: ['tester'] });
  });

  it('holds changes of the profile until all of them are signed, with a reason, on the revision that was read', async () => {
    await open(['administrator']);
    expect(page.text()).not.toContain('Not in force yet');
    await set('SIL 2 branches', '80');
    await set('SIL 2 statements', '');
    expect(api.of(base.setProfile).length).toBe(0);
    expect(page.text()).toContain('Not in force yet');
    await page.press(/Sign the changes/);
    expect(asked[0]).toEqual(jasmine.objectContaining({ title: 'Change what IEC 61508 asks here', needsReason: true }));
    expect(api.of(base.setProfile)[0]).toEqual(jasmine.objectContaining({ basedOn: 3, reason: 'As in the plan.', password: 'secret' }));
    expect(sent().targets['SIL 2'].branch).toBe(80);
    expect(sent().targets['SIL 2'].line).toBeUndefined();
    expect(sent().targets['SIL 3']).toEqual(profile.targets['SIL 3']);
    // What is in force now is shown, and nothing waits any more.
    expect(page.text()).not.toContain('Not in force yet');
    expect(box('SIL 2 branches').value).toBe('80');
  });

  it('tells what changes of the profile touch before they are signed, of the last of them only', async () => {
    await open(['administrator'], [{ name: '2.0', description: '', createdAt: '', closedAt: null }]);
    const shift = { knot: 'measure', from: 'sound', to: 'broken', count: 9, keys: ['BRK-001', 'BRK-002'] };
    api.on(previewProfile, () => ({ build: '2.0', of: 60, changed: 9, proved: { before: 12, after: 3 }, shifts: [shift] }));
    await set('SIL 2 branches', '70');
    await set('SIL 2 branches', '80');
    await page.until(() => page.text().includes('9 of 60 requirements change: 3 are proved, now 12.'));
    expect(page.text()).toContain('Measure broken instead of sound at 9: BRK-001 BRK-002 and 7 more');
    const asked = api.of(previewProfile);
    expect(asked.map(({ build, profile: of }) => [build, (of as StandardProfile).targets['SIL 2'].branch])).toEqual([['2.0', 80]]);
    api.on(previewProfile, () => ({ build: '2.0', of: 60, changed: 0, proved: { before: 12, after: 12 }, shifts: [] }));
    await set('SIL 2 branches', '90');
    await page.until(() => page.text().includes('no cord of its 60 requirements changes'));
    api.refuse(previewProfile, { status: 503 });
    await set('SIL 2 branches', '95');
    await page.until(() => page.text().includes('could not be looked at now'));
  });

  it('keeps a target between nothing and all', async () => {
    await open(['administrator']);
    await set('SIL 1 statements', '180');
    await set('SIL 1 branches', '-5');
    await page.press(/Sign the changes/);
    expect([sent().targets['SIL 1'].line, sent().targets['SIL 1'].branch]).toEqual([100, 0]);
  });

  it('sets what is asked at each level, and the policies, which begin as they usually are', async () => {
    await open(['administrator']);
    const marked = page.all<HTMLInputElement>('input[aria-label^="SIL 4 "][type=checkbox]');
    expect(marked.length).toBeGreaterThan(1);
    for (const mark of marked) mark.click();
    await page.settled();
    const signs = page.all('label').find((label) => /gives credit only once its tester signed/.test(label.textContent ?? ''));
    signs?.querySelector('input')?.click();
    await page.settled();
    await page.press(/Sign the changes/);
    expect(sent().reviewAt).not.toContain('SIL 4');
    expect(sent().policies).toEqual(
      jasmine.objectContaining({
        creditNeedsSignature: !usualPolicies(profile.reviewAt).creditNeedsSignature,
        reasonLength: usualPolicies(profile.reviewAt).reasonLength,
      }),
    );
  });

  it('forgets changes that are not wanted', async () => {
    await open(['administrator']);
    await set('SIL 2 branches', '80');
    await page.press(/Forget them/);
    expect(box('SIL 2 branches').value).toBe('');
    expect(api.of(base.setProfile)).toEqual([]);
  });

  it('says why a change was refused, and keeps it', async () => {
    await open(['administrator']);
    api.refuse(base.setProfile, { title: 'refused', detail: 'ines changed the profile in between.' });
    await set('SIL 2 branches', '80');
    await page.press(/Sign the changes/);
    expect(page.text()).toContain('ines changed the profile in between.');
    expect(page.text()).toContain('Not in force yet');
    expect(box('SIL 2 branches').value).toBe('80');
  });

  it('is read by everybody else, and changed by none of them', async () => {
    for (const roles of [['author'], ['reviewer'], ['auditor']] as Role[][]) {
      await open(roles);
      const area = page.one('section[aria-label="What the standard asks here"]');
      const boxes = [
        ...page.one('section[aria-label="People in this project"]').querySelectorAll('input'),
        ...area.querySelectorAll<HTMLInputElement>('input, select'),
      ];
      expect(boxes.length).toBeGreaterThan(20);
      expect(boxes.every((input) => input.disabled))
        .withContext(roles.join())
        .toBeTrue();
      expect(page.text()).not.toContain('Add as tester');
    }
  });
});
