import * as contract from '@contract/design';
import { recordHistory } from '@contract/base';
import type { CaseDetail, CaseUses } from '@contract/design';
import { getWording } from '@contract/specify';
import { emptyCase, type CaseContent } from '@core/design';
import { TestBed } from '@angular/core/testing';
import { Passages } from '../../base';
import { mount, openWeb } from '../../base/testing';
import { designCommands, designFeature } from '../state';
import { CaseDetails } from './case-details';
import { CaseFindings } from './case-findings';
import { CaseProposals } from './case-proposals';
import { CaseSteps } from './case-steps';
import { CaseUsesNote } from './case-uses';

const open = (roles: Parameters<typeof openWeb>[0]) => openWeb(roles, [{ feature: designFeature, effects: designCommands }] as never);
const detail = (more: Partial<CaseDetail> = {}): CaseDetail =>
  ({
    ...emptyCase,
    key: 'C-001',
    title: 'Closing',
    revision: 4,
    verified: [],
    dismissals: [],
    plannedMinutes: 5,
    ...more,
  }) as unknown as CaseDetail;

describe('where a case is used', () => {
  const uses: CaseUses = {
    callers: [
      { key: 'C-010', title: 'Daily', state: 'draft', revision: 3, newer: true },
      { key: 'C-011', title: 'Weekly', state: 'approved', revision: 3, newer: true },
      { key: 'C-012', title: 'Yearly', state: 'approved', revision: 4, newer: false },
    ],
    dependents: [{ key: 'C-020', title: 'Later' }],
    groups: [{ key: 'G-001', title: 'Winter' }],
    rounds: [{ key: 'R-001', title: 'Cold', build: '1.0', runs: 2 }],
    madeOf: { key: 'F-001', kind: 'flow', title: 'Start', revision: 1, now: 2, differs: ['The path is gone.'] },
    took: { median: 7, runs: 3 },
  };

  it('lets callers take the newer revision, the chosen ones together, with a reason where one is approved', async () => {
    const { api } = open(['author']);
    api.on(contract.getCaseUses, () => uses).on(contract.takeCalled, () => ({ ...uses, callers: [] }));
    const page = await mount(CaseUsesNote, { of: detail() });
    expect(page.text()).toContain('took 7 min at the median, of 3; planned are 5 min');
    expect(page.text()).toContain('The path is gone.');
    // Both that are older are chosen; one is approved.
    expect(page.missing(/2 take revision 4/)).toBe('Say why approved callers change.');
    await page.write(/Why approved callers change/, 'It waits longer now');
    await page.press(/2 take revision 4/);
    expect(api.of(contract.takeCalled)).toEqual([
      { project: 'demo', key: 'C-001', revision: 4, callers: ['C-010', 'C-011'], reason: 'It waits longer now' },
    ]);
  });

  it('tells what changed since the revision that is still called', async () => {
    const { api } = open(['author']);
    const rev = (revision: number, seq: number, expected: string) => ({
      revision,
      seq,
      state: 'approved',
      by: 'tom',
      at: '2026-03-01T10:00:00.000Z',
      reason: '',
      snapshot: { title: 'Closing', steps: [{ action: 'Wait', expected }] },
    });
    const history = [rev(4, 40, 'It closes'), rev(4, 39, 'It closes'), rev(3, 21, 'It moves'), rev(3, 20, 'It moves')];
    api.on(contract.getCaseUses, () => uses).on(recordHistory, () => history);
    const page = await mount(CaseUsesNote, { of: detail() });
    expect(api.of(recordHistory)).toEqual([]);
    expect(page.all('button').filter((b) => /since revision/.test(b.textContent ?? '')).length).toBe(1);
    await page.press(/What changed since revision 3/);
    expect(page.all('cp-revision-diff .tag').map((tag) => tag.textContent)).toEqual(['changed']);
    expect(page.text()).toContain('Step 1');
    expect(page.all('cp-revision-diff del, cp-revision-diff ins').map((e) => e.textContent?.trim())).toEqual(['moves', 'closes']);
    await page.press(/What changed since revision 3/);
    expect(page.all('cp-revision-diff').length).toBe(0);
  });

  it('asks no reason where only drafts change, and offers nothing to those who may not', async () => {
    const { api } = open(['author']);
    api.on(contract.getCaseUses, () => uses).on(contract.takeCalled, () => uses);
    const page = await mount(CaseUsesNote, { of: detail() });
    page.one<HTMLInputElement>('[aria-label="Choose C-011"]').click();
    await page.settled();
    await page.press(/1 take revision 4/);
    expect(api.of(contract.takeCalled)[0]['callers']).toEqual(['C-010']);
  });

  it('is only read by a tester', async () => {
    const { api } = open(['tester']);
    api.on(contract.getCaseUses, () => uses);
    const page = await mount(CaseUsesNote, { of: detail() });
    expect(page.text()).toContain('Winter');
    expect(page.all('button').filter((b) => /take revision/.test(b.textContent ?? '')).length).toBe(0);
  });
});

