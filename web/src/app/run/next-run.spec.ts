import { TestBed } from '@angular/core/testing';
import { listRuns } from '@contract/run';
import { mount, openWeb } from '../base/testing';
import { NextRun } from './next-run';

describe('The next run', () => {
  const recorded = { key: 'RUN-1', round: 'R-1', tester: 'ada', finishedAt: '2026-03-01T09:00:00.000Z' };
  const open = async (of: object) => {
    const { api } = openWeb(['tester']);
    api.on(listRuns, () => ({ rows: [{ key: 'RUN-2', caseKey: 'C-2', row: '3' }], total: 4, at: 1, from: 0, next: null }));
    return { api, page: await mount(NextRun, { of }) };
  };

  it('of the same round and tester is one key away after one was recorded', async () => {
    const { api, page } = await open(recorded);
    await page.until(() => page.text().includes('Next: C-2 row 3, 4 to record'));
    expect(page.one('a').getAttribute('href')).toBe('/demo/run/bench/RUN-2');
    await page.until(() => document.activeElement === page.one('a'));
    const asked = api.of(listRuns)[0];
    expect([asked['sort'], asked['limit']]).toEqual(['position', 1]);
    expect(asked['filter']).toContain('"field":"round","is":["R-1"]');
    expect(asked['filter']).toContain('"field":"tester","is":["ada"]');
  });

  it('is offered neither to who only looks at it, nor while it is open', async () => {
    for (const of of [
      { ...recorded, tester: 'bo' },
      { ...recorded, finishedAt: null },
    ]) {
      const { api, page } = await open(of);
      await page.settled();
      expect(page.text()).toBe('');
      expect(api.of(listRuns)).toEqual([]);
      page.fixture.destroy();
      TestBed.resetTestingModule();
    }
  });
});
