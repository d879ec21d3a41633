import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import * as contract from '@contract/prove';
import type { BoardRow } from '@contract/prove';
import * as base from '@contract/base';
import { perKnot } from '@core/base';
import { boardTotals } from '@core/prove';
import { baseActions } from '../base';
import { FakeApi, listOver, mount, openWeb, type Mounted } from '../base/testing';
import { BoardPage } from './board-page';
import { ProvePage } from './prove-page';
import { proveCommands, proveFeature } from './state';

const row = (n: number): BoardRow => ({
  key: `BRK-${String(n).padStart(3, '0')}`,
  title: `Title ${n}`,
  level: 'SIL 3',
  states: perKnot((k) => (k === 'run' ? 'broken' : 'sound')),
  below: null,
  break: {
    state: 'broken',
    knot: 'run',
    words: 'RUN-001 failed',
    records: [{ kind: 'run', key: 'RUN-001' }],
    action: { label: 'Open the run', to: { kind: 'run', key: 'RUN-001' }, place: 'run' },
  },
});
const totals = { ...boardTotals([]), counts: { ...boardTotals([]).counts, all: 150, broken: 150 } };
const rooms = [{ feature: proveFeature, effects: proveCommands }] as never;

describe('the Cord board', () => {
  let api: FakeApi;
  let store: ReturnType<typeof openWeb>['store'];
  let page: Mounted<BoardPage>;
  const rows = Array.from({ length: 150 }, (_, i) => row(i + 1));
  const grid = (): HTMLElement => page.one('[role=grid]');
  const asked = (): Record<string, unknown> | undefined => api.of(contract.listCords).at(-1);
  const moment = async (): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 150));
    await page.settled();
  };
  beforeEach(async () => {
    localStorage.clear();
    ({ api, store } = openWeb(['author'], rooms));
    api
      .on(contract.getBoard, () => ({ build: '1.0', seq: 7, totals, rail: perKnot(() => 'broken' as const) }))
      .on(
        contract.listCords,
        listOver(() => [{ ...row(1), states: perKnot(() => 'sound' as const), break: null, cord: 'sound' }, ...rows.slice(1)]),
      );
    page = await mount(BoardPage);
    page.element.style.cssText = 'display:block;height:700px;width:1200px';
    await moment();
  });
  afterEach(() => localStorage.clear());

  it('asks for a page at a time of the build that is shown, and counts as the totals do, without asking', () => {
    expect(api.of(contract.listCords).map((q) => [q['build'], q['limit'], q['skip']])).toEqual([['1.0', 100, undefined]]);
    expect(page.text()).toContain('150 of 150 requirements have a break');
    expect(page.button(/^\s*Broken/).textContent).toContain('150');
  });

  it('draws each cord in its cell, with the first break and its next action as a link', () => {
    const second = page.all('[role=row]')[1];
    expect(second.textContent).toContain('BRK-002');
    expect(second.querySelector('cp-cord')).not.toBeNull();
    expect(second.querySelector('a[href*="RUN-001"]')?.textContent).toContain('Open the run');
    expect(page.all('[role=row]')[0].textContent).toContain('Proved on 1.0');
  });

  it('asks anew for another view, other words and another order', async () => {
    await page.press(/^\s*Broken/);
    expect(JSON.parse(asked()?.['filter'] as string)).toEqual({ field: 'cord', is: ['broken'] });
    await page.type(page.one<HTMLInputElement>('[data-filter]'), 'valve');
    await page.key(page.one('[data-filter]'), 'Enter');
    await page.press(/^ ?Order/);
    document.querySelectorAll<HTMLElement>('[mat-menu-item]')[3].click();
    await page.settled();
    expect(JSON.parse(asked()?.['filter'] as string)).toEqual({ and: [{ field: 'cord', is: ['broken'] }, { words: 'valve' }] });
    expect(asked()?.['sort']).toBe('break');
  });

  it('shows the breaks of a knot when its total is pressed, and all of them when it is pressed again', async () => {
    await page.press(/^\s*Measured/);
    await moment();
    expect(JSON.parse(asked()?.['filter'] as string)).toEqual({ field: 'break', is: ['measure'] });
    expect(page.button(/^\s*Measured/).getAttribute('aria-pressed')).toBe('true');
    await page.press(/^\s*Measured/);
    await moment();
    expect(asked()?.['filter']).toBeUndefined();
  });

  it('does the next action of a row by Enter, and opens the requirement of one that is proved or from another column', async () => {
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    const at = (): unknown =>
      go.calls
        .all()
        .filter(({ args }) => args[0].length)
        .at(-1)?.args[0];
    await page.key(grid(), 'Enter');
    expect(at()).toEqual(['/', 'demo', 'specify', 'requirement', 'BRK-001']);
    await page.key(grid(), 'ArrowDown');
    await page.key(grid(), 'Enter');
    expect(at()).toEqual(['/', 'demo', 'run', 'record', 'RUN-001']);
    await page.key(grid(), 'ArrowLeft');
    await page.key(grid(), 'Enter');
    expect(at()).toEqual(['/', 'demo', 'specify', 'requirement', 'BRK-002']);
  });

  it('as rows does the next action at one press, and opens the requirement at a press beside it', async () => {
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    await page.press(/As a table/);
    await moment();
    const row = page.all('[role=option]')[1];
    // No link stands inside an option: its words are read with the row.
    expect(row.querySelector('a, button')).toBeNull();
    row.querySelector<HTMLElement>('.go')?.click();
    await page.settled();
    const at = (): unknown =>
      go.calls
        .all()
        .filter(({ args }) => args[0].length)
        .at(-1)?.args[0];
    expect(at()).toEqual(['/', 'demo', 'run', 'record', 'RUN-001']);
    page.all('[role=option]')[2].click();
    await page.settled();
    expect(at()).toEqual(['/', 'demo', 'specify', 'requirement', 'BRK-003']);
  });

  it('puts the cords that were judged anew where they stand, once for many pieces of news, and none of another build', async () => {
    const before = api.of(contract.listCords).length;
    rows[4] = { ...rows[4], title: 'Judged anew' };
    for (let seq = 8; seq < 20; seq++)
      store.dispatch(baseActions.liveNews({ entries: [], judged: [{ build: '1.0', seq, keys: ['BRK-005'] }] }));
    await moment();
    const later = api.of(contract.listCords).slice(before);
    expect(later.every((q) => (q['filter'] as string).includes('BRK-005'))).toBeTrue();
    expect(page.text()).toContain('Judged anew');
    const boards = api.of(contract.getBoard).length;
    store.dispatch(baseActions.liveNews({ entries: [], judged: [{ build: '2.0', seq: 30, keys: null }] }));
    await moment();
    expect(api.of(contract.listCords).length).toBe(before + later.length);
    expect(api.of(contract.getBoard).length).toBe(boards);
  });

  it('says why it cannot be shown', async () => {
    api.refuse(contract.listCords, { title: 'The database cannot be reached.' });
    await page.press(/^\s*Waiting/);
    expect(page.text()).toContain('The database cannot be reached.');
  });
});

