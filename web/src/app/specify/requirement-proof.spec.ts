import type { FeatureSlice, Store } from '@ngrx/store';
import { requirementCode } from '@contract/measure';
import { getCord } from '@contract/prove';
import { requirementRuns } from '@contract/run';
import { baseActions } from '../base';
import { mount, openWeb, type FakeApi, type Mounted } from '../base/testing';
import { proofCommands, proofFeature, RequirementProof } from './requirement-proof';

describe('what proves a requirement', () => {
  let api: FakeApi;
  let store: Store;
  let page: Mounted<RequirementProof>;
  let verdict = 'passed';
  let more = 0;
  const asked = (): unknown[] => api.of(requirementRuns).map(({ key }) => key);
  const rest = async (): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 80));
    await page.settled();
  };

  beforeEach(async () => {
    [verdict, more] = ['passed', 0];
    ({ api, store } = openWeb(['author'], [{ feature: proofFeature as FeatureSlice<unknown>, effects: proofCommands }]));
    api.on(getCord, ({ key }) => ({
      key,
      break: null,
      states: { specify: 'sound', design: 'sound', run: 'sound', measure: 'sound', prove: 'sound' },
      reasons: { specify: [], design: [], run: [], measure: [], prove: [] },
    }));
    api.on(requirementCode, () => ({ units: [], total: null }));
    api.on(requirementRuns, ({ key, build }) => ({
      runs: ['RUN-1', 'RUN-2'].map((run) => ({
        key: run,
        caseKey: `C of ${String(key)} on ${String(build)}`,
        caseRevision: 1,
        row: run === 'RUN-2' ? 'hot' : null,
        configuration: 'rig',
        verdict,
        signatures: [
          { meaning: 'reviewed', printedName: 'Ines', at: '2026-02-01T08:00:00Z', hash: 'ab'.repeat(32), matches: run === 'RUN-1' },
        ],
        problems: [],
      })),
      more,
    }));
    page = await mount(RequirementProof, { key: 'BRK-001' });
    await rest();
  });

  it('asks once for all runs that stand on the build, and says whose record no longer matches', async () => {
    await rest();
    expect(asked()).toEqual(['BRK-001']);
    expect(page.text()).toContain('Proved on 1.0');
    const [one, two] = page.all('.run').map((run) => run.textContent ?? '');
    expect(one).toContain('C of BRK-001 on 1.0 revision 1');
    expect(one).toContain(`record ${'ab'.repeat(6)}…`);
    expect(two).toContain('rig, hot');
    expect(two).toContain('the record no longer matches');
    expect(page.text()).not.toContain('older run');
  });

  it('says how many there are beyond those that it shows', async () => {
    more = 7;
    store.dispatch(baseActions.liveNews({ entries: [], judged: [{ build: '1.0', seq: 9, keys: ['BRK-001'] }] }));
    await rest();
    expect(page.text()).toContain('7 older runs more');
  });

  it('asks for them again when something was judged, and shows what they are now', async () => {
    verdict = 'failed';
    store.dispatch(baseActions.liveNews({ entries: [], judged: [{ build: '1.0', seq: 9, keys: ['BRK-001'] }] }));
    await rest();
    expect(asked()).toEqual(['BRK-001', 'BRK-001']);
    expect(page.all('.run .tag').map((tag) => tag.textContent?.trim())).toEqual(['failed', 'failed']);
  });

  it('shows nothing of another requirement while its own is on the way', async () => {
    api.on(requirementRuns, () => new Promise(() => undefined));
    page.fixture.componentRef.setInput('key', 'BRK-002');
    await rest();
    expect(page.all('.run')).toEqual([]);
    expect(page.text()).not.toContain('No run is planned');
  });
});
