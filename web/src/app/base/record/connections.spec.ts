import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import * as base from '@contract/base';
import type { TraceKind } from '@contract/base';
import { listCases } from '@contract/design';
import { listConnections, type Connection } from '@contract/prove';
import { listOver, mount, offered, openWeb } from '../testing';
import { ConnectionsPanel } from './connections-panel';
import { linkWays } from './link-here';
import { recordCommands, recordOpened } from './state';

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

  const verifies: TraceKind = {
    name: 'verifies',
    forward: 'verifies',
    backward: 'is verified by',
    fromKinds: ['case'],
    toKinds: ['requirement'],
    circles: false,
  };
  const rests: TraceKind = {
    ...verifies,
    name: 'restsOn',
    forward: 'rests on',
    backward: 'carries',
    fromKinds: ['requirement', 'folder'],
    toKinds: ['requirement', 'upload'],
  };

  it('is linked from here in each way that the project knows for its kind, both ways round', () => {
    const words = (kind: Parameters<typeof linkWays>[1]) => linkWays([verifies, rests], kind).map((way) => way.words);
    expect(words('requirement')).toEqual(['is verified by: case', 'rests on: requirement', 'carries: requirement']);
    expect(words('case')).toEqual(['verifies: requirement']);
    expect(words('upload')).toEqual(['carries: requirement']);
    expect(words('baseline')).toEqual([]);
    const alike: TraceKind = {
      ...verifies,
      name: 'relates',
      forward: 'relates to',
      backward: 'relates to',
      fromKinds: ['case'],
      toKinds: ['case'],
    };
    expect(linkWays([alike, verifies], 'case').map((way) => way.words)).toEqual(['verifies: requirement', 'relates to: case']);
  });

  it('tells what a link would do, draws it from the right end, and is read again; a refusal stands there', async () => {
    const { api, store } = openWeb(['author']);
    const record = { key: 'R-1', kind: 'requirement', state: 'approved' };
    const drawn = { kind: 'verifies', from: 'C-1', to: 'R-1' };
    api
      .on(listConnections, () => ({ connections: chain, more: false }))
      .on(base.listTraceKinds, () => [verifies])
      .on(base.getRecord, () => ({ record, traces: [drawn], signatures: [], following: false, hash: null }))
      .on(
        listCases,
        listOver(() => ['C-1', 'C-2'].map((key) => ({ key, title: `About ${key}`, state: 'draft' }))),
      )
      .on(base.addTrace, () => ({}));
    store.dispatch(recordOpened({ key: 'R-1' }));
    store.dispatch(recordCommands.getRecord.start({ project: 'demo', key: 'R-1' }));
    const page = await mount(ConnectionsPanel, { key: 'R-1' });
    await page.type(page.one<HTMLInputElement>('cp-link-here input'), 'about', 300);
    await page.until(() => offered().length);
    // What is linked already is not offered again.
    expect(offered().map((option) => option.textContent?.replace(/\s+/g, ' ').trim())).toEqual([
      jasmine.stringMatching(/C-2.*R-1 waits until C-2 is approved; counts once somebody else confirms it; runs of C-2 then credit R-1/),
    ]);
    offered()[0].click();
    await page.settled();
    expect(api.of(base.addTrace)).toEqual([{ project: 'demo', kind: 'verifies', from: 'C-2', to: 'R-1' }]);
    expect(api.of(listConnections).length).toBe(2);
    api.refuse(base.addTrace, { detail: 'C-2 was retired meanwhile.' });
    await page.type(page.one<HTMLInputElement>('cp-link-here input'), 'about', 300);
    await page.until(() => offered().length);
    offered()[0].click();
    await page.settled();
    expect(page.text()).toContain('C-2 was retired meanwhile.');
  });

  it('is not linked by who may not', async () => {
    const { api, store } = openWeb(['auditor']);
    api
      .on(listConnections, () => ({ connections: chain, more: false }))
      .on(base.listTraceKinds, () => [verifies])
      .on(base.getRecord, () => ({
        record: { key: 'R-1', kind: 'requirement', state: 'draft' },
        traces: [],
        signatures: [],
        following: false,
        hash: null,
      }));
    store.dispatch(recordOpened({ key: 'R-1' }));
    store.dispatch(recordCommands.getRecord.start({ project: 'demo', key: 'R-1' }));
    const page = await mount(ConnectionsPanel, { key: 'R-1' });
    expect(page.all('cp-link-here input')).toEqual([]);
  });
});
