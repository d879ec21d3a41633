import type { FeatureSlice, Store } from '@ngrx/store';
import { getCase } from '@contract/design';
import { requirementCode } from '@contract/measure';
import { getCord } from '@contract/prove';
import { getRun } from '@contract/run';
import { baseActions } from '../base';
import { mount, openWeb, type FakeApi, type Mounted } from '../base/testing';
import { proofCommands, proofFeature, RequirementProof } from './requirement-proof';

describe('what proves a requirement', () => {
  let api: FakeApi;
  let store: Store;
  let page: Mounted<RequirementProof>;
  let verdict = 'passed';
  const asked = (): unknown[] => api.of(getRun).map(({ key }) => key);
  const rest = async (): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 80));
    await page.settled();
  };

  beforeEach(async () => {
    verdict = 'passed';
    ({ api, store } = openWeb(['author'], [{ feature: proofFeature as FeatureSlice<unknown>, effects: proofCommands }]));
    api.on(getCord, ({ key }) => ({
      key,
      break: null,
      states: { specify: 'sound', design: 'sound', run: 'sound', measure: 'sound', prove: 'sound' },
      reasons: { specify: [], design: [], run: [], measure: [], prove: [] },
    }));
    api.on(requirementCode, () => ({ units: [], total: null }));
    api.on(getCase, ({ key }) => ({
      key,
      runs: [
        { key: `RUN-${String(key)}`, build: '1.0', superseded: false },
        { key: `OLD-${String(key)}`, build: '1.0', superseded: true },
        { key: `ELSE-${String(key)}`, build: '0.9', superseded: false },
      ],
    }));
    api.on(getRun, ({ key }) => ({ key, caseKey: 'C-1', caseRevision: 1, verdict, configuration: 'rig', signatures: [], problems: [] }));
    page = await mount(RequirementProof, { key: 'BRK-001', cases: [{ from: 'C-1' }, { from: 'C-2' }] });
    await rest();
  });

  it('asks once for each run that counts on the build, however many answers come', async () => {
    await rest();
    expect(asked()).toEqual(['RUN-C-1', 'RUN-C-2']);
    expect(page.text()).toContain('Proved on 1.0');
    expect(page.all('.run').length).toBe(2);
  });

  it('asks for them again when something was judged, and shows what they are now', async () => {
    verdict = 'failed';
    store.dispatch(baseActions.liveNews({ entries: [], judged: [{ build: '1.0', seq: 9, keys: ['BRK-001'] }] }));
    await rest();
    await rest();
    expect(new Set(asked().slice(2))).toEqual(new Set(['RUN-C-1', 'RUN-C-2']));
    expect(asked().length).toBeLessThan(9);
    expect(page.all('.run .tag').map((tag) => tag.textContent?.trim())).toEqual(['failed', 'failed']);
  });
});