describe('what the words of a requirement propose', () => {
  const of: CaseContent = { ...emptyCase, title: 't', steps: [{ action: '', expected: '' }] };
  const take = async (criteria: readonly string[], text: string, which: number) => {
    openWeb(['author']);
    const page = await mount(CaseProposals, { of, verified: [{ key: 'BRK-001', title: 'x', text, criteria }] });
    let taken: Partial<CaseContent> = {};
    page.fixture.componentInstance.taken.subscribe((change) => (taken = change));
    page.all<HTMLButtonElement>('.proposal button')[which].click();
    return { page, taken };
  };

  it('makes conditions and steps of Given, When and Then', async () => {
    const { taken } = await take(['Given the rope stands\nWhen the key is turned\nThen the lamp is green'], 'It starts.', 0);
    expect(taken.preconditions).toBe('The rope stands');
    expect(taken.steps).toEqual([jasmine.objectContaining({ action: 'The key is turned', expected: 'The lamp is green' })]);
  });

  it('looks at acceptance criteria that are no steps, and makes rows at the limit of a number', async () => {
    const first = await take(['The lamp is green', 'No alarm is shown'], 'It stops within 120 ms.', 0);
    expect(first.taken.steps?.map((s) => s.expected)).toEqual(['The lamp is green', 'No alarm is shown']);
    first.page.all<HTMLButtonElement>('.proposal button')[1].click();
    expect(first.page.text()).toContain('120');
  });
});

describe('what a case has beside its steps', () => {
  it('is written as it is typed, and a claim says how many samples it needs', async () => {
    openWeb(['author']);
    let of: CaseContent = { ...emptyCase, title: 't', steps: [] };
    const kinds = [
      { name: 'bench', title: 'Bench test', description: '', part: 'steps', evidence: false, fields: [], retired: false },
      { name: 'old', title: 'Old', description: '', part: 'steps', evidence: false, fields: [], retired: true },
    ];
    const page = await mount(CaseDetails, { of, key: 'C-001', kinds, part: 'steps' });
    page.fixture.componentInstance.put.subscribe((change) => {
      of = { ...of, ...change };
      page.fixture.componentRef.setInput('of', of);
    });
    expect(page.text()).not.toContain('Old');
    await page.write(/^Kind/, 'bench');
    await page.write(/^Tags/, 'cold, by hand,');
    expect(of.kind).toBe('bench');
    expect(of.tags).toEqual(['cold', 'by hand']);
    await page.write(/^Reliability claimed/, '90');
    await page.write(/^Confidence/, '95');
    // ln(0.05) / ln(0.9), rounded up: the success-run theorem.
    expect(page.text()).toContain('29 samples');
    await page.write(/^Confidence/, '0');
    expect(of.samples).toBeNull();
  });
});

