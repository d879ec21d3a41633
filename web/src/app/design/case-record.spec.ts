import { Clipboard } from '@angular/cdk/clipboard';
import { TestBed } from '@angular/core/testing';
import * as base from '@contract/base';
import * as contract from '@contract/design';
import type { CaseDetail } from '@contract/design';
import type { TraceRow } from '@contract/base';
import type { CaseContent, CaseStep } from '@core/design';
import { mount, openWeb } from '../base/testing';
import { CaseRecord } from './case-record';
import { designCommands, designFeature } from './state';

const step = (action: string, expected = 'It does'): CaseStep => ({ action, expected });
const trace = (more: Partial<TraceRow> = {}): TraceRow => ({
  id: 5,
  kind: 'verifies',
  from: 'C-001',
  to: 'BRK-001',
  fromKind: 'case',
  toKind: 'requirement',
  fromTitle: 'Case',
  toTitle: 'It closes',
  fromRevision: 1,
  toRevision: 1,
  fromNow: 1,
  toNow: 2,
  suspect: [],
  drawnBy: 'tom',
  drawnAt: '',
  waits: false,
  confirmedBy: 'tom',
  confirmedAt: '',
  reason: '',
  ...more,
});
const detail = (more: Partial<CaseDetail> = {}): CaseDetail =>
  ({
    key: 'C-001',
    title: 'Closing',
    objective: 'It closes. It stays so.',
    preconditions: '',
    steps: [step('Press'), step('Wait'), step('Look')],
    rows: null,
    plannedMinutes: 5,
    revision: 1,
    state: 'draft',
    author: 'tom',
    hash: 'a'.repeat(64),
    own: {},
    updatedBy: 'tom',
    updatedAt: '2026-03-01T10:00:00.000Z',
    verifies: [],
    traces: [],
    runs: [],
    signatures: [],
    folder: null,
    verified: [],
    dismissals: [],
    ...more,
  }) as unknown as CaseDetail;

