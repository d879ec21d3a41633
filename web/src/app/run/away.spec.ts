import { TestBed } from '@angular/core/testing';
import * as contract from '@contract/run';
import type { RunDetail } from '@contract/run';
import { deviceStore, endpointName, keeping, Device, useDevice, type Taken, type Waiting } from '../base';
import { mount, openWeb, type FakeApi, type Mounted } from '../base/testing';
import { runKeeping } from './away';
import { AwayNotes } from './away-notes';
import { DevicePage } from './device-page';

const run = (more: Partial<RunDetail> = {}): RunDetail =>
  ({
    key: 'RUN-001',
    round: 'R-001',
    caseKey: 'C-001',
    caseRevision: 1,
    caseNow: 1,
    row: null,
    tester: 'ada',
    testerName: 'Ada Lund',
    state: 'planned',
    verdict: null,
    case: {
      title: 'The door closes',
      steps: [
        { action: '<p><img src="files/' + 'a'.repeat(64) + '"></p>', expected: '' },
        { action: 'Open it', expected: 'It is open' },
      ],
    },
    redlines: [],
    problems: [],
    build: '1.0',
    knownProblems: [],
    steps: [
      { verdict: null, observed: '', at: null },
      { verdict: null, observed: '', at: null },
    ],
    evidence: [],
    startedAt: null,
    finishedAt: null,
    seconds: 0,
    conclusion: '',
    revision: 4,
    plannedMinutes: 5,
    supersededBy: null,
    ...more,
  }) as unknown as RunDetail;
const at = '2026-03-01T08:00:00.000Z';
const where = { project: 'demo', key: 'RUN-001' };

