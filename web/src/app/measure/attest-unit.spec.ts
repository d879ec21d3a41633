import { TestBed } from '@angular/core/testing';
import { MatDialog } from '@angular/material/dialog';
import * as contract from '@contract/measure';
import type { FileDetail } from '@contract/measure';
import type { Role } from '@core/base';
import { metrics } from '@core/measure';
import { of } from 'rxjs';
import { mount, openWeb } from '../base/testing';
import { AttestUnit } from './attest-unit';
import { measureCommands, measureFeature } from './state';

type Unit = FileDetail['units'][number];

describe('What is attested of a function', () => {
  const points = (found: Partial<Record<(typeof metrics)[number], number>>): Unit['coverage'] =>
    Object.fromEntries(metrics.map((m) => [m, { found: found[m] ?? 0, exercised: 0, credited: 0, justified: 0 }])) as Unit['coverage'];
  const unit = (more: Partial<Unit> = {}): Unit => ({
    name: 'init',
    start: 1,
    end: 5,
    requirements: ['R-1'],
    byHand: [],
    attested: [],
    carried: null,
    coverage: points({ function: 1, line: 4 }),
    ...more,
  });
  const signs = {
    open: () => ({ afterClosed: () => of({ password: 'a password', reason: 'Nothing branches here.', acceptDeviation: false }) }),
  };
  const open = async (roles: Role[], shown = unit()) => {
    const web = openWeb(roles, [{ feature: measureFeature, effects: measureCommands }] as never, [{ provide: MatDialog, useValue: signs }]);
    return { ...web, page: await mount(AttestUnit, { path: 'a.c', unit: shown }) };
  };

  it('is offered to a reviewer, for what the standard asks and nothing loaded tells', async () => {
    const { page } = await open(['reviewer']);
    expect(page.text()).toContain('Attest branches');
    expect(page.text()).not.toMatch(/Attest (lines|MC)/);
  });
  it('is told to others, who cannot sign it', async () => {
    const { page } = await open(['tester']);
    expect(page.text()).toContain('have a reviewer attest it');
    expect(page.all('button')).toEqual([]);
  });
  it('is not offered where it was measured, where nothing was, where it is attested, or where nothing is traced', async () => {
    for (const shown of [
      unit({ coverage: points({ line: 4, branch: 2 }) }),
      unit({ coverage: points({}) }),
      unit({ attested: [{ key: 'ATT-001', metric: 'branch' }] }),
      unit({ requirements: [] }),
    ]) {
      const web = await open(['reviewer'], shown);
      expect(web.page.text()).not.toContain('Attest branches');
      TestBed.resetTestingModule();
    }
  });
  it('is signed with words and a password, and taken back with both', async () => {
    const { api, page } = await open(['reviewer'], unit({ attested: [{ key: 'ATT-007', metric: 'mcdc' }] }));
    await page.press(/Attest branches/);
    expect(api.of(contract.attest)).toEqual([
      jasmine.objectContaining({ path: 'a.c', unit: 'init', metric: 'branch', argument: 'Nothing branches here.', password: 'a password' }),
    ]);
    await page.press(/Withdraw/);
    expect(api.of(contract.withdrawAttestation)).toEqual([jasmine.objectContaining({ key: 'ATT-007', reason: 'Nothing branches here.' })]);
  });
});
