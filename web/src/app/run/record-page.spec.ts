import { TestBed } from '@angular/core/testing';
import { MatDialog } from '@angular/material/dialog';
import { of } from 'rxjs';
import * as base from '@contract/base';
import { getCase } from '@contract/design';
import * as contract from '@contract/run';
import type { RunDetail } from '@contract/run';
import type { Role } from '@core/base';
import { hear, mount, openWeb, type FakeApi, type Mounted } from '../base/testing';
import { RecordPage } from './record-page';
import { runCommands, runFeature } from './state';

const signature = (meaning: string, login = 'tom', more: object = {}): RunDetail['signatures'][number] => ({
  meaning,
  login,
  printedName: login === 'tom' ? 'Tom Vale' : 'Ines Lund',
  at: '2026-03-01T10:00:00.000Z',
  hash: 'a'.repeat(64),
  reason: '',
  matches: true,
  ...more,
});
/** A finished run of Tom’s, with two steps, a reading and a picture. */
const run = (more: Partial<RunDetail> = {}): RunDetail =>
  ({
    key: 'RUN-001',
    round: 'R-001',
    build: '1.0',
    caseKey: 'C-001',
    caseTitle: 'Closes',
    caseRevision: 2,
    caseNow: 2,
    row: null,
    configuration: 'rig',
    tester: 'tom',
    testerName: 'Tom Vale',
    state: 'recorded',
    verdict: 'passed',
    outdated: false,
    carriedOver: false,
    plannedMinutes: 5,
    seconds: 75,
    due: null,
    priority: '',
    unit: 'B-7',
    tools: '',
    case: {
      title: 'The brake closes',
      objective: 'That it closes.',
      preconditions: '',
      steps: [
        {
          action: 'Open the chain',
          expected: 'It closes',
          readings: [{ name: 'time', unit: 'ms', resolution: '1', limits: 'at most 120 ms' }],
        },
        { action: 'Wait', expected: 'It stays closed' },
      ],
    },
    verifies: [{ key: 'BRK-001', title: 'It closes' }],
    steps: [
      { observed: 'At once', verdict: 'pass', readings: [{ name: 'time', value: '96' }] },
      { observed: '', verdict: 'pass' },
    ],
    evidence: [{ id: 4, step: 1, name: 'scope.png', mime: 'image/png', bytes: 10, sha256: 'c'.repeat(64) }],
    signatures: [],
    decisions: [],
    problems: [],
    startedAt: '2026-03-01T09:00:00.000Z',
    finishedAt: '2026-03-01T09:02:00.000Z',
    hash: 'a'.repeat(64),
    revision: 5,
    deviationAccepted: false,
    supersededBy: null,
    supersedes: null,
    plannedAgain: null,
    corrections: [],
    setAside: false,
    restsOn: [],
    holdsUp: [],
    performedBy: null,
    redlines: [],
    clock: [],
    device: [],
    handedIn: [],
    conclusion: '',
    observationAsked: false,
    ...more,
  }) as unknown as RunDetail;