describe('the wording of a case', () => {
  it('is told as it is written, and let stand for a reason once it is saved', async () => {
    const { api } = open(['author']);
    api.on(getWording, () => ({ lists: null })).on(contract.getCase, () => detail());
    const content: CaseContent = {
      ...emptyCase,
      title: 't',
      objective: 'o',
      steps: [{ action: 'Press start and turn the key', expected: '' }],
    };
    const page = await mount(CaseFindings, { of: detail(), content, saved: false });
    const said = page.all('.tag').length;
    expect(said).toBeGreaterThan(0);
    expect(page.all('button').length).toBe(0);
    page.fixture.componentRef.setInput('saved', true);
    await page.settled();
    expect(page.all('button').length).toBe(said);
    page.fixture.componentRef.setInput('content', { ...content, steps: [{ action: 'Press start', expected: 'The lamp is green' }] });
    await page.settled();
    expect(page.all('.tag').length).toBeLessThan(said);
  });
});

describe('the steps of a long case', () => {
  const long = (n: number, key = 'C-001') =>
    detail({ key, steps: Array.from({ length: n }, (_, i) => ({ action: `Press ${i + 1}`, expected: `Lamp ${i + 1} is lit` })) });
  const frames = async (until: () => boolean) => {
    for (let i = 0; i < 100 && !until(); i++) await new Promise((resolve) => requestAnimationFrame(resolve));
  };

  it('stand there one screen first, then all of them in their order, and say when they do', async () => {
    open(['author']);
    const passages = TestBed.inject(Passages);
    const before = passages.grown();
    const page = await mount(CaseSteps, { of: long(130) });
    const rows = () => page.all('tbody tr').map((row) => row.textContent?.trim() ?? '');
    await frames(() => rows().length === 130);
    expect(rows().length).toBe(130);
    expect(rows().every((text, i) => text.startsWith(String(i + 1)) && text.includes(`Lamp ${i + 1} is lit`))).toBeTrue();
    await frames(() => passages.grown() > before);
    expect(passages.grown()).toBeGreaterThan(before);
    // What changes under the same case stays as far as it was shown.
    page.fixture.componentRef.setInput('of', long(129));
    await page.settled();
    expect(rows().length).toBe(129);
    // Another case begins with its first screen, and never shows what is left of the one before.
    page.fixture.componentRef.setInput('of', long(3, 'C-002'));
    await page.settled();
    expect(rows().length).toBe(3);
  });

  it('says what a step calls, asks for and shows', async () => {
    open(['author']);
    const steps = [
      { action: '', expected: '', call: { key: 'C-009', revision: 2, with: { speed: '3' } } },
      { action: 'Press', expected: 'It closes', data: 'at -20 °C', evidence: 'picture', verifies: ['BRK-001', 'BRK-002'] },
    ];
    const page = await mount(CaseSteps, { of: detail({ steps: steps as never }) });
    expect(page.text()).toContain('revision 2 with speed = 3');
    for (const words of ['Data: at -20 °C', 'To be shown by a picture', 'Shows BRK-001, BRK-002']) expect(page.text()).toContain(words);
  });
});

describe('many findings of wording', () => {
  it('shows a dozen, and all of them when they are asked for', async () => {
    const { api } = open(['author']);
    api.on(getWording, () => ({ lists: null }));
    const content = {
      ...emptyCase,
      title: 'Long',
      steps: Array.from({ length: 30 }, () => ({
        action: 'Open the valve and wait until the display has settled.',
        expected: 'It shows about 3 and works properly.',
      })),
    };
    const page = await mount(CaseFindings, { of: detail(), content: content as CaseContent, saved: false });
    const shown = () => page.all('.tag').length;
    expect(shown()).toBe(12);
    await page.press(/Show all \d+ findings/);
    expect(shown()).toBeGreaterThanOrEqual(30);
    expect(page.text()).not.toContain('Show all');
  });
});