describe('a case', () => {
  beforeEach(() => localStorage.clear());
  afterAll(() => localStorage.clear());
  const open = async (roles: Parameters<typeof openWeb>[0], shown: CaseDetail) => {
    const { api } = openWeb(roles, [{ feature: designFeature, effects: designCommands }] as never);
    api
      .on(contract.getCase, () => shown)
      .on(base.listFields, () => [])
      .on(base.getRecord, () => ({ following: false, record: {}, snapshot: null, traces: [], signatures: [], externalIds: [] }))
      .on(base.listComments, () => [])
      .on(base.listAttachments, () => [])
      .on(base.setPresence, () => []);
    return { api, page: await mount(CaseRecord, { key: 'C-001' }) };
  };

  it('gives its link away by one key', async () => {
    const { page } = await open(['auditor'], detail());
    const copy = spyOn(TestBed.inject(Clipboard), 'copy').and.returnValue(true);
    await page.key(page.element, 'L', { code: 'KeyL', altKey: true, shiftKey: true });
    expect(copy.calls.allArgs()).toEqual([[location.origin + location.pathname]]);
    page.one<HTMLButtonElement>('[aria-label="Copy a link to C-001"]').click();
    expect(copy).toHaveBeenCalledTimes(2);
  });

  it('is copied or retired from its own page, after a look at what that does, by authors', async () => {
    const { api, page } = await open(['author'], detail());
    api.on(base.previewBulk, ({ selection, act }) => {
      expect(selection).toEqual({ kind: 'case', keys: ['C-001'] });
      const words = (act as { act: string }).act === 'copy' ? 'becomes a draft of its own' : 'is retired';
      return { total: 1, changed: 1, refused: 0, items: [{ key: 'C-001', title: 'Closing', outcome: 'changed', words }], digest: 'd' };
    });
    page.one<HTMLButtonElement>('[aria-label="Copy it or retire it"]').click();
    await page.settled();
    expect(page.all('[aria-label="What is done"] button').map((b) => b.textContent?.trim())).toEqual([
      'Copy',
      'Copy with traces',
      'Retire',
      'Bring back',
    ]);
    await page.press(/^\s*Copy with traces\s*$/);
    expect(page.text()).toContain('becomes a draft of its own');
    page.fixture.componentRef.setInput('key', 'C-002');
    await page.settled();
    expect(page.all('cp-bulk-panel')).toEqual([]);
    TestBed.resetTestingModule();
    expect((await open(['reviewer'], detail())).page.all('[aria-label="Copy it or retire it"]')).toEqual([]);
  });

  it('is a document with what it verifies, or without', async () => {
    const { page } = await open(['auditor'], detail());
    const links = () => [...document.querySelectorAll<HTMLAnchorElement>('a[mat-menu-item]')].map((a) => a.getAttribute('href'));
    page.one<HTMLButtonElement>('[aria-label="This case as a document"]').click();
    await page.settled();
    expect(links()[0]).toBe('/api/projects/demo/cases/document?format=docx&traces=with&cases=C-001');
    document.querySelector<HTMLElement>('button[mat-menu-item]')?.click();
    await page.settled();
    expect(links()[2]).toBe('/api/projects/demo/cases/document?format=json&traces=without&cases=C-001');
  });

  it('joins its steps with those that somebody saved meanwhile, step by step', async () => {
    const { api, page } = await open(['author'], detail());
    await page.press(/Edit/);
    await page.write(/^Objective/, 'It closes at once. It stays so.');
    const theirs = detail({
      revision: 2,
      updatedBy: 'ines',
      steps: [step('Press'), step('Wait a minute'), step('Look'), step('Listen')],
      plannedMinutes: 8,
    });
    api.refuse(contract.saveCase, { code: 'conflict', status: 409, current: theirs });
    await page.press(/Save revision/);
    expect(page.text()).toContain('ines saved revision 2 while you were writing');
    expect(page.text()).toContain('Wait a minute → It does');
    api.on(contract.saveCase, () => detail({ revision: 3 }));
    await page.press(/Save this as revision 3/);
    const [, last] = api.of(contract.saveCase);
    const { objective, steps, plannedMinutes } = last['content'] as CaseContent;
    expect(last['basedOn']).toBe(2);
    expect(objective).toBe('It closes at once. It stays so.');
    expect(steps.map((s) => s.action)).toEqual(['Press', 'Wait a minute', 'Look', 'Listen']);
    expect(plannedMinutes).toBe(8);
    expect(page.text()).not.toContain('Save this as');
  });

  it('is saved again only where what is chosen differs from what stands there', async () => {
    const { api, page } = await open(['author'], detail());
    await page.press(/Edit/);
    await page.write(/^Objective/, 'Mine.');
    api.refuse(contract.saveCase, { code: 'conflict', status: 409, current: detail({ revision: 2, objective: 'Theirs.' }) });
    await page.press(/Save revision/);
    page.one('fieldset').querySelectorAll('input')[1].click();
    await page.settled();
    await page.press(/Save this/);
    expect(api.of(contract.saveCase).length).toBe(1);
    expect(page.text()).not.toContain('Save this as');
  });

  it('is edited and sent to review by its author, approved by a reviewer who did not write it, planned once it is approved', async () => {
    const mine = await open(['author'], detail());
    mine.api.on(contract.setCaseState, () => detail({ state: 'review' }));
    await mine.page.press(/Ask for review/);
    expect(mine.api.of(contract.setCaseState)[0]).toEqual({ project: 'demo', key: 'C-001', basedOn: 1, state: 'review' });
    expect(mine.page.text()).toContain('Back to draft');
    expect(mine.page.text()).not.toContain('Approve');
    TestBed.resetTestingModule();
    const theirs = await open(['reviewer'], detail({ state: 'review' }));
    expect(theirs.page.text()).toContain('Approve');
  });

  it('has a suspect trace confirmed by whoever may, and taken back by its author, with a reason where it is approved', async () => {
    const suspect = trace({ suspect: ['to'] });
    const { api, page } = await open(['author'], detail({ verifies: [suspect] }));
    expect(page.text()).toContain('suspect: BRK-001 revised since');
    expect(page.button(/Confirm/)).toBeTruthy();
    api.on(base.removeTrace, () => ({}));
    await page.press(/Take back the trace to BRK-001/);
    expect(api.of(base.removeTrace)).toEqual([{ project: 'demo', id: 5, reason: '' }]);
  });

  it('has a waiting trace confirmed only by a reviewer who did not draw it', async () => {
    const waits = trace({ waits: true, drawnBy: 'ada' });
    const { page } = await open(['reviewer'], detail({ verifies: [waits] }));
    expect(page.text()).toContain('waits for somebody else to confirm it');
    expect(page.all('button').some((b) => /Confirm/.test(b.textContent ?? ''))).toBeFalse();
  });
});
