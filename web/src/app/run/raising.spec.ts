import * as contract from '@contract/run';
import type { RunDetail } from '@contract/run';
import { mount, openWeb } from '../base/testing';
import { BenchClock } from './bench-clock';
import { RaiseProblem } from './raise-problem';
import { runCommands, runFeature } from './state';

const open = (roles: Parameters<typeof openWeb>[0] = ['tester']) =>
  openWeb(roles, [{ feature: runFeature, effects: runCommands }] as never).api;
const run = (more: object = {}) =>
  ({
    key: 'RUN-001',
    caseKey: 'C-001',
    caseRevision: 3,
    build: '2.0',
    configuration: 'cold',
    plannedMinutes: 2,
    knownProblems: [],
    verifies: [{ key: 'BRK-001' }, { key: 'BRK-002' }],
    case: {
      title: 'Closing',
      steps: [
        { action: 'Press', expected: 'It closes' },
        { action: 'Wait', expected: 'Within 120 ms' },
      ],
    },
    steps: [{ verdict: 'pass' }, { verdict: 'fail', readings: [{ name: 'time', value: '131' }] }],
    evidence: [
      { name: 'scope.png', step: 2 },
      { name: 'before.png', step: 1 },
    ],
    ...more,
  }) as unknown as RunDetail;

describe('a problem raised from a step', () => {
  it('is filled with the case, the steps up to here, what was seen, read and shown', async () => {
    const api = open();
    api.on(contract.addProblem, () => ({ key: 'PR-009' })).on(contract.getRun, () => run());
    const page = await mount(RaiseProblem, { of: run(), step: 1, observed: 'It took too long' });
    let closed = 0;
    page.fixture.componentInstance.closed.subscribe(() => closed++);
    expect(page.text()).toContain('the 2 requirements until it is closed');
    await page.press(/Raise it/);
    const [sent] = api.of(contract.addProblem);
    expect([sent['run'], sent['step'], sent['build'], sent['blocking']]).toEqual(['RUN-001', 2, '2.0', true]);
    expect(sent['title']).toBe('Closing: step 2 not as expected');
    expect((sent['description'] as string).split('\n')).toEqual([
      'Run RUN-001 of C-001 revision 3 on 2.0, cold.',
      'Done before: 1. Press (pass)',
      'Done: Wait',
      'Expected: Within 120 ms',
      'Observed: It took too long',
      'Read: time 131',
      'Evidence: scope.png',
    ]);
    expect(closed).toBe(1);
    expect(api.of(contract.getRun).length).toBe(1);
  });

  it('shows what is open at its case already, and links that', async () => {
    const api = open();
    api.on(contract.linkProblem, () => ({ key: 'PR-004' })).on(contract.getRun, () => run());
    const known = { title: 'It jams', state: 'open' };
    const knownProblems = [
      { ...known, key: 'PR-004' },
      { ...known, key: 'PR-002' },
    ];
    const page = await mount(RaiseProblem, { of: run({ knownProblems }), step: 1 });
    expect(page.all('li').map((line) => line.textContent?.replace(/\s+/g, ' ').trim())).toEqual([
      'PR-004It jams It is this one',
      'PR-002It jams It is this one',
    ]);
    let closed = 0;
    page.fixture.componentInstance.closed.subscribe(() => closed++);
    page.one('[aria-label="It is this one: PR-002"]').click();
    await page.settled();
    expect(api.of(contract.linkProblem)).toEqual([{ project: 'demo', key: 'PR-002', run: 'RUN-001' }]);
    expect([api.of(contract.addProblem), closed]).toEqual([[], 1]);
  });

  it('keeps what was typed while the same step is open, and is not raised without a title', async () => {
    const api = open();
    const page = await mount(RaiseProblem, { of: run(), step: 0 });
    await page.write(/^Title/, 'Stuck');
    page.fixture.componentRef.setInput('of', run({ plannedMinutes: 3 }));
    await page.settled();
    expect(page.one<HTMLInputElement>('[name=pt]').value).toBe('Stuck');
    await page.write(/^Title/, '  ');
    expect(page.missing(/Raise it/)).toContain('title');
    await page.press(/Raise it/);
    expect(api.of(contract.addProblem)).toEqual([]);
    page.fixture.componentRef.setInput('step', 1);
    await page.settled();
    expect(page.one<HTMLInputElement>('[name=pt]').value).toBe('Closing: step 2 not as expected');
  });
});

describe('the clock of a run', () => {
  const mounted = async (inputs: object = {}) => {
    const api = open();
    api.on(contract.correctClock, () => run());
    return { api, page: await mount(BenchClock, { of: run(), seconds: 75, open: true, ...inputs }) };
  };

  it('stops and goes on, and says when more was needed than was planned', async () => {
    const { page } = await mounted();
    expect(page.all('b.t-broken').length).toBe(0);
    await page.press(/pause/);
    expect(page.fixture.componentInstance.paused()).toBeTrue();
    await page.press(/go on/);
    expect(page.fixture.componentInstance.paused()).toBeFalse();
    page.fixture.componentRef.setInput('seconds', 121);
    await page.settled();
    expect(page.one('b.t-broken').textContent).toContain('02:01');
  });

  it('is corrected in minutes with a reason, in either decimal sign, and never to nothing', async () => {
    const { api, page } = await mounted();
    await page.press(/correct/);
    const [minutes, why] = page.all<HTMLInputElement>('form input');
    expect(minutes.value).toBe('1');
    minutes.value = '';
    why.value = 'Phone rang';
    page.one<HTMLFormElement>('form').dispatchEvent(new Event('submit', { cancelable: true }));
    expect(api.of(contract.correctClock)).toEqual([]);
    minutes.value = '4.5';
    page.one<HTMLFormElement>('form').dispatchEvent(new Event('submit', { cancelable: true }));
    await page.settled();
    expect(api.of(contract.correctClock)).toEqual([{ project: 'demo', key: 'RUN-001', seconds: 270, reason: 'Phone rang' }]);
    expect(page.all('form').length).toBe(0);
  });

  it('is only read once the run is finished', async () => {
    const { page } = await mounted({ open: false });
    expect(page.all('button').length).toBe(0);
  });
});
