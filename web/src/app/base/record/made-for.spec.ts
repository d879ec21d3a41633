import { MatDialog } from '@angular/material/dialog';
import { TestBed } from '@angular/core/testing';
import { of } from 'rxjs';
import * as base from '@contract/base';
import { getBaseline, listBaselines } from '@contract/specify';
import { listOver, mount, offered, openWeb } from '../testing';
import { MadeFor } from './made-for';

describe('The baseline that something is made for', () => {
  const open = async (to: string | undefined, newer: string | null = null, roles: readonly ('author' | 'auditor')[] = ['author']) => {
    const { api } = openWeb(roles);
    const trace = { id: 4, kind: 'madeFor', from: 'C-001', to, toTitle: 'First', fromKind: 'case', toKind: 'baseline', suspect: [] };
    api
      .on(base.getRecord, () => ({
        following: false,
        record: {},
        snapshot: null,
        traces: to ? [trace] : [],
        signatures: [],
        externalIds: [],
      }))
      .on(getBaseline, ({ key }) => ({ key, newer }))
      .on(
        listBaselines,
        listOver(() => [{ key: 'BL-002', title: 'Second' }]),
      )
      .on(base.addTrace, () => ({}))
      .on(base.removeTrace, () => ({ id: 4 }));
    const page = await mount(MadeFor, { key: 'C-001' });
    await page.settled();
    return { api, page };
  };

  it('is named by the picker, and read again', async () => {
    const { api, page } = await open(undefined);
    await page.type(page.one<HTMLInputElement>('input'), 'second', 400);
    await page.until(() => offered().length);
    offered()[0].click();
    await page.settled();
    expect(api.of(base.addTrace)).toEqual([{ project: 'demo', kind: 'madeFor', from: 'C-001', to: 'BL-002' }]);
    expect(api.of(base.getRecord).length).toBe(2);
  });

  it('says that a newer one holds the same, and is taken in its place', async () => {
    const { api, page } = await open('BL-001', 'BL-002');
    expect(page.text()).toContain('a newer one is BL-002');
    await page.press(/Take the newer one/);
    expect(api.of(base.removeTrace)).toEqual([{ project: 'demo', id: 4, reason: 'BL-002 is the newer one.' }]);
    expect(api.of(base.addTrace)[0]['to']).toBe('BL-002');
  });

  it('is taken back with a reason by an author, and only read by others', async () => {
    const { api, page } = await open('BL-001');
    expect(page.text()).not.toContain('newer');
    spyOn(TestBed.inject(MatDialog), 'open').and.returnValue({ afterClosed: () => of('It is for none.') } as never);
    await page.press(/It is not for BL-001/);
    expect(api.of(base.removeTrace)[0]['reason']).toBe('It is for none.');
    TestBed.resetTestingModule();
    const reader = await open('BL-001', null, ['auditor']);
    expect(reader.page.all('button').length).toBe(0);
  });
});
