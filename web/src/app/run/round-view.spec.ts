import { MatDialog } from '@angular/material/dialog';
import * as contract from '@contract/run';
import type { RoundDetail, RunSummary } from '@contract/run';
import type { Role } from '@core/base';
import { of } from 'rxjs';
import { doBulk, previewBulk, undoBulk } from '@contract/base';
import { baseCommands, baseFeature } from '../base';
import { listOver, mount, openWeb } from '../base/testing';
import { RoundView } from './round-view';
import { runCommands, runFeature } from './state';

describe('A round', () => {
  const run = (key: string, more: Partial<RunSummary> = {}): RunSummary =>
    ({
      key,
      round: 'R-001',
      build: '1.0',
      caseKey: 'C-001',
      caseTitle: 'It holds',
      caseRevision: 1,
      caseNow: 1,
      row: null,
      configuration: 'rig',
      tester: 'ada',
      testerName: 'Ada Lund',
      state: 'planned',
      verdict: null,
      outdated: false,
      carriedOver: false,
      plannedMinutes: 5,
      seconds: 0,
      ...more,
    }) as RunSummary;
  const round = (items: RunSummary[], more: Partial<RoundDetail> = {}): RoundDetail => ({
    key: 'R-001',
    state: 'open',
    title: 'Release',
    folder: '',
    due: null,
    isPattern: false,
    build: '1.0',
    configuration: 'rig',
    unit: '',
    tools: '',
    createdBy: 'bo',
    createdAt: '2026-03-01T10:00:00.000Z',
    runs: items.length,
    recorded: 0,
    failed: 0,
    reviewed: 0,
    items,
    ...more,
  });
  const offers = (): HTMLElement[] => [...document.querySelectorAll<HTMLElement>('[mat-menu-item]')];
  const signs = { open: () => ({ afterClosed: () => of({ password: 'a password', reason: 'The other build.', acceptDeviation: false }) }) };
  const open = async (roles: Role[], shown: RoundDetail, others: readonly string[] = []) => {
    const { api, store } = openWeb(roles, [{ feature: runFeature, effects: runCommands }] as never, [
      { provide: MatDialog, useValue: signs },
    ]);
    api
      .on(
        contract.listRuns,
        listOver(() => shown.items.map((item) => ({ ...item, case: item.caseKey, superseded: false, folder: 'Brake' }))),
      )
      .on(contract.moveRun, () => ({ ok: true }))
      .on(contract.getRound, () => shown)
      .on(contract.getRoundProgress, () => ({
        planned: 10,
        days: [],
        ends: null,
        by: { person: [], configuration: [], folder: [] },
        folders: { 'C-001': 'Brake' },
      }))
      .on(contract.withdrawRound, () => round([run('RUN-1', { state: 'withdrawn' })], { state: 'withdrawn', runs: 0 }));
    const project = store.selectSignal(baseFeature.selectProject)();
    if (project && others.length) {
      const members = [...project.members, ...others.map((login) => ({ login, printedName: `${login} Roth`, roles: ['tester' as const] }))];
      store.dispatch(
        baseCommands.getProject.done({ input: { project: 'demo' }, answer: { ...project, members }, command: '', phase: 'done' }),
      );
    }
    return { api, page: await mount(RoundView, { key: 'R-001' }) };
  };

  it('offers the other open rounds of its build to move runs to', async () => {
    const { api, page } = await open(['tester'], round([run('RUN-1')]));
    api.on(contract.listRounds, () => ({
      rows: ['R-001', 'R-002'].map((key) => ({ ...round([]), key, title: `Round ${key}` })),
      next: null,
      total: 2,
      seq: 1,
    }));
    const press = async (name: RegExp): Promise<void> => {
      page
        .all('button')
        .find((b) => name.test(b.textContent?.trim() ?? ''))
        ?.click();
      await page.settled();
    };
    await press(/^Choose all/);
    await press(/^Act on them$/);
    await page.settled();
    await new Promise((resolve) => setTimeout(resolve, 50));
    await page.settled();
    expect(api.of(contract.listRounds)).toEqual([jasmine.objectContaining({ build: '1.0' })]);
    const words = page.all('option, button').map((choice) => choice.textContent?.trim() ?? '');
    expect(words).toContain('Move to R-002 Round R-002');
    expect(words.some((text) => text.startsWith('Move to R-001'))).toBeFalse();
  });

  /** As a mouse drags something onto something else. */
  const drag = async (page: { settled: () => Promise<void> }, from: HTMLElement, to: HTMLElement): Promise<void> => {
    const at = (element: HTMLElement) => {
      const { left, top, width, height } = element.getBoundingClientRect();
      return { clientX: left + width / 2, clientY: top + height / 2, bubbles: true, buttons: 1 };
    };
    from.dispatchEvent(new MouseEvent('mousedown', { ...at(from), detail: 1 }));
    const begun = at(from);
    document.dispatchEvent(new MouseEvent('mousemove', { ...begun, clientY: begun.clientY + 12 }));
    await page.settled();
    document.dispatchEvent(new MouseEvent('mousemove', at(to)));
    document.dispatchEvent(new MouseEvent('mousemove', at(to)));
    document.dispatchEvent(new MouseEvent('mouseup', { ...at(to), buttons: 0 }));
    await new Promise((resolve) => setTimeout(resolve, 300));
    await page.settled();
  };

  it('gives a run to whom it is dragged, and takes that back', async () => {
    const items = [run('RUN-1'), run('RUN-2', { state: 'recorded', verdict: 'passed' }), run('RUN-3')];
    const { api, page } = await open(['tester'], round(items), ['Bo']);
    const bulk = {
      id: 4,
      act: { act: 'reassign', tester: 'Bo' },
      reason: '',
      by: 'ada',
      at: '',
      total: 1,
      done: 1,
      refused: 0,
      undone: false,
    };
    api
      .on(previewBulk, () => ({ total: 1, changed: 1, refused: 0, items: [], digest: 'd'.repeat(64) }))
      .on(doBulk, () => ({ ...bulk, job: null }))
      .on(undoBulk, () => ({ ...bulk, undone: true, job: null }));
    await page.until(() => page.all('.hand[cdkdrag], .hand.cdk-drag').length === 2);
    // What is recorded is nobody else's any more.
    expect(page.text()).toContain('Ada Lund 2 · 10 min');
    const to = page.one<HTMLElement>('[data-login=Bo]');
    await drag(page, page.all('.hand.cdk-drag')[1], to);
    expect(api.of(previewBulk)).toEqual([
      jasmine.objectContaining({ selection: { kind: 'run', keys: ['RUN-3'] }, act: { act: 'reassign', tester: 'Bo' } }),
    ]);
    expect(api.of(doBulk)).toEqual([jasmine.objectContaining({ digest: 'd'.repeat(64) })]);
    expect(page.text()).toContain('1 run given to Bo Roth');
    await page.press(/Take it back/);
    expect(api.of(undoBulk)).toEqual([{ project: 'demo', id: 4 }]);
    expect(page.text()).toContain('Taken back.');
    // Onto whoever has it already nothing is done.
    await drag(page, page.all('.hand.cdk-drag')[0], page.one<HTMLElement>('[data-login=ada]'));
    expect(api.of(previewBulk)).toHaveSize(1);
  });

  it('tells of a round larger than what came of it what is left of all of it', async () => {
    const left = [{ tester: 'Bo', runs: 5900, minutes: 62_800 }];
    const { page } = await open(['tester'], round([run('RUN-1'), run('RUN-2')], { runs: 5902, left }), ['Bo']);
    await page.until(() => page.all('.hand').length === 2);
    expect(page.text()).toContain('Bo Roth 5900 · 62800 min');
    expect(page.text()).toContain('Ada Lund none');
  });

  it('offers nobody to drag onto where nobody else records, or to whoever may not plan', async () => {
    const alone = await open(['tester'], round([run('RUN-1')]));
    expect(alone.page.text()).not.toContain('Drag a tester');
  });

  it('shows only the runs of a bar that was pressed, by person or by folder, until that is taken away', async () => {
    const items = [
      run('RUN-1', { verdict: 'failed', state: 'recorded', tester: 'Bo', testerName: 'Bo' }),
      run('RUN-2'),
      run('RUN-3', { caseKey: 'C-002' }),
    ];
    const { page } = await open(['tester'], round(items));
    const shown = () => page.all('[role=row]').flatMap((row) => /RUN-\d/.exec(row.textContent ?? '')?.[0] ?? []);
    const press = async (by: 'person' | 'configuration' | 'folder', name: string, verdict: string) => {
      page.fixture.componentInstance['picked'].set({ by, name, verdict });
      await page.settled();
    };
    await press('configuration', 'rig', 'planned');
    await page.until(() => shown().join() === 'RUN-2,RUN-3');
    await press('person', 'Bo', 'failed');
    await page.until(() => shown().join() === 'RUN-1');
    page.one<HTMLButtonElement>('[aria-label="No longer only failed of Bo"]').click();
    await page.until(() => shown().length === 3);
  });

  it('leads to the next run of mine, and counts what is to be done', async () => {
    const items = [
      run('RUN-1', { state: 'recorded', verdict: 'passed' }),
      run('RUN-2'),
      run('RUN-3', { state: 'performed', verdict: 'failed', tester: 'bo' }),
    ];
    const { page } = await open(['tester'], round(items));
    expect(page.text()).toContain('Record C-001');
    for (const words of ['To record 1', 'To sign 1', 'To review 1', 'Failed 1']) await page.until(() => page.text().includes(words));
    await page.press(/To sign 1/);
    await page.until(() => page.text().includes('Sign ›') && !page.text().includes('Bench ›'));
    expect(page.text()).toContain('Take along');
  });

  it('does its runs earlier or later, by who may say so', async () => {
    const { api, page } = await open(
      ['tester'],
      round([run('RUN-1'), run('RUN-2'), run('RUN-3', { verdict: 'passed', state: 'recorded' })]),
    );
    await page.until(() => page.all('[aria-label="RUN-2 earlier"]').length > 0);
    page.one<HTMLButtonElement>('[aria-label="RUN-2 earlier"]').click();
    await page.settled();
    expect(api.of(contract.moveRun)).toEqual([jasmine.objectContaining({ key: 'R-001', run: 'RUN-2', by: -1 })]);
    // What is recorded has its place.
    expect(page.all('[aria-label="RUN-3 earlier"]').length).toBe(0);
  });

  it('that was planned by mistake is withdrawn with words and a password, as long as nobody recorded in it', async () => {
    const { api, page } = await open(['author'], round([run('RUN-1'), run('RUN-2')]));
    await page.press(/More to do with this round/);
    offers()
      .find((b) => /Withdraw the round/.test(b.textContent ?? ''))
      ?.click();
    await page.settled();
    expect(api.of(contract.withdrawRound).map(({ key, reason }) => [key, reason])).toEqual([['R-001', 'The other build.']]);
    expect(page.text()).toContain('withdrawn');
    expect(page.all('.tag.broken').map((t) => t.textContent)).toContain('withdrawn');
  });

  it('with a result in it, or for somebody who only reads, is not', async () => {
    const recorded = await open(['author'], round([run('RUN-1', { verdict: 'passed', state: 'recorded' })]));
    await recorded.page.press(/More to do with this round/);
    expect(offers().map((b) => b.textContent?.trim())).toContain('Close the round');
    expect(offers().map((b) => b.textContent?.trim())).not.toContain('Withdraw the round');
  });
  it('is not withdrawn by an auditor', async () => {
    const { page } = await open(['auditor'], round([run('RUN-1')]));
    expect(page.all('button').some((b) => /More to do/.test(b.getAttribute('aria-label') ?? ''))).toBeFalse();
  });
});
