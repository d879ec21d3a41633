import { MatDialog } from '@angular/material/dialog';
import * as contract from '@contract/measure';
import type { CarryOffer } from '@contract/measure';
import type { Role } from '@core/base';
import { of } from 'rxjs';
import { mount, openWeb } from '../base/testing';
import { CarryPanel } from './carry-panel';
import { measureCommands, measureFeature } from './state';

describe('What was measured on the sources before', () => {
  const offer = (unit: string, more: Partial<CarryOffer> = {}): CarryOffer => ({
    path: 'src/a.c',
    unit,
    fromPath: 'src/a.c',
    state: 'same',
    requirements: ['R-1'],
    measuredBy: ['C-1'],
    ...more,
  });
  const signs = {
    open: () => ({ afterClosed: () => of({ password: 'a password', reason: 'Only comments changed.', acceptDeviation: false }) }),
  };
  const statement = {
    key: 'CAR-001',
    build: '1.0',
    units: [],
    argument: 'Only comments changed.',
    by: 'Ada',
    at: '2026-03-01T10:00:00.000Z',
    state: 'stands' as const,
  };
  const open = async (roles: Role[], rows: CarryOffer[]) => {
    const web = openWeb(roles, [{ feature: measureFeature, effects: measureCommands }] as never, [{ provide: MatDialog, useValue: signs }]);
    const same = rows.filter(({ state }) => state === 'same').length;
    web.api
      .on(contract.offerCarries, () => ({ same, changed: rows.length - same, rows }))
      .on(contract.listCarries, () => ({ rows: [statement], next: null, total: 1, seq: 1 }))
      .on(contract.carryMeasured, () => ({ ...statement, key: 'CAR-002' }))
      .on(contract.withdrawCarry, () => ({ ...statement, state: 'withdrawn' as const }));
    const page = await mount(CarryPanel);
    web.store.dispatch(measureCommands.offerCarries.start({ project: 'larkfell', build: '1.0' }));
    web.store.dispatch(measureCommands.listCarries.start({ project: 'larkfell', build: '1.0' }));
    await page.settled();
    return { ...web, page };
  };

  it('is carried function by function, with words and a password', async () => {
    const { api, page } = await open(['reviewer'], [offer('f'), offer('g'), offer('h', { path: 'src/b.c' })]);
    expect(page.text()).toContain('Carry 3 functions');
    expect(page.text()).toContain('src/b.c, before in src/a.c');
    page.all<HTMLInputElement>('tbody input[type=checkbox]')[1].click();
    await page.settled();
    await page.press(/Carry 2 functions/);
    const [asked] = api.of(contract.carryMeasured);
    expect(asked['units']).toEqual([
      { path: 'src/a.c', unit: 'f' },
      { path: 'src/b.c', unit: 'h' },
    ]);
    expect(asked['argument']).toBe('Only comments changed.');
    expect(page.text()).toContain('CAR-002');
  });
  it('says what is missing where nothing is chosen', async () => {
    const { page } = await open(['reviewer'], [offer('f')]);
    page.all<HTMLInputElement>('tbody input[type=checkbox]')[0].click();
    await page.settled();
    expect(page.missing(/Carry 0/)).toContain('Choose a function');
  });
  it('says why others cannot be carried, and is only shown to who may not sign', async () => {
    const { page } = await open(['tester'], [offer('f'), offer('g', { state: 'changed' })]);
    expect(page.text()).toContain('g of src/a.c: its text was changed');
    expect(page.text()).toContain('A reviewer of the project can carry them');
    expect(page.all('button').some((button) => /Carry|Withdraw/.test(button.textContent ?? ''))).toBeFalse();
  });
  it('tells of traces by hand that were not carried, to be said again by an author', async () => {
    const { api, store, page } = await open(['author'], []);
    const told = { path: 'src/a.c', requirement: 'R-2', from: '0.9', by: 'bo', reason: 'Seen.' };
    api
      .on(contract.offerTraces, () => [
        { ...told, unit: 'f', state: 'changed' as const },
        { ...told, unit: 'g', state: 'fileGone' as const },
      ])
      .on(contract.traceCode, () => ({
        ...told,
        text: '',
        sha256: '',
        status: 'measured' as const,
        setAside: [],
        units: [],
        lines: [],
        coverage: {} as never,
      }));
    store.dispatch(measureCommands.offerTraces.start({ project: 'demo', build: '1.0' }));
    await page.settled();
    expect(page.text()).toContain('its file is gone');
    await page.press(/It still does/);
    expect(api.of(contract.traceCode).map(({ unit, requirement, reason }) => [unit, requirement, reason])).toEqual([
      ['f', 'R-2', 'As in 0.9, looked at again.'],
    ]);
  });
  it('is withdrawn with words and a password', async () => {
    const { api, page } = await open(['reviewer'], []);
    await page.press(/Withdraw/);
    expect(api.of(contract.withdrawCarry)[0]['key']).toBe('CAR-001');
    expect(page.text()).toContain('withdrawn');
  });
});
