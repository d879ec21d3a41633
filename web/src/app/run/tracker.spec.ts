import * as contract from '@contract/run';
import type { OutsideLink, Tracker } from '@contract/run';
import { usualStages } from '@core/run';
import { mount, openWeb } from '../base/testing';
import { OutsideLinkView } from './outside-link';
import { runCommands, runFeature } from './state';
import { TrackerPage } from './tracker-page';

const open = (roles: Parameters<typeof openWeb>[0]) => openWeb(roles, [{ feature: runFeature, effects: runCommands }] as never);
const link = (more: Partial<OutsideLink> = {}): OutsideLink => ({
  problem: 'PR-001',
  theirId: 'ITEM-7',
  theirUrl: 'http://127.0.0.1:9/#ITEM-7',
  theirs: { title: 'It rings', state: 'In work' },
  conflicts: [],
  refused: '',
  waiting: 0,
  ...more,
});
const words = usualStages.map(({ name }, i) => ({ stage: name, theirs: `S${i}` }));
const tracker = (more: Partial<Tracker> = {}): Tracker => ({
  settings: { name: 'Workshop', url: 'http://127.0.0.1:9', states: words, paused: false },
  heardAt: '2026-01-01T10:00:00.000Z',
  fault: '',
  waiting: 0,
  hook: '/api/trackers/demo/hook',
  links: [link()],
  ...more,
});
const life = { stages: [...usualStages] as never, severities: [], areas: [] };

describe('a problem report and the tracker outside', () => {
  const mounted = async (
    answer: { tracker: string | null; link: OutsideLink | null },
    roles: Parameters<typeof openWeb>[0] = ['tester'],
  ) => {
    const { api } = open(roles);
    api
      .on(contract.getOutside, () => answer)
      .on(contract.linkOutside, () => link({ theirId: null, theirs: null, theirUrl: '', waiting: 1 }))
      .on(contract.decideOutside, () => link());
    const page = await mount(OutsideLinkView, { of: 'PR-001' });
    await page.settled();
    return { api, page };
  };
  const press = (page: Awaited<ReturnType<typeof mounted>>['page'], name: string): void => {
    const button = page.all('button').find((b) => b.textContent?.trim() === name);
    if (!button) throw new Error(`no button ${name}`);
    button.click();
  };

  it('is nothing where there is none', async () => {
    const { page } = await mounted({ tracker: null, link: null });
    expect(page.text().trim()).toBe('');
  });

  it('is made there, or linked with what is there', async () => {
    const { api, page } = await mounted({ tracker: 'Workshop', link: null });
    press(page, 'Make it there');
    await page.settled();
    expect(api.of(contract.linkOutside)).toEqual([{ project: 'demo', key: 'PR-001', theirId: null }]);
    expect(page.text()).toContain('To be made there');
    expect(page.text()).toContain('1 message to be sent');
  });

  it('says what stands there, what was refused, and has conflicts decided', async () => {
    const conflicts = [{ field: 'title' as const, base: 'Old', mine: 'Here', theirs: 'There' }];
    const { api, page } = await mounted({ tracker: 'Workshop', link: link({ conflicts, refused: 'It is signed by a person.' }) });
    expect(page.text()).toContain('ITEM-7');
    expect(page.text()).toContain('In work');
    expect(page.text()).toContain('It is signed by a person.');
    press(page, 'Take what stands there');
    await page.settled();
    expect(api.of(contract.decideOutside)).toEqual([{ project: 'demo', key: 'PR-001', field: 'title', take: 'theirs' }]);
    expect(page.text()).not.toContain('Both sides changed');
  });

  it('is read by an auditor, who changes nothing', async () => {
    const conflicts = [{ field: 'title' as const, base: 'Old', mine: 'Here', theirs: 'There' }];
    const { page } = await mounted({ tracker: 'Workshop', link: link({ conflicts }) }, ['auditor']);
    expect(page.text()).toContain('Both sides changed the title');
    expect(page.all('button').length).toBe(0);
  });
});

describe('the page of the tracker outside', () => {
  const mounted = async (answer: Tracker, roles: Parameters<typeof openWeb>[0] = ['administrator']) => {
    const { api } = open(roles);
    api
      .on(contract.getTracker, () => answer)
      .on(contract.saveTracker, () => answer)
      .on(contract.getProblemLife, () => life);
    const page = await mount(TrackerPage, {});
    await page.settled();
    return { api, page };
  };
  const type = (page: Awaited<ReturnType<typeof mounted>>['page'], label: string, value: string): void => {
    const box = page
      .all('label')
      .find((l) => l.textContent?.trim() === label)
      ?.querySelector('input');
    if (!box) throw new Error(`no field ${label}`);
    box.value = value;
    box.dispatchEvent(new Event('input'));
  };

  it('says how the exchange stands', async () => {
    expect((await mounted(tracker())).page.text()).toContain('exchanging');
  });

  it('says why it is not reached, and what waits', async () => {
    const { page } = await mounted(tracker({ fault: 'it answered 500', waiting: 3 }));
    expect(page.text()).toContain('it answered 500');
    expect(page.text()).toContain('3 messages to be sent, in order.');
  });

  it('is set up with a word for each stage; what is not given of token and secret stays', async () => {
    const { api, page } = await mounted(tracker());
    type(page, 'Open', 'Fresh');
    await page.settled();
    expect(page.text()).toContain('Not saved yet.');
    page
      .all('button')
      .find((b) => b.textContent?.trim() === 'Save')
      ?.click();
    await page.settled();
    const [sent] = api.of(contract.saveTracker) as { states: { stage: string; theirs: string }[]; token: string }[];
    expect(sent.token).toBe('');
    expect(sent.states.find(({ stage }) => stage === 'open')?.theirs).toBe('Fresh');
    expect(sent.states.length).toBe(words.length);
  });

  it('is read by others', async () => {
    const { page } = await mounted(tracker({ settings: null, links: [] }), ['tester']);
    expect(page.text()).toContain('An administrator can set one.');
    expect(page.all('form').length).toBe(0);
  });
});
