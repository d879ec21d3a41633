import * as contract from '@contract/prove';
import type { BoardRow } from '@contract/prove';
import * as base from '@contract/base';
import { perKnot } from '@core/base';
import { boardTotals } from '@core/prove';
import { baseActions } from '../base';
import { FakeApi, mount, openWeb, type Mounted } from '../base/testing';
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
  beforeEach(async () => {
    ({ api, store } = openWeb(['author'], rooms));
    api.on(contract.getBoard, ({ offset, limit }) => ({
      build: '1.0',
      seq: 7,
      rows: Array.from({ length: Math.min(Number(limit), 150 - Number(offset)) }, (_, i) => row(Number(offset) + i + 1)),
      next: null,
      total: 150,
      totals,
      rail: perKnot(() => 'broken' as const),
    }));
    page = await mount(BoardPage);
    page.element.style.cssText = 'display:block;height:600px;width:1200px';
    await new Promise((resolve) => setTimeout(resolve, 120));
    await page.settled();
  });

  it('asks for a page at a time, and for no other until it is in view', () => {
    expect(api.of(contract.getBoard).map((q) => [q['offset'], q['limit']])).toEqual([[0, 60]]);
    expect(page.text()).toContain('150 of 150 requirements have a break');
  });

  it('asks anew for another filter, other words and another order', async () => {
    await page.press(/^\s*Broken/);
    await new Promise((resolve) => setTimeout(resolve, 120));
    expect(api.of(contract.getBoard).at(-1)?.['filter']).toBe('broken');
    const box = page.one<HTMLInputElement>('[data-filter]');
    box.value = 'valve';
    box.dispatchEvent(new Event('input'));
    await page.settled();
    await page.press(/First break/);
    await new Promise((resolve) => setTimeout(resolve, 120));
    expect(api.of(contract.getBoard).at(-1)).toEqual(jasmine.objectContaining({ filter: 'broken', q: 'valve', sort: 'break' }));
  });

  it('reads what is in view again when the build was judged anew, once for many pieces of news', async () => {
    const before = api.of(contract.getBoard).length;
    for (let seq = 8; seq < 20; seq++)
      store.dispatch(baseActions.liveNews({ entries: [], judged: [{ build: '1.0', seq, keys: ['BRK-001'] }] }));
    await new Promise((resolve) => setTimeout(resolve, 150));
    await page.settled();
    expect(api.of(contract.getBoard).length).toBe(before + 1);
    store.dispatch(baseActions.liveNews({ entries: [], judged: [{ build: '2.0', seq: 30, keys: null }] }));
    await new Promise((resolve) => setTimeout(resolve, 150));
    expect(api.of(contract.getBoard).length).toBe(before + 1);
  });

  it('says why it cannot be shown', async () => {
    api.refuse(contract.getBoard, { title: 'The database cannot be reached.' });
    await page.press(/^\s*Waiting/);
    await new Promise((resolve) => setTimeout(resolve, 120));
    await page.settled();
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
        rows: [],
        next: null,
        total: 0,
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
