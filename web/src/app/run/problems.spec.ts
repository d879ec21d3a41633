import * as base from '@contract/base';
import * as contract from '@contract/run';
import type { Problem } from '@contract/run';
import { MatDialog } from '@angular/material/dialog';
import { TestBed } from '@angular/core/testing';
import { Store } from '@ngrx/store';
import { of } from 'rxjs';
import { listRequirements } from '@contract/specify';
import { FakeApi, hear, listOver, mount, offered, openWeb, type Mounted } from '../base/testing';
import { usualStages } from '@core/run';
import { ProblemsPage } from './problems-page';
import { runCommands, runFeature } from './state';

const report = (n: number, more: Partial<Problem> = {}): Problem =>
  ({
    key: `PR-00${n}`,
    title: `Report ${n}`,
    description: 'It stuck.',
    state: 'open',
    blocking: true,
    build: '1.0',
    fixedIn: null,
    run: null,
    step: null,
    caseKey: null,
    requirements: ['BRK-001'],
    raisedBy: 'tom',
    raisedAt: '2026-03-01T10:00:00.000Z',
    closedReason: '',
    severity: '',
    priority: '',
    area: '',
    assigned: null,
    due: null,
    stage: 'open',
    shownBy: [],
    revision: 1,
    ...more,
  }) as Problem;

describe('problem reports', () => {
  let api: FakeApi;
  let page: Mounted<ProblemsPage>;
  const open = async (roles: Parameters<typeof openWeb>[0], reports: Problem[], key?: string): Promise<void> => {
    ({ api } = openWeb(roles, [{ feature: runFeature, effects: runCommands }] as never));
    api
      .on(
        contract.listProblems,
        listOver(() => reports),
      )
      .on(
        listRequirements,
        listOver(() => ['BRK-001', 'BRK-002', 'BRK-003'].map((key) => ({ key, title: `It holds ${key}`, kind: 'requirement' }))),
      )
      .on(base.getRecord, () => ({ following: false, record: {}, snapshot: null, traces: [], signatures: [], externalIds: [] }))
      .on(base.listComments, () => [])
      .on(base.listAttachments, () => [])
      .on(base.setPresence, () => [])
      .on(contract.getProblemLife, () => ({ stages: usualStages, severities: ['minor'], areas: [] }))
      .on(contract.getProblemFigures, () => ({ byRequirement: [], bySeverity: [], days: [], byStage: [] }));
    page = await mount(ProblemsPage, key ? { key } : {});
  };

  it('show the open ones first, and count each view', async () => {
    await open(['tester'], [report(1), report(2, { state: 'closed' })]);
    expect([/Open/, /Closed/, /All/].map((view) => page.button(view).textContent?.trim())).toEqual(['Open 1', 'Closed 1', 'All 2']);
    expect(page.text()).not.toContain('Report 2');
    await page.press(/All/);
    expect(page.text()).toContain('Report 2');
  });

  it('are raised with the requirements that they stand against: found by words, or pasted by key', async () => {
    await open(['tester'], []);
    api.on(contract.addProblem, () => report(3));
    await page.press(/Report/);
    await page.write(/^Title/, 'It stuck');
    const box = page.one<HTMLInputElement>('form cp-record-picker input');
    await page.type(box, 'brk-001, BRK-002;brk-9');
    expect(page.text()).toContain('Not found: BRK-9');
    await page.type(box, 'brk-001, BRK-002');
    await page.key(box, 'Enter');
    await page.type(box, 'holds brk-003');
    offered()[0].click();
    await page.settled();
    await page.press(/Not against BRK-002/);
    await page.press(/Raise it/);
    expect(api.of(contract.addProblem)[0]).toEqual(
      jasmine.objectContaining({ title: 'It stuck', build: '1.0', blocking: true, requirements: ['BRK-001', 'BRK-003'] }),
    );
  });

  it('are closed with a reason; where no run on the build with the fix passed, with a signature', async () => {
    await open(['tester'], [report(1, { run: 'RUN-001' })], 'PR-001');
    await page.press(/^\s*Closed\s*$/);
    expect(page.missing(/Move it/)).toContain('why it can be closed');
    await page.write(/Why it can be closed/, 'cable replaced');
    api.refuse(contract.saveProblem, { detail: 'No run has passed.', fields: [{ path: 'password', text: 'sign' }] });
    const asked = spyOn(TestBed.inject(MatDialog), 'open').and.returnValue({
      afterClosed: () => of({ password: 'a pass-phrase', reason: '', acceptDeviation: false }),
    } as never);
    page.all<HTMLFormElement>('cp-problem-stage form')[0].dispatchEvent(new Event('submit'));
    await page.settled();
    expect(asked).toHaveBeenCalled();
    expect(api.of(contract.saveProblem).map((i) => [i['stage'], i['closedReason'], i['password']])).toEqual([
      ['closed', 'cable replaced', ''],
      ['closed', 'cable replaced', 'a pass-phrase'],
    ]);
  });

  it('are written anew where they stand: text, and whether they block, which asks why', async () => {
    await open(['tester'], [report(1)], 'PR-001');
    api.on(contract.saveProblem, (input) => report(1, { title: input['title'] as string, blocking: false, revision: 2 }));
    expect(page.one('cp-problem-stage').textContent).toContain('Nothing changed');
    await page.write(/^Title/, 'It stuck twice');
    // Somebody links a run to it: what is typed stays.
    hear(TestBed.inject(Store), 'problem', 'PR-001', 'problem shown again');
    await page.settled();
    expect(page.one<HTMLInputElement>('cp-problem-stage [name=title]').value).toBe('It stuck twice');
    page.one<HTMLInputElement>('cp-problem-stage [name=blocks]').click();
    await page.settled();
    expect(page.one('cp-problem-stage').textContent).toContain('Say why');
    await page.write(/Why it no longer blocks/, 'Only the lamp is late');
    page.all<HTMLFormElement>('cp-problem-stage form')[0].dispatchEvent(new Event('submit'));
    await page.settled();
    expect(api.of(contract.saveProblem)).toEqual([
      jasmine.objectContaining({ title: 'It stuck twice', blocking: false, stage: 'open', closedReason: 'Only the lamp is late' }),
    ]);
  });

  it('are only read by an auditor', async () => {
    await open(['auditor'], [report(1)], 'PR-001');
    expect(page.text()).toContain('It stuck.');
    expect(page.all('cp-problem-stage').length).toBe(0);
  });
});
