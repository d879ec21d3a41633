import * as contract from '@contract/run';
import type { ProblemLife, RoundDetail } from '@contract/run';
import { listCases } from '@contract/design';
import { usualStages } from '@core/run';
import { hear, listOver, mount, openWeb } from '../base/testing';
import { ProblemStageForm } from './problem-stage';
import { RedlineForm } from './redline-form';
import { RoundAdd, RoundPlace } from './round-keeping';
import { ShortRecord } from './short-record';
import { runCommands, runFeature } from './state';

const open = (roles: Parameters<typeof openWeb>[0] = ['tester']) =>
  openWeb(roles, [{ feature: runFeature, effects: runCommands }] as never);
describe('a redline', () => {
  const of = { action: 'Wait 2 s', expected: 'Alarm' };
  const form = async () => {
    openWeb(['tester']);
    const page = await mount(RedlineForm, { step: 3, of });
    let asked: unknown;
    page.fixture.componentInstance.asked.subscribe((a) => (asked = a));
    return { page, send: async () => (page.one<HTMLFormElement>('form').dispatchEvent(new Event('submit')), await page.settled(), asked) };
  };

  it('asks what is done instead and why, and says nothing changed while nothing did', async () => {
    const { page, send } = await form();
    expect(page.missing(/Redline it/)).toContain('Nothing is changed');
    await page.write(/Do this instead/, 'Wait 3 s');
    expect(page.missing(/Redline it/)).toContain('why');
    await page.write(/^Why/, 'Rig is slow');
    expect(await send()).toEqual({ step: 3, what: 'changed', after: { action: 'Wait 3 s', expected: 'Alarm' }, reason: 'Rig is slow' });
  });

  it('adds a step behind, or drops it', async () => {
    const { page, send } = await form();
    await page.press(/Add one behind/);
    await page.write(/Do this instead/, 'Look');
    await page.write(/^Expect/, 'Lit');
    await page.write(/^Why/, 'Needed');
    expect(await send()).toEqual({ step: 4, what: 'added', after: { action: 'Look', expected: 'Lit' }, reason: 'Needed' });
    await page.press(/Drop it/);
    expect(await send()).toEqual({ step: 3, what: 'dropped', after: null, reason: 'Needed' });
  });
});

describe('a run recorded as a whole', () => {
  it('needs words unless it passed, and takes the minutes of the clock', async () => {
    openWeb(['tester']);
    const page = await mount(ShortRecord, { steps: 4, seconds: 190 });
    let asked: unknown;
    page.fixture.componentInstance.asked.subscribe((a) => (asked = a));
    expect(page.missing(/Record it/)).toContain('Choose the verdict');
    await page.press(/Failed/);
    expect(page.missing(/Record it/)).toContain('what you observed');
    await page.write(/At which step/, '2');
    await page.write(/What did you observe/, 'Stuck');
    page.one<HTMLFormElement>('form').dispatchEvent(new Event('submit'));
    await page.settled();
    expect(asked).toEqual({ verdict: 'failed', observed: 'Stuck', seconds: 180, step: 2 });
  });
});

describe('a round that is kept', () => {
  const round = { key: 'R-001', folder: '2.0', due: null, isPattern: false } as unknown as RoundDetail;

  it('is placed under a release with a day, as a pattern', async () => {
    const { api } = open();
    api.on(contract.placeRound, () => round);
    const page = await mount(RoundPlace, { of: round });
    await page.write(/^Release/, '2.0 / cold');
    await page.write(/^Wanted by/, '2026-12-24');
    page.one<HTMLFormElement>('form').dispatchEvent(new Event('submit'));
    await page.settled();
    expect(api.of(contract.placeRound)).toEqual([
      { project: 'demo', key: 'R-001', folder: '2.0 / cold', due: '2026-12-24', isPattern: false },
    ]);
  });

  it('takes further cases for one of its testers', async () => {
    const { api, store } = open();
    api
      .on(contract.addToRound, () => round)
      .on(
        listCases,
        listOver(() => [{ key: 'C-007', title: 'Late' }]),
      );
    const page = await mount(RoundAdd, { key: 'R-001' });
    await page.type(page.one<HTMLInputElement>('cp-record-picker input'), 'late', 400);
    document.querySelector<HTMLElement>('mat-option')?.click();
    await page.settled();
    expect(api.of(contract.addToRound)).toEqual([{ project: 'demo', key: 'R-001', cases: ['C-007'], tester: 'ada', reason: '' }]);
    hear(store, 'round', 'R-001');
  });
});

describe('the stage of a problem report', () => {
  const life: ProblemLife = { stages: [...usualStages] as never, severities: ['minor', 'major'], areas: [] };
  const problem = {
    key: 'PR-001',
    title: 'It stuck',
    description: '',
    blocking: true,
    state: 'open',
    stage: 'open',
    severity: '',
    priority: '',
    area: '',
    assigned: null,
    due: null,
    fixedIn: null,
    closedReason: '',
  } as unknown as contract.Problem;

  it('goes where its life leads, once what that asks for is filled', async () => {
    openWeb(['tester']);
    const page = await mount(ProblemStageForm, { of: problem, life });
    let asked: Record<string, unknown> = {};
    page.fixture.componentInstance.asked.subscribe((a) => (asked = { ...a }));
    await page.press(/Being worked on/);
    expect(page.text()).toContain('asks for whom it is assigned to');
    await page.write(/^Assigned to/, 'ada');
    expect(page.missing(/Move it/)).toBe('');
    await page.press(/Fixed, to be shown/);
    expect(page.text()).toContain('asks for the build that has the fix');
    await page.write(/^Fixed in/, '1.0');
    page.one<HTMLFormElement>('form').dispatchEvent(new Event('submit'));
    await page.settled();
    expect([asked['stage'], asked['fixedIn'], asked['assigned']]).toEqual(['fixed', '1.0', 'ada']);
  });

  it('does not go where its life does not lead', async () => {
    openWeb(['tester']);
    const page = await mount(ProblemStageForm, { of: { ...problem, stage: 'closed', closedReason: 'Shown' }, life });
    expect(page.button(/Fixed, to be shown/).disabled).toBeTrue();
    expect(page.button(/^\s*Open/).disabled).toBeFalse();
  });
});
