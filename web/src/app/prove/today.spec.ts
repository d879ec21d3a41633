import * as base from '@contract/base';
import type { LedgerRow, News, WaitingItem } from '@contract/base';
import type { Role } from '@core/base';
import { mount, openWeb } from '../base/testing';
import { baseCommands } from '../base';
import { TodayPage } from './today-page';

describe('Today', () => {
  const item = (key: string, more: Partial<WaitingItem> = {}): WaitingItem => ({
    kind: 'run',
    key,
    title: `C-1 ${key}`,
    note: 'to record on 1.0',
    place: 'bench',
    asked: 'record',
    build: '1.0',
    minutes: 10,
    holds: 1,
    since: '2026-03-01T08:00:00.000Z',
    ...more,
  });
  const entry: LedgerRow = {
    seq: 9,
    at: '2026-03-01T08:00:00.000Z',
    who: 'tom',
    action: 'requirement revised',
    kind: 'requirement',
    key: 'R-7',
    before: { revision: 1 },
    after: { revision: 2 },
    previous: '',
    hash: '',
  };
  let news: News;
  beforeEach(() => (news = { entries: [{ ...entry, why: 'changed' }], seen: 4, unseen: 1, off: [] }));
  const open = async (items: readonly WaitingItem[], roles: Role[] = ['tester', 'reviewer']) => {
    const { api, store } = openWeb(roles);
    api
      .on(base.listNews, () => news)
      .on(base.setNews, ({ seen, off }) => (news = { ...news, seen: (seen as number) ?? news.seen, off: (off as News['off']) ?? news.off }))
      .on(base.listJobs, () => [])
      .on(base.previewBulk, () => ({ total: 2, changed: 2, refused: 0, items: [], digest: '0'.repeat(64) }));
    store.dispatch(baseCommands.listWaiting.done({ input: { project: 'demo' }, answer: [...items], command: '', phase: 'done' }));
    return { api, page: await mount(TodayPage) };
  };

  it('begins with what holds up most, and groups the rest by what is asked', async () => {
    const { page } = await open([
      item('RUN-3', { holds: 4, asked: 'review', place: 'review', note: 'to review, by Tom' }),
      item('RUN-1'),
      item('RUN-2', { minutes: null }),
    ]);
    expect(page.one('.next').textContent).toContain('RUN-3');
    expect(page.text()).toContain('3 things wait for you · 20 min planned');
    expect(page.all('section.group').map((s) => s.getAttribute('aria-label'))).toEqual(['To record', 'To review']);
    expect(page.all('section.group li').map((li) => li.querySelector('a, cp-record')?.textContent?.trim())).toEqual([
      'RUN-1',
      'RUN-2',
      'RUN-3',
    ]);
    expect(page.text()).toContain('holds up 4 requirements');
  });
  it('leads to the Bench and to the record', async () => {
    const { page } = await open([item('RUN-1'), item('R-9', { kind: 'requirement', asked: 'approve', place: 'requirement' })]);
    expect(page.all<HTMLAnchorElement>('.what').map((a) => a.getAttribute('href'))).toEqual([
      '/demo/run/bench/RUN-1',
      '/demo/specify/requirement/R-9',
    ]);
  });
  it('goes from row to row by arrows, over the groups', async () => {
    const { page } = await open([
      item('RUN-1'),
      item('RUN-2'),
      item('R-9', { kind: 'requirement', asked: 'approve', place: 'requirement' }),
    ]);
    document.body.append(page.element);
    const [first, second, third] = page.all<HTMLAnchorElement>('.what');
    first.focus();
    first.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }));
    expect(document.activeElement).toBe(second);
    second.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }));
    second.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }));
    expect(document.activeElement).toBe(third);
  });
  it('shows a dozen of a group first, and all on asking', async () => {
    const { page } = await open(Array.from({ length: 20 }, (_, i) => item(`RUN-${i + 1}`)));
    expect(page.all('section.group li').length).toBe(12);
    await page.press(/Show 8 more/);
    expect(page.all('section.group li').length).toBe(20);
  });
  it('approves all that wait of a kind in one act, with its preview', async () => {
    const texts = ['C-4', 'C-5'].map((key) => item(key, { kind: 'case', asked: 'approve', place: 'case', minutes: null }));
    const { api, page } = await open([...texts, item('R-1', { kind: 'requirement', asked: 'approve', place: 'requirement' })]);
    await page.press(/Approve 2 cases/);
    expect(page.text()).toContain('2 chosen');
    await page.press(/^\s*Approve\s*$/);
    expect(api.of(base.previewBulk)[0]['selection']).toEqual({ kind: 'case', keys: ['C-4', 'C-5'] });
  });
  it('tells news as sentences, marks what is new, and says that it was seen', async () => {
    const { api, page } = await open([]);
    expect(page.text()).toContain('Nothing waits for you');
    expect(page.text()).toContain('tom revised R-7, now revision 2');
    expect(page.all('.fresh').length).toBe(1);
    expect(api.of(base.setNews)).toEqual([{ project: 'demo', seen: 9 }]);
    await page.settled();
    expect(page.all('.fresh').length).toBe(1);
    expect(api.of(base.setNews).length).toBe(1);
  });
  it('has each kind of news on or off', async () => {
    const { api, page } = await open([]);
    await page.press(/Which/);
    const box = (words: RegExp): HTMLInputElement =>
      page
        .all<HTMLLabelElement>('label')
        .find((l) => words.test(l.textContent ?? ''))
        ?.querySelector('input') as HTMLInputElement;
    expect(page.all<HTMLInputElement>('label input').every((b) => b.checked)).toBeTrue();
    box(/Anything else/).click();
    await page.settled();
    box(/names you/).click();
    await page.settled();
    box(/Anything else/).click();
    await page.settled();
    expect(api.of(base.setNews).flatMap(({ off }) => (off ? [off] : []))).toEqual([['changed'], ['changed', 'mentioned'], ['mentioned']]);
    expect(box(/names you/).checked).toBeFalse();
  });
});
