import * as contract from '@contract/specify';
import type { BaselineComparison, BaselineDetail, BaselineRow, GapRow } from '@contract/specify';
import { emptyRequirement } from '@core/specify';
import { listOver, mount, openWeb } from '../../base/testing';
import { GapsPage } from '../gaps/gaps-page';
import { gapCommands, gapFeature } from '../gaps/state';
import { rooms, serve } from '../testing';
import { BaselineRecord } from './baseline-record';
import { BaselinesPage } from './baselines-page';
import { baselineCommands, baselineFeature } from './state';

const features = [
  ...rooms,
  { feature: baselineFeature, effects: baselineCommands },
  { feature: gapFeature, effects: gapCommands },
] as never;
const detail = (more: Partial<BaselineDetail> = {}): BaselineDetail => ({
  key: 'BL-001',
  title: 'Release 1',
  description: 'For the customer.',
  specifications: ['BRK'],
  asOf: 7,
  sha256: 'ab'.repeat(32),
  requirements: 2,
  traces: 1,
  createdBy: 'ada',
  createdAt: '2026-03-01T10:00:00.000Z',
  signatures: [
    {
      meaning: 'baselined',
      revision: 1,
      login: 'ada',
      printedName: 'Ada Lund',
      at: '2026-03-01T10:00:00.000Z',
      format: 2,
      hash: 'ab'.repeat(32),
      reason: '',
    },
  ],
  newer: null,
  ...more,
});
const row = (n: number, depth = 0): BaselineRow => ({
  key: `BRK-00${n}`,
  specification: 'BRK',
  revision: 2,
  state: 'approved',
  under: null,
  depth,
  content: { ...emptyRequirement, title: `T ${n}`, text: `It shall ${n}.` },
  own: {},
  parents: ['SYS-001'],
});
const changes: BaselineComparison = {
  counts: [
    { what: 'added', count: 0 },
    { what: 'changed', count: 1 },
  ],
  rows: [
    {
      what: 'changed',
      key: 'BRK-001',
      title: 'T 1',
      before: 1,
      after: 2,
      differences: [{ name: 'Text', before: 'It shall hold.', after: 'It shall close.' }],
    },
  ],
  total: 1,
  asOf: 9,
};

describe('a baseline', () => {
  const open = async (inputs: Record<string, unknown> = {}, shown = detail()) => {
    const { api } = openWeb(['author'], features);
    serve(api, () => []);
    api
      .on(contract.getBaseline, () => shown)
      .on(contract.readBaseline, ({ skip }) => ({ rows: [row(Number(skip) + 1, Number(skip))], total: 2 }))
      .on(contract.compareBaseline, () => changes);
    const page = await mount(BaselineRecord, { key: 'BL-001', ...inputs });
    await new Promise((resolve) => setTimeout(resolve, 150));
    await page.settled();
    return { api, page };
  };

  it('shows who signed it and what stands in it as it was, page by page', async () => {
    const { api, page } = await open({ q: 'shall' }, detail({ newer: 'BL-002' }));
    expect(page.text()).toContain('a newer one holds the same');
    expect(page.text()).toContain('Ada Lund');
    expect(page.text()).toContain('revision 2, approved, from SYS-001');
    const files = page.all<HTMLAnchorElement>('a[download]').map((a) => a.getAttribute('href'));
    expect(files).toContain('/api/projects/demo/baselines/BL-001/document?format=pdf&words=shall');
    await page.press(/Show more of 2/);
    expect(page.all('.then b').map((b) => b.textContent)).toEqual(['BRK-001 T 1', 'BRK-002 T 2']);
    expect(api.of(contract.readBaseline).map((i) => [i['words'], i['skip']])).toEqual([
      ['shall', 0],
      ['shall', 1],
    ]);
  });

  it('shows what is otherwise now, word by word, and as files', async () => {
    const { page } = await open({ show: 'now' });
    expect(page.all('del').map((d) => d.textContent)).toEqual(['hold']);
    expect(page.text()).toContain('revision 1 to 2');
    expect(page.button(/added/).disabled).toBeTrue();
    const files = page.all<HTMLAnchorElement>('a[download]').map((a) => a.getAttribute('href'));
    expect(files).toContain('/api/projects/demo/baselines/BL-001/comparison/file?format=docx&with=');
  });

  it('is made of the chosen specifications, and signed where it is made', async () => {
    const { api } = openWeb(['author'], features);
    serve(api, () => []);
    api.on(
      contract.listBaselines,
      listOver(() => []),
    );
    const page = await mount(BaselinesPage, {});
    await page.press(/^\s*Baseline\s*$/);
    expect(page.missing(/Sign and keep/)).toBe('Give it a name.');
    await page.write(/^Name/, 'Release 2');
    page.all<HTMLInputElement>('fieldset input[type=checkbox]')[1].click();
    await page.settled();
    await page.press(/Sign and keep/);
    const box = document.querySelector<HTMLInputElement>('mat-dialog-container input[type=password]');
    if (!box) throw new Error('no signature is asked for');
    expect(document.querySelector('mat-dialog-container')?.textContent).toContain('These are BRK as they stand now');
    box.value = 'secret';
    box.dispatchEvent(new Event('input'));
    await page.settled();
    api.on(contract.addBaseline, () => detail());
    document.querySelector<HTMLButtonElement>('mat-dialog-container button[type=submit]')?.click();
    await new Promise((resolve) => setTimeout(resolve, 300));
    await page.settled();
    expect(api.of(contract.addBaseline)[0]).toEqual({
      project: 'demo',
      title: 'Release 2',
      description: '',
      specifications: ['BRK'],
      password: 'secret',
    });
  });
});

