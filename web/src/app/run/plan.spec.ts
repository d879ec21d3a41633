import { listCases } from '@contract/design';
import * as contract from '@contract/run';
import type { RoundPreview } from '@contract/run';
import { TestBed } from '@angular/core/testing';
import { provideRouter, Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { listJobs } from '@contract/base';
import { FakeApi, hear, listOver, mount, openWeb, type Mounted } from '../base/testing';
import { PlanPage } from './plan-page';
import { runCommands, runFeature } from './state';

const row = (n: number, state = 'approved') => ({
  key: `C-00${n}`,
  title: `Case ${n}`,
  state,
  verifies: ['BRK-001'],
  rows: n === 2 ? 3 : 0,
  plannedMinutes: 5,
  steps: 2,
});
const nothing: RoundPreview = {
  cases: 0,
  runs: 0,
  minutes: 0,
  people: [],
  refused: [],
  refusedCount: 0,
  passed: [],
  passedCount: 0,
  again: [],
  againCount: 0,
  without: [],
};

describe('planning a round', () => {
  let api: FakeApi;
  let page: Mounted<PlanPage>;
  let preview: RoundPreview;
  const counted = async (): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 250));
    await page.settled();
  };
  const open = async (cases?: string): Promise<void> => {
    ({ api } = openWeb(['tester'], [{ feature: runFeature, effects: runCommands }] as never, [provideRouter([])] as never));
    preview = { ...nothing, cases: 1, runs: 1, minutes: 5 };
    const last = { key: 'R-001', title: 'Before', configuration: 'rig 2', unit: 'LB-2', tools: 'scope' };
    api
      .on(
        listCases,
        listOver(() => [row(1), row(2), row(3, 'draft')]),
      )
      .on(contract.listRounds, () => ({ rows: [last], next: null, total: 1, seq: 1 }))
      .on(contract.previewRound, () => preview);
    page = await mount(PlanPage, cases ? { cases } : {});
    await counted();
  };

  it('takes over what was usual in the last round, and asks for nothing while no case is chosen', async () => {
    await open();
    expect(page.all<HTMLInputElement>('.in').map((box) => box.value)).toEqual(jasmine.arrayContaining(['rig 2', 'LB-2', 'scope']));
    expect(api.of(contract.previewRound)).toEqual([]);
    expect(page.text()).toContain('No case is chosen yet.');
    expect(page.missing(/^\s*Plan 0 runs/)).not.toBe('');
  });

  it('shows approved cases first, and tells what a round of those that come along would be', async () => {
    await open('C-001');
    expect(api.of(contract.previewRound).at(-1)).toEqual(
      jasmine.objectContaining({ cases: ['C-001'], configuration: 'rig 2', tester: 'ada', build: '1.0' }),
    );
    expect(page.text()).toContain('1 run, 5 min planned');
    expect(page.text()).toContain('It needs a title.');
    expect(page.text()).not.toContain('Case 3');
    await page.press(/Without C-001/);
    await counted();
    expect(page.text()).toContain('Choose cases on the left');
  });

  it('asks for all that the filter finds as a question, not by keys', async () => {
    await open();
    preview = { ...nothing, cases: 2, runs: 4, minutes: 20 };
    await page.press(/Choose all 2/);
    await counted();
    const asked = api.of(contract.previewRound).at(-1) ?? {};
    expect(asked['cases']).toEqual([]);
    expect(JSON.parse(asked['filter'] as string)).toEqual({
      and: [
        { field: 'state', is: ['approved'] },
        { field: 'retired', is: [false] },
      ],
    });
    expect(page.text()).toContain('4 runs, 20 min planned');
  });

  it('leaves out what cannot be run, asks why where there is a result, and then writes what was shown', async () => {
    await open('C-001,C-003');
    preview = {
      ...nothing,
      cases: 1,
      runs: 1,
      minutes: 5,
      refused: [{ key: 'C-003', why: 'C-003 is not approved: only approved cases are run.' }],
      refusedCount: 1,
      again: ['C-001'],
      againCount: 1,
    };
    await page.write(/^Configuration/, 'rig 3');
    await page.write(/^Title/, 'Morning');
    await counted();
    expect(page.text()).toContain('1 cannot be run and is left out');
    expect(page.text()).toContain('Say why what has a result is planned again.');
    expect(page.missing(/^\s*Plan 1 run/)).not.toBe('');
    await page.write(/^Why/, 'The rig was wrong.');
    api.on(contract.addRound, () => ({ ...nothing, key: 'R-002', items: [] }));
    await page.press(/^\s*Plan 1 run/);
    expect(api.of(contract.addRound)).toEqual([
      jasmine.objectContaining({ cases: ['C-001'], configuration: 'rig 3', title: 'Morning', reason: 'The rig was wrong.' }),
    ]);
  });

  it('has a round of many runs planned in the background, says how far it is, and opens it once it stands', async () => {
    await open('C-001');
    preview = { ...nothing, cases: 2000, runs: 20_000, minutes: 90_000 };
    const job = {
      id: 7,
      kind: 'plan',
      state: 'running',
      progress: 0.4,
      message: '7500 of 20000 runs hold their case',
      build: '1.0',
      by: 'ada',
    };
    const times = { createdAt: '2026-11-20T08:00:00.000Z', finishedAt: null, file: null };
    api.on(contract.addLargeRound, () => ({ ...job, ...times })).on(listJobs, () => [{ ...job, ...times }]);
    await page.write(/^Configuration/, 'rig 4');
    await page.write(/^Title/, 'All of it');
    await counted();
    expect(page.text()).toContain('planned in the background, all or none');
    const store = TestBed.inject(Store);
    await page.press(/^\s*Plan 20000 runs/);
    expect([api.of(contract.addRound).length, api.of(contract.addLargeRound).length]).toEqual([0, 1]);
    hear(store, 'build', '1.0', 'round asked for');
    await page.settled();
    expect(page.text()).toContain('7500 of 20000 runs hold their case');
    expect(page.text()).toContain('It is being planned');
    const went = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    hear(store, 'round', 'R-050', 'round planned');
    expect(went).not.toHaveBeenCalled();
    hear(store, 'round', 'R-051', 'round planned', 'ada');
    expect(went).toHaveBeenCalledWith(['/', 'demo', 'run', 'round', 'R-051']);
  });
});
