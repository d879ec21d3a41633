import * as contract from '@contract/run';
import { mount, openWeb } from '../base/testing';
import { CarryResults } from './carry-results';
import { runCommands, runFeature } from './state';

const open = (roles: Parameters<typeof openWeb>[0]) => openWeb(roles, [{ feature: runFeature, effects: runCommands }] as never);

describe('results that are carried', () => {
  const offer = (run: string, why: string[] = []) => ({
    run,
    case: `C-${run.slice(-1)}`,
    title: 'Closes',
    row: null,
    configuration: 'rig',
    verdict: 'passed',
    requirements: [{ key: 'BRK-001', revision: 2 }],
    functionsHit: 4,
    why,
  });
  const statement = {
    key: 'CRN-001',
    build: '1.0',
    from: '0.9',
    runs: [{ ...offer('RUN-1'), hash: '0'.repeat(64), caseRevision: 1 }],
    functions: [{ path: 'a.c', name: 'held', what: 'changed' as const }],
    outside: [],
    argument: 'Only the display changed.',
    by: 'Ada Lund',
    at: '2026-01-01T10:00:00.000Z',
    state: 'stands' as const,
  };
  const mounted = async (roles: Parameters<typeof open>[0], more = {}) => {
    const { api } = open(roles);
    api
      .on(contract.offerResults, () => ({
        free: 2,
        held: 1,
        rows: [offer('RUN-1'), offer('RUN-2'), offer('RUN-3', ['it hit held in a.c, which changed'])],
        functions: statement.functions,
        outside: ['limits.h'],
        allowedAt: ['SIL 2'],
        earlier: [],
        ...more,
      }))
      .on(contract.listCarriedResults, () => ({ rows: [statement], next: null, total: 1, seq: 1 }));
    return { api, page: await mount(CarryResults, { before: '0.9', after: '1.0', asked: 'CRN-001' }) };
  };

  it('are offered with their argument, those that may not with the reason; what was carried says all that was signed', async () => {
    const { api, page } = await mounted(['reviewer']);
    await page.settled();
    expect(api.of(contract.offerResults)).toEqual([{ project: 'demo', from: '0.9', to: '1.0' }]);
    expect(page.text()).toContain('2 results may be carried');
    expect(page.text()).toContain('limits.h');
    expect(page.text()).toContain('it hit held in a.c, which changed');
    expect(page.text()).toContain('Only the display changed.');
    expect(page.text()).toContain('1 function changed: held');
    const button = (): string =>
      page
        .all('button')
        .find((b) => /^Carry/.test(b.textContent?.trim() ?? ''))
        ?.textContent?.trim() ?? '';
    expect(button()).toBe('Carry 2 results');
    page.all<HTMLInputElement>('tbody input[type=checkbox]')[0].click();
    await page.settled();
    expect(button()).toBe('Carry 1 result');
  });

  it('are carried on from where they were run: what was carried to the earlier build leads there', async () => {
    const { page } = await mounted(['reviewer'], { earlier: [{ build: '0.8', results: 3 }] });
    await page.settled();
    expect(page.text()).toContain('3 results that hold on 0.9 were carried there: carry them on from where they were run.');
    expect(page.one('a.chip').getAttribute('href')).toContain('from=0.8');
  });

  it('are not carried by whoever is no reviewer, nor where the project does not allow it', async () => {
    const { page } = await mounted(['tester'], { allowedAt: [], free: 0, rows: [] });
    await page.settled();
    expect(page.text()).toContain('does not allow it at any level');
    expect(page.all('button').some((b) => /Carry|Withdraw/.test(b.textContent ?? ''))).toBeFalse();
  });
});
