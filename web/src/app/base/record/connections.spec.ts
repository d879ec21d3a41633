import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { listConnections, type Connection } from '@contract/prove';
import { mount, openWeb } from '../testing';
import { ConnectionsPanel } from './connections-panel';
import { recordOpened } from './state';

describe('What is connected with a record', () => {
  const c = (key: string, from: string, distance: number, more: Partial<Connection> = {}): Connection => ({
    kind: 'case',
    key,
    title: `About ${key}`,
    state: 'approved',
    distance,
    from,
    via: 'is verified by',
    ...more,
  });
  const chain = [
    c('C-1', 'R-1', 1),
    c('RUN-1', 'C-1', 2, { kind: 'run', via: 'was run as', state: 'reviewed' }),
    c('PR-1', 'RUN-1', 3, { kind: 'problem', via: 'raised', state: 'open' }),
  ];
  const open = async (connections: Connection[], more = false) => {
    const { api, store } = openWeb(['author']);
    api.on(listConnections, () => ({ connections, more }));
    store.dispatch(recordOpened({ key: 'R-1' }));
    return { api, page: await mount(ConnectionsPanel, { key: 'R-1' }) };
  };

  it('is told near first, what is far with the way that leads there', async () => {
    const { api, page } = await open(chain);
    expect(page.all('h3').map((h) => h.textContent)).toEqual(['Near', 'Two steps away', 'Three steps away']);
    const far = page.all('li').at(-1)?.textContent?.replace(/\s+/g, ' ');
    expect(far).toMatch(/raised.*PR-1.*About PR-1.*over C-1, RUN-1/);
    expect(api.of(listConnections)[0]).toEqual(jasmine.objectContaining({ key: 'R-1', build: '1.0' }));
  });
  it('is narrowed to one kind', async () => {
    const { page } = await open(chain);
    await page.press(/1 problem report/);
    expect(page.all('li').length).toBe(1);
    await page.press(/All 3/);
    expect(page.all('li').length).toBe(3);
  });
  it('is drawn, and a box leads to its record', async () => {
    const { page } = await open(chain);
    await page.until(() => page.all('.node').length);
    expect(page.all('.node').map((g) => g.querySelector('text')?.textContent)).toEqual(['R-1', 'C-1', 'RUN-1', 'PR-1']);
    const went = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    page.all('.node')[3].dispatchEvent(new MouseEvent('click', { bubbles: true }));
    expect(went.calls.mostRecent().args[0]).toEqual(['/', 'demo', 'run', 'problems', 'PR-1']);
  });
  it('says so where there is nothing, or more than is shown', async () => {
    const none = await open([]);
    expect(none.page.text()).toContain('Nothing is connected with it yet');
    TestBed.resetTestingModule();
    const much = await open(chain, true);
    expect(much.page.text()).toContain('There is more than is shown here');
  });
});
