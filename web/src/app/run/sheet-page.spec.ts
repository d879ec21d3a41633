import * as contract from '@contract/run';
import type { RunDetail } from '@contract/run';
import { listOver, mount, openWeb, type FakeApi, type Mounted } from '../base/testing';
import { SheetPage } from './sheet-page';

const run = (key: string, row: string, more: Partial<RunDetail> = {}): RunDetail =>
  ({
    key,
    row,
    round: 'R-001',
    build: '1.0',
    caseKey: 'C-001',
    caseRevision: 2,
    configuration: 'rig',
    tester: 'ada',
    state: 'planned',
    verdict: null,
    finishedAt: null,
    seconds: 0,
    conclusion: '',
    evidence: [],
    observationAsked: false,
    case: {
      title: 'Limits',
      rows: [{ name: row, values: { wind: row } }],
      steps: [
        {
          action: `Set ${row} km/h`,
          expected: 'The rope slows',
          readings: [{ name: 'speed', unit: 'm/s', resolution: '0.1', limits: 'at most 6' }],
        },
        { action: 'Look', expected: 'Alarm 2' },
      ],
    },
    steps: [
      { verdict: null, observed: '', at: null },
      { verdict: null, observed: '', at: null },
    ],
    ...more,
  }) as unknown as RunDetail;

describe('Steps and runs on one sheet', () => {
  let api: FakeApi;
  let page: Mounted<SheetPage>;
  let runs: RunDetail[];

  beforeEach(async () => {
    runs = [run('RUN-1', '70'), run('RUN-2', '71'), run('RUN-3', '72', { caseRevision: 1 }), run('RUN-4', '73', { tester: 'bo' })];
    ({ api } = openWeb(['tester']));
    api
      .on(contract.getRun, ({ key }) => runs.find((r) => r.key === key))
      .on(
        contract.listRuns,
        listOver(() => runs.map((r) => ({ ...r, case: r.caseKey }))),
      )
      .on(contract.recordStep, ({ key, step, verdict, observed, readings }) => ({
        key,
        step,
        result: { verdict, observed, at: '2026-03-01T09:00:00.000Z', ...(readings ? { readings } : {}) },
        seconds: 0,
        revision: 2,
        startedAt: null,
        reopened: false,
      }))
      .on(contract.finishRun, ({ key, conclusion }) => ({
        ...runs.find((r) => r.key === key),
        verdict: 'passed',
        finishedAt: '2026-03-01T09:01:00.000Z',
        conclusion: conclusion ?? '',
      }))
      .on(contract.addEvidence, ({ key }) => ({
        ...runs.find((r) => r.key === key),
        evidence: [{ id: 1, step: 1, name: 'sheet.jpg', mime: 'image/jpeg' }],
      }));
    page = await mount(SheetPage, { key: 'RUN-1' });
    await page.until(() => page.all('[role=gridcell]').length > 0);
  });

  const cell = (step: number, at: number): HTMLElement => page.one(`[data-cell="${step} ${at}"]`);
  const press = async (key: string): Promise<void> => {
    (document.activeElement ?? document.body).dispatchEvent(
      new KeyboardEvent('keydown', { key, code: `Digit${key}`, bubbles: true, cancelable: true }),
    );
    await page.settled();
    await new Promise((resolve) => setTimeout(resolve));
    await page.settled();
  };
  const said = (): string[] => page.all('[role=gridcell]').map((c) => c.getAttribute('aria-label') ?? '');
  const read = async (value: string): Promise<void> => {
    const box = page.one<HTMLInputElement>('cp-step-readings input');
    box.value = value;
    box.dispatchEvent(new Event('input'));
    await page.settled();
  };

  it('holds one’s own open runs of the same case, revision and round', () => {
    expect(page.all('thead th').map((th) => /row \d+/.exec(th.textContent ?? '')?.[0] ?? '')).toEqual(['', 'row 70', 'row 71']);
    expect(said()).toEqual(['Row 70, step 1: open', 'Row 71, step 1: open', 'Row 70, step 2: open', 'Row 71, step 2: open']);
  });

  it('takes verdicts by keys, asks for the reading that a step needs first, and goes on down and then across', async () => {
    cell(0, 0).click();
    await press('');
    await press('1');
    // Without its reading the step cannot pass: nothing is sent, and the reading has the focus.
    expect(api.of(contract.recordStep)).toEqual([]);
    expect(document.activeElement).toBe(page.one('cp-step-readings input'));
    await read('5.5');
    page.one('cp-step-readings input').dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }));
    await page.settled();
    await press('Enter');
    expect(api.of(contract.recordStep)).toEqual([
      jasmine.objectContaining({ key: 'RUN-1', step: 1, verdict: 'pass', readings: [{ name: 'speed', value: '5.5' }] }),
    ]);
    expect(document.activeElement).toBe(cell(1, 0));
    await press('1');
    expect(document.activeElement).toBe(cell(0, 1));
    await press('ArrowDown');
    await press('ArrowLeft');
    expect(document.activeElement).toBe(cell(1, 0));
    expect(said()[2]).toBe('Row 70, step 2: pass');
  });

  it('finishes what is whole, says that it was entered from paper, and puts the sheet to every run', async () => {
    runs[0] = run('RUN-1', '70', {
      steps: [
        { verdict: 'pass', observed: '' },
        { verdict: 'pass', observed: '' },
      ] as never,
    });
    page.fixture.componentRef.setInput('key', 'RUN-1');
    page.fixture.componentInstance['runs'].set([runs[0], runs[1]]);
    page.one<HTMLInputElement>('input[type=checkbox]').click();
    await page.settled();
    page.fixture.componentInstance['writtenAt'].set('2026-02-28T14:00');
    const minutes = page.all('input[type=number]')[0] as HTMLInputElement;
    minutes.value = '7';
    minutes.dispatchEvent(new Event('input'));
    const files = new DataTransfer();
    files.items.add(new File(['x'], 'sheet.jpg', { type: 'image/jpeg' }));
    const box = page.one<HTMLInputElement>('input[type=file]');
    box.files = files.files;
    box.dispatchEvent(new Event('change'));
    await page.until(() => api.of(contract.addEvidence).length === 2);
    await page.press(/Finish/);
    await page.until(() => api.of(contract.finishRun).length === 1);
    expect(api.of(contract.finishRun)[0]).toEqual(
      jasmine.objectContaining({ key: 'RUN-1', seconds: 420, conclusion: 'Entered from paper of 2026-02-28 14:00.' }),
    );
    await page.until(() => page.text().includes('0 of 2'));
    expect(page.text()).toContain('Passed');
  });

  it('shows at its cell what was not stored, and keeps what was typed', async () => {
    api.refuse(contract.recordStep, { status: 409, code: 'signed', title: 'The run is signed.' });
    cell(1, 1).click();
    await press('');
    page.fixture.componentInstance['put']({ observed: 'Alarm 3 came.' });
    await page.settled();
    await press('2');
    await page.until(() => said()[3].includes('not stored'));
    expect(said()[3]).toBe('Row 71, step 2: fail, Alarm 3 came., not stored: The run is signed.');
  });
});
