import { TestBed } from '@angular/core/testing';
import * as contract from '@contract/measure';
import type { LoadAnswer } from '@contract/measure';
import { listOver, mount, openWeb } from '../base/testing';
import { LoadPanel } from './load-panel';
import { measureCommands, measureFeature } from './state';

describe('Loading coverage', () => {
  const answer = (more: Partial<LoadAnswer> = {}): LoadAnswer => ({
    bound: [{ file: 'C-018.info', to: 'C-018 revision 2', files: 3 }],
    files: 1,
    sections: 3,
    cases: ['C-018'],
    read: [{ name: 'C-018.info', format: 'LCOV', sections: 3, results: 0 }],
    results: [],
    ruled: [],
    doubtful: 0,
    findings: [],
    ...more,
  });
  const open = async (preview: () => LoadAnswer, roles: Parameters<typeof openWeb>[0] = ['tester']) => {
    const { api } = openWeb(roles, [{ feature: measureFeature, effects: measureCommands }] as never);
    const upload = {
      key: 'U-001',
      by: 'ada',
      at: '2026-03-01T10:00:00.000Z',
      files: [{ id: 7, name: 'C-018.info', format: 'LCOV', bytes: 10, sha256: 'ab' }],
      bound: [{ to: 'C-018 revision 2', files: 3 }],
      matched: 3,
      points: 120,
      rules: { from: '/agent/', to: 'src/', ignoreCase: false, reason: 'The agent renames.' },
      accepted: '',
      findings: [],
      state: 'loaded',
    };
    // More than any page: the last one was loaded first.
    const uploads = Array.from({ length: 30 }, (_, i) => ({ ...upload, key: `U-${String(30 - i).padStart(3, '0')}` }));
    api
      .on(
        contract.listUploads,
        listOver(() => uploads),
      )
      .on(contract.loadCoverage, preview);
    return { api, page: await mount(LoadPanel) };
  };
  /** Opens the newest upload. */
  const look = async (page: Awaited<ReturnType<typeof open>>['page']): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 60));
    await page.settled();
    page.one('[role=option]').click();
    await page.settled();
  };
  const choose = async (page: Awaited<ReturnType<typeof open>>['page'], name: string) => {
    const box = page.one<HTMLInputElement>('input[multiple]');
    const files = new DataTransfer();
    files.items.add(new File(['TN:'], name));
    box.files = files.files;
    box.dispatchEvent(new Event('change'));
    await page.settled();
  };

  it('stores nothing before it has shown what each file would be bound to', async () => {
    const { api, page } = await open(answer);
    await choose(page, 'C-018.info');
    expect(page.text()).toContain('C-018 revision 2');
    expect(api.of(contract.loadCoverage).map((asked) => asked['preview'])).toEqual(['yes']);
    await page.press(/^Load\s*$/);
    expect(api.of(contract.loadCoverage).map((asked) => asked['preview'])).toEqual(['yes', 'no']);
  });

  it('binds by hand what names nothing, and looks again', async () => {
    const unbound = answer({ bound: [], findings: [{ cell: 'x.info', severity: 'error', text: 'names no case' }] });
    const { api, page } = await open(() => unbound);
    await choose(page, 'C-018.info');
    expect(page.text()).toContain('bound to nothing');
    expect(page.text()).not.toContain('Load what is good');
    const key = page.one<HTMLInputElement>('input[placeholder="R-012"]');
    key.value = ' r-004 ';
    key.dispatchEvent(new Event('change'));
    await page.settled();
    expect(JSON.parse(String(api.of(contract.loadCoverage).at(-1)?.['bind']))).toEqual({ 'C-018.info': 'R-004' });
  });

  it('lists the uploads with the way to withdraw each', async () => {
    const { page } = await open(answer);
    expect(page.text()).toContain('30 uploads');
    await look(page);
    expect(page.button(/^\s*Withdraw\s*$/).disabled).toBeFalse();
    TestBed.resetTestingModule();
    const { page: read } = await open(answer, ['auditor']);
    await look(read);
    expect(read.all('section button').some((b) => /Withdraw/.test(b.textContent ?? ''))).toBeFalse();
  });

  it('tells of an upload what it was, what led there, and gives the file as it came', async () => {
    const { page } = await open(answer);
    await look(page);
    for (const words of ['C-018 revision 2', '120 points', 'The agent renames.']) expect(page.text()).toContain(words);
    expect(page.one<HTMLAnchorElement>('section a').getAttribute('href')).toContain('/upload-files/7');
  });

  it('binds all files that fit a pattern at once', async () => {
    const { api, page } = await open(answer);
    await choose(page, 'rig-7.info');
    const like = page.one<HTMLInputElement>('input[aria-label^="Files whose names fit"]');
    like.value = 'nothing*';
    like.dispatchEvent(new Event('input'));
    await page.settled();
    expect(page.text()).toContain('(0 of 1)');
    like.value = 'RIG-*';
    like.dispatchEvent(new Event('input'));
    await page.settled();
    expect(page.text()).toContain('(1 of 1)');
    await page.press(/nobody: exercised only/);
    expect(JSON.parse(String(api.of(contract.loadCoverage).at(-1)?.['bind']))).toEqual({ 'rig-7.info': '' });
  });

  it('asks why rules for paths hold, and sends it with what was said of functions in doubt', async () => {
    const { api, page } = await open(() => answer({ ruled: [{ from: '/agent/x.c', to: 'src/a.c' }], doubtful: 2 }));
    await choose(page, 'C-018.info');
    expect(page.text()).toContain('/agent/x.c → src/a.c');
    expect(page.text()).toContain('2 functions are in doubt');
    expect(page.missing(/^Load\s*$/)).toContain('why the rules for paths hold');
    const [why, accepted] = page.all<HTMLInputElement>('.note.waiting input');
    for (const [box, words] of [
      [why, 'The agent renames.'],
      [accepted, 'Macros.'],
    ] as const) {
      box.value = words;
      box.dispatchEvent(new Event('input'));
    }
    await page.settled();
    await page.press(/^Load\s*$/);
    const asked = api.of(contract.loadCoverage).at(-1);
    expect([asked?.['rulesReason'], asked?.['accept'], asked?.['preview']]).toEqual(['The agent renames.', 'Macros.', 'no']);
  });
});