describe('gaps and contradictions', () => {
  const gap = (more: Partial<GapRow> = {}): GapRow => ({
    rule: 'lowerLevel',
    kind: 'requirement',
    key: 'BRK-001',
    title: 'T 1',
    other: 'SYS-001',
    otherKind: 'requirement',
    words: 'SIL 2, and SYS-001 is SIL 3.',
    ground: 'cd'.repeat(32),
    exception: null,
    ...more,
  });
  const open = async (rows: GapRow[], roles: Parameters<typeof openWeb>[0] = ['reviewer'], inputs = {}) => {
    const { api } = openWeb(roles, features);
    serve(api, () => []);
    api.on(contract.listGaps, () => ({
      checked: 9,
      rules: [{ rule: 'lowerLevel', open: 1, excepted: 1 }],
      rows,
      total: rows.length,
      ended: 1,
      seq: 1,
    }));
    const page = await mount(GapsPage, inputs);
    await new Promise((resolve) => setTimeout(resolve, 30));
    await page.settled();
    return { api, page };
  };

  it('are told with what they rest on; a reviewer grants an exception from just that', async () => {
    const { api, page } = await open([gap()], ['reviewer'], { of: 'BRK', rule: 'lowerLevel' });
    expect(page.text()).toContain('1 in 9 requirements');
    expect(page.text()).toContain('One exception ended');
    expect(api.of(contract.listGaps)[0]).toEqual(jasmine.objectContaining({ specification: 'BRK', rule: 'lowerLevel' }));
    await page.press(/Exception/);
    for (const [selector, value] of [
      ['textarea', 'Two channels.'],
      ['input[type=password]', 'secret'],
    ]) {
      const box = document.querySelector<HTMLInputElement>(`mat-dialog-container ${selector}`);
      if (!box) throw new Error(`no ${selector}`);
      box.value = value;
      box.dispatchEvent(new Event('input'));
    }
    await page.settled();
    api.on(contract.grantException, () => ({ ok: true }));
    document.querySelector<HTMLButtonElement>('mat-dialog-container button[type=submit]')?.click();
    await new Promise((resolve) => setTimeout(resolve, 300));
    await page.settled();
    expect(api.of(contract.grantException)[0]).toEqual({
      project: 'demo',
      rule: 'lowerLevel',
      key: 'BRK-001',
      other: 'SYS-001',
      ground: 'cd'.repeat(32),
      reason: 'Two channels.',
      password: 'secret',
    });
  });

  it('offer nobody else an exception, and show one that stands', async () => {
    const { page } = await open(
      [gap(), gap({ key: 'BRK-002', exception: { id: 3, reason: 'Old part.', by: 'tom', at: '2026-01-01' } })],
      ['tester'],
    );
    expect(page.all('tbody button').length).toBe(0);
    expect(page.text()).toContain('Old part.');
  });
});