describe('Prove', () => {
  const job = (more = {}) => ({
    id: 4,
    kind: 'pack',
    state: 'running' as const,
    progress: 0.4,
    message: 'Collecting run 3 of 9',
    build: '1.0',
    by: 'ada',
    createdAt: '2026-03-01T10:00:00.000Z',
    finishedAt: null,
    file: null,
    ...more,
  });
  const open = async (jobs: () => unknown[]) => {
    const { api } = openWeb(['author'], rooms);
    api
      .on(contract.getBoard, () => ({
        build: '1.0',
        seq: 7,
        totals,
        rail: perKnot(() => 'sound' as const),
      }))
      .on(contract.listPacks, jobs)
      .on(contract.listPackKeys, () => [
        { id: 1, fingerprint: 'aa11', madeAt: '2026-01-01T00:00:00.000Z' },
        { id: 2, fingerprint: 'bb22', madeAt: '2026-02-01T00:00:00.000Z' },
      ])
      .on(base.cancelJob, () => ({ ok: true }));
    return { api, page: await mount(ProvePage) };
  };

  it('shows the fingerprint of the key that signs now', async () => {
    const { page } = await open(() => []);
    expect(page.text()).toContain('bb22');
    expect(page.text()).not.toContain('aa11');
    expect(page.text()).toContain('No pack yet');
  });

  it('follows a pack that is being made, cancels it, and makes no second one meanwhile', async () => {
    const { api, page } = await open(() => [job()]);
    expect(page.text()).toContain('Collecting run 3 of 9');
    expect(page.missing(/Make the proof pack/)).toBe('One is being made.');
    await page.press(/Cancel/);
    expect(api.of(base.cancelJob)[0]).toEqual({ project: 'demo', id: 4 });
    page.fixture.destroy();
  });

  it('links a pack that is made, with its hash', async () => {
    const { page } = await open(() => [job({ state: 'done', file: { name: 'pack.zip', bytes: 2048, sha256: 'c'.repeat(64) } })]);
    expect(page.one<HTMLAnchorElement>('a[download]').getAttribute('href')).toBe('/api/projects/demo/packs/4/file');
    expect(page.text()).toContain('c'.repeat(64));
  });
});
