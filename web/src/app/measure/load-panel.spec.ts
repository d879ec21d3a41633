import * as contract from '@contract/measure';
import type { LoadAnswer } from '@contract/measure';
import { mount, openWeb } from '../base/testing';
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
    findings: [],
    ...more,
  });
  const open = async (preview: () => LoadAnswer) => {
    const { api } = openWeb(['tester'], [{ feature: measureFeature, effects: measureCommands }] as never);
    const upload = { key: 'U-001', by: 'ada', at: '2026-03-01T10:00:00.000Z', files: [], bound: [], findings: [] };
    api
      .on(contract.listUploads, () => ({ rows: [{ ...upload, state: 'loaded' }], next: null, total: 1, seq: 1 }))
      .on(contract.loadCoverage, preview);
    return { api, page: await mount(LoadPanel) };
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
    expect(page.text()).toContain('U-001');
    expect(page.button(/Withdraw/).disabled).toBeFalse();
  });
});
