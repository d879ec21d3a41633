import { TestBed } from '@angular/core/testing';
import { MatDialog } from '@angular/material/dialog';
import { Router } from '@angular/router';
import * as run from '@contract/run';
import { of } from 'rxjs';
import { mount, openWeb } from '../../base/testing';
import { CaseRedlinesNote } from './case-redlines';
import { RunNow } from './run-now';

describe('a run of a case, now', () => {
  const open = async (inputs: object = {}) => {
    const { api } = openWeb(['tester']);
    api
      .on(run.getConfigurations, () => ({ dimensions: [{ name: 'rig', values: ['rig 1', 'rig 2'] }], exclusions: '' }))
      .on(run.listRounds, () => ({ rows: [{ configuration: 'rig 2' }], next: null, total: 1, seq: 1 }));
    const page = await mount(RunNow, { key: 'C-001', ...inputs });
    await page.until(() => page.one<HTMLInputElement>('[name=configuration]').value === 'rig 2');
    return { api, page };
  };

  it('begins where the last round was, with the row that is chosen, and goes to the Bench', async () => {
    const { api, page } = await open({ rows: [{ name: 'low' }, { name: 'high' }] });
    api.on(run.runNow, () => ({ key: 'RUN-077' }));
    const gone = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    const row = page.one<HTMLSelectElement>('[name=row]');
    expect(row.value).toBe('low');
    row.value = 'high';
    row.dispatchEvent(new Event('change'));
    await page.settled();
    await page.press(/To the bench/);
    expect(api.of(run.runNow)).toEqual([
      jasmine.objectContaining({ project: 'demo', key: 'C-001', configuration: 'rig 2', row: 'high', reason: '' }),
    ]);
    expect(gone.calls.mostRecent().args[0]).toEqual(['/', 'demo', 'run', 'bench', 'RUN-077']);
  });

  it('asks why where there is a result already, and says what else is wrong', async () => {
    const { api, page } = await open();
    const navigate = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    api.refuse(run.runNow, { fields: [{ path: 'reason', text: 'It has a result here.' }] });
    await page.press(/To the bench/);
    expect(page.text()).toContain('It has a result here.');
    expect(page.missing(/To the bench/)).toContain('why it is run again');
    await page.write(/Why it is run again/, 'The rig was repaired');
    api.on(run.runNow, () => ({ key: 'RUN-078' }));
    await page.press(/To the bench/);
    expect(api.of(run.runNow).map((input) => input['reason'])).toEqual(['', 'The rig was repaired']);
    expect(navigate).toHaveBeenCalledTimes(1);
    await page.write(/^Configuration/, ' ');
    expect(page.missing(/To the bench/)).toContain('which configuration');
  });
});

describe('what runs changed of a case', () => {
  const offer = (left: number) => ({
    run: 'RUN-005',
    revision: 2,
    left,
    redlines: [
      {
        step: 1,
        what: 'changed',
        before: { action: 'Press', expected: 'On' },
        after: { action: 'Hold', expected: 'On' },
        reason: 'Too short',
      },
      { step: 3, what: 'dropped', before: { action: 'Wait', expected: '' }, after: null, reason: 'No need' },
    ],
  });
  const open = async (left: number, author = true) => {
    const { api } = openWeb(['author']);
    api.on(run.listRedlines, () => [offer(left)]);
    const page = await mount(CaseRedlinesNote, { key: 'C-001', revision: 3, author });
    await page.until(() => page.all('.note').length);
    let taken = 0;
    page.fixture.componentInstance.taken.subscribe(() => taken++);
    spyOn(TestBed.inject(MatDialog), 'open').and.returnValue({ afterClosed: () => of('It is better so') } as never);
    return { api, page, taken: () => taken };
  };

  it('is shown as a difference with its reason, and taken into the revision that is shown', async () => {
    const { api, page, taken } = await open(0);
    expect(page.text().replace(/\s+/g, ' ')).toContain('“Press → On” became “Hold → On”, because: Too short');
    api.on(run.answerRedlines, () => []);
    await page.press(/Take it into the case/);
    await page.until(() => !page.all('.note').length);
    expect(api.of(run.answerRedlines)).toEqual([
      { project: 'demo', key: 'C-001', run: 'RUN-005', take: true, reason: 'It is better so', basedOn: 3 },
    ]);
    expect(taken()).toBe(1);
  });

  it('is left with a reason, says what finds no place, and what was refused', async () => {
    const { api, page, taken } = await open(2);
    expect(page.text()).toContain('2 of these find no place');
    expect(page.all('button').map((b) => b.textContent?.trim())).toEqual(['Leave the case']);
    api.refuse(run.answerRedlines, { detail: 'Somebody answered it.' });
    await page.press(/Leave the case/);
    await page.until(() => page.text().includes('Somebody answered it.'));
    expect([page.all('.note').length, taken()]).toEqual([1, 0]);
  });

  it('is answered by its author alone', async () => {
    expect((await open(0, false)).page.all('button').length).toBe(0);
  });
});
