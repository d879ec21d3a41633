import { ChangeDetectionStrategy, Component } from '@angular/core';
import type { FeatureSlice, Store } from '@ngrx/store';
import { listCords } from '@contract/prove';
import { baseActions } from '../base';
import { mount, openWeb, type FakeApi, type Mounted } from '../base/testing';
import { useRowCords } from './row-cords';
import { specifyCommands, specifyFeature } from './state';

@Component({ template: '', changeDetection: ChangeDetectionStrategy.OnPush })
class Host {
  readonly cords = useRowCords();
}

describe('the cords of rows in a tree', () => {
  let api: FakeApi;
  let store: Store;
  let page: Mounted<Host>;
  let broken = 'run';
  const host = (): Host => page.fixture.componentInstance;
  const wait = async (ms: number): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, ms));
    await page.settled();
  };
  const asked = (): unknown[] => api.of(listCords).map(({ filter }) => (JSON.parse(String(filter)) as { is: unknown }).is);
  const judged = (keys: readonly string[] | null, build = '1.0'): void =>
    store.dispatch(baseActions.liveNews({ entries: [], judged: [{ build, seq: 9, keys }] }));

  beforeEach(async () => {
    broken = 'run';
    ({ api, store } = openWeb(['author'], [{ feature: specifyFeature as FeatureSlice<unknown>, effects: specifyCommands }]));
    api.on(listCords, ({ filter }) => ({
      rows: (JSON.parse(String(filter)) as { is: string[] }).is.map((key) => ({ key, states: { [broken]: 'broken' } })),
      next: null,
      total: null,
      seq: 1,
    }));
    page = await mount(Host);
  });

  it('are asked for once the rows stand still, and stay known', async () => {
    host().cords.shown(['BRK-1']);
    await wait(40);
    host().cords.shown(['BRK-2', 'BRK-3']);
    await wait(220);
    expect(asked()).toEqual([['BRK-2', 'BRK-3']]);
    host().cords.shown(['BRK-4']);
    await wait(220);
    expect(Object.keys(host().cords.of())).toEqual(['BRK-2', 'BRK-3', 'BRK-4']);
    host().cords.shown(['BRK-4']);
    await wait(220);
    expect(asked().length).toBe(2);
  });

  it('are asked for again when one of them was judged, not for others or another build, and not for each of many', async () => {
    host().cords.shown(['BRK-1']);
    await wait(220);
    judged(['BRK-7']);
    judged(['BRK-1'], '0.9');
    await wait(60);
    expect(asked().length).toBe(1);
    broken = 'measure';
    for (let i = 0; i < 6; i++) judged(i ? ['BRK-1'] : null);
    await wait(600);
    expect(asked().length).toBe(3);
    expect(host().cords.of()['BRK-1']).toEqual({ measure: 'broken' } as never);
  });
});
