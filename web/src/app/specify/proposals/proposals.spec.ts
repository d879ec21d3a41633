import * as base from '@contract/base';
import * as contract from '@contract/specify';
import { Likely } from '../../base';
import { mount, openWeb } from '../../base/testing';
import { rooms, serve } from '../testing';
import { ProposalsPage } from './proposals-page';

const end = (kind: 'case' | 'requirement', key: string) => ({ kind, key, title: `About ${key}`, text: `What ${key} says` });
const pair = (from: string, to: string, likely: number) => ({
  from: end('case', from),
  to: end('requirement', to),
  likely,
  words: ['lamp', 'cabin'],
});

describe('Proposed traces', () => {
  const open = async (roles: readonly ('author' | 'auditor')[] = ['author']) => {
    const { api } = openWeb(roles, rooms);
    serve(api, () => []);
    api
      .on(contract.listProposals, () => ({
        proposals: [pair('C-1', 'R-1', 80), pair('C-2', 'R-2', 40)],
        looked: { from: 5, to: 6 },
        more: false,
      }))
      .on(base.addTraces, () => ({ made: 1 }))
      .on(base.addTrace, () => ({}));
    return api;
  };

  it('are chosen by a person, with the words that make them likely, and linked at once', async () => {
    const api = await open();
    const page = await mount(ProposalsPage);
    await page.until(() => page.all('tbody tr').length);
    expect(page.text()).toContain('2 likely pairs among 5 and 6 texts');
    expect(page.all('tbody tr').at(0)?.textContent).toContain('lamp');
    expect(page.missing(/^.*Link/)).toBe('Choose the pairs that belong together.');
    await page.press(/60 % and more/);
    await page.press(/Link 1/);
    expect(api.of(base.addTraces)).toEqual([{ project: 'demo', kind: 'verifies', pairs: [{ from: 'C-1', to: 'R-1' }] }]);
    expect(page.all('tbody tr').length).toBe(1);
    expect(page.missing(/Link/)).not.toBe('');
  });

  it('are asked for parents and for all, as the address says; who may not write links nothing', async () => {
    const api = await open(['auditor']);
    const page = await mount(ProposalsPage, { kind: 'parent', of: 'BRK', all: '1' });
    await page.until(() => page.all('tbody tr').length);
    expect(api.of(contract.listProposals)[0]).toEqual({ project: 'demo', kind: 'parent', lacking: 'no', specification: 'BRK' });
    expect(page.all('button').some((b) => /^\s*Link/.test(b.textContent ?? ''))).toBeFalse();
  });

  it('of one record are asked for by a press, and gone once they are linked', async () => {
    const api = await open();
    const page = await mount(Likely, { of: 'R-1', kind: 'verifies', words: 'Likely cases' });
    expect(api.of(contract.listProposals)).toEqual([]);
    await page.press(/Likely cases/);
    expect(api.of(contract.listProposals)).toEqual([{ project: 'demo', of: 'R-1', kind: 'verifies', lacking: 'no', least: 10 }]);
    expect(page.all('.row').length).toBe(2);
    await page.press(/Link C-1/);
    expect(api.of(base.addTrace)).toEqual([{ project: 'demo', kind: 'verifies', from: 'C-1', to: 'R-1' }]);
    expect(page.all('.row').length).toBe(1);
  });
});
