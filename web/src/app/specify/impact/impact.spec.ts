import { getImpact, type ImpactAnswer } from '@contract/prove';
import { hear, mount, openWeb } from '../../base/testing';
import { rooms, serve } from '../testing';
import { ImpactNote } from './impact-note';

const trace = (id: number, kind: 'parent' | 'verifies', from: string, to: string, suspect = false) => ({ id, kind, from, to, suspect });
const reached = (kind: 'requirement' | 'case', key: string, distance: number, from: string, minutes = 0) => ({
  kind,
  key,
  title: `About ${key}`,
  state: 'approved',
  minutes,
  runs: 2,
  distance,
  from,
});
const answer: ImpactAnswer = {
  suspect: [
    { ...trace(1, 'parent', 'BRK-002', 'BRK-001'), other: 'BRK-002' },
    { ...trace(2, 'verifies', 'C-001', 'BRK-001', true), other: 'C-001' },
    { ...trace(3, 'parent', 'BRK-001', 'SYS-001'), other: 'SYS-001' },
  ],
  reached: [
    reached('requirement', 'BRK-002', 1, 'BRK-001'),
    reached('case', 'C-001', 1, 'BRK-001', 5),
    reached('case', 'C-002', 2, 'BRK-002', 7),
  ],
  minutes: { near: 10, far: 14 },
  toDo: [trace(2, 'verifies', 'C-001', 'BRK-001', true)],
  functions: 1,
  problems: [],
  more: false,
  seq: 1,
};

describe('What a change reaches', () => {
  const open = async (before: boolean, given: Partial<ImpactAnswer> = {}) => {
    const { api, store } = openWeb(['author'], rooms);
    serve(api, () => []);
    api.on(getImpact, () => ({ ...answer, ...given }));
    return { api, store, page: await mount(ImpactNote, { of: 'BRK-001', before }) };
  };

  it('is told before it is saved: what becomes suspect, what is reached, and what running it costs', async () => {
    const { api, page } = await open(true);
    expect(page.text()).toContain('A new revision makes 2 traces suspect; 1 is already.');
    expect(page.text()).toContain('It reaches 1 requirement, 2 cases and 1 function.');
    expect(page.text()).toContain('Running the cases of it again is planned with 10 min, those further off with 14 min');
    expect(page.text()).not.toContain('Still to be done');
    expect(api.of(getImpact)[0]).toEqual({ project: 'demo', key: 'BRK-001', build: '1.0' });
  });

  it('is told after it: what is still to be done; and that nothing rests on it, where nothing does', async () => {
    const { page } = await open(false);
    expect(page.text()).toContain('Still to be done: 1 trace in doubt.');
    const none = await (async () => {
      page.fixture.destroy();
      const { TestBed } = await import('@angular/core/testing');
      TestBed.resetTestingModule();
      return open(false, { suspect: [], reached: [], toDo: [], functions: 0, minutes: { near: 0, far: 0 } });
    })();
    expect(none.page.text()).toContain('Nothing rests on it yet.');
  });

  it('is shown as a list and drawn, and read again when something it rests on changes', async () => {
    const { api, store, page } = await open(false);
    await page.press(/Show them/);
    expect(page.all('tbody tr').map((tr) => tr.textContent?.replace(/\s+/g, ' ').trim())).toEqual([
      'BRK-002About BRK-0021',
      'C-001About C-001110',
      'C-002About C-002BRK-002214',
    ]);
    await page.until(() => page.all('.node').length);
    expect(page.all('.node').map((n) => n.querySelector('text')?.textContent)).toEqual(
      jasmine.arrayWithExactContents(['BRK-001', 'SYS-001', 'BRK-002', 'C-001', 'C-002']),
    );
    expect(page.one('[data-id=C-001]').classList).toContain('suspect');
    hear(store, 'trace', 'C-001 → BRK-001', 'trace confirmed');
    await page.settled();
    expect(api.of(getImpact).length).toBe(2);
  });
});