describe('the record of a run', () => {
  let api: FakeApi;
  let store: ReturnType<typeof openWeb>['store'];
  let page: Mounted<RecordPage>;
  let asked: Record<string, unknown>[];
  let now: RunDetail;

  /** Ada looks at it, with these roles. */
  const open = async (roles: Role[], more: Partial<RunDetail> = {}): Promise<void> => {
    TestBed.resetTestingModule();
    now = run(more);
    asked = [];
    const dialogs = {
      open: (_: unknown, { data }: { data: Record<string, unknown> }) => {
        asked.push(data);
        const answer = 'confirm' in data ? 'As agreed.' : { password: 'secret', reason: 'As agreed.', acceptDeviation: true };
        return { afterClosed: () => of(answer) };
      },
    };
    ({ api, store } = openWeb(roles, [{ feature: runFeature, effects: runCommands }] as never, [
      { provide: MatDialog, useValue: dialogs },
    ]));
    api
      .on(contract.getRun, ({ key }) =>
        key === 'RUN-001'
          ? now
          : run({
              key: 'RUN-000',
              build: '0.9',
              steps: [{ observed: 'Too late', verdict: 'fail', readings: [{ name: 'time', value: '140' }] }] as never,
              case: { ...run().case, steps: [run().case.steps[0]] },
            }),
      )
      .on(contract.lookAtRun, () => ({ ok: true }))
      .on(contract.signRun, () => (now = { ...now, signatures: [...now.signatures, signature('performed', 'ada')] }))
      .on(contract.decideRun, () => now)
      .on(contract.blockRun, () => now)
      .on(getCase, () => ({
        runs: [
          { key: 'RUN-001', build: '1.0', verdict: 'passed' },
          { key: 'RUN-000', build: '0.9', verdict: 'failed' },
        ],
      }))
      .on(base.getRecord, () => ({ following: false, record: {}, snapshot: null, traces: [], signatures: [], hash: null, externalIds: [] }))
      .on(base.listComments, () => [])
      .on(base.listAttachments, () => [])
      .on(base.setPresence, () => []);
    page = await mount(RecordPage, { key: 'RUN-001' });
    await page.settled();
  };
  /** What may be done, by the words of the buttons of its head. */
  const offers = (): string[] =>
    page
      .all('.page-head button, .page-head a')
      .map((b) => (b.textContent ?? '').trim())
      .filter((words) => words !== 'PDF');

  it('tells everything on one page: steps with readings and evidence, who, when, with what, and its hash', async () => {
    await open(['auditor']);
    const text = page.text();
    for (const words of [
      'The brake closes',
      'RUN-001 · 1.0 · rig',
      'At once',
      'time 96 ms',
      'at most 120 ms',
      'Tom Vale',
      '01:15 of 5 min',
      'B-7',
    ])
      expect(text).toContain(words);
    expect(page.one<HTMLAnchorElement>('.ev a').getAttribute('href')).toBe('/api/projects/demo/evidence/4');
    expect(page.one('.hash').textContent).toBe('a'.repeat(64));
    expect(text).toContain('Not signed yet');
    expect(offers()).toEqual([]);
    // Whoever reads only is not noted as one who looked.
    expect(api.of(contract.lookAtRun)).toEqual([]);
  });

  it('is signed by its tester over the hash that is shown, and by nobody else first', async () => {
    await open(['tester'], { tester: 'ada', testerName: 'Ada Lund' });
    expect(offers()).toEqual(['Correct on the bench', 'Sign: performed', 'Rerun']);
    await page.press(/Sign: performed/);
    expect(asked[0]['meaning']).toContain('I performed this run of C-001 on 1.0');
    expect(api.of(contract.signRun)[0]).toEqual(
      jasmine.objectContaining({ key: 'RUN-001', meaning: 'performed', hash: 'a'.repeat(64), password: 'secret' }),
    );
    await open(['reviewer']);
    expect(offers()).toEqual(['Return', 'Rerun']);
  });

  it('is reviewed by another person once it is signed, and not by its tester', async () => {
    await open(['reviewer'], { signatures: [signature('performed')], state: 'performed' });
    expect(offers()).toEqual(['Sign: reviewed', 'Return', 'Rerun']);
    await page.press(/Sign: reviewed/);
    expect(asked[0]['meaning']).toContain('I reviewed this record');
    await open(['tester', 'reviewer'], { tester: 'ada', signatures: [signature('performed', 'ada')], state: 'performed' });
    expect(offers()).toEqual(['Rerun']);
    expect(page.text()).toContain('another person must review it');
  });

  it('of a program is reviewed without anybody having signed it as performed', async () => {
    await open(['reviewer'], {
      tester: 'program:rig',
      performedBy: { program: 'rig', tool: 'ctest', version: '3.25' } as never,
    });
    expect(page.text()).toContain('no person watched it');
    expect(offers()).toContain('Sign: reviewed');
    await open(['tester'], { tester: 'program:rig' });
    expect(offers()).toEqual(['Rerun']);
  });

  it('with a deviation asks its reviewer for it, and lets it be accepted later by another', async () => {
    const steps = [
      { observed: 'A little late', verdict: 'deviation' },
      { observed: '', verdict: 'pass' },
    ] as never;
    await open(['reviewer'], { verdict: 'deviation', steps, signatures: [signature('performed')], state: 'performed' });
    await page.press(/Sign: reviewed/);
    expect(asked[0]['deviation']).toBe('step 1: A little late');
    expect(api.of(contract.signRun)[0]['acceptDeviation']).toBeTrue();
    await open(['reviewer'], {
      verdict: 'deviation',
      steps,
      signatures: [signature('performed'), signature('reviewed', 'ines')],
      state: 'reviewed',
    });
    await page.press(/Accept the deviation/);
    expect(api.of(contract.decideRun)[0]).toEqual(
      jasmine.objectContaining({ choice: 'acceptDeviation', reason: 'As agreed.', password: 'secret' }),
    );
  });

  it('whose case was revised is carried over by a reviewer, or run again, each with a reason', async () => {
    await open(['reviewer'], { outdated: true, caseNow: 3 });
    expect(page.text()).toContain('C-001 was revised after this run');
    await page.press(/Carry over/);
    expect(asked[0]['meaning']).toContain('recorded against revision 2 stands for it');
    await page.press(/Rerun/);
    expect(api.of(contract.decideRun).map(({ choice, reason }) => [choice, reason])).toEqual([
      ['carryOver', 'As agreed.'],
      ['rerun', 'As agreed.'],
    ]);
    await open(['tester'], { outdated: true, caseNow: 3 });
    expect(offers()).toEqual(['Rerun']);
  });

  it('says plainly what was changed, and which signature no longer fits', async () => {
    await open(['auditor'], {
      redlines: [
        {
          step: 1,
          what: 'change',
          by: 'tom',
          reason: 'No lamp there.',
          before: { action: 'A', expected: 'B' },
          after: { action: 'C', expected: 'D' },
        },
      ] as never,
      corrections: [{ at: '2026-03-01T09:03:00.000Z', reason: 'Misread.', verdict: 'failed', steps: [] }] as never,
      clock: [{ at: '2026-03-01T09:03:00.000Z', from: 75, to: 60, reason: 'Lunch.' }] as never,
      signatures: [signature('performed', 'tom', { matches: false })],
      supersededBy: 'RUN-009',
    });
    const text = page.text();
    for (const words of [
      'Planned was “A” → “B”. Done was “C” → “D”.',
      'It said before: failed',
      'corrected from 01:15 to 01:00: Lunch.',
      'The record no longer matches this signature.',
      'Superseded by',
    ])
      expect(text).toContain(words);
    expect(offers()).toEqual([]);
  });

  it('records as blocked what rests on it and is mine', async () => {
    const holdsUp = [
      { key: 'RUN-005', caseKey: 'C-005', tester: 'ada' },
      { key: 'RUN-006', caseKey: 'C-006', tester: 'tom' },
    ] as never;
    await open(['tester'], { verdict: 'failed', holdsUp });
    await page.press(/Record RUN-005 as blocked/);
    expect(api.of(contract.blockRun)).toEqual([{ project: 'demo', key: 'RUN-005', on: 'RUN-001' }]);
  });

  it('shows an earlier run of its case step by step beside it', async () => {
    await open(['reviewer']);
    await page.press(/[Bb]eside|RUN-000|Compare/);
    await page.settled();
    expect(page.text()).toContain('Too late');
    expect(page.text()).toContain('time 140');
    expect(page.text()).toContain('no such step then');
  });

  it('notes once that somebody who signs looked at it, and again when it changed', async () => {
    await open(['reviewer']);
    expect(api.of(contract.lookAtRun)).toEqual([{ project: 'demo', key: 'RUN-001', hash: 'a'.repeat(64) }]);
    now = { ...now, hash: 'd'.repeat(64) };
    hear(store, 'run', 'RUN-001');
    await page.until(() => api.of(contract.lookAtRun).length === 2);
    expect(api.of(contract.lookAtRun)[1]['hash']).toBe('d'.repeat(64));
  });
});