describe('A run on a device without network', () => {
  it('answers a recorded step as the server would, with what the step said before', () => {
    const call = { endpoint: contract.recordStep, input: { ...where, step: 1, observed: 'shut', verdict: 'pass', seconds: 9 } };
    const made = runKeeping.make(run(), call, at);
    expect(made.answer).toEqual({
      key: 'RUN-001',
      step: 1,
      result: { verdict: 'pass', observed: 'shut', at },
      seconds: 9,
      revision: 4,
      startedAt: at,
      reopened: false,
    });
    expect(made.input['known']).toEqual({ observed: '', verdict: null });
    expect(made.input['of']).toBe(String(run().case.steps[0].action).slice(0, 200));
    expect(made.same).toBeFalse();
    expect(runKeeping.make(made.record, call, at).same).toBeTrue();
    // What is sent is what the contract takes.
    expect(contract.recordStep.body.safeParse(made.input).success).toBeTrue();
  });

  it('shows a picture that was taken as kept here, and finishes with the verdict of its steps', () => {
    const file = new File(['x'], 'door.png', { type: 'image/png' });
    const shown = runKeeping.make(run(), { endpoint: contract.addEvidence, input: { ...where, step: 2 }, files: [file, file] }, at);
    expect((shown.record as RunDetail).evidence.map(({ id, step, name }) => [id, step, name])).toEqual([
      [-1, 2, 'door.png'],
      [-2, 2, 'door.png'],
    ]);
    const recorded = run({ steps: [{ verdict: 'pass' }, { verdict: 'fail' }] as never });
    const ended = runKeeping.make(recorded, { endpoint: contract.finishRun, input: { ...where, seconds: 70, conclusion: 'It jams.' } }, at);
    expect(ended.answer).toEqual(jasmine.objectContaining({ verdict: 'failed', state: 'recorded', conclusion: 'It jams.', seconds: 70 }));
    expect(runKeeping.title(ended.record)).toBe('C-001 The door closes: failed');
    expect(runKeeping.title(run({ row: '2' }))).toBe('C-001 The door closes · row 2: 0 of 2 steps recorded');
  });

  const redline = (more: object): Parameters<typeof runKeeping.make>[1] => ({
    endpoint: contract.addRedline,
    input: {
      ...where,
      step: 2,
      what: 'changed',
      after: { action: 'Open it by hand', expected: 'It is open' },
      reason: 'No power.',
      ...more,
    },
    by: 'ada',
  });

  it('shows a redline as the server will have it: the step, what belongs to those behind it, and why it cannot be made', () => {
    const held = run({ evidence: [{ id: 7, step: 2 }] as never, problems: [{ key: 'PR-1', step: 2 }] as never });
    const changed = runKeeping.make(held, redline({}), at);
    expect((changed.record as RunDetail).case.steps[1].action).toBe('Open it by hand');
    expect((changed.record as RunDetail).redlines[0]).toEqual(jasmine.objectContaining({ by: 'ada', at, reason: 'No power.' }));
    expect(changed.input['of']).toBe('Open it');
    expect(contract.addRedline.body.safeParse(changed.input).success).toBeTrue();
    const added = runKeeping.make(changed.record, redline({ what: 'added', step: 1 }), at).record as RunDetail;
    expect(added.case.steps.map(({ action }) => action)[0]).toBe('Open it by hand');
    expect([added.steps.length, added.evidence[0].step, added.problems[0].step]).toEqual([3, 3, 3]);
    const dropped = runKeeping.make(held, redline({ what: 'dropped', after: null }), at);
    expect(dropped.refused).toContain('holds evidence');
    expect(dropped.record).toBe(held);
    const done = runKeeping.make(held, { endpoint: contract.recordStep, input: { ...where, step: 2, observed: 'x', verdict: 'pass' } }, at);
    expect(runKeeping.make(done.record, redline({}), at).refused).toContain('has a result already');
    // What is recorded after it says to which step it belongs.
    const after = runKeeping.make(
      added,
      { endpoint: contract.recordStep, input: { ...where, step: 3, observed: '', verdict: 'pass' } },
      at,
    );
    expect(after.input['of']).toBe('Open it by hand');
  });

  it('raises a problem report from a step, shown without a key until the server gives it one', () => {
    const input = { project: 'demo', run: 'RUN-001', step: 2, title: 'It jams', description: 'At the top', blocking: true, build: '1.0' };
    expect(runKeeping.keyOf(input)).toBe('RUN-001');
    const made = runKeeping.make(run(), { endpoint: contract.addProblem, input, by: 'ada' }, at);
    expect((made.record as RunDetail).problems).toEqual([{ key: '', title: 'It jams', state: 'open', step: 2 }]);
    expect(contract.addProblem.answer.safeParse(made.answer).success).toBeTrue();
  });

  it('links a report that is known at its case already, as the device knows it', () => {
    const known = { key: 'PR-004', title: 'It jams', state: 'open' };
    const held = run({ knownProblems: [known, { ...known, key: 'PR-005' }] });
    const input = { project: 'demo', key: 'PR-004', run: 'RUN-001' };
    expect(runKeeping.keyOf(input)).toBe('RUN-001');
    const made = runKeeping.make(held, { endpoint: contract.linkProblem, input, by: 'ada' }, at);
    const after = made.record as RunDetail;
    expect(after.problems).toEqual([{ ...known, step: null }]);
    expect(after.knownProblems.map(({ key }) => key)).toEqual(['PR-005']);
    expect(contract.linkProblem.answer.safeParse(made.answer).success).toBeTrue();
    const waiting = { endpoint: endpointName(contract.linkProblem), input, about: made.about, files: [] } as unknown as Waiting;
    expect(runKeeping.words(waiting)).toBe('It shows problem report PR-004 It jams');
    expect((runKeeping.answered(held, waiting, known) as RunDetail).problems).toEqual(after.problems);
  });

  it('takes evidence off: what the server has is asked of it, what was never sent is taken back', () => {
    const file = (name: string): File => new File(['x'], name, { type: 'image/png' });
    const held = run({ evidence: [{ id: 7, step: 2, name: 'old.png' }] as never });
    const off = (id: number) => ({ endpoint: contract.removeEvidence, input: { ...where, id, reason: '' } });
    const made = runKeeping.make(held, off(7), at);
    expect([(made.record as RunDetail).evidence, made.about]).toEqual([[], { step: 2, named: 'old.png' }]);
    const add = (files: readonly File[]): Waiting =>
      ({
        place: 'ada demo RUN-001',
        endpoint: endpointName(contract.addEvidence),
        input: { ...where, step: 1 },
        files,
        at,
      }) as unknown as Waiting;
    const [first, second] = [add([file('a.png'), file('b.png')]), add([file('c.png')])];
    expect(runKeeping.takesBack(held, off(7), [first, second])).toBeUndefined();
    expect(runKeeping.takesBack(held, off(-2), [first, second])).toEqual({ of: first, file: 1 });
    expect(runKeeping.takesBack(held, off(-3), [first, second])).toEqual({ of: second, file: 0 });
    expect(runKeeping.takesBack(held, off(-4), [first, second])).toBeUndefined();
  });

  it('knows the run as the server answered it: the step, the report, or all of it', () => {
    const waiting = (endpoint: Parameters<typeof endpointName>[0], input: object = {}) => ({
      endpoint: endpointName(endpoint),
      input: { ...where, ...input },
    });
    const begun = run({ revision: 5, startedAt: at });
    expect(runKeeping.answered(run(), waiting(contract.startRun), begun)).toBe(begun);
    const result = { verdict: 'pass', observed: 'shut', at };
    const said = { key: 'RUN-001', step: 2, result, seconds: 9, revision: 6, startedAt: at, reopened: false };
    const stepped = runKeeping.answered(begun, waiting(contract.recordStep, { step: 2 }), said) as RunDetail;
    expect([stepped.steps[1], stepped.revision, stepped.state, stepped.seconds]).toEqual([result, 6, 'onBench', 9] as never);
    const raised = runKeeping.answered(begun, waiting(contract.addProblem, { step: 1 }), { key: 'PR-7', title: 'It jams', state: 'open' });
    expect((raised as RunDetail).problems).toEqual([{ key: 'PR-7', title: 'It jams', state: 'open', step: 1 }]);
  });

  it('takes its round and its pictures along', () => {
    const taken = { project: 'demo', record: run({ evidence: [{ id: 7 }] as never }) };
    expect(runKeeping.along(taken).map(({ endpoint }) => endpoint.path)).toContain('/projects/:project/rounds/:key');
    expect(runKeeping.files(taken)).toEqual([`/api/projects/demo/files/${'a'.repeat(64)}`, '/api/projects/demo/evidence/7']);
  });

  it('hands in everything that was recorded of it, as the contract takes it', () => {
    const waiting = (endpoint: Parameters<typeof endpointName>[0], input: object, files: readonly File[] = []): Waiting =>
      ({ place: '', operation: 'x', endpoint: endpointName(endpoint), input: { ...where, ...input }, files, at, away: true }) as Waiting;
    const all = [
      waiting(contract.startRun, {}),
      waiting(contract.recordStep, { step: 1, observed: 'shut', verdict: 'pass', seconds: 9, readings: [{ name: 't', value: '1' }] }),
      waiting(contract.addEvidence, { step: 1 }, [new File(['x'], 'door.png')]),
      waiting(contract.addRedline, { step: 2, what: 'dropped', after: null, reason: 'No power.' }),
      { ...waiting(contract.removeEvidence, { id: 7 }), about: { step: 2, named: 'old.png' } },
      waiting(contract.addProblem, { run: 'RUN-001', step: 1, title: 'It jams', description: 'At the top' }),
      waiting(contract.finishRun, { seconds: 70, conclusion: 'It jams.' }),
    ];
    const { input } = runKeeping.handIn({ ...where } as unknown as Taken, all, 'It is signed.');
    const body = contract.handIn.body.parse(input);
    expect(body.recorded.map(({ what, step }) => [what, step])).toEqual([
      ['begun', null],
      ['step', 1],
      ['evidence', 1],
      ['redlined', 2],
      ['evidenceRemoved', 2],
      ['problem', 1],
      ['finished', null],
    ]);
    expect(body.recorded[1]).toEqual(jasmine.objectContaining({ observed: 'shut', readings: [{ name: 't', value: '1' }] }));
    expect(all.map((item) => runKeeping.words(item))).toEqual([
      'Begun',
      'Step 1: pass, “shut”',
      'Step 1: door.png',
      'Step 2 dropped for this run (No power.)',
      'Step 2: old.png taken off',
      'Problem report from step 1: It jams\nAt the top',
      'Finished: “It jams.”',
    ]);
    expect(runKeeping.over({ ...all[1], input: { known: {}, step: 1 }, problem: { code: 'conflict' } as never })).toEqual({ step: 1 });
    expect(runKeeping.over({ ...all[1], problem: { code: 'signed' } as never })).toBeUndefined();
  });
});

describe('What is on this device', () => {
  let api: FakeApi;
  let page: Mounted<DevicePage>;
  const place = 'ada demo RUN-001';

  beforeEach(async () => {
    await deviceStore.empty();
    const taken = { place, login: 'ada', project: 'demo', key: 'RUN-001', record: run(), readAt: at, meanwhile: [] };
    await deviceStore.putTaken({ ...taken, meanwhile: ['C-001 has revision 2 now; this run is of revision 1.'] });
    await deviceStore.addWaiting({
      place,
      operation: 'first-operation',
      endpoint: endpointName(contract.recordStep),
      input: { ...where, step: 1, observed: 'shut', verdict: 'pass', seconds: 9 },
      files: [],
      at,
      away: true,
    });
    ({ api } = openWeb(['tester'], [], [{ provide: keeping, useValue: () => Promise.resolve(runKeeping) }]));
    const rows = ['RUN-002', 'RUN-003'].map((key) => ({ key, round: 'R-002', caseKey: 'C-002', plannedMinutes: 5, state: 'planned' }));
    api
      .on(contract.listRuns, () => ({ rows, total: 2, at: 1, from: 0, next: null }))
      .on(contract.getRun, ({ key }) => run({ key: String(key) }))
      .refuse(contract.recordStep, { status: 0, code: 'offline', title: 'away' });
    page = await mount(DevicePage);
    await page.until(() => page.text().includes('C-002') && page.text().includes('1 not sent'));
  });
  afterEach(async () => {
    // What is under way still is that of this test.
    await TestBed.inject(Device).send();
    await deviceStore.empty();
    useDevice(false);
  });
  const button = (words: RegExp): HTMLButtonElement => {
    const found = page.all('button').find((b) => words.test(b.textContent ?? ''));
    if (!found) throw new Error(`no button ${String(words)} in ${page.text()}`);
    return found as HTMLButtonElement;
  };

  it('shows run by run what was recorded and not sent, and what was decided meanwhile', () => {
    expect(page.text()).toContain('1 of 2 steps recorded');
    expect(page.text()).toContain('1 not sent');
    expect(page.text()).toContain('Step 1: pass, “shut”');
    expect(page.text()).toContain('Meanwhile: C-001 has revision 2 now');
    expect(page.text()).toContain('2 runs, 10 minutes');
  });

  it('asks what becomes of what is refused, and does it', async () => {
    api.refuse(contract.recordStep, { status: 409, code: 'conflict', title: '', detail: 'Step 1 was recorded meanwhile: fail.' });
    button(/^\s*Send what is kept here/).click();
    await page.until(() => page.text().includes('Not taken: Step 1 was recorded meanwhile: fail.'));
    api.on(contract.recordStep, () => ({ key: 'RUN-001' }));
    await page.until(() => !button(/Record mine over it/).disabled);
    button(/Record mine over it/).click();
    await page.until(() => page.text().includes('all sent'));
    expect(api.of(contract.recordStep).at(-1)?.['known']).toBeUndefined();
    expect(TestBed.inject(Device).waiting()).toEqual([]);
  });

  it('keeps with the run, with its reason, what does not fit', async () => {
    api.refuse(contract.recordStep, { status: 409, code: 'signed', title: 'It is signed.' }).on(contract.handIn, () => run());
    button(/^\s*Send what is kept here/).click();
    await page.until(() => page.text().includes('Not taken: It is signed.'));
    expect(page.text()).not.toContain('Record mine over it');
    await page.until(() => !button(/Keep it with the run/).disabled);
    button(/Keep it with the run/).click();
    await page.until(() => page.text().includes('all sent'));
    expect(api.of(contract.handIn)[0]).toEqual(jasmine.objectContaining({ key: 'RUN-001', why: 'It is signed.' }));
  });
});

describe('The notes of a run that was recorded on a device', () => {
  it('say when each act was done by both clocks, and that the device’s is wrong', async () => {
    openWeb(['auditor']);
    const sent = '2026-03-01T10:00:00.000Z';
    const note = { step: 1, sent, arrived: '2026-03-02T10:00:00.000Z' };
    const page = await mount(AwayNotes, {
      of: {
        device: [
          { ...note, what: 'step', at: '2026-03-01T08:00:00.000Z' },
          { ...note, what: 'finished', step: null, at: '2026-03-01T09:00:00.000Z' },
        ],
        handedIn: [
          {
            by: 'ada',
            at: '2026-03-02T10:00:05.000Z',
            sent: '2026-03-02T10:00:00.000Z',
            why: 'It is signed.',
            recorded: [{ what: 'step', step: 2, at: sent, verdict: 'fail', observed: 'jams' }],
          },
        ],
      },
    });
    expect(page.text()).toContain('2 acts');
    expect(page.text()).toContain('its clock is 1 day behind');
    expect(page.text().match(/its clock is/g)?.length).toBe(1);
    expect(page.text()).toContain('it is no part of the result. It is signed.');
    expect(page.text()).toContain('Step 2: fail, “jams”');
  });
});
